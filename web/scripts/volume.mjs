// The volume line of a song: a double press on its bar puts a point there, dragging
// moves it, Delete or a double press takes it out. The field below has them as text.
import { change, order } from "./order.mjs";
import { clock } from "./sounds.mjs";

const track = () => document.getElementById("track");
// What was sent and not answered yet: a fast hand's next press is about that.
const sent = new Map();
const key = ({ dataset }) => `${dataset.at} ${dataset.media}`;
document.addEventListener("nelko:drawn", () => document.getElementById("order").dataset.pending === "0" && sent.clear());
const pointsOf = (item) =>
  (sent.get(key(item)) ?? item.dataset.points)
    .split(",")
    .filter(Boolean)
    .map((p) => p.split(":").map(Number));
const within = (v, low, high) => Math.max(low, Math.min(high, v));
// The bar's height in decibels: as the server draws it.
const top = 6;
const bottom = -36;

function send(item, points) {
  points.sort((a, b) => a[0] - b[0]);
  const { at, media } = item.dataset;
  const text = points.map(([s, db]) => `${s.toFixed(2)}: ${db.toFixed(1)}`).join(", ");
  sent.set(key(item), text);
  change(`/orders/${order}/edit/song`, [
    ["at", at],
    ["media", media],
    ["points", text],
  ]);
}

/** What a place on a bar means: seconds into the song and dB. */
function meant(item, event) {
  const box = item.getBoundingClientRect();
  const long = Number(item.dataset.end) - Number(item.dataset.start);
  return [within(((event.clientX - box.left) / box.width) * long, 0, long), Math.round(within(top - ((event.clientY - box.top) / box.height) * (top - bottom), bottom, top) * 2) / 2];
}

let drag = null;
document.addEventListener("pointerdown", (event) => {
  const point = event.target.closest?.(".track-point");
  if (!point || event.button !== 0) return;
  const item = point.closest(".track-item");
  drag = { point, item, n: Number(point.dataset.n), points: pointsOf(item), x: event.clientX, y: event.clientY, moved: false };
  point.setPointerCapture(event.pointerId);
});
document.addEventListener("pointermove", (event) => {
  if (!drag || (!drag.moved && Math.hypot(event.clientX - drag.x, event.clientY - drag.y) < 3)) return;
  const { item, n, points, point } = drag;
  const [seconds, db] = meant(item, event);
  // A point stays between its neighbours.
  points[n] = [within(seconds, points[n - 1]?.[0] ?? 0, points[n + 1]?.[0] ?? Infinity), db];
  drag.moved = true;
  const long = Number(item.dataset.end) - Number(item.dataset.start);
  point.style.left = `${(100 * points[n][0]) / long}%`;
  point.style.top = `${(100 * (top - db)) / (top - bottom)}%`;
  const says = track().querySelector(".track-says");
  says.hidden = false;
  says.value = `${clock(points[n][0])} of it: ${db} dB`;
});
function over() {
  drag = null;
  track().querySelector(".track-says").hidden = true;
}
document.addEventListener("pointerup", () => {
  if (!drag) return;
  const { item, points, moved } = drag;
  over();
  if (moved) send(item, points);
});
document.addEventListener("pointercancel", () => drag && over());
document.addEventListener("dblclick", (event) => {
  const item = event.target.closest?.("#track .track-item");
  if (!item) return;
  const points = pointsOf(item);
  const point = event.target.closest(".track-point");
  if (point) points.splice(Number(point.dataset.n), 1);
  else points.push(meant(item, event));
  send(item, points);
});
document.addEventListener("keydown", (event) => {
  const point = event.target.closest?.("#track .track-point");
  if (!point) return;
  const item = point.closest(".track-item");
  const points = pointsOf(item);
  const at = points[Number(point.dataset.n)];
  const by = { ArrowLeft: [-0.1, 0], ArrowRight: [0.1, 0], ArrowUp: [0, 0.5], ArrowDown: [0, -0.5] }[event.key];
  if (by) {
    at[0] = Math.max(0, at[0] + by[0] * (event.shiftKey ? 10 : 1));
    at[1] = within(at[1] + by[1] * (event.shiftKey ? 6 : 1), bottom, top);
  } else if (event.key === "Delete" || event.key === "Backspace") points.splice(Number(point.dataset.n), 1);
  else return;
  event.preventDefault();
  send(item, points);
});
