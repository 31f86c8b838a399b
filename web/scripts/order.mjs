// What every leaf of an order has: changes that are sent one after another and
// never lost, answers that redraw only what differs, and news from the server.
import { Idiomorph } from "../assets/vendor/idiomorph.esm.js";
import { deliver, hear, notice } from "./page.mjs";

const htmx = window.htmx;
const root = document.getElementById("order");
export const order = root.dataset.order;
export const leaf = root.dataset.leaf;

/** What is chosen and looked at; the running order fills it in. own: what is drawn answers a change made here. */
export const view = { chosen: () => [], moment: () => null, panel: () => "", own: false };

/** The sums of the rows as they are drawn, so that only others are sent. */
const drawnRows = () => [...document.querySelectorAll("#rows .row")].map((r) => r.dataset.sum).join(".");

let seen = root.dataset.seen;

// Fields that were typed in and not yet answered keep what was typed.
const typed = new Map(); // element → value
document.addEventListener("input", (event) => {
  if (root.contains(event.target)) typed.set(event.target, event.target.value);
});
/** Puts a value into a field as if it were typed: drawing the page anew, by an answer or news that come meanwhile, leaves it. */
export function put(field, value) {
  field.value = value;
  typed.set(field, value);
}
// What was typed is about what is shown: it does not stay when that is another slide.
const about = (part) => part.dataset.shown?.split("|").at(-1);
function forgetTyped(old, fresh) {
  if (about(old) !== about(fresh)) for (const field of typed.keys()) if (old.contains(field)) typed.delete(field);
}

// What the page itself has set stays when the server draws it anew.
function keep(attribute, element, how) {
  if (typed.has(element) && ["value", "checked"].includes(attribute)) return false;
  if (element.tagName === "DETAILS" && attribute === "open") return false;
  if (attribute === "hidden" && (element.role === "tabpanel" || element.dataset.beside || element.tagName === "CANVAS" || element.parentElement?.matches(".contact"))) return false;
  if (element.tagName === "CANVAS" || (attribute === "style" && element.matches(".contact"))) return false;
  return !(how === "remove" && element.tagName === "image" && attribute === "href");
}
const morph = (old, fresh) => Idiomorph.morph(old, fresh, { morphStyle: "outerHTML", restoreFocus: true, callbacks: { beforeAttributeUpdated: keep, beforeNodeRemoved: (node) => !node.parentElement?.matches("#handles"), beforeNodeMorphed: (node) => node.id !== "remedies-place" } });

// What htmx has to know of: only elements that ask for something, and only when
// they are new or ask for something else.
const known = new WeakMap();
function process(part) {
  for (const e of [part, ...part.querySelectorAll("[hx-post], [hx-get]")]) {
    const asks = `${e.getAttribute("hx-post")} ${e.getAttribute("hx-get")} ${e.getAttribute("hx-trigger")}`;
    if (known.get(e) === asks || asks === "null null null") continue;
    known.set(e, asks);
    htmx.process(e);
  }
}

/**
 * Draws the running order anew: most of it is rows that show what they did, of
 * which only the sums come. Gives false if there is more to it.
 */
function drawRows(old, fresh) {
  const was = old.querySelector("#rows");
  const is = fresh.querySelector("#rows");
  if (!was || !is) return false;
  for (const { name, value } of fresh.attributes) old.setAttribute(name, value);
  morph(old.querySelector("#fit"), fresh.querySelector("#fit"));
  const before = [...was.querySelectorAll(":scope > .row")];
  const now = [...is.querySelectorAll(":scope > .row")];
  now.forEach((row, i) => {
    if (!before[i]) was.insertBefore(row, document.getElementById("moment"));
    else if (before[i].dataset.sum !== row.dataset.sum || before[i].getAttribute("viewBox") !== row.getAttribute("viewBox")) morph(before[i], row);
  });
  for (const row of before.slice(now.length)) row.remove();
  return true;
}

/** Redraws the parts of the page that an answer holds, where they differ. */
export function draw(html) {
  const sent = document.createElement("template");
  sent.innerHTML = html;
  const parts = [...sent.content.children].filter((e) => e.id);
  const focused = document.activeElement?.id;
  for (const fresh of parts) {
    const old = document.getElementById(fresh.id);
    if (!old) continue;
    // An answer about slides that were chosen before comes too late: what is chosen now is asked for.
    if (about(fresh) !== undefined && about(fresh) !== view.chosen().join(",")) continue;
    forgetTyped(old, fresh);
    if (fresh.id !== "work" || !drawRows(old, fresh)) morph(old, fresh);
    process(document.getElementById(fresh.id));
  }
  // What went from one row to another takes the focus with it.
  if (focused && document.activeElement?.id !== focused) document.getElementById(focused)?.focus({ preventScroll: true });
  document.dispatchEvent(new CustomEvent("nelko:drawn", { detail: { parts: parts.map((p) => p.id) } }));
}

// What would make the film fit takes longer to find than an edit: it is asked for when
// nothing has been drawn for a moment, and stays until the next is there.
const rest = 400; // ms
let helped = null; // the revision it is about
let helping = 0;
function help() {
  const place = document.getElementById("remedies-place");
  const head = document.getElementById("orderhead");
  clearTimeout(helping);
  if (!place || !head) return;
  if (!head.hasAttribute("data-cannot")) {
    place.replaceChildren();
    helped = null;
  } else if (document.getElementById("base").value !== helped) helping = setTimeout(ask, helped === null ? 0 : rest, place, head);
}
async function ask(place, head) {
  const revision = document.getElementById("base").value;
  helped = revision;
  try {
    const answer = await fetch(`/orders/${order}/remedies`, { headers: { "HX-Request": "true" } });
    const text = answer.status === 200 ? await answer.text() : "";
    if (helped !== revision || !answer.ok || !head.hasAttribute("data-cannot")) return;
    place.innerHTML = text;
    process(place);
  } catch {
    helped = ""; // away: the next drawing asks again
  }
}
document.addEventListener("nelko:drawn", help);
help();

// Changes wait here and go out in order. What could not be sent stays, also
// over a reload, and is sent when the server answers again.
const shelf = `nelko-changes-${order}`;
const waiting = JSON.parse(sessionStorage.getItem(shelf) ?? "[]");
let sending = false;
let sent = 0; // answers so far

function count() {
  root.dataset.pending = String(waiting.length);
  if (waiting.length > 0) sessionStorage.setItem(shelf, JSON.stringify(waiting));
  else sessionStorage.removeItem(shelf);
}

const counted = (n) => (n === 1 ? "1 change waits" : `${n} changes wait`);

/** Queues a change: a path below the order, and names with values. */
export function change(path, values) {
  waiting.push({ path, values: values.map(([k, v]) => [k, String(v)]) });
  count();
  return send();
}

async function send() {
  if (sending) return;
  sending = true;
  while (waiting.length > 0) {
    const { path, values } = waiting[0];
    const attempt = () => {
      const body = new URLSearchParams(values.filter(([k]) => k !== "base"));
      body.set("base", document.getElementById("base").value);
      body.set("leaf", leaf);
      body.set("rows", drawnRows());
      body.set("panel", view.panel());
      for (const id of view.chosen()) body.append("chosen", id);
      if (view.moment() !== null) body.set("moment", view.moment());
      return fetch(path, { method: "POST", body, headers: { "HX-Request": "true" } });
    };
    const answer = await deliver(attempt, () => counted(waiting.length));
    waiting.shift();
    if (!answer) {
      count();
      continue;
    }
    sent++;
    answered = performance.now();
    if (answer.status === 401) {
      sessionStorage.removeItem(shelf);
      location.assign(`/signin?next=${encodeURIComponent(location.pathname)}`);
      return;
    }
    const text = await answer.text();
    for (const [k, v] of values) for (const [field, value] of typed) if (field.name === k && value === v) typed.delete(field);
    if (answer.headers.get("X-Seen")) {
      if (answer.status === 409) waiting.length = 0; // they were meant for what someone else has changed
      seen = answer.headers.get("X-Seen");
      count();
      view.own = true;
      draw(text);
      view.own = false;
    } else {
      notice(text);
    }
    count();
  }
  sending = false;
  count();
  if (again) refresh();
}

// Forms and buttons of the order say what they do by hx-post; the change goes
// through the queue instead of a request of its own.
document.addEventListener("htmx:configRequest", (event) => {
  const { verb, path, parameters, elt } = event.detail;
  if (verb !== "post" || !root.contains(elt)) return;
  event.preventDefault();
  document.getElementById("notice")?.replaceChildren();
  const form = event.detail.formData ?? new FormData();
  const values = [...form.entries()];
  if (values.length === 0) for (const [k, v] of Object.entries(parameters)) values.push([k, v]);
  change(path, values);
});

// News from the server: nothing is asked for while nothing has happened.
let again = false;
let asking = false;
let answered = -Infinity; // when the last change of ours was
let later = 0;
async function refresh() {
  if (sending || asking) {
    again = true;
    return;
  }
  // Most news just after a change of ours is of that change.
  const rest = answered + 600 - performance.now();
  if (rest > 0) {
    clearTimeout(later);
    later = setTimeout(refresh, rest);
    return;
  }
  again = false;
  asking = true;
  const before = sent;
  const query = new URLSearchParams({ seen, leaf, rows: drawnRows(), panel: view.panel(), base: document.getElementById("base").value });
  for (const id of view.chosen()) query.append("chosen", id);
  if (view.moment() !== null) query.set("moment", view.moment());
  try {
    const answer = await fetch(`/orders/${order}/live?${query}`, { headers: { "HX-Request": "true" } });
    if (answer.status === 401) location.reload();
    // What was asked before a change was made is old by now.
    if (answer.status === 200 && before === sent && !sending) {
      seen = answer.headers.get("X-Seen");
      draw(await answer.text());
    } else if (answer.status === 200) again = true;
  } catch {
    // The connection of the events says when the server is there again.
  }
  asking = false;
  if (again) refresh();
}

hear(`/events?order=${parseInt(order, 10)}`, refresh);
document.addEventListener("nelko:redraw", () => {
  seen = "";
  refresh();
});

// The leaves, by number; on the contact sheet numbers are stars.
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || event.target.closest("input, textarea, select, audio, video, dialog, .contact > li")) return;
  const to = document.querySelector(`[data-leaf-key="${event.key}"]`);
  if (to) to.click();
});

// From row to row of a Run.
document.addEventListener("keydown", (event) => {
  if (!event.altKey || !["PageUp", "PageDown"].includes(event.key)) return;
  const to = document.querySelector(`#inrun a[rel="${event.key === "PageUp" ? "prev" : "next"}"]`);
  if (!to) return;
  event.preventDefault();
  to.click();
});

// In a narrow window the margin is a drawer.
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-drawer]")) document.querySelector(".bench")?.classList.add("opened");
  else if (!event.target.closest("#margin, #rows")) document.querySelector(".bench")?.classList.remove("opened");
});

// Undo and redo from anywhere but a field, which has its own.
document.addEventListener("keydown", (event) => {
  if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== "z" || event.target.closest("input, textarea")) return;
  event.preventDefault();
  change(`/orders/${order}/${event.shiftKey ? "redo" : "undo"}`, []);
});

count();
if (waiting.length > 0) send();
