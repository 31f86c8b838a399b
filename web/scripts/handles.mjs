// Handles on the film itself: the focal point and the crop of a picture, the
// framing a motion begins and ends with, and where words stand. A handle fills
// in the fields of the margin that say the same in numbers; they do the rest.
import { change, order, view } from "./order.mjs";

const layer = () => document.getElementById("handles");
const look = () => document.getElementById("look");
const percent = (v) => String(Math.round(v * 100) / 100);
const within = (v, low, high) => Math.max(low, Math.min(high, v));
const shotOf = (media) => document.querySelector(`#margin [data-shot="${CSS.escape(media)}"]`);
const nameOf = (media) => shotOf(media)?.querySelector("[title]")?.title ?? "the picture";
const panel = () => document.querySelector("#margin [role=tabpanel]:not([hidden])")?.id.replace("panel-", "");

let held = { Pictures: [], Words: null };
let asked = null; // the address the handles were asked for by
let dragging = false;

/** Asks what can be taken hold of at the moment looked at, and shows it. */
async function ask() {
  const chosen = view.chosen();
  const at = view.moment();
  const g = chosen.length === 1 && at !== null ? document.getElementById(`slide-${chosen[0]}`) : null;
  const inside = g && at >= Number(g.dataset.start) && at < Number(g.dataset.start) + Number(g.dataset.length);
  if (!inside || !["pictures", "motion", "slide", "captions", "card"].includes(panel())) {
    asked = null;
    held = { Pictures: [], Words: null };
    return draw();
  }
  const address = `/orders/${order}/held?${new URLSearchParams({ slide: chosen[0], n: at, r: document.getElementById("screen").dataset.revision })}`;
  if (address === asked) return draw();
  asked = address;
  try {
    const answer = await fetch(address);
    if (!answer.ok || asked !== address) return undefined;
    held = await answer.json();
  } catch {
    return undefined; // away: the next look asks again
  }
  return draw();
}

// Every handle has a place in per cent of the frame, a name, and what dragging
// it by some per cent does; apply gives what the label then says.
function wanted() {
  const out = [];
  const which = panel();
  if (which === "pictures")
    for (const p of held.Pictures.filter((q) => shotOf(q.Media))) {
      if (shotOf(p.Media).querySelector("[name=crop-x]")) for (const edge of ["left", "top", "right", "bottom"]) out.push(cropHandle(p, edge));
      out.push(focalHandle(p));
    }
  if (which === "motion") for (const p of held.Pictures.filter((q) => shotOf(q.Media)?.querySelector("[name=begins-x]"))) out.push(framingHandle(p));
  if (held.Words && (which === "card" || which === "captions" || which === "slide")) out.push(wordsHandle(held.Words));
  return out;
}

/** Fills fields in and lets them show, or set, what they now say. */
function fill(form, values, keep) {
  let last = null;
  for (const [name, value] of Object.entries(values)) {
    last = form.querySelector(`[name="${name}"]`);
    last.value = percent(value);
  }
  last.dispatchEvent(new Event(keep ? "change" : "input", { bubbles: true }));
}

// A place in the frame as a place in the picture, and back.
const into = ({ Place: p, Window: w }, x, y) => [w[0] + ((x - p[0]) / p[2]) * w[2], w[1] + ((y - p[1]) / p[3]) * w[3]];
const outOf = ({ Place: p, Window: w }, x, y) => [p[0] + ((x - w[0]) / w[2]) * p[2], p[1] + ((y - w[1]) / w[3]) * p[3]];

function focalHandle(p) {
  const [x, y] = outOf(p, ...p.Focal);
  return {
    id: `focal-${p.Media}`, kind: "cross", box: [within(x, p.Place[0], p.Place[0] + p.Place[2]), within(y, p.Place[1], p.Place[1] + p.Place[3]), 0, 0],
    name: `Focal point of ${nameOf(p.Media)}`,
    apply(dx, dy, keep) {
      const [fx, fy] = into(p, x + dx, y + dy).map((v) => within(v, 0, 100));
      if (keep) change(`/orders/${order}/edit/focal`, [["media", p.Media], ["x", fx / 100], ["y", fy / 100]]);
      const [sx, sy] = outOf(p, fx, fy);
      return { says: `${percent(fx)} % across, ${percent(fy)} % down`, box: [sx, sy, 0, 0] };
    },
  };
}

function cropHandle(p, edge) {
  const [x, y, w, h] = p.Place;
  const upright = edge === "left" || edge === "right";
  const [a, b] = [x + w / 5, y + h / 5]; // the corners are left to the eye
  const box = { left: [x, b, 0, h * 0.6], right: [x + w, b, 0, h * 0.6], top: [a, y, w * 0.6, 0], bottom: [a, y + h, w * 0.6, 0] }[edge];
  return {
    id: `crop-${edge}-${p.Media}`, kind: `${upright ? "upright" : "level"} handle-${edge}`, box, name: `Crop of ${nameOf(p.Media)}, ${edge} edge`,
    apply(dx, dy, keep) {
      const [l, t] = into(p, x + (edge === "left" ? dx : 0), y + (edge === "top" ? dy : 0));
      const [r, b] = into(p, x + w + (edge === "right" ? dx : 0), y + h + (edge === "bottom" ? dy : 0));
      // What was cut off at the other edges stays cut off.
      const c = p.Crop;
      let [left, top, right, bottom] = [c[0], c[1], c[0] + c[2], c[1] + c[3]];
      if (edge === "left") left = within(l, 0, right - 5);
      if (edge === "right") right = within(r, left + 5, 100);
      if (edge === "top") top = within(t, 0, bottom - 5);
      if (edge === "bottom") bottom = within(b, top + 5, 100);
      fill(shotOf(p.Media), { "crop-x": left, "crop-y": top, "crop-w": right - left, "crop-h": bottom - top }, keep);
      const moved = upright ? [box[0] + dx, box[1], 0, box[3]] : [box[0], box[1] + dy, box[2], 0];
      return { says: `${percent(right - left)} × ${percent(bottom - top)} % of the picture`, box: moved };
    },
  };
}

function framingHandle(p) {
  const g = document.getElementById(`slide-${view.chosen()[0]}`);
  const begins = view.moment() < Number(g.dataset.start) + Number(g.dataset.length) / 2;
  const which = begins ? "begins" : "ends";
  const from = begins ? p.Begins : p.Ends;
  const crop = p.Crop;
  return {
    id: `framing-${p.Media}`, kind: "area", box: p.Place, name: `Framing with which the motion of ${nameOf(p.Media)} ${which}; plus and minus come closer and go back`,
    label: begins ? "begins" : "ends", zooms: true,
    apply(dx, dy, keep, closer = 0) {
      const k = Math.min(0.95 ** closer, crop[2] / from[2], crop[3] / from[3]);
      const [w, h] = [from[2] * k, from[3] * k];
      const x = within(from[0] + (from[2] - w) / 2 - (dx / p.Place[2]) * w, crop[0], crop[0] + crop[2] - w);
      const y = within(from[1] + (from[3] - h) / 2 - (dy / p.Place[3]) * h, crop[1], crop[1] + crop[3] - h);
      const values = {};
      for (const [name, r] of [["begins", begins ? [x, y, w, h] : p.Begins], ["ends", begins ? p.Ends : [x, y, w, h]]])
        r.forEach((v, i) => (values[`${name}-${"xywh"[i]}`] = within(v, 0, 100)));
      fill(shotOf(p.Media), values, keep);
      return { says: `${which} with ${percent(w)} × ${percent(h)} %, ${percent(x)} % from the left, ${percent(y)} % from the top`, box: p.Place };
    },
  };
}

function wordsHandle(w) {
  const card = document.getElementById("card-x");
  const name = card ? "card" : "cap";
  return {
    id: "words", kind: "area", box: w, name: card ? "Words of the card" : "Caption", snaps: true,
    apply(dx, dy, keep) {
      const snap = document.querySelector(`#panel-${card ? "card" : "captions"} [name=snap]`)?.checked ?? true;
      const [x, lineX] = snapped(w[0] + dx, w[2], snap);
      const [y, lineY] = snapped(w[1] + dy, w[3], snap);
      fill(document.getElementById("chosen-form"), { [`${name}-x`]: x + w[2] / 2, [`${name}-y`]: y + w[3] / 2 }, keep);
      return { says: `${percent(x + w[2] / 2)} % across, ${percent(y + w[3] / 2)} % down`, box: [x, y, w[2], w[3]], lines: [lineX, lineY] };
    },
  };
}

/** A length at a place, moved to the middle or the title-safe edges if near. */
function snapped(at, length, snap) {
  for (const [line, low] of [[50, 50 - length / 2], [5, 5], [95, 95 - length]]) if (snap && Math.abs(at - low) < 1.5) return [low, line];
  return [at, null];
}

function put(button, [x, y, w, h]) {
  Object.assign(button.style, { left: `${x}%`, top: `${y}%`, width: w ? `${w}%` : "", height: h ? `${h}%` : "" });
}

function say(button, { says = "", box, lines = [] }) {
  put(button, box);
  button.querySelector(".handle-says").textContent = says;
  for (const [axis, at] of [["across", lines[0]], ["down", lines[1]]]) {
    const line = document.getElementById(`snap-${axis}`);
    line.hidden = at === null || at === undefined;
    if (!line.hidden) line.style[axis === "across" ? "left" : "top"] = `${at}%`;
  }
}

function draw() {
  const root = layer();
  if (!root || dragging) return;
  const all = document.getElementById("player")?.classList.contains("hidden") === false ? [] : wanted();
  for (const old of [...root.querySelectorAll(".handle")]) if (!all.some((h) => `handle-${h.id}` === old.id)) old.remove();
  for (const h of all) {
    let button = document.getElementById(`handle-${h.id}`);
    if (!button) {
      button = document.createElement("button");
      button.type = "button";
      button.id = `handle-${h.id}`;
      button.innerHTML = '<span class="handle-says time"></span>';
      root.append(button);
    }
    button.className = `handle handle-${h.kind}`;
    button.setAttribute("aria-label", `${h.name}. Arrow keys move it.`);
    button.title = h.name;
    button.held = h;
    say(button, { says: h.label, box: h.box });
  }
}

document.addEventListener("pointerdown", (event) => {
  const button = event.target.closest?.("#handles .handle");
  if (!button || event.button !== 0) return;
  event.preventDefault();
  button.focus();
  button.setPointerCapture(event.pointerId);
  const frame = layer().getBoundingClientRect();
  const from = [event.clientX, event.clientY];
  let by = [0, 0];
  dragging = true;
  const move = (e) => {
    by = [((e.clientX - from[0]) / frame.width) * 100, ((e.clientY - from[1]) / frame.height) * 100];
    say(button, button.held.apply(...by, false));
  };
  const end = () => {
    button.removeEventListener("pointermove", move);
    dragging = false;
    if (Math.hypot(...by) > 0.2) say(button, button.held.apply(...by, true));
    else draw(); // a press, not a drag
  };
  button.addEventListener("pointermove", move);
  button.addEventListener("pointerup", end, { once: true });
  button.addEventListener("pointercancel", end, { once: true });
});

// The arrows move a handle by one per cent, with Shift by five; letting go sets
// it. What several presses add up to goes out once.
let pressed = null; // { button, dx, dy, closer }
document.addEventListener(
  "keydown",
  (event) => {
    const button = event.target.closest?.("#handles .handle");
    if (!button) return;
    const by = { ArrowLeft: [-1, 0, 0], ArrowRight: [1, 0, 0], ArrowUp: [0, -1, 0], ArrowDown: [0, 1, 0], "+": [0, 0, 1], "=": [0, 0, 1], "-": [0, 0, -1] }[event.key];
    if (!by || event.ctrlKey || event.metaKey || event.altKey || (by[2] && !button.held.zooms)) return;
    event.preventDefault();
    event.stopPropagation();
    const k = event.shiftKey ? 5 : 1;
    if (pressed?.button !== button) pressed = { button, dx: 0, dy: 0, closer: 0 };
    pressed.dx += by[0] * k;
    pressed.dy += by[1] * k;
    pressed.closer += by[2];
    dragging = true;
    say(button, button.held.apply(pressed.dx, pressed.dy, false, pressed.closer));
  },
  true,
);
function letGo() {
  if (!pressed) return;
  const { button, dx, dy, closer } = pressed;
  pressed = null;
  dragging = false;
  if (dx || dy || closer) button.held.apply(dx, dy, true, closer);
}
document.addEventListener("keyup", (event) => {
  if (pressed && /^Arrow|^[+=-]$/.test(event.key)) letGo();
});
document.addEventListener("focusout", (event) => {
  if (event.target === pressed?.button) letGo();
});

let turning = null;
document.addEventListener(
  "wheel",
  (event) => {
    const button = event.target.closest?.("#handles .handle");
    if (!button?.held.zooms) return;
    event.preventDefault();
    turning ??= { closer: 0 };
    turning.closer -= Math.sign(event.deltaY);
    say(button, button.held.apply(0, 0, false, turning.closer));
    clearTimeout(turning.timer);
    turning.timer = setTimeout(() => {
      button.held.apply(0, 0, true, turning.closer);
      turning = null;
    }, 250);
  },
  { passive: false },
);

for (const told of ["nelko:drawn", "nelko:panel", "nelko:moment"]) document.addEventListener(told, () => ask());
if (look()) ask();
