// Playing the film as a draft: segments are made by the server as they are
// played. Pressing again goes back to single frames at the moment reached.
let hls = null;
let pressed = 0; // when playing was last asked for…
let asked = 0; // …and a margin

const screen = () => document.getElementById("screen");
const video = () => document.getElementById("player");
const look = () => document.getElementById("look");
const button = () => document.getElementById("play");

function stop() {
  hls?.destroy();
  hls = null;
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
  const { Hls } = window;
  if (Hls?.isSupported()) {
    hls = new Hls({ startPosition: Number(seconds), maxBufferLength: 8, enableWorker: true });
    hls.on(Hls.Events.ERROR, (_, data) => {
      if (data.fatal) toFrames();
    });
    hls.loadSource(source);
    hls.attachMedia(player);
  } else {
    player.src = source;
    player.currentTime = Number(seconds);
  }
  player.play().catch(() => {}); // a browser that wants a press of its own shows its button
}

document.addEventListener("click", (event) => {
  if (!event.target.closest?.("[data-play]")) return;
  if (hls || video().src) toFrames();
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
  if (!detail.parts.includes("margin") || hls === null) return;
  const again = pressed > asked;
  stop();
  if (again) play();
});
