// Counts a view once the film really plays.
const film = document.getElementById("film");
film.addEventListener("playing", () => navigator.sendBeacon(film.dataset.played), { once: true });
