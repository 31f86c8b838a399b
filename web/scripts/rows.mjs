// The rows of the running order as they lie on the page: where a frame is, what
// is in sight, the map beside them. They are drawn by the server.
const work = () => document.getElementById("work");
export const rows = () => document.getElementById("rows");
export const slides = () => [...document.querySelectorAll("#rows .slide")];
export const perRow = () => Number(work().dataset.rowFrames);
export const frames = () => Number(work()?.dataset.frames ?? 0);
const rowOf = (n) => rows()?.querySelector(`.row[data-row="${n}"]`);

// The parts of a row from above, in its own units (816 wide).
const ruler = 16;
const wide = 816;

/** The frame under the pointer. Between rows the nearer one above counts. */
export function frameAt(event) {
  let row = null;
  for (const r of document.querySelectorAll("#rows .row")) {
    if (row && event.clientY < r.getBoundingClientRect().top) break;
    row = r;
  }
  const box = row.getBoundingClientRect();
  const x = Math.max(0, Math.min(1, (event.clientX - box.left) / box.width));
  return Math.round((Number(row.dataset.row) + x) * perRow());
}

/** Where a frame is, in pixels inside the rows; null outside them. */
function placeOf(frame, atEnd = false) {
  const per = perRow();
  const row = atEnd && frame > 0 ? Math.floor((frame - 1) / per) : Math.floor(frame / per);
  const svg = rowOf(row);
  if (!svg) return null;
  const scale = svg.clientWidth / wide;
  return { x: ((frame - row * per) / per) * svg.clientWidth, y: svg.getBoundingClientRect().top - rows().getBoundingClientRect().top, ruler: ruler * scale, slide: Number(work().dataset.slideHeight) * scale };
}

function put(element, at, from, to) {
  if (!at) {
    element.hidden = true;
    return;
  }
  element.hidden = false;
  element.style.transform = `translate(${at.x}px, ${at.y + from}px)`;
  element.style.height = `${to - from}px`;
}

/** Draws the line of the moment that is looked at. */
export function mark(moment) {
  const line = document.getElementById("moment");
  const at = line && moment !== null ? placeOf(moment) : null;
  if (line) put(line, at, 0, at ? at.ruler + at.slide + 24 : 0);
}

/** Shows where something would land or end, with words; without a frame it is taken away. */
export function showDrop(frame, words = "", atEnd = false) {
  const line = document.getElementById("drop");
  if (!line) return;
  const at = frame === null ? null : placeOf(frame, atEnd);
  put(line, at, at ? at.ruler - 6 : 0, at ? at.ruler + at.slide + 6 : 0);
  line.firstElementChild.textContent = words;
}

/** Scrolls a slide into sight. */
export function reveal(g) {
  const box = g.querySelector(".frame").getBoundingClientRect();
  const view = work().getBoundingClientRect();
  if (box.top < view.top + 20) work().scrollTop += box.top - view.top - 40;
  else if (box.bottom > view.bottom - 40) work().scrollTop += box.bottom - view.bottom + 60;
}

// While something is dragged near an edge, the rows go on by themselves.
let rolling = 0;
/** Scrolls the rows as long as the pointer is near their upper or lower edge. */
export function roll(event, again) {
  cancelAnimationFrame(rolling);
  if (!event) return;
  const view = work().getBoundingClientRect();
  const reach = 48;
  const by = event.clientY < view.top + reach ? event.clientY - view.top - reach : Math.max(0, event.clientY - view.bottom + reach);
  if (by === 0) return;
  rolling = requestAnimationFrame(() => {
    const before = work().scrollTop;
    work().scrollTop += by / 4;
    if (work().scrollTop === before) return;
    again(event);
    roll(event, again);
  });
}

// Pictures are loaded for rows that are in sight or nearly so.
const near = new Set();
function load(row) {
  for (const image of row.querySelectorAll("image[data-href]")) if (image.getAttribute("href") !== image.dataset.href) image.setAttribute("href", image.dataset.href);
}
let sight = null;
const watched = new WeakSet();
function watch() {
  sight ??= new IntersectionObserver(
    (seen) => {
      for (const { target, isIntersecting } of seen) {
        if (isIntersecting) {
          near.add(target);
          load(target);
        } else near.delete(target);
      }
    },
    { root: work(), rootMargin: "500px 0px" },
  );
  for (const row of document.querySelectorAll("#rows .row")) {
    if (watched.has(row)) continue;
    watched.add(row);
    sight.observe(row);
  }
  for (const row of near) {
    if (row.isConnected) load(row);
    else near.delete(row);
  }
}

// The map: the whole film, a line for each row, with what is chosen and what is
// in sight. While rows only scroll, the film on it stays as it was drawn.
let film = null; // the map without what is in sight
function drawMap() {
  const canvas = document.getElementById("filmmap");
  const view = work();
  if (!canvas || !rows()) return;
  const needed = view.scrollHeight > view.clientHeight + 4;
  canvas.hidden = !needed;
  if (!needed) return;
  const ratio = window.devicePixelRatio || 1;
  const w = 40;
  const lines = document.querySelectorAll("#rows .row").length;
  const h = Math.min(view.clientHeight - 70, lines * 26);
  canvas.style.width = `${w}px`;
  canvas.style.height = `${h}px`;
  canvas.width = w * ratio;
  canvas.height = h * ratio;
  const c = canvas.getContext("2d");
  const size = `${w * ratio} ${h * ratio} ${lines}`;
  if (film?.size !== size) film = { size, canvas: drawFilm(w, h, ratio, lines) };
  c.drawImage(film.canvas, 0, 0);
  c.scale(ratio, ratio);
  const all = rows().getBoundingClientRect();
  const seen = view.getBoundingClientRect();
  const top = Math.max(0, (seen.top - all.top) / all.height) * h;
  const bottom = Math.min(1, (seen.bottom - all.top) / all.height) * h;
  c.strokeStyle = "#1d1d1d";
  c.lineWidth = 1.5;
  c.strokeRect(1, top + 1, w - 2, Math.max(4, bottom - top - 2));
}
function drawFilm(w, h, ratio, lines) {
  const canvas = document.createElement("canvas");
  canvas.width = w * ratio;
  canvas.height = h * ratio;
  const c = canvas.getContext("2d");
  c.scale(ratio, ratio);
  c.fillStyle = "#dcdcdc";
  c.fillRect(0, 0, w, h);
  const per = perRow();
  const line = h / lines;
  const thick = Math.max(1, line * 0.62);
  for (const g of slides()) {
    const from = Number(g.dataset.start);
    const end = from + Number(g.dataset.length);
    c.fillStyle = g.getAttribute("aria-selected") === "true" ? "#0a5a66" : g.querySelector(".remark") ? "#8a4b00" : g.dataset.pictures === "0" ? "#3c3c3c" : g.dataset.kind === "clip" ? "#6d6d6d" : "#9d9d9d";
    for (let at = from; at < end; ) {
      const row = Math.floor(at / per);
      const stop = Math.min(end, (row + 1) * per);
      c.fillRect(((at - row * per) / per) * w, row * line + (line - thick) / 2, Math.max(0.6, ((stop - at) / per) * w - 0.5), thick);
      at = stop;
    }
  }
  return canvas;
}
let mapping = 0;
function mapSoon() {
  cancelAnimationFrame(mapping);
  mapping = requestAnimationFrame(drawMap);
}
/** Draws the map anew, soon. */
export function map() {
  film = null;
  mapSoon();
}
document.addEventListener("scroll", mapSoon, { capture: true, passive: true });
window.addEventListener("resize", map);
document.addEventListener("pointerdown", (event) => {
  const canvas = event.target.closest?.("#filmmap");
  if (!canvas) return;
  event.preventDefault();
  canvas.setPointerCapture(event.pointerId);
  const go = (e) => {
    const box = canvas.getBoundingClientRect();
    const share = (e.clientY - box.top) / box.height;
    work().scrollTop = share * rows().offsetHeight - work().clientHeight / 2;
  };
  go(event);
  canvas.addEventListener("pointermove", go);
  canvas.addEventListener("pointerup", () => canvas.removeEventListener("pointermove", go), { once: true });
});

// How many seconds a row has: a cookie of the order's, so that the server draws
// it so from the beginning.
function setRow(seconds) {
  document.cookie = `nelko-row=${seconds}; path=${location.pathname}; max-age=31536000; samesite=strict`;
  document.dispatchEvent(new CustomEvent("nelko:redraw"));
}
document.addEventListener("change", (event) => {
  if (event.target.id === "row-seconds") setRow(event.target.value);
});
document.addEventListener("input", (event) => {
  if (event.target.id === "row-seconds") document.getElementById("row-said").textContent = `${event.target.value} s`;
});
document.addEventListener("click", (event) => {
  if (event.target.closest?.("#row-fits")) setRow(0);
});

function drawn() {
  watch();
  map();
}
document.addEventListener("nelko:drawn", drawn);
if (rows()) drawn();
