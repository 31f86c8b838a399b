// A Run's sheet: used like a sheet of cells, with the keyboard, the clipboard
// and undo; what is typed goes out in order and is never lost; what the program
// does meanwhile is drawn where it differs.
import { Idiomorph } from "../assets/vendor/idiomorph.esm.js";
import { deliver, hear, notice } from "./page.mjs";
import { read, write } from "./cells.mjs";

const root = document.getElementById("run");
const run = root.dataset.run;
const table = root.querySelector(".grid-sheet");
const body = document.getElementById("runrows");
/** How many columns the sheet has: they change with the list and the theme. */
const columns = () => table.querySelectorAll("th").length;
let seen = root.dataset.seen;

/* What is drawn. */

// The moment keeps what the page itself has set on cells.
const keep = (attribute, element) => !(element.tagName === "TD" && attribute === "tabindex") && !(element.tagName === "DETAILS" && attribute === "open");

function draw(html) {
  const sent = document.createElement("template");
  sent.innerHTML = html;
  const had = active && { row: active.closest("tr")?.id, role: active.dataset.role };
  for (const fresh of sent.content.querySelectorAll("#runhead, #runfoot, #runcolumns, #runrows, tr[id]")) {
    if (fresh.tagName === "TR" && fresh.closest("#runrows")) continue;
    const old = document.getElementById(fresh.id);
    if (!old) continue;
    Idiomorph.morph(old, fresh, { morphStyle: "outerHTML", restoreFocus: true, callbacks: { beforeAttributeUpdated: keep } });
  }
  pend();
  exceptions();
  ask();
  if (had?.row && !active.isConnected) {
    const cell = document.getElementById(had.row)?.querySelector(`[data-role="${CSS.escape(had.role)}"]`);
    if (cell) choose(cell, false);
  }
  paint();
}

let asking = false;
let again = false;
async function refresh() {
  if (asking || sending) {
    again = true;
    return;
  }
  asking = true;
  again = false;
  const before = sent;
  try {
    const answer = await fetch(`/runs/${run}/live`, { method: "POST", body: new URLSearchParams({ seen }), headers: { "HX-Request": "true" } });
    if (answer.status === 401) location.reload();
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
hear(`/events?run=${run}`, refresh);

/* What is sent: one after another, kept over a reload. */

const shelf = `nelko-run-${run}`;
const waiting = JSON.parse(sessionStorage.getItem(shelf) ?? "[]");
let sending = false;
let sent = 0;

function count() {
  root.dataset.pending = String(waiting.length);
  if (waiting.length > 0) sessionStorage.setItem(shelf, JSON.stringify(waiting));
  else sessionStorage.removeItem(shelf);
}

function send(path, data) {
  waiting.push({ path, data });
  count();
  go();
}

async function go() {
  if (sending) return;
  sending = true;
  while (waiting.length > 0) {
    const { path, data } = waiting[0];
    const answer = await deliver(
      () => fetch(path, { method: "POST", body: JSON.stringify(data ?? {}), headers: { "HX-Request": "true", "Content-Type": "application/json" } }),
      () => "What was typed is kept",
    );
    if (answer?.status === 401) {
      location.assign(`/signin?next=${encodeURIComponent(location.pathname)}`);
      return;
    }
    if (answer) {
      const said = await answer.json().catch(() => ({ kind: "bad", text: "The server could not do that." }));
      if (said.text) notice(said.text, said.kind);
      if (said.kind === "bad") seen = ""; // what stands there is drawn again
    } else seen = "";
    waiting.shift();
    sent++;
    count();
  }
  pending.clear();
  pend();
  sending = false;
  refresh();
}

// A row that was typed in stays in sight until exceptions are asked for anew.
const touched = new Set();

// What was typed stands in the cells until the server has it.
const pending = new Map(); // "order role" → text
function pend() {
  for (const td of body.querySelectorAll("td.waits")) if (!pending.has(`${td.parentElement.dataset.order} ${td.dataset.role}`)) td.classList.remove("waits");
  for (const [key, text] of pending) {
    const at = key.indexOf(" ");
    const td = document.getElementById(`row-${key.slice(0, at)}`)?.querySelector(`[data-role="${CSS.escape(key.slice(at + 1))}"]`);
    if (!td) continue;
    td.classList.add("waits");
    td.dataset.text = text;
    const value = td.querySelector(".value");
    if (value) value.textContent = text;
    else td.textContent = text;
  }
}

/** Changes cells: [td, text] pairs, in one step that can be undone. */
function set(title, changes) {
  const cells = [];
  for (const [td, to] of changes) {
    if (!("typed" in td.dataset)) continue;
    if (td.dataset.text === to && !(to === "" && td.classList.contains("own"))) continue;
    const order = Number(td.parentElement.dataset.order);
    cells.push({ order, role: td.dataset.role, to });
    pending.set(`${order} ${td.dataset.role}`, to);
    touched.add(td.parentElement.id);
  }
  if (cells.length === 0) return;
  pend();
  send(`/runs/${run}/cells`, { title, cells });
}

/* Which cells are chosen. */

let active = null;
let anchor = null;

const rows = () => [...body.rows].filter((tr) => tr.offsetParent !== null);
const place = (td) => ({ r: rows().indexOf(td.parentElement), c: td.cellIndex });

function choose(td, extend, focus = true) {
  if (!td) return;
  if (active) active.tabIndex = -1;
  active = td;
  active.tabIndex = 0;
  if (!extend || !anchor?.isConnected) anchor = td;
  if (focus) {
    td.focus({ preventScroll: true });
    td.scrollIntoView({ block: "nearest", inline: "nearest" });
    // The heading and the first column stand over what is below them.
    const box = table.parentElement.getBoundingClientRect();
    const at = td.getBoundingClientRect();
    const head = table.tHead.getBoundingClientRect().height;
    if (at.top < box.top + head) table.parentElement.scrollTop -= box.top + head - at.top;
    const first = td.parentElement.cells[0].getBoundingClientRect().width;
    if (td.cellIndex > 0 && at.left < box.left + first) table.parentElement.scrollLeft -= box.left + first - at.left;
  }
  paint();
}

/** The chosen rectangle, as rows of cells. */
function chosen() {
  if (!active?.isConnected) return [];
  const all = rows();
  const a = place(active);
  const b = anchor?.isConnected ? place(anchor) : a;
  if (a.r < 0) return [];
  const out = [];
  for (let r = Math.min(a.r, b.r < 0 ? a.r : b.r); r <= Math.max(a.r, b.r); r++) {
    out.push([...all[r].cells].slice(Math.min(a.c, b.c), Math.max(a.c, b.c) + 1));
  }
  return out;
}

let painted = [];
function paint() {
  for (const td of painted) td.classList.remove("chosen");
  const range = chosen();
  painted = range.length > 1 || range[0]?.length > 1 ? range.flat() : [];
  for (const td of painted) td.classList.add("chosen");
  const form = document.getElementById("chosenrows");
  if (!form) return;
  form.hidden = range.length < 2;
  form.querySelector("[data-count]").textContent = `${range.length} rows chosen:`;
}

/** The rows of the chosen range, by order. */
const chosenRows = () => chosen().map((cells) => cells[0].closest("tr").dataset.order);

function move(dr, dc, extend) {
  const all = rows();
  if (all.length === 0) return;
  if (!active?.isConnected) return choose(all[0].cells[1] ?? all[0].cells[0], false);
  const { r, c } = place(active);
  const to = all[Math.max(0, Math.min(all.length - 1, r + dr))];
  choose(to.cells[Math.max(0, Math.min(to.cells.length - 1, c + dc))], extend);
}

body.addEventListener("mousedown", (event) => {
  const td = event.target.closest("td");
  if (!td || event.button !== 0 || event.target.closest("a")) return;
  event.preventDefault();
  commit();
  choose(td, event.shiftKey);
  const over = (e) => {
    const at = document.elementFromPoint(e.clientX, e.clientY)?.closest("#runrows td");
    if (at && at !== active) choose(at, true);
  };
  const up = () => {
    removeEventListener("mousemove", over);
    removeEventListener("mouseup", up);
  };
  addEventListener("mousemove", over);
  addEventListener("mouseup", up);
});
body.addEventListener("dblclick", (event) => edit(event.target.closest("td")));
body.addEventListener("focusin", (event) => {
  const td = event.target.closest("td");
  if (td && td !== active) choose(td, false, false);
});

/* Typing. */

let editor = null;
function edit(td, text) {
  if (!td || !("typed" in td.dataset)) return;
  commit();
  const box = td.getBoundingClientRect();
  editor = document.createElement("textarea");
  editor.className = "cell-editor";
  editor.rows = 1;
  editor.value = text ?? td.dataset.text;
  editor.setAttribute("aria-label", `${table.tHead.rows[0].cells[td.cellIndex].textContent.trim()} of ${td.parentElement.dataset.key}`);
  Object.assign(editor.style, { left: `${box.left + scrollX}px`, top: `${box.top + scrollY}px`, width: `${Math.max(box.width, 180)}px`, minHeight: `${box.height}px` });
  editor.td = td;
  editor.addEventListener("input", grow);
  document.body.append(editor);
  grow();
  editor.focus();
  if (text === undefined) editor.select();
}

function grow() {
  editor.style.height = "auto";
  editor.style.height = `${editor.scrollHeight + 4}px`;
}

/** Takes what is being typed, and tells whether there was anything. */
function commit() {
  if (!editor) return false;
  const { td, value } = editor;
  close();
  set("Typed", [[td, value]]);
  return true;
}

function close() {
  const was = editor;
  editor = null;
  was?.remove();
}

document.addEventListener("focusout", (event) => {
  if (event.target === editor) commit();
});
table.parentElement.addEventListener("scroll", () => commit());

function keyInEditor(event) {
  const { key, shiftKey, altKey } = event;
  const at = editor.td;
  if (key === "Escape") {
    close();
    at.focus();
  } else if (key === "Enter" && !altKey) {
    commit();
    choose(at, false);
    move(shiftKey ? -1 : 1, 0, false);
  } else if (key === "Enter") {
    const from = editor.selectionStart;
    editor.setRangeText("\n", from, editor.selectionEnd, "end");
    grow();
  } else if (key === "Tab") {
    commit();
    choose(at, false);
    move(0, shiftKey ? -1 : 1, false);
  } else return;
  event.preventDefault();
  event.stopPropagation();
}

/* Keys. */

const page = () => Math.max(1, Math.floor((table.parentElement.clientHeight - 40) / 35));
const inField = (e) => e.closest("input, textarea, select, [contenteditable]");

document.addEventListener("keydown", (event) => {
  if (event.target === editor) return keyInEditor(event);
  const { key, shiftKey, altKey } = event;
  const command = event.ctrlKey || event.metaKey;
  if (command && key.toLowerCase() === "z" && !inField(event.target)) return act(event, () => step(shiftKey ? "redo" : "undo"));
  if (command && key.toLowerCase() === "y" && !inField(event.target)) return act(event, () => step("redo"));
  const cell = event.target.closest("#runrows td");
  if (altKey && !command) {
    const press = { e: only, y: () => document.getElementById("likely")?.click(), r: () => document.getElementById("renderall")?.click(), o: openRow, f: first }[key.toLowerCase()];
    if (press) return act(event, press);
    return;
  }
  if (!cell) {
    if (inField(event.target) || command) return;
    const press = { e: only, y: () => document.getElementById("likely")?.click() }[key];
    if (press) return act(event, press);
    if (key.startsWith("Arrow") && (event.target === document.body || event.target.matches("main, .cells"))) return act(event, () => move(0, 0, false));
    const leaf = document.querySelector(`[data-leaf-key="${key}"]`);
    if (leaf) act(event, () => leaf.click());
    return;
  }
  const far = 1e6;
  if (command) {
    const to = { Home: [-far, -far], End: [far, far], ArrowUp: [-far, 0], ArrowDown: [far, 0], ArrowLeft: [0, -far], ArrowRight: [0, far] }[key];
    if (to) return act(event, () => move(...to, shiftKey));
    if (key.toLowerCase() === "d") return act(event, fillDown);
    if (key.toLowerCase() === "a") return act(event, all);
    return;
  }
  const to = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1], Home: [0, -far], End: [0, far], PageUp: [-page(), 0], PageDown: [page(), 0] }[key];
  if (to) return act(event, () => move(...to, shiftKey));
  if (key === "Enter") return act(event, () => ("typed" in cell.dataset ? move(shiftKey ? -1 : 1, 0, false) : cell.querySelector("a")?.click()));
  if (key === "Tab") {
    const next = shiftKey ? cell.previousElementSibling : cell.nextElementSibling;
    if (next) act(event, () => choose(next, false));
    return; // from the last cell the focus leaves the sheet
  }
  if (key === "F2") return act(event, () => edit(cell));
  if (key === "Delete" || key === "Backspace") return act(event, clear);
  if (key === "Escape") return act(event, () => choose(cell, false));
  if (key.length === 1 && "typed" in cell.dataset) act(event, () => edit(cell, key));
});

function act(event, what) {
  event.preventDefault();
  what();
}

const step = (which) => send(`/runs/${run}/${which}`);
document.addEventListener("click", (event) => {
  const which = event.target.closest("[data-step]")?.dataset.step;
  if (which) step(which);
  if (event.target.closest("[data-needing-toggle]")) only();
});

function clear() {
  set("Cleared", chosen().flat().map((td) => [td, ""]));
}

function all() {
  const list = rows();
  anchor = list[0].cells[0];
  choose(list.at(-1).cells[columns() - 1], true);
}

function fillDown() {
  const range = chosen();
  if (range.length < 2) return;
  set("Filled down", range.slice(1).flatMap((row) => row.map((td, c) => [td, range[0][c].dataset.text ?? ""])));
}

function openRow() {
  const tr = (active ?? rows()[0]?.cells[0])?.closest("tr");
  if (tr) location.assign(`/orders/${tr.dataset.order}`);
}

function first() {
  if (active) submit(`/runs/${run}/first`, new URLSearchParams({ order: active.closest("tr").dataset.order }));
}

/* The clipboard. */

document.addEventListener("copy", (event) => {
  if (inField(event.target) || !active?.isConnected || String(getSelection())) return;
  event.preventDefault();
  event.clipboardData.setData("text/plain", write(chosen().map((row) => row.map((td) => td.dataset.text ?? td.querySelector("a, .value")?.textContent ?? ""))));
});
document.addEventListener("cut", (event) => {
  if (inField(event.target) || !active?.isConnected) return;
  event.preventDefault();
  event.clipboardData.setData("text/plain", write(chosen().map((row) => row.map((td) => td.dataset.text ?? ""))));
  clear();
});
document.addEventListener("paste", (event) => {
  if (inField(event.target)) return;
  const text = event.clipboardData.getData("text/plain");
  if (!text) return;
  event.preventDefault();
  if (rows().length === 0) {
    submit(`/runs/${run}/list`, new URLSearchParams({ pasted: text }));
    return;
  }
  if (!active?.isConnected) return notice("Choose the cell to paste into first.");
  const cells = read(text);
  const range = chosen();
  if (cells.length === 1 && cells[0].length === 1) {
    set("Pasted", range.flat().map((td) => [td, cells[0][0]]));
    return;
  }
  const list = rows();
  const at = place(range[0][0]);
  const changes = [];
  for (const [i, row] of cells.entries()) for (const [j, v] of row.entries()) if (list[at.r + i]?.cells[at.c + j]) changes.push([list[at.r + i].cells[at.c + j], v]);
  set("Pasted", changes);
  const end = list[Math.min(list.length - 1, at.r + cells.length - 1)];
  anchor = range[0][0];
  choose(end.cells[Math.min(columns() - 1, at.c + Math.max(...cells.map((r) => r.length)) - 1)], true);
});

/* Only the rows that need a person. */

let showOnly = "needing" in root.dataset;
function only() {
  showOnly = !showOnly;
  touched.clear();
  exceptions();
  const list = rows();
  if (showOnly && list.length > 0) {
    const cell = list[0].querySelector("td.need") ?? list[0].cells[1];
    choose(cell, false);
  } else if (active) choose(active, false);
}

function exceptions() {
  for (const tr of body.rows) tr.hidden = showOnly && !("needs" in tr.dataset) && !touched.has(tr.id);
  for (const b of document.querySelectorAll("[data-needing-toggle][aria-pressed]")) {
    b.setAttribute("aria-pressed", String(showOnly));
    b.classList.toggle("button-main", showOnly);
  }
}

/* Acts. */

async function submit(path, form) {
  document.getElementById("notice").replaceChildren();
  try {
    const answer = await fetch(path, { method: "POST", body: form, headers: { "HX-Request": "true" } });
    if (answer.status === 401) location.reload();
    const said = await answer.json();
    if (said.text) notice(said.text, said.kind);
  } catch {
    notice("The server cannot be reached or could not do that. Try again in a moment.");
  }
  refresh();
}

document.addEventListener("submit", (event) => {
  const form = event.target.closest("form[data-say]");
  if (!form) return;
  event.preventDefault();
  if (form.dataset.sure && !confirm(form.dataset.sure)) return;
  const data = new FormData(form);
  if (event.submitter?.name) data.append(event.submitter.name, event.submitter.value);
  if (form.id === "chosenrows") for (const id of chosenRows()) data.append("rows", id);
  submit(event.submitter?.getAttribute("formaction") ?? form.action, form.enctype === "multipart/form-data" ? data : new URLSearchParams(data));
  form.closest("details")?.removeAttribute("open");
});
document.addEventListener("change", (event) => event.target.closest("form[data-say][data-sends]")?.requestSubmit());

// What a change of the pattern touches, and how much work films are, takes a moment to work out.
// An answer stands only where the question does that it answers.
const worked = new Map();
let questions = 0;
async function ask() {
  for (const place of document.querySelectorAll("[data-ask]:not([data-done])")) {
    const asked = place.textContent;
    const turn = String(++questions);
    place.dataset.done = turn;
    const { id } = place;
    if (worked.get(id)?.asked === asked) place.textContent = worked.get(id).text;
    try {
      const answer = await fetch(place.dataset.ask, { headers: { "HX-Request": "true" } });
      const text = answer.ok ? await answer.text() : "";
      if (!text) continue;
      worked.set(id, { asked, text });
      if (place.isConnected && place.dataset.done === turn) place.textContent = text;
    } catch {
      // Asked again with the next news.
    }
  }
}

count();
exceptions();
ask();
if (waiting.length > 0) {
  for (const { data } of waiting) for (const c of data?.cells ?? []) pending.set(`${c.order} ${c.role}`, c.to);
  pend();
  go();
}
if (location.hash.startsWith("#row-")) choose(document.querySelector(`${location.hash} td`), false);
else if (showOnly) {
  showOnly = false;
  only();
}
