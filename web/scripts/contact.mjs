// The contact sheet: filters, sizes, stars by key, look-alikes side by side.
import { change, order } from "./order.mjs";
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
  else if (/^[0-5]$/.test(event.key)) rate(li, event.key);
  else if (event.key.toLowerCase() === "x") rate(li, li.dataset.stars === "-1" ? 0 : -1);
  else if (event.key === "Delete") change(`/orders/${order}/edit/leaveout`, [["media", li.dataset.media]]);
  else if (event.key.toLowerCase() === "t" && li.dataset.held) change(`/orders/${order}/accept`, [["media", li.dataset.row]]);
  else if (event.key.toLowerCase() === "w") ask(`When ${li.querySelector("[title]").title} was taken`, (at) => change(`/orders/${order}/media/${li.dataset.row}/time`, [["at", at]]), li.dataset.taken);
  else if (event.key.toLowerCase() === "c") sameMoment(li);
  else if (event.key === "Enter" && li.dataset.group) lightTable(li.dataset.group);
  else return;
  event.preventDefault();
  event.stopPropagation();
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
