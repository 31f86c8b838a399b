// The contact sheet: filters, sizes, choosing one or many, stars by key, look-alikes side by side.
import { change, order } from "./order.mjs";
import { openMenu } from "./menu.mjs";
import { ask, dialog, notice } from "./page.mjs";

const list = () => document.querySelector(".contact");
const all = () => [...document.querySelectorAll(".contact > li")];
const kept = `nelko-contact-${order}`;
const chosen = new Set(); // of media, by row
let last = null; // the one that was chosen last, by row: where a range begins
const view = { show: "all", size: 140, ...JSON.parse(sessionStorage.getItem(kept) ?? "{}") };

function draw() {
  if (!list()) return;
  if (!document.querySelector(`[data-show="${view.show}"]`)) view.show = "all"; // nothing is left under it
  for (const li of all()) li.hidden = !li.dataset.tags.split(" ").includes(view.show);
  for (const b of document.querySelectorAll("[role=group] > [data-show]")) b.setAttribute("aria-pressed", String(b.dataset.show === view.show));
  for (const row of [...chosen]) if (!all().some((li) => li.dataset.row === row && !li.hidden)) chosen.delete(row);
  for (const li of all()) {
    li.toggleAttribute("data-chosen", chosen.has(li.dataset.row));
    li.setAttribute("aria-current", String(chosen.has(li.dataset.row)));
  }
  const bar = document.getElementById("chosen");
  bar.hidden = chosen.size === 0;
  bar.querySelector("[data-count]").textContent = `${chosen.size} chosen`;
  list().style.setProperty("--size", `${view.size}px`);
  document.getElementById("sheet-size").value = view.size;
  sessionStorage.setItem(kept, JSON.stringify(view));
}

document.addEventListener("input", (event) => {
  if (event.target.id !== "sheet-size") return;
  view.size = Number(event.target.value);
  draw();
});

document.addEventListener("click", (event) => {
  const show = event.target.closest?.("[data-show]");
  if (show) {
    view.show = show.dataset.show;
    draw();
  }
  const compare = event.target.closest?.("[data-compare]");
  if (compare) lightTable(compare.dataset.compare);
});

const rate = async (lis, stars) => {
  for (const li of lis) await change(`/orders/${order}/media/${li.dataset.row}/stars`, [["stars", stars]]);
};

/** Those an act on one is meant for: all that are chosen, where it is among them. */
const meant = (li) => (chosen.has(li.dataset.row) ? all().filter((x) => chosen.has(x.dataset.row)) : [li]);

function choose(li, { range = false, also = false } = {}) {
  const shown = all().filter((x) => !x.hidden);
  const from = shown.findIndex((x) => x.dataset.row === last);
  const at = shown.indexOf(li);
  if (range && from >= 0) {
    if (!also) chosen.clear();
    for (const x of shown.slice(Math.min(from, at), Math.max(from, at) + 1)) chosen.add(x.dataset.row);
  } else {
    const had = chosen.has(li.dataset.row);
    if (!also) chosen.clear();
    if (also && had) chosen.delete(li.dataset.row);
    else chosen.add(li.dataset.row);
    last = li.dataset.row;
  }
  draw();
}

document.addEventListener("click", (event) => {
  const li = event.target.closest?.(".contact > li");
  if (!li || event.target.closest("a, button")) return;
  choose(li, { range: event.shiftKey, also: event.ctrlKey || event.metaKey });
  li.focus();
});

function remove(lis) {
  const shown = lis.filter((li) => li.querySelector("a[href], .plays")).length;
  const files = lis.length === 1 ? "1 file" : `${lis.length} files`;
  const out = shown ? ` ${shown === 1 ? "One of them is" : `${shown} of them are`} in the film and will be taken out of it.` : "";
  if (!confirm(`Remove ${files} from this order for good?${out} Steps of the history that showed them cannot be gone back to any more.`)) return;
  change(`/orders/${order}/erase`, lis.map((li) => ["media", li.dataset.row]));
}

document.addEventListener("click", (event) => {
  const act = event.target.closest?.("[data-chosen-act]")?.dataset.chosenAct;
  if (!act) return;
  const lis = all().filter((x) => chosen.has(x.dataset.row));
  if (act === "remove") remove(lis);
  if (act === "out") change(`/orders/${order}/edit/leaveout`, lis.map((li) => ["media", li.dataset.media]));
  if (act === "none") {
    chosen.clear();
    draw();
  }
});

document.addEventListener("keydown", (event) => {
  if (event.target.closest("input, textarea, select, dialog")) return;
  if (event.key.toLowerCase() === "a" && (event.ctrlKey || event.metaKey)) {
    for (const li of all()) if (!li.hidden) chosen.add(li.dataset.row);
  } else if (event.key === "Escape" && chosen.size > 0) chosen.clear();
  else return;
  event.preventDefault();
  draw();
});

document.addEventListener("keydown", (event) => {
  const li = event.target.closest?.(".contact > li");
  if (!li || event.ctrlKey || event.metaKey || event.altKey || event.target !== li) return;
  const shown = all().filter((x) => !x.hidden);
  const at = shown.indexOf(li);
  const across = Math.max(1, Math.round(list().clientWidth / (li.offsetWidth + 8)));
  const by = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: across, ArrowUp: -across }[event.key];
  if (by) {
    const to = shown[at + by];
    if (to && event.shiftKey) {
      last ??= li.dataset.row;
      choose(to, { range: true });
    }
    to?.focus();
  } else if (event.key === " ") choose(li, { also: true });
  else {
    const act = acts(li).find((a) => a.key.toLowerCase() === event.key.toLowerCase());
    if (!act) return;
    act.run();
  }
  event.preventDefault();
  event.stopPropagation();
});

/** What can be done with a picture, or all that are chosen with it, by key or from its menu. */
function acts(li) {
  const these = meant(li);
  const one = these.length === 1;
  const aside = li.dataset.stars === "-1";
  const media = (key) => these.map((x) => ["media", x.dataset[key]]);
  const list = [
    ...[1, 2, 3, 4, 5].map((n) => ({ name: n === 1 ? "One star" : `${n} stars`, key: String(n), run: () => rate(these, n) })),
    { name: "No stars", key: "0", run: () => rate(these, 0) },
    { name: aside ? "No longer set aside" : "Set aside", key: "X", run: () => rate(these, aside ? 0 : -1) },
    { name: one ? "Leave out of the film" : `Leave ${these.length} out of the film`, key: "Delete", run: () => change(`/orders/${order}/edit/leaveout`, media("media")) },
    { name: one ? "Remove from the order…" : `Remove ${these.length} from the order…`, key: "R", run: () => remove(these) },
  ];
  if (one) {
    list.push(
      { name: "When it was taken…", key: "W", run: () => ask(`When ${li.querySelector("[title]").title} was taken`, (at) => change(`/orders/${order}/media/${li.dataset.row}/time`, [["at", at]]), li.dataset.taken) },
      { name: right?.isConnected && right !== li ? "Of the same moment as the picture before" : "Its clock is right…", key: "C", run: () => sameMoment(li) },
    );
  }
  if (these.some((x) => x.dataset.held)) list.unshift({ name: one ? "Take it in" : "Take them in", key: "T", run: () => change(`/orders/${order}/accept`, these.filter((x) => x.dataset.held).map((x) => ["media", x.dataset.row])) });
  if (li.dataset.group) list.push({ name: "Look-alikes side by side", key: "Enter", run: () => lightTable(li.dataset.group) });
  return list;
}

document.addEventListener("contextmenu", (event) => {
  const li = event.target.closest?.(".contact > li");
  if (!li) return;
  event.preventDefault();
  openMenu({ x: event.clientX, y: event.clientY }, acts(li));
});

// Two pictures of the same moment put a camera's clock right: the first is of
// the clock that goes right, the second of the one that is wrong.
let right = null;
function sameMoment(li) {
  const name = (x) => x.querySelector("[title]").title;
  if (!right?.isConnected || right === li) {
    right = li;
    notice(`${name(li)} has the right time. Go to a picture of the same moment by the camera whose clock is wrong, and press C there.`);
    return;
  }
  change(`/orders/${order}/clock`, [["right", right.dataset.row], ["wrong", li.dataset.row]]);
  right = null;
}

// All of it at once, from anywhere on the leaf.
document.addEventListener("keydown", (event) => {
  if (event.key.toLowerCase() !== "t" || event.ctrlKey || event.metaKey || event.altKey || event.target.closest("input, textarea, select, dialog, .contact > li")) return;
  document.getElementById("accept")?.click();
});

// Look-alikes side by side, to keep the best.
function lightTable(group) {
  const these = all().filter((li) => li.dataset.group === group);
  const box = dialog("Look-alikes");
  box.classList.add("lighttable");
  const heading = document.createElement("h2");
  heading.textContent = `${these.length} look-alikes`;
  const row = document.createElement("div");
  row.className = "flex gap-3 overflow-x-auto";
  for (const li of these) {
    const figure = document.createElement("figure");
    const picture = document.createElement("img");
    picture.src = `/media/${li.dataset.row}/file`;
    picture.alt = "";
    const name = document.createElement("figcaption");
    name.textContent = li.querySelector("[title]").title;
    const keep = document.createElement("button");
    keep.className = "button button-small";
    keep.textContent = "Keep only this";
    keep.addEventListener("click", () => {
      box.close();
      change(`/orders/${order}/edit/leaveout`, these.filter((x) => x !== li).map((x) => ["media", x.dataset.media]));
    });
    figure.append(picture, name, keep);
    row.append(figure);
  }
  const close = document.createElement("button");
  close.className = "button button-small self-start";
  close.textContent = "Keep all";
  close.addEventListener("click", () => box.close());
  box.append(heading, row, close);
  box.showModal();
}

document.addEventListener("nelko:drawn", draw);
draw();
