// The running order: choosing, dragging and moving slides, and looking at any
// moment. All changes are made by the server; this only asks for them.
import { change, draw, forgetTyped, order, view } from "./order.mjs";

// What was chosen and looked at is there again after a reload.
const kept = `nelko-view-${order}`;
const before = JSON.parse(sessionStorage.getItem(kept) ?? "{}");
let selected = new Set(before.selected ?? []);
let anchor = null; // where a range begins
let moment = before.moment ?? null; // the frame being looked at; null until the film has any
window.addEventListener("pagehide", () => sessionStorage.setItem(kept, JSON.stringify({ selected: [...selected], moment })));

const rows = () => document.getElementById("rows");
const work = () => document.getElementById("work");
const slides = () => [...document.querySelectorAll("#rows .slide")];
const id = (g) => g.dataset.slide;

function show() {
  const all = slides();
  const known = new Set(all.map(id));
  selected = new Set([...selected].filter((s) => known.has(s)));
  let first = null;
  for (const g of all) {
    const on = selected.has(id(g));
    g.setAttribute("aria-selected", String(on));
    g.setAttribute("tabindex", "-1");
    if (on && !first) first = g;
  }
  (first ?? all[0])?.setAttribute("tabindex", "0");
  for (const o of document.querySelectorAll("#rows .outline")) o.classList.toggle("chosen", selected.has(o.dataset.of));
  mark();
}

function mark() {
  const svg = rows();
  if (!svg) return;
  const per = Number(work().dataset.rowFrames);
  const line = svg.querySelector("#moment");
  const row = svg.querySelectorAll(".time-line")[Math.floor(moment / per)];
  if (!row) return;
  const width = svg.viewBox.baseVal.width;
  const y = row.parentNode.transform.baseVal.consolidate().matrix.f;
  const x = ((moment % per) / per) * width;
  for (const [k, v] of Object.entries({ x1: x, x2: x, y1: y, y2: y + 40 + Number(work().dataset.slideHeight), visibility: "visible" })) line.setAttribute(k, v);
}

/** Keeps the moment inside the film as it stands; the server proposes the first. */
function keepInside() {
  const frames = Number(work()?.dataset.frames ?? 0);
  moment = frames < 1 ? null : Math.min(moment ?? Number(document.getElementById("look").dataset.frame), frames - 1);
}

view.chosen = () => slides().map(id).filter((s) => selected.has(s));
view.moment = () => moment;

// The margin shows what is chosen, and the film at the moment looked at.
const wanted = () => [work().dataset.revision, moment, view.chosen().join(",")].join("|");
let asked = null;
let shown = document.getElementById("margin")?.dataset.shown;
async function openMargin() {
  if (document.getElementById("margin").dataset.shown === wanted()) return;
  asked?.abort();
  asked = new AbortController();
  document.dispatchEvent(new CustomEvent("nelko:margin"));
  const query = new URLSearchParams({ frame: String(moment) });
  for (const s of view.chosen()) query.append("slide", s);
  try {
    const answer = await fetch(`/orders/${order}/margin?${query}`, { headers: { "HX-Request": "true" }, signal: asked.signal });
    if (answer.ok) draw(await answer.text());
  } catch {
    // Asked for something else meanwhile, or away: the next choice asks again.
  }
}

function choose(g, { range = false, add = false } = {}) {
  const all = slides();
  if (range && anchor && all.some((s) => id(s) === anchor)) {
    const a = all.findIndex((s) => id(s) === anchor);
    const b = all.indexOf(g);
    selected = new Set(all.slice(Math.min(a, b), Math.max(a, b) + 1).map(id));
  } else if (add) {
    if (!selected.delete(id(g))) selected.add(id(g));
    anchor = id(g);
  } else {
    selected = new Set([id(g)]);
    anchor = id(g);
  }
  moment = Number(g.dataset.start) + Math.floor(Number(g.dataset.length) / 2);
  show();
  g.setAttribute("tabindex", "0");
  g.focus({ preventScroll: true });
  openMargin();
}

const edit = (path, values) => change(`/orders/${order}/${path}`, Object.entries(values).flatMap(([k, v]) => (Array.isArray(v) ? v.map((x) => [k, x]) : [[k, v]])));

const movable = () => slides().filter((g) => selected.has(id(g)) && g.dataset.fixed !== "true");

// Each press moves by one place, however the rows stand when it arrives.
function step(by) {
  const moving = movable();
  if (moving.length > 0) edit("edit/shift", { slide: moving.map(id), by });
}

function takeOut() {
  const out = movable();
  if (out.length > 0) edit("edit/remove", { slide: out.map(id) });
}

document.addEventListener("keydown", (event) => {
  if (event.target.closest("input, textarea, select, audio, video")) return;
  const command = event.ctrlKey || event.metaKey;
  const g = event.target.closest?.(".slide");
  if (!g) return;
  const all = slides();
  const at = all.indexOf(g);
  const by = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 }[event.key];
  if (by && event.altKey) step(by);
  else if (by) {
    const to = all[at + by];
    if (to) choose(to, { range: event.shiftKey });
  } else if (event.key === "Home") choose(all[0], { range: event.shiftKey });
  else if (event.key === "End") choose(all.at(-1), { range: event.shiftKey });
  else if (event.key === " " || event.key === "Enter") choose(g, { add: command });
  else if (event.key === "Delete" || event.key === "Backspace") takeOut();
  else if (event.key === "a" && command) {
    selected = new Set(all.map(id));
    show();
    openMargin();
  } else return;
  event.preventDefault();
});

// A place in the film under the pointer, in frames.
function frameAt(event) {
  const svg = rows();
  const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  const per = Number(work().dataset.rowFrames);
  const lines = [...svg.querySelectorAll(".time-line")];
  let row = 0;
  lines.forEach((l, i) => {
    if (point.y >= l.parentNode.transform.baseVal.consolidate().matrix.f) row = i;
  });
  const x = Math.max(0, Math.min(point.x, svg.viewBox.baseVal.width)) / svg.viewBox.baseVal.width;
  return Math.round((row + x) * per);
}

let drag = null;

document.addEventListener("pointerdown", (event) => {
  if (event.button !== 0) return;
  if (event.target.closest("#rows .time-line")) {
    moment = Math.max(0, Math.min(frameAt(event), Number(work().dataset.frames) - 1));
    mark();
    openMargin();
    return;
  }
  const g = event.target.closest("#rows .slide");
  if (g) drag = { g, x: event.clientX, y: event.clientY, on: false, before: null };
});

// The browser must not drag the thumbnails' pictures themselves.
document.addEventListener("dragstart", (event) => {
  if (event.target.closest?.("#rows")) event.preventDefault();
});
document.addEventListener("pointercancel", () => {
  drag = null;
});

document.addEventListener("pointermove", (event) => {
  if (!drag || !rows()) return;
  if (!drag.on) {
    if (Math.hypot(event.clientX - drag.x, event.clientY - drag.y) < 6) return;
    if (!selected.has(id(drag.g))) {
      selected = new Set([id(drag.g)]);
      anchor = id(drag.g);
      show();
    }
    drag.on = true;
  }
  const all = slides();
  const frame = frameAt(event);
  let before = all.find((g) => frame < Number(g.dataset.start) + Number(g.dataset.length) / 2 && g.dataset.fixed !== "true");
  before ??= all.at(-1)?.dataset.fixed === "true" ? all.at(-1) : undefined;
  drag.before = before ? id(before) : "";
  const at = before ? Number(before.dataset.start) : Number(work().dataset.frames);
  const svg = rows();
  const per = Number(work().dataset.rowFrames);
  const row = svg.querySelectorAll(".time-line")[Math.floor(at / per)];
  if (!row) return;
  const y = row.parentNode.transform.baseVal.consolidate().matrix.f;
  const x = ((at % per) / per) * svg.viewBox.baseVal.width;
  const line = svg.querySelector("#drop");
  for (const [k, v] of Object.entries({ x1: x, x2: x, y1: y + 14, y2: y + 18 + Number(work().dataset.slideHeight), visibility: "visible" })) line.setAttribute(k, v);
});

document.addEventListener("pointerup", (event) => {
  if (!drag) return;
  const { g, on, before } = drag;
  drag = null;
  rows()?.querySelector("#drop").setAttribute("visibility", "hidden");
  if (!on) choose(g, { range: event.shiftKey, add: event.ctrlKey || event.metaKey });
  else if (movable().length > 0 && before !== null) edit("edit/move", { slide: movable().map(id), before });
});

document.addEventListener("keydown", (event) => {
  if (event.key !== "Escape") return;
  if (drag) {
    drag = null;
    rows()?.querySelector("#drop").setAttribute("visibility", "hidden");
  } else if (selected.size > 0 && !event.target.closest("input, textarea, select")) {
    selected = new Set();
    show();
    openMargin();
  }
});

document.addEventListener("click", (event) => {
  const move = event.target.closest("[data-move]");
  if (move) step(Number(move.dataset.move));
  const look = event.target.closest("[data-look]");
  if (look) {
    moment = Math.max(0, Math.min(moment + Number(look.dataset.look), Number(work().dataset.frames) - 1));
    mark();
    openMargin();
  }
});

// Where the eye should go in a picture, pressed on its thumbnail.
document.addEventListener("click", (event) => {
  const picture = event.target.closest?.("[data-focal]");
  if (!picture) return;
  const box = picture.getBoundingClientRect();
  const share = (v, lo, size) => Math.max(0, Math.min(1, (v - lo) / size)).toFixed(4);
  edit("edit/focal", { media: picture.dataset.focal, x: share(event.clientX, box.left, box.width), y: share(event.clientY, box.top, box.height) });
});

// The player says where it stopped.
document.addEventListener("nelko:moment", (event) => {
  const { rateNum, rateDen, frames } = work().dataset;
  moment = Math.max(0, Math.min(Math.round((event.detail.seconds * Number(rateNum)) / Number(rateDen)), Number(frames) - 1));
  mark();
  openMargin();
});

// An address that names a slide chooses it; one that names a detail chooses
// the whole film, whose details they are.
function byAddress() {
  const name = decodeURIComponent(location.hash.slice(1));
  const g = name.startsWith("slide-") && document.getElementById(name);
  if (g) {
    choose(g);
    g.scrollIntoView({ block: "nearest" });
  } else if (name.startsWith("detail-") && selected.size > 0) {
    selected = new Set();
    show();
    openMargin();
  }
}
window.addEventListener("hashchange", byAddress);

// After the running order was drawn anew, the selection is where it was, and
// the margin shows it.
document.addEventListener("nelko:drawn", ({ detail }) => {
  const margin = document.getElementById("margin");
  if (detail.parts.includes("margin") && margin.dataset.shown?.split("|").at(-1) !== shown?.split("|").at(-1)) forgetTyped(margin);
  shown = margin?.dataset.shown;
  keepInside();
  show();
  if (rows()) openMargin();
});
keepInside();
show();
if (rows()) openMargin();
if (rows()) byAddress();
