// The soundtrack under the rows of the running order: a song's ends are dragged to
// trim it and its bar to where it begins, holding on to slides, beats and the moment
// that is looked at (with Alt to nothing). The leaf has all of it by keyboard.
import { change, order, view } from "./order.mjs";
import { frameAt, perRow, roll, rows, showDrop, slides } from "./rows.mjs";
import { acts } from "./sounds.mjs";

const work = () => document.getElementById("work");
const rate = () => Number(work().dataset.rateNum) / Number(work().dataset.rateDen);
let drag = null;

function held(event) {
  const bar = event.target.closest(".sound-bar");
  const d = bar.dataset;
  const holds = { cuts: slides().map((g) => Number(g.dataset.start) / rate()), beats: [], moment: view.moment() === null ? null : view.moment() / rate() };
  // The beats are asked for while the hand begins to move.
  fetch(`/orders/${order}/beats`)
    .then((answer) => (answer.ok ? answer.json() : []))
    .then((beats) => (holds.beats = beats))
    .catch(() => {}); // then it holds on to slides alone
  return {
    name: d.name,
    values: [["at", d.at], ["media", d.media]],
    grip: event.target.dataset.grip,
    n: { from: Number(d.from), to: Number(d.to), start: Number(d.start), end: Number(d.end), seconds: Number(d.seconds) },
    holds,
    perPixel: perRow() / rate() / bar.closest("svg").clientWidth,
    frame: frameAt(event),
    x: event.clientX,
    y: event.clientY,
  };
}

function follow(event) {
  if (!drag.now && Math.hypot(event.clientX - drag.x, event.clientY - drag.y) < 4) return;
  drag.now = acts[drag.grip](drag, (frameAt(event) - drag.frame) / rate(), event.altKey);
  const end = drag.grip === "to";
  showDrop(Math.max(0, Math.round((end ? drag.now.right : drag.now.left) * rate())), `${drag.name} ${drag.now.says}`, end);
}

function over() {
  drag = null;
  showDrop(null);
  roll(null);
}

document.addEventListener("pointerdown", (event) => {
  if (event.button !== 0 || !event.target.closest?.("#rows .sound-bar [data-grip]")) return;
  event.preventDefault();
  drag = held(event);
});
document.addEventListener("pointermove", (event) => {
  if (!drag || !rows()) return;
  follow(event);
  roll(event, (e) => drag && follow(e));
});
document.addEventListener("pointerup", (event) => {
  if (!drag) return;
  follow(event); // a fast hand lets go where no move was told of
  const { now, values } = drag;
  over();
  if (now) change(`/orders/${order}/edit/song`, [...values, ...now.send]);
});
document.addEventListener("pointercancel", () => drag && over());
document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && drag) over();
});
