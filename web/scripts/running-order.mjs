// The running order: choosing, dragging and moving slides, and looking at any
// moment. All changes are made by the server; this only asks for them.
import { change, draw, order, view } from "./order.mjs";
import { notice } from "./page.mjs";
import { frameAt, frames, map, mark, reveal, roll, rows, showDrop, slides } from "./rows.mjs";
import { timecode } from "./timecode.mjs";

// What was chosen and looked at is there again after a reload.
const kept = `nelko-view-${order}`;
const before = JSON.parse(sessionStorage.getItem(kept) ?? "{}");
let selected = new Set(before.selected ?? []);
let anchor = null; // where a range begins
let moment = before.moment ?? null; // the frame being looked at; null until the film has any
window.addEventListener("pagehide", () => sessionStorage.setItem(kept, JSON.stringify({ selected: [...selected], moment })));

const work = () => document.getElementById("work");
const id = (g) => g.dataset.slide;
const slideOf = (element) => {
  const g = element?.closest?.("#rows .slide, #rows .rest");
  return g?.matches(".rest") ? document.getElementById(`slide-${g.dataset.of}`) : g;
};

function show() {
  const all = slides();
  const known = new Set(all.map(id));
  const kept = new Set([...selected].filter((s) => known.has(s)));
  if (!view.own && kept.size < selected.size) {
    const gone = selected.size - kept.size;
    notice(kept.size ? `${gone} of the chosen slides ${gone === 1 ? "is" : "are"} no longer in the film; ${kept.size} stay chosen.`
      : `${gone === 1 ? "The chosen slide is" : "The chosen slides are"} no longer in the film: nothing is chosen now.`, "bad");
  }
  selected = kept;
  const focused = all.includes(document.activeElement) ? document.activeElement : null;
  let first = null;
  for (const g of all) {
    const on = String(selected.has(id(g)));
    if (g.getAttribute("aria-selected") !== on) g.setAttribute("aria-selected", on);
    if (g.getAttribute("tabindex") !== "-1") g.setAttribute("tabindex", "-1");
    if (on === "true" && !first) first = g;
  }
  (focused ?? first ?? all[0])?.setAttribute("tabindex", "0");
  for (const o of document.querySelectorAll("#rows .outline")) o.classList.toggle("chosen", selected.has(o.dataset.of));
  mark(moment);
  map();
  remember();
}

const begins = (g) => Number(g.dataset.start);
const lasts = (g) => Number(g.dataset.length);
const middle = (g) => begins(g) + Math.floor(lasts(g) / 2);

// What the playhead is on: when slides move or change their length, it goes with it.
let under = null; // { slide, into, of }: so many frames into one of so many
function remember() {
  const on = moment === null ? [] : slides().filter((g) => moment >= begins(g) && moment < begins(g) + lasts(g));
  const g = on.find((s) => selected.has(id(s))) ?? on.at(-1);
  under = g ? { slide: id(g), into: moment - begins(g), of: lasts(g) } : null;
}

/** Keeps the moment on what it was on, in the film as it stands; the server proposes the first. */
function keepInside() {
  const all = slides();
  const g = under && (all.find((s) => id(s) === under.slide) ?? all.find((s) => selected.has(id(s))));
  if (g && id(g) !== under.slide) moment = middle(g);
  else if (g) moment = begins(g) + (lasts(g) === under.of ? under.into : Math.min(lasts(g) - 1, Math.round((under.into * lasts(g)) / under.of)));
  moment = frames() < 1 ? null : Math.max(0, Math.min(moment ?? Number(document.getElementById("look").dataset.frame), frames() - 1));
}

view.chosen = () => slides().map(id).filter((s) => selected.has(s));
view.moment = () => moment;

// The margin shows what is chosen, and the film at the moment looked at.
const wanted = () => [work().dataset.revision, moment, view.chosen().join(",")].join("|");
let asked = null;
async function openMargin() {
  const panel = document.querySelector("#margin [role=tabpanel]:not([hidden])");
  if (document.getElementById("margin").dataset.shown === wanted() && !panel?.querySelector("[data-later]")) return;
  asked?.abort();
  asked = new AbortController();
  document.dispatchEvent(new CustomEvent("nelko:margin"));
  const query = new URLSearchParams({ frame: String(moment), panel: view.panel() });
  for (const s of view.chosen()) query.append("slide", s);
  try {
    const answer = await fetch(`/orders/${order}/margin?${query}`, { headers: { "HX-Request": "true" }, signal: asked.signal });
    if (answer.ok) draw(await answer.text());
  } catch {
    // Asked for something else meanwhile, or away: the next choice asks again.
  }
}

/** Chooses a slide: alone, as the end of a range, or beside the others. */
export function choose(g, { range = false, add = false } = {}) {
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
  moment = middle(g);
  show();
  focusOn(g);
  openMargin();
}

function focusOn(g) {
  for (const other of document.querySelectorAll('#rows .slide[tabindex="0"]')) other.setAttribute("tabindex", "-1");
  g.setAttribute("tabindex", "0");
  g.focus({ preventScroll: true });
  reveal(g);
}

/** Chooses several slides at once. */
export function chooseAll(which) {
  selected = new Set(which.map(id));
  anchor = which[0] ? id(which[0]) : null;
  if (which[0]) moment = middle(which[0]);
  show();
  if (which[0]) focusOn(which[0]);
  openMargin();
}
/** The slides that are chosen, in their order. */
export const chosen = () => slides().filter((g) => selected.has(id(g)));

/** Asks for a change of the order. */
export const edit = (path, values) => change(`/orders/${order}/${path}`, Object.entries(values).flatMap(([k, v]) => (Array.isArray(v) ? v.map((x) => [k, x]) : [[k, v]])));

/** What is chosen and may move. */
export const movable = () => chosen().filter((g) => g.dataset.fixed !== "true");

/** Moves what is chosen by places; each press counts, however the rows stand when it arrives. */
export function step(by) {
  const moving = movable();
  if (moving.length > 0) edit("edit/shift", { slide: moving.map(id), by });
}

/** Moves what is chosen before a slide, by its number; past the last to the end. */
export function moveTo(number) {
  const moving = movable();
  if (moving.length === 0) return;
  const all = slides();
  const body = all.filter((g) => g.dataset.fixed !== "true");
  const before = all[number - 1]?.dataset.fixed === "true" && number <= 1 ? body[0] : (all[number - 1] ?? null);
  const last = all.at(-1)?.dataset.fixed === "true" ? id(all.at(-1)) : "";
  edit("edit/move", { slide: moving.map(id), before: before ? id(before) : last });
}

/** Takes what is chosen out of the film; the focus goes to what stands there then. */
export function takeOut() {
  const out = movable();
  if (out.length === 0) return;
  const all = slides();
  const after = all.slice(all.indexOf(out.at(-1)) + 1).find((g) => !out.includes(g)) ?? all.findLast((g) => !out.includes(g));
  edit("edit/remove", { slide: out.map(id) });
  if (after) choose(after);
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
  else if (by && command) {
    const to = all[at + by];
    if (to) focusOn(to); // what is chosen stays; Space adds
  } else if (by) {
    const to = all[at + by];
    if (to) choose(to, { range: event.shiftKey });
  } else if (event.key === "Home" && event.altKey) moveTo(1);
  else if (event.key === "End" && event.altKey) moveTo(Infinity);
  else if (event.key === "Home") choose(all[0], { range: event.shiftKey });
  else if (event.key === "End") choose(all.at(-1), { range: event.shiftKey });
  else if (event.key === " " || event.key === "Enter") choose(g, { add: command });
  else if (event.key === "Delete" || event.key === "Backspace") takeOut();
  else if (event.key === "a" && command) chooseAll(all);
  else return;
  event.preventDefault();
});

// Dragging: a slide to another place, its end to give it seconds, a join to make
// it longer or shorter.
let drag = null;
const seconds = (n) => (n * Number(work().dataset.rateDen)) / Number(work().dataset.rateNum);

document.addEventListener("pointerdown", (event) => {
  if (event.button !== 0) return;
  if (event.target.closest("#rows .time-line")) {
    moment = Math.max(0, Math.min(frameAt(event), frames() - 1));
    mark(moment);
    remember();
    openMargin();
    return;
  }
  const edge = event.target.closest("#rows .edge, #rows .join-edge");
  const g = edge ? document.getElementById(`slide-${edge.dataset.of}`) : slideOf(event.target);
  if (!g) return;
  drag = { g, x: event.clientX, y: event.clientY, on: false, kind: edge ? (edge.matches(".edge") ? "edge" : "join") : "move", from: Number(edge?.dataset.from ?? 0) };
  if (edge) event.preventDefault();
});

// The browser must not drag the thumbnails' pictures themselves.
document.addEventListener("dragstart", (event) => {
  if (event.target.closest?.("#rows")) event.preventDefault();
});

function over(event) {
  const frame = frameAt(event);
  if (drag.kind !== "move") {
    drag.length = Math.max(1, frame - drag.from);
    showDrop(drag.from + drag.length, `${drag.kind === "edge" ? "lasts" : "transition"} ${seconds(drag.length).toFixed(2)} s`, true);
    return;
  }
  const all = slides();
  let before = all.find((g) => frame < Number(g.dataset.start) + Number(g.dataset.length) / 2 && g.dataset.fixed !== "true");
  before ??= all.at(-1)?.dataset.fixed === "true" ? all.at(-1) : undefined;
  drag.before = before ? id(before) : "";
  const moving = movable().length;
  showDrop(before ? Number(before.dataset.start) : frames(), `${moving > 1 ? `${moving} slides ` : ""}${before ? `before ${all.indexOf(before) + 1}` : "to the end"}`);
}

function endDrag() {
  drag = null;
  showDrop(null);
  roll(null);
}
document.addEventListener("pointercancel", endDrag);

document.addEventListener("pointermove", (event) => {
  if (!drag || !rows()) return;
  if (!drag.on) {
    if (Math.hypot(event.clientX - drag.x, event.clientY - drag.y) < (drag.kind === "move" ? 6 : 2)) return;
    if (drag.kind === "move" && !selected.has(id(drag.g))) {
      selected = new Set([id(drag.g)]);
      anchor = id(drag.g);
      show();
    }
    drag.on = true;
  }
  over(event);
  roll(event, (e) => drag && over(e));
});

document.addEventListener("pointerup", (event) => {
  if (!drag) return;
  const { g, on, before, kind, length } = drag;
  endDrag();
  if (!on) choose(g, { range: event.shiftKey, add: event.ctrlKey || event.metaKey });
  else if (kind === "edge") edit("edit/pin", { slide: [id(g)], pin: `${length}f` });
  else if (kind === "join") edit("edit/join", { slide: [id(g)], "join-seconds": seconds(length).toFixed(3) });
  else if (movable().length > 0 && before !== undefined) edit("edit/move", { slide: movable().map(id), before });
});

document.addEventListener("keydown", (event) => {
  if (event.key !== "Escape") return;
  if (drag) endDrag();
  else if (selected.size > 0 && !event.target.closest("input, textarea, select, dialog")) {
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
    moment = Math.max(0, Math.min(moment + Number(look.dataset.look), frames() - 1));
    mark(moment);
    remember();
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

// The player says which moment it shows, and where it stopped.
document.addEventListener("nelko:playing", (event) => {
  const { rateNum, rateDen } = work().dataset;
  const shown = Math.min(Math.floor((event.detail.seconds * Number(rateNum)) / Number(rateDen) + 0.01), frames() - 1);
  mark(shown);
  document.getElementById("look-time").textContent = timecode(shown, Number(rateNum), Number(rateDen));
});
document.addEventListener("nelko:moment", (event) => {
  const { rateNum, rateDen } = work().dataset;
  moment = Math.max(0, Math.min(Math.round((event.detail.seconds * Number(rateNum)) / Number(rateDen)), frames() - 1));
  mark(moment);
  remember();
  openMargin();
});

// A panel whose pictures were not asked for yet.
document.addEventListener("nelko:panel", () => {
  if (rows() && document.querySelector("#margin [role=tabpanel]:not([hidden]) [data-later]")) openMargin();
});

// Captions are typed like a list down the film: Return goes to the next slide's,
// with Shift to the one before.
let captioning = false;
document.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || event.target.id !== "caption") return;
  event.preventDefault();
  event.target.blur(); // what was typed is sent
  const all = slides().filter((g) => g.dataset.pictures !== "0");
  const last = chosen().at(-1);
  const to = all[all.indexOf(last) + (event.shiftKey ? -1 : 1)];
  if (!to) return;
  captioning = true;
  choose(to);
});
document.addEventListener("nelko:drawn", ({ detail }) => {
  if (!captioning || !detail.parts.includes("margin") || document.getElementById("margin").dataset.shown !== wanted()) return;
  captioning = false;
  const field = document.getElementById("caption");
  field?.focus();
  field?.select();
});

// An address that names a slide chooses it; one that names a detail chooses
// the whole film, whose details they are.
function byAddress() {
  const name = decodeURIComponent(location.hash.slice(1));
  const g = name.startsWith("slide-") && document.getElementById(name);
  if (g) {
    choose(g);
  } else if (name.startsWith("detail-") && selected.size > 0) {
    selected = new Set();
    show();
    openMargin();
  }
}
window.addEventListener("hashchange", byAddress);

// After the running order was drawn anew, the selection is where it was, and
// the margin shows it.
document.addEventListener("nelko:drawn", () => {
  keepInside();
  show();
  if (rows()) openMargin();
});
keepInside();
show();
if (rows()) openMargin();
if (rows()) byAddress();
