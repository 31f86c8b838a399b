// The desk's finer tools: drawing frames on a picture, dragging a decor's path
// on the screen, and keeping open what was open. Edits are made by the server.
import { change, order, put, view } from "./order.mjs";

const desk = () => document.getElementById("margin");
const percent = (v) => String(Math.round(v * 100) / 100);
const clamp = (v) => Math.max(0, Math.min(100, v));

// What was opened stays open when the desk is drawn anew.
const open = new Set();
document.addEventListener(
  "toggle",
  (event) => {
    const { keep } = event.target.dataset ?? {};
    if (!keep || !event.target.isConnected) return;
    if (event.target.open) open.add(keep);
    else open.delete(keep);
    showPoints();
  },
  true,
);

let laid = document.querySelectorAll("#margin [data-decor]").length;
function restore() {
  // Decor just laid is shown with all that can be set.
  const now = document.querySelectorAll("#margin [data-decor]").length;
  if (now > laid) open.add(`decor-${now - 1}`);
  if (now > 0 || document.querySelector("#margin h2")) laid = now;
  for (const d of document.querySelectorAll("#margin details[data-keep]")) d.open = open.has(d.dataset.keep);
  for (const f of document.querySelectorAll("#margin [data-framer]")) drawFrames(f);
  for (const s of document.querySelectorAll("#margin .filmstrip")) drawStrip(s);
  showPoints();
}

// Return makes a change take hold, as leaving the field does.
document.addEventListener("keydown", (event) => {
  const input = event.target;
  // A caption's Return goes on to the next slide's (running-order.mjs).
  if (event.key !== "Enter" || !input.matches?.("#margin form input:not(#caption)")) return;
  event.preventDefault();
  input.blur(); // its change is sent
  input.focus();
});

// Frames on a picture: crop, and what a motion begins and ends with.
const fields = (framer, name) => [...framer.querySelectorAll(`[data-rect="${name}"] input`)];

function drawFrames(framer) {
  for (const rect of framer.querySelectorAll("rect[data-of]")) {
    const values = fields(framer, rect.dataset.of).map((f) => Number.parseFloat(f.value.replace(",", ".")));
    const known = values.length === 4 && values.every(Number.isFinite);
    rect.classList.toggle("hidden", !known);
    if (known) ["x", "y", "width", "height"].forEach((a, i) => rect.setAttribute(a, values[i]));
  }
}

document.addEventListener("input", (event) => {
  const framer = event.target.closest?.("[data-framer]");
  if (framer) drawFrames(framer);
  if (event.target.closest?.("[data-path]")) showPoints();
});

function place(event, element) {
  const box = element.getBoundingClientRect();
  return { x: clamp(((event.clientX - box.left) / box.width) * 100), y: clamp(((event.clientY - box.top) / box.height) * 100) };
}

document.addEventListener("pointerdown", (event) => {
  const picture = event.target.closest?.(".framer");
  if (!picture || event.button !== 0) return;
  event.preventDefault();
  picture.setPointerCapture(event.pointerId);
  const framer = picture.closest("[data-framer]");
  const name = framer.querySelector("[name=drawing]:checked").value;
  const from = place(event, picture);
  const draw = (e) => {
    const to = place(e, picture);
    const r = [Math.min(from.x, to.x), Math.min(from.y, to.y), Math.abs(to.x - from.x), Math.abs(to.y - from.y)];
    if (r[2] < 2 || r[3] < 2) return; // a slip, not a frame
    fields(framer, name).forEach((f, i) => put(f, percent(r[i])));
    drawFrames(framer);
  };
  const end = () => {
    picture.removeEventListener("pointermove", draw);
    // Having drawn where a motion begins, one draws where it ends.
    if (name === "begins") framer.querySelector("[value=ends]").checked = true;
    fields(framer, name)[0].dispatchEvent(new Event("change", { bubbles: true }));
  };
  picture.addEventListener("pointermove", draw);
  picture.addEventListener("pointerup", end, { once: true });
  picture.addEventListener("pointercancel", end, { once: true });
});

// What is shown of a clip, on its filmstrip.
function drawStrip(strip) {
  const whole = Number(strip.dataset.strip);
  const [from, to] = ["from", "to"].map((n) => Number.parseFloat(strip.closest("form").querySelector(`[name=${n}]`).value.replace(",", ".")));
  if (![whole, from, to].every(Number.isFinite) || whole <= 0) return;
  const [x0, x1] = [from, to].map((v) => (1000 * Math.max(0, Math.min(v, whole))) / whole);
  const set = (part, x, width) => Object.entries({ x, width: Math.max(0, width) }).forEach(([k, v]) => strip.querySelector(part).setAttribute(k, v));
  set("[data-part=before]", 0, x0);
  set("[data-part=after]", x1, 1000 - x1);
  set("[data-end=from]", x0, 8);
  set("[data-end=to]", x1 - 8, 8);
}

document.addEventListener("pointerdown", (event) => {
  const end = event.target.closest?.(".filmstrip [data-end]");
  if (!end || event.button !== 0) return;
  event.preventDefault();
  const strip = end.ownerSVGElement;
  const field = strip.closest("form").querySelector(`[name=${end.dataset.end}]`);
  const move = (e) => {
    put(field, percent((place(e, strip).x / 100) * Number(strip.dataset.strip)));
    drawStrip(strip);
  };
  const done = () => {
    document.removeEventListener("pointermove", move);
    field.dispatchEvent(new Event("change", { bubbles: true }));
  };
  document.addEventListener("pointermove", move);
  document.addEventListener("pointerup", done, { once: true });
});

document.addEventListener("click", (event) => {
  const button = event.target.closest?.("[data-split-clip]");
  if (button) splitClip(button.dataset.splitClip);
});

/** Splits a clip at the moment looked at. */
export function splitClip(slide) {
  const g = document.getElementById(`slide-${slide}`);
  const { rateNum, rateDen } = document.getElementById("work").dataset;
  if (g) change(`/orders/${order}/edit/splitclip`, [["on", slide], ["at", ((view.moment() - Number(g.dataset.start)) * Number(rateDen)) / Number(rateNum)]]);
}

// The path of the decor that is open, on the screen.
const svg = "http://www.w3.org/2000/svg";
const opened = () => document.querySelector("#margin [data-beside]:not([hidden]) [data-decor] details[open]:has([data-path])");
document.addEventListener("nelko:panel", () => showPoints());
const rowsOf = (d) => [...d.querySelectorAll("[data-path] tbody tr")];

function showPoints() {
  const screen = document.getElementById("points");
  if (!screen) return;
  const d = opened();
  screen.classList.toggle("hidden", !d);
  screen.replaceChildren();
  if (!d) return;
  const { width, height } = screen.viewBox.baseVal;
  const at = rowsOf(d)
    .map((row, i) => ({ i, x: Number.parseFloat(row.querySelector("[name=p-x]").value), y: Number.parseFloat(row.querySelector("[name=p-y]").value) }))
    .filter((p) => Number.isFinite(p.x) && Number.isFinite(p.y));
  const line = document.createElementNS(svg, "polyline");
  line.setAttribute("points", at.map((p) => `${(p.x / 100) * width},${(p.y / 100) * height}`).join(" "));
  screen.append(line);
  for (const p of at) {
    const dot = document.createElementNS(svg, "circle");
    for (const [k, v] of Object.entries({ cx: (p.x / 100) * width, cy: (p.y / 100) * height, r: 9, "data-row": p.i })) dot.setAttribute(k, v);
    const number = document.createElementNS(svg, "text");
    for (const [k, v] of Object.entries({ x: (p.x / 100) * width, y: (p.y / 100) * height + 4, "text-anchor": "middle" })) number.setAttribute(k, v);
    number.textContent = String(p.i + 1);
    screen.append(dot, number);
  }
}

document.addEventListener("pointerdown", (event) => {
  const dot = event.target.closest?.("#points circle");
  if (!dot || event.button !== 0) return;
  event.preventDefault();
  const screen = dot.ownerSVGElement;
  const d = opened();
  const row = rowsOf(d)[Number(dot.dataset.row)];
  const move = (e) => {
    const p = place(e, screen);
    put(row.querySelector("[name=p-x]"), percent(p.x));
    put(row.querySelector("[name=p-y]"), percent(p.y));
    showPoints();
  };
  const end = () => {
    document.removeEventListener("pointermove", move);
    row.querySelector("[name=p-x]").dispatchEvent(new Event("change", { bubbles: true }));
  };
  document.addEventListener("pointermove", move);
  document.addEventListener("pointerup", end, { once: true });
});

document.addEventListener("nelko:drawn", () => {
  if (desk()) restore();
});
if (desk()) restore();
