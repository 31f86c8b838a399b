// Plays a client's film: streamed in the size the line carries, or as a plain
// file where a browser cannot stream. Counts a view once the film really plays.
const film = document.getElementById("film");

function plain() {
  const at = film.currentTime;
  film.src = film.dataset.plain;
  if (at > 0) film.currentTime = at;
}

if (film) {
  film.addEventListener("playing", () => navigator.sendBeacon(film.dataset.played), { once: true });
  const { stream } = film.dataset;
  const { Hls } = window;
  if (stream && Hls?.isSupported()) {
    // It begins with the smallest size, so that it plays at once, and goes up as
    // soon as the line is known.
    const hls = new Hls({ startLevel: 0, maxBufferLength: 30, capLevelToPlayerSize: true, autoStartLoad: false });
    hls.on(Hls.Events.ERROR, (_, data) => {
      if (!data.fatal) return;
      hls.destroy();
      film.dataset.how = "plain";
      plain();
    });
    hls.on(Hls.Events.MANIFEST_PARSED, () => hls.startLoad(-1));
    hls.on(Hls.Events.LEVEL_SWITCHED, (_, data) => (film.dataset.level = String(data.level)));
    film.dataset.how = "hls";
    hls.loadSource(stream);
    hls.attachMedia(film);
  } else if (stream && film.canPlayType("application/vnd.apple.mpegurl")) {
    film.dataset.how = "native";
    film.addEventListener("error", plain, { once: true });
    film.src = stream;
  } else {
    film.dataset.how = "plain";
    plain();
  }
}
