// The contact sheet: filters, sizes, stars by key, look-alikes side by side.
import { change, order } from "./order.mjs";
import { openMenu } from "./menu.mjs";
import { ask, dialog, notice } from "./page.mjs";

const list = () => document.querySelector(".contact");
const all = () => [...document.querySelectorAll(".contact > li")];
const kept = `nelko-contact-${order}`;
const view = { show: "all", size: 140, ...JSON.parse(sessionStorage.getItem(kept) ?? "{}") };

function draw() {
  if (!list()) return;
  if (!document.querySelector(`[data-show="${view.show}"]`)) view.show = "all"; // nothing is left under it
  for (const li of all()) li.hidden = !li.dataset.tags.split(" ").includes(view.show);
  for (const b of document.querySelectorAll("[role=group] > [data-show]")) b.setAttribute("aria-pressed", String(b.dataset.show === view.show));
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

const rate = (li, stars) => change(`/orders/${order}/media/${li.dataset.row}/stars`, [["stars", stars]]);

document.addEventListener("keydown", (event) => {
  const li = event.target.closest?.(".contact > li");
  if (!li || event.ctrlKey || event.metaKey || event.altKey || event.target !== li) return;
  const shown = all().filter((x) => !x.hidden);
  const at = shown.indexOf(li);
  const across = Math.max(1, Math.round(list().clientWidth / (li.offsetWidth + 8)));
  const by = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: across, ArrowUp: -across }[event.key];
  if (by) shown[at + by]?.focus();
  else {
    const act = acts(li).find((a) => a.key.toLowerCase() === event.key.toLowerCase());
    if (!act) return;
    act.run();
  }
  event.preventDefault();
  event.stopPropagation();
});

/** What can be done with a picture, by key or from its menu. */
function acts(li) {
  const aside = li.dataset.stars === "-1";
  const list = [
    ...[1, 2, 3, 4, 5].map((n) => ({ name: n === 1 ? "One star" : `${n} stars`, key: String(n), run: () => rate(li, n) })),
    { name: "No stars", key: "0", run: () => rate(li, 0) },
    { name: aside ? "No longer set aside" : "Set aside", key: "X", run: () => rate(li, aside ? 0 : -1) },
    { name: "Leave out of the film", key: "Delete", run: () => change(`/orders/${order}/edit/leaveout`, [["media", li.dataset.media]]) },
    { name: "When it was taken…", key: "W", run: () => ask(`When ${li.querySelector("[title]").title} was taken`, (at) => change(`/orders/${order}/media/${li.dataset.row}/time`, [["at", at]]), li.dataset.taken) },
    { name: right?.isConnected && right !== li ? "Of the same moment as the picture before" : "Its clock is right…", key: "C", run: () => sameMoment(li) },
  ];
  if (li.dataset.held) list.unshift({ name: "Take it in", key: "T", run: () => change(`/orders/${order}/accept`, [["media", li.dataset.row]]) });
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
