// The soundtrack's leaf: fields take hold when they are changed; songs are trimmed,
// moved and faded by dragging on their waveforms, holding on to beats and slides; and
// narration is recorded.
import { change, order } from "./order.mjs";
import { notice } from "./page.mjs";
import { moment } from "./playhead.mjs";
import { acts } from "./sounds.mjs";

const part = () => document.getElementById("soundtrack");
const edit = (name, values) => change(`/orders/${order}/edit/${name}`, values);
const of = (element) => {
  const { at, media } = element.closest("[data-at]").dataset;
  return [
    ["at", at],
    ["media", media],
  ];
};

// Places come in per cent: the content policy allows no styles in the page.
function place() {
  for (const e of part()?.querySelectorAll("[data-left],[data-right],[data-width],[data-top]") ?? [])
    for (const side of ["left", "right", "width", "top"]) if (e.dataset[side]) e.style[side] = `${e.dataset[side]}%`;
}
place();
document.addEventListener("nelko:drawn", () => {
  place();
  if (drag?.now) show(drag.now); // what is under the hand stays there
});

document.addEventListener("change", (event) => {
  const field = event.target;
  if (!part()?.contains(field)) return;
  if (field.matches("[data-playlist]")) playlist(field);
  if (!field.name) return;
  if (field.closest("[data-fitting]")) edit("fitting", [[field.name, field.value]]);
  else if (field.closest("[data-whole]")) edit("soundtrack", [[field.name, field.value]]);
  else if (field.matches("[data-tries]") && field.value.trim() !== "") tryVersion(field);
  else if (field.closest("[data-at]")) edit("song", [...of(field), [field.name, field.value]]);
});
/** A version of a song is heard before it is taken. */
async function tryVersion(field) {
  const place = document.getElementById(`version-${field.closest("[data-at]").dataset.at}`);
  const answer = await fetch(`/orders/${order}/version?${new URLSearchParams([...of(field), ["long", field.value]])}`, { headers: { "HX-Request": "true" } });
  const text = await answer.text();
  if (answer.ok) place.innerHTML = text;
  else {
    place.replaceChildren();
    notice(text);
  }
}
async function playlist(field) {
  const answer = await fetch(`/orders/${order}/playlist`, { method: "POST", body: field.files[0], headers: { "X-Nelko": "1" } });
  field.value = "";
  if (!answer.ok) notice(await answer.text());
}
document.addEventListener("click", (event) => {
  const button = event.target.closest("#soundtrack button");
  if (!button) return;
  if (button.matches("[data-drop]")) edit("dropsound", of(button));
  else if (button.matches("[data-leave]")) button.closest(".try-version").replaceChildren();
  else if (button.dataset.hear) {
    const sound = button.parentElement.querySelector("audio");
    sound.currentTime = Number(button.dataset.hear);
    sound.play();
  } else if (button.dataset.give) edit("song", [...of(button), [button.dataset.give, button.value]]);
});

// Dragging. A grip moves the song's beginning or end, a corner a fade, the bar itself
// its place in the film.
const marks = (name) => (part().dataset[name] ?? "").split(" ").filter(Boolean).map(Number);

function held(event) {
  const item = event.target.closest(".track-item");
  const lane = item.parentElement.getBoundingClientRect();
  const perPixel = Number(part().dataset.seconds) / lane.width;
  const d = item.dataset;
  const n = { from: Number(d.from), to: Number(d.to), start: Number(d.start), end: Number(d.end), seconds: Number(d.seconds) };
  const holds = { cuts: marks("cuts"), beats: marks("beats"), moment: moment() };
  return { item, perPixel, n, holds, grip: event.target.dataset.grip ?? "body", x: event.clientX, made: Number(d.made) > 0 };
}

let drag = null;
function show(now) {
  const { item } = drag;
  const all = Number(part().dataset.seconds);
  if (now.left !== undefined) {
    item.style.left = `${(100 * now.left) / all}%`;
    item.style.width = `${(100 * (now.right - now.left)) / all}%`;
  }
  const says = part().querySelector(".track-says");
  says.hidden = false;
  says.value = now.says;
}
document.addEventListener("pointerdown", (event) => {
  if (event.button !== 0 || !event.target.closest?.(".track-item") || event.target.closest(".track-point")) return;
  drag = held(event);
  if (drag.made && (drag.grip === "from" || drag.grip === "to")) {
    drag = null;
    return;
  }
  const span = drag.item.querySelector(drag.grip === "fadein" ? ".track-fade-in" : ".track-fade-out");
  drag.fade = span ? (parseFloat(span.style.width) / 100) * (drag.n.end - drag.n.start) : 0;
  drag.item.setPointerCapture(event.pointerId);
});
document.addEventListener("pointermove", (event) => {
  if (!drag) return;
  follow(event);
});
function follow(event) {
  if (!drag.now && Math.abs(event.clientX - drag.x) < 4) return;
  drag.now = acts[drag.grip](drag, (event.clientX - drag.x) * drag.perPixel, event.altKey);
  show(drag.now);
}
document.addEventListener("pointerup", (event) => {
  // A fast hand lets go where no move was told of.
  if (drag) follow(event);
  const done = drag;
  drag = null;
  const says = part()?.querySelector(".track-says");
  if (says) says.hidden = true;
  if (done?.now) edit("song", [...of(done.item), ...done.now.send]);
});
function giveUp() {
  if (!drag) return;
  show({ left: drag.n.start, right: drag.n.end, says: "" });
  drag = null;
  part().querySelector(".track-says").hidden = true;
}
document.addEventListener("pointercancel", giveUp);
// Neither pictures nor chosen words are dragged out of the track.
document.addEventListener("dragstart", (event) => event.target.parentElement?.closest("#track") && event.preventDefault());
document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && drag) {
    giveUp();
    return;
  }
  const grip = event.target.closest?.("[data-grip]");
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (!grip || !step || !part()?.contains(grip)) return;
  event.preventDefault();
  const h = held({ target: grip, clientX: 0 });
  if (h.made && (h.grip === "from" || h.grip === "to")) return;
  h.fade = ((parseFloat(grip.style.left || grip.style.right) || 0) / 100) * (h.n.end - h.n.start);
  edit("song", [...of(grip), ...acts[h.grip](h, step * (event.shiftKey ? 1 : 0.1), true).send]);
});
