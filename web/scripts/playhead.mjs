// The film on the soundtrack's leaf: it plays with its sound from the playhead, which
// is set by a press on the ruler and runs along the track while it plays.
import { playList } from "./film.mjs";
import { clock } from "./sounds.mjs";

const part = () => document.getElementById("soundtrack");
const video = () => document.getElementById("film");
const button = () => document.querySelector("[data-film]");
let at = 0; // seconds
let halt = null; // stops what plays

/** The second of the film at which the playhead stands. */
export const moment = () => at;

function show() {
  const head = document.getElementById("playhead");
  if (!head) return;
  const share = at / Number(part().dataset.seconds);
  head.style.left = `${100 * share}%`;
  head.closest(".track").style.setProperty("--head", share);
  document.getElementById("playhead-at").textContent = clock(at);
  video().classList.toggle("hidden", !halt);
  button().textContent = halt ? "Stop" : "Play";
}

/** Stops the film; the playhead stays where it was reached. */
export function stopFilm() {
  halt?.();
  halt = null;
  show();
}

/** Plays the film from a second on; gives whether it plays, at the latest after eight seconds. */
export function playFrom(seconds, muted = false) {
  stopFilm();
  const player = video();
  if (!player) return Promise.resolve(false);
  player.muted = muted;
  at = seconds;
  const plays = new Promise((go) => {
    player.addEventListener("playing", () => go(true), { once: true });
    setTimeout(() => go(false), 8000);
  });
  halt = playList(player, player.dataset.source, seconds, stopFilm);
  show();
  return plays;
}

document.addEventListener("timeupdate", (event) => {
  if (event.target !== video() || !halt) return;
  at = video().currentTime;
  show();
}, true);
document.addEventListener("ended", (event) => event.target === video() && stopFilm(), true);
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-film]")) {
    if (halt) stopFilm();
    else playFrom(at);
  }
  const ruler = event.target.closest(".track-ruler");
  if (!ruler) return;
  const box = ruler.getBoundingClientRect();
  at = Math.max(0, Math.min(1, (event.clientX - box.left) / box.width)) * Number(part().dataset.seconds);
  if (halt) playFrom(at, video().muted);
  else show();
});
document.addEventListener("keydown", (event) => {
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (!step || event.target.id !== "playhead") return;
  event.preventDefault();
  at = Math.max(0, Math.min(Number(part().dataset.seconds), at + step * (event.shiftKey ? 1 : 0.1)));
  show();
});
// What was changed is heard by playing again.
let source = video()?.dataset.source;
document.addEventListener("nelko:drawn", () => {
  if (halt && video()?.dataset.source !== source) stopFilm();
  source = video()?.dataset.source;
  show();
});
show();
