// Playing the film as a draft: segments are made by the server as they are
// played. Pressing again goes back to single frames at the moment reached.
import { playList } from "./film.mjs";

let halt = null; // stops what plays
let pressed = 0; // when playing was last asked for…
let asked = 0; // …and a margin

const screen = () => document.getElementById("screen");
const video = () => document.getElementById("player");
const look = () => document.getElementById("look");
const button = () => document.getElementById("play");

function stop() {
  halt?.();
  halt = null;
}

function toFrames() {
  const at = video().currentTime;
  stop();
  video().classList.add("hidden");
  look().classList.remove("hidden");
  button().textContent = "Play from here";
  document.dispatchEvent(new CustomEvent("nelko:moment", { detail: { seconds: at } }));
}

function play() {
  const { order, revision, seconds } = screen().dataset;
  const source = `/orders/${order}/play/${revision}/film.m3u8`;
  const player = video();
  look().classList.add("hidden");
  player.classList.remove("hidden");
  button().textContent = "Back to single frames";
  const began = performance.now();
  pressed = began;
  player.addEventListener("playing", () => (screen().dataset.startMs = String(Math.round(performance.now() - began))), { once: true });
  halt = playList(player, source, Number(seconds), toFrames);
  requestAnimationFrame(() => tell(began));
}

/** Says which moment is shown, with every picture of the screen, for as long as the same goes on playing. */
function tell(began) {
  if (!halt || pressed !== began) return;
  const player = video();
  if (!player.paused && player.readyState >= 2) document.dispatchEvent(new CustomEvent("nelko:playing", { detail: { seconds: player.currentTime } }));
  requestAnimationFrame(() => tell(began));
}

document.addEventListener("click", (event) => {
  if (!event.target.closest?.("[data-play]")) return;
  if (halt) toFrames();
  else play();
});

document.addEventListener("change", (event) => {
  if (event.target.id !== "show-guides") return;
  document.getElementById("guides").classList.toggle("hidden", !event.target.checked);
});

// A margin drawn anew has a player of its own. Who presses a slide and at once
// Play means the slide that was pressed, whose margin is still on its way.
document.addEventListener("nelko:margin", () => (asked = performance.now()));
document.addEventListener("nelko:drawn", ({ detail }) => {
  if (!detail.parts.includes("margin") || halt === null) return;
  const again = pressed > asked;
  stop();
  if (again) play();
});
