// The margin's controls: one panel for each kind of change, changes that take
// hold as they are made, and choices that show themselves on the film.
import { change, order, view } from "./order.mjs";

const margin = () => document.getElementById("margin");

// One panel at a time; which one stays over choices and reloads.
const kept = "nelko-kind";
let kind = sessionStorage.getItem(kept);
view.panel = () => kind ?? "";
const tabs = () => [...margin().querySelectorAll("[role=tab]")];
const panelOf = (tab) => tab.id.replace("kind-", "");

function showPanel() {
  const all = tabs();
  const shown = all.find((t) => panelOf(t) === kind) ?? all[0];
  for (const t of all) {
    const on = t === shown;
    t.setAttribute("aria-selected", String(on));
    t.tabIndex = on ? 0 : -1;
    document.getElementById(`panel-${panelOf(t)}`).hidden = !on;
  }
  for (const p of margin().querySelectorAll("[data-beside]")) p.hidden = !shown || p.dataset.beside !== panelOf(shown);
  document.dispatchEvent(new CustomEvent("nelko:panel"));
}

/** Opens the panel of a kind of change. */
export function openPanel(name) {
  kind = name;
  sessionStorage.setItem(kept, kind);
  showPanel();
}

document.addEventListener("click", (event) => {
  const tab = event.target.closest?.("#margin [role=tab]");
  if (tab) openPanel(panelOf(tab));
});
document.addEventListener("keydown", (event) => {
  const tab = event.target.closest?.("#margin [role=tab]");
  const by = { ArrowDown: 1, ArrowUp: -1, ArrowRight: 1, ArrowLeft: -1 }[event.key];
  if (!tab || !by) return;
  event.preventDefault();
  const all = tabs();
  const to = all[(all.indexOf(tab) + by + all.length) % all.length];
  openPanel(panelOf(to));
  to.focus();
});

// What a control sets: the names of its form that belong to it, and what it is
// for. Nothing that was not touched is sent.
const about = new Set(["slide", "media", "index"]);

function valuesOf(setter, target) {
  const form = setter.matches("form") ? setter : setter.closest("form");
  const all = [...new FormData(form).entries()];
  if (setter.dataset.with === "*") return all;
  const names = setter.dataset.with ? setter.dataset.with.split(" ") : [target.name];
  const values = all.filter(([name]) => about.has(name));
  const seen = new Set();
  for (const name of names) {
    if (!name || seen.has(name)) continue;
    seen.add(name);
    if (!setter.dataset.with && target.type === "checkbox") values.push([name, String(target.checked)]);
    else if (!setter.dataset.with) values.push([name, target.value]);
    else for (const [n, v] of all) if (n === name) values.push([n, v]);
  }
  return values;
}

/** Whether all that belongs together is there, or none of it. */
function complete(setter, values) {
  if (!setter.dataset.both) return true;
  const typed = setter.dataset.both.split(" ").map((name) => Boolean(values.find(([n]) => n === name)?.[1].trim()));
  return typed.every(Boolean) || (!typed.some(Boolean) && !setter.dataset.with.includes("begins"));
}

function set(setter, target) {
  const values = valuesOf(setter, target);
  if (complete(setter, values)) change(`/orders/${order}/edit/${setter.dataset.set}`, values);
}

document.addEventListener("change", (event) => {
  const setter = event.target.closest?.("#margin [data-set]");
  if (setter && !setter.matches("button") && event.target.name !== "snap" && event.target.name !== "drawing") set(setter, event.target);
});
document.addEventListener("click", (event) => {
  const setter = event.target.closest?.("#margin button[data-set]");
  if (setter) {
    // What was chosen is seen to be chosen before the server answers.
    if (setter.matches(".pick") && setter.name !== "cap-style") for (const p of setter.parentElement.children) p.setAttribute("aria-pressed", String(p === setter));
    set(setter, setter);
  }
  const poster = event.target.closest?.("#margin button[data-post]");
  if (poster) change(poster.dataset.post, valuesOf(poster, poster));
});

// Subtitles of a file.
document.addEventListener("change", async (event) => {
  const [file] = (event.target.matches?.("[data-subtitles]") && event.target.files) || [];
  if (!file) return;
  event.target.value = "";
  const bytes = await file.arrayBuffer();
  let text;
  try {
    text = new TextDecoder("utf-8", { fatal: true }).decode(bytes);
  } catch {
    text = new TextDecoder("windows-1252").decode(bytes); // as older programs write
  }
  change(`/orders/${order}/subtitles`, [["subtitles", text]]);
});

// While something is moved the film shows what comes of it: one picture after
// the other, always the newest.
let wanted = null;
let loading = false;

function next() {
  const picture = document.getElementById("look");
  if (loading || !wanted || !picture) return;
  loading = true;
  const done = () => {
    loading = false;
    next();
  };
  picture.addEventListener("load", done, { once: true });
  picture.addEventListener("error", done, { once: true });
  const began = performance.now();
  picture.addEventListener("load", () => (picture.dataset.tasteMs = String(Math.round(performance.now() - began))), { once: true });
  picture.src = wanted;
  wanted = null;
}

document.addEventListener("input", (event) => {
  const field = event.target;
  const setter = field.closest?.("#margin [data-set]");
  if (!setter) return;
  // The slider and the number beside it are one.
  if (field.type === "range" || setter.dataset.show !== undefined)
    for (const twin of field.form.querySelectorAll(`[name="${CSS.escape(field.name)}"]`)) if (twin !== field && twin.type !== "hidden") twin.value = field.value.replace(",", ".");
  if (setter.dataset.show === undefined || (field.value.trim() === "" && !setter.dataset.seenOn)) return;
  const { tried: on, about: depends, starts } = document.querySelector("#margin .kinds").dataset;
  const picture = document.getElementById("look");
  // Details are seen on the slide that prints them.
  const seenOn = setter.dataset.seenOn ?? on;
  const query = new URLSearchParams({ about: seenOn === on ? depends : "", on: seenOn, w: "480", show: setter.dataset.show });
  if (setter.dataset.show === "at") query.set("n", String(Number(picture.dataset.frame) - Number(starts)));
  for (const [name, value] of valuesOf(setter, field)) query.append(name, value);
  if (!query.has("slide") && !setter.dataset.set.startsWith("film")) query.append("slide", seenOn);
  wanted = `/orders/${order}/try/${setter.dataset.set}?${query}`;
  next();
});

// A choice that is pointed at or focused moves.
const calm = matchMedia("(prefers-reduced-motion: reduce)");
function move(pick) {
  if (calm.matches || pick.querySelector(".in-motion")) return;
  const picture = new Image();
  pick.dataset.wanted = "1";
  picture.addEventListener("load", () => {
    if (!pick.dataset.wanted || pick.querySelector(".in-motion")) return;
    const strip = document.createElement("span");
    strip.className = "in-motion";
    strip.style.backgroundImage = `url("${picture.src}")`;
    pick.querySelector(".taste").append(strip);
  });
  picture.src = pick.dataset.moving;
}
function rest(pick) {
  delete pick.dataset.wanted;
  pick.querySelector(".in-motion")?.remove();
}
for (const [begin, end] of [
  ["pointerover", "pointerout"],
  ["focusin", "focusout"],
]) {
  document.addEventListener(begin, (event) => {
    const pick = event.target.closest?.(".pick");
    if (pick) move(pick);
  });
  document.addEventListener(end, (event) => {
    const pick = event.target.closest?.(".pick");
    if (pick && !pick.contains(event.relatedTarget)) rest(pick);
  });
}

document.addEventListener("nelko:drawn", () => {
  if (margin()) showPanel();
  toField();
});
if (margin()) showPanel();

// An address that names a field opens its panel and goes there.
let field = "";
function toField() {
  const to = field ? document.getElementById(field) : null;
  const panel = to?.closest("#margin [role=tabpanel]");
  if (!panel) return;
  field = "";
  openPanel(panel.id.replace("panel-", ""));
  to.focus();
}
function byAddress() {
  field = decodeURIComponent(location.hash.slice(1));
  toField();
}
window.addEventListener("hashchange", byAddress);
byAddress();

// A day chosen in a calendar is written as people write it; it may be written
// otherwise.
document.addEventListener("change", (event) => {
  const of = event.target.dataset?.dateFor;
  if (!of || !event.target.valueAsDate) return;
  const field = document.getElementById(of);
  field.value = event.target.valueAsDate.toLocaleDateString("en-GB", { day: "numeric", month: "long", year: "numeric", timeZone: "UTC" });
  field.dispatchEvent(new Event("change", { bubbles: true }));
});
