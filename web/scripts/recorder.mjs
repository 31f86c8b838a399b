// Narration is recorded in the browser while the film plays along; takes are heard
// first, and the one that is kept comes in.
import { order } from "./order.mjs";
import { playFrom, stopFilm } from "./playhead.mjs";
import { clock } from "./sounds.mjs";

const recorder = () => document.getElementById("recorder");
let recording = null;

const wait = (ms) => new Promise((go) => setTimeout(go, ms));

async function record(button) {
  const out = recorder().querySelector("output");
  if (recording) {
    recording.stop();
    return;
  }
  button.disabled = true; // until it records: a second press would begin another
  let stream;
  try {
    stream = await navigator.mediaDevices.getUserMedia({ audio: { echoCancellation: false, noiseSuppression: false } });
  } catch (err) {
    out.value = err.name === "NotAllowedError" ? "The browser may not use the microphone. Allow it beside the address, then press Record again." : "No microphone was found.";
    button.disabled = false;
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
  const ready = await playFrom(Number(recorder().querySelector("[name=narration-at]").value) || 0, !recorder().querySelector("[name=aloud]").checked);
  const began = performance.now();
  const watch = setInterval(() => {
    ear.getFloatTimeDomainData(samples);
    level.value = Math.max(...samples.map(Math.abs));
    out.value = `recording ${clock((performance.now() - began) / 1000)}${ready ? "" : "; the film could not play along"}`;
  }, 80);
  recording.addEventListener("dataavailable", (event) => pieces.push(event.data));
  recording.addEventListener("stop", () => {
    clearInterval(watch);
    stopFilm();
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
  button.disabled = false;
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
