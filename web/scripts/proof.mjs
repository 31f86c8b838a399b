// A proof: remarks carry the moment at which the film was stopped, and what was
// written survives a reload.
const film = document.getElementById("film");
const seconds = document.getElementById("seconds");
const moment = document.getElementById("moment");
const text = document.getElementById("text");
const kept = `nelko-remark-${location.pathname}`;

const clock = (s) => {
  const tenths = Math.round(s * 10);
  return `${Math.floor(tenths / 600)}:${String(Math.floor(tenths / 10) % 60).padStart(2, "0")}.${tenths % 10}`;
};

function at() {
  seconds.value = film.currentTime.toFixed(2);
  moment.textContent = clock(film.currentTime);
}

film.addEventListener("timeupdate", () => film.paused || at());
film.addEventListener("pause", at);
film.addEventListener("seeked", at);
text.addEventListener("focus", () => film.pause());

function go(to) {
  const seek = () => {
    film.currentTime = to;
    film.pause();
    at();
  };
  if (film.readyState > 0) seek();
  else film.addEventListener("loadedmetadata", seek, { once: true });
}

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-seek]");
  if (!button) return;
  go(Number(button.dataset.seek));
  film.scrollIntoView({ block: "nearest" });
});

const back = /^#t=([\d.]+)$/.exec(location.hash);
if (back) go(Number(back[1]));

text.value ||= sessionStorage.getItem(kept) ?? "";
text.addEventListener("input", () => sessionStorage.setItem(kept, text.value));
document.getElementById("remarkform").addEventListener("submit", () => sessionStorage.removeItem(kept));
for (const box of document.querySelectorAll("#who, #approver")) {
  box.value ||= localStorage.getItem("nelko-who") ?? "";
  box.addEventListener("change", () => localStorage.setItem("nelko-who", box.value));
}
