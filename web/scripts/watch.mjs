// Plays a client's film. The smallest size is there at once, in pieces; the
// player for streams, which takes the size the line carries, comes after it and
// takes over, before anyone presses play or soon after, if the line carries more
// than that. Where a browser cannot stream the plain file plays. Counts a view once the film really
// plays.
import { Pieces } from "./pieces.mjs";

const film = document.getElementById("film");

/** A line is good if it carries so many times what the next larger size takes. */
const good = 1.3;

/** Until when a film that plays is changed for the stream, in seconds. */
const early = 6;

function plain() {
  const at = film.currentTime;
  film.dataset.how = "plain";
  film.src = film.dataset.plain;
  if (at > 0) film.currentTime = at;
}

/** Loads the player for streams and tells the line's speed. */
function load(src) {
  return new Promise((resolve, reject) => {
    const script = Object.assign(document.createElement("script"), { src });
    script.onload = () => {
      const [entry] = performance.getEntriesByName(script.src);
      resolve(entry?.transferSize ? (8000 * entry.transferSize) / Math.max(1, entry.responseEnd - entry.requestStart) : Infinity);
    };
    script.onerror = reject;
    document.head.append(script);
  });
}

function stream() {
  const { Hls } = window;
  const playing = !film.paused;
  const at = film.currentTime;
  const hls = new Hls({ startLevel: 0, maxBufferLength: 30, capLevelToPlayerSize: true, startPosition: at || -1 });
  hls.on(Hls.Events.ERROR, (_, data) => {
    if (!data.fatal) return;
    hls.destroy();
    plain();
  });
  hls.on(Hls.Events.LEVEL_SWITCHED, (_, data) => (film.dataset.level = String(data.level)));
  film.dataset.how = "hls";
  hls.loadSource(film.dataset.stream);
  hls.attachMedia(film);
  if (playing) film.play().catch(() => {});
}

/** Plays in pieces first, and streams as soon as that can be. */
async function begin() {
  const pieces = new Pieces(film);
  film.dataset.how = "pieces";
  try {
    await pieces.start();
  } catch {
    pieces.stop(); // the player for streams may know better
  }
  const on = pieces.over ? null : pieces.goOn();
  on?.catch(() => film.dataset.how === "pieces" && plain());
  const speed = await load(film.dataset.script);
  if (film.dataset.how !== "pieces" || !window.Hls?.isSupported()) return;
  // On a line that carries no more than this size, this size goes on.
  if (speed < good * Number(film.dataset.next) || (!film.paused && film.currentTime > early)) return;
  pieces.stop();
  stream();
}

if (film) {
  film.addEventListener("playing", () => navigator.sendBeacon(film.dataset.played), { once: true });
  const { stream: list } = film.dataset;
  if (list && window.MediaSource) {
    begin().catch(() => film.dataset.how === "pieces" && film.readyState === 0 && plain());
  } else if (list && film.canPlayType("application/vnd.apple.mpegurl")) {
    film.dataset.how = "native";
    film.addEventListener("error", plain, { once: true });
    film.src = list;
  } else {
    plain();
  }
}
