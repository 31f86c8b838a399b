// The soundtrack's leaf: fields take hold when they are changed; songs are trimmed,
// moved and faded by dragging on their waveforms, holding on to beats and slides; and
// narration is recorded.
import { change, order } from "./order.mjs";
import { notice } from "./page.mjs";
import { acts, clock } from "./sounds.mjs";

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
  for (const e of part()?.querySelectorAll("[data-left],[data-right],[data-width]") ?? [])
    for (const side of ["left", "right", "width"]) if (e.dataset[side]) e.style[side] = `${e.dataset[side]}%`;
}
place();
document.addEventListener("nelko:drawn", place);

document.addEventListener("change", (event) => {
  const field = event.target;
  if (!part()?.contains(field)) return;
  if (field.matches("[data-playlist]")) playlist(field);
  if (!field.name) return;
  if (field.closest("[data-fitting]")) edit("fitting", [[field.name, field.value]]);
  else if (field.closest("[data-whole]")) edit("soundtrack", [[field.name, field.value]]);
  else if (field.closest("[data-at]")) edit("song", [...of(field), [field.name, field.value]]);
});
async function playlist(field) {
  const answer = await fetch(`/orders/${order}/playlist`, { method: "POST", body: field.files[0], headers: { "X-Nelko": "1" } });
  field.value = "";
  if (!answer.ok) notice(await answer.text());
}
document.addEventListener("click", (event) => {
  const button = event.target.closest("#soundtrack button");
  if (!button) return;
  if (button.matches("[data-drop]")) edit("dropsound", of(button));
  else if (button.dataset.give) edit("song", [...of(button), [button.dataset.give, button.value]]);
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
  const holds = { cuts: marks("cuts"), beats: marks("beats"), moment: null };
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
  if (event.button !== 0 || !event.target.closest?.(".track-item")) return;
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

// Recording. Takes are heard first; the one that is kept comes in as narration.
const recorder = () => document.getElementById("recorder");
let recording = null;

const wait = (ms) => new Promise((go) => setTimeout(go, ms));

async function record(button) {
  const out = recorder().querySelector("output");
  if (recording) {
    recording.stop();
    return;
  }
  let stream;
  try {
    stream = await navigator.mediaDevices.getUserMedia({ audio: { echoCancellation: false, noiseSuppression: false } });
  } catch (err) {
    out.value = err.name === "NotAllowedError" ? "The browser may not use the microphone. Allow it beside the address, then press Record again." : "No microphone was found.";
    return;
  }
  for (const n of [3, 2, 1]) {
    out.value = String(n);
    await wait(700);
  }
  const pieces = [];
  recording = new MediaRecorder(stream);
  const ctx = new AudioContext();
  const ear = ctx.createAnalyser();
  ctx.createMediaStreamSource(stream).connect(ear);
  const level = recorder().querySelector("meter");
  const samples = new Float32Array(ear.fftSize);
  level.hidden = false;
  const began = performance.now();
  const watch = setInterval(() => {
    ear.getFloatTimeDomainData(samples);
    level.value = Math.max(...samples.map(Math.abs));
    out.value = `recording ${clock((performance.now() - began) / 1000)}`;
  }, 80);
  recording.addEventListener("dataavailable", (event) => pieces.push(event.data));
  recording.addEventListener("stop", () => {
    clearInterval(watch);
    ctx.close();
    for (const track of stream.getTracks()) track.stop();
    level.hidden = true;
    button.textContent = "Record another take";
    out.value = "";
    take(new Blob(pieces, { type: recording.mimeType }));
    recording = null;
  });
  recording.start();
  button.textContent = "Stop";
}

let takes = 0;
function take(blob) {
  takes += 1;
  const line = document.createElement("li");
  line.className = "flex gap-3 items-center mt-2";
  const sound = document.createElement("audio");
  sound.controls = true;
  sound.className = "h-8 w-56";
  sound.src = URL.createObjectURL(blob);
  const keep = document.createElement("button");
  keep.type = "button";
  keep.className = "button button-small";
  keep.textContent = "Keep this take";
  const away = document.createElement("button");
  away.type = "button";
  away.className = "button button-small";
  away.textContent = "Throw away";
  line.append(`Take ${takes}`, sound, keep, away);
  recorder().querySelector("[data-takes]").append(line);
  away.addEventListener("click", () => line.remove());
  keep.addEventListener("click", async () => {
    keep.disabled = true;
    const at = recorder().querySelector("[name=narration-at]").value;
    const answer = await fetch(`/orders/${order}/narration?${new URLSearchParams({ at, take: takes })}`, { method: "POST", body: blob, headers: { "X-Requested-With": "fetch" } });
    recorder().querySelector("output").value = answer.ok ? "Kept; it comes in in a moment." : await answer.text();
    if (answer.ok) line.remove();
    else keep.disabled = false;
  });
}
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-record]");
  if (button) record(button);
});
