// On the leaves without a running order: all that can be pressed is found by
// typing its name, and the keys are one list.
import { finder, keyList } from "./finder.mjs";
import { openMenu } from "./menu.mjs";
import { order } from "./order.mjs";
import { decide } from "./page.mjs";

/** What a control is called. */
function called(e) {
  const label = e.getAttribute("aria-label") ?? e.labels?.[0]?.textContent ?? e.textContent;
  return label.trim().replace(/\s+/g, " ");
}

function commandBox() {
  const all = [];
  const seen = new Set();
  for (const e of document.querySelectorAll("#order button, #order a[href], #order summary, #order input, #order select, .top a")) {
    const name = called(e);
    if (!name || seen.has(name) || e.disabled || e.type === "hidden" || !e.checkVisibility() || e.closest(".leaves")) continue;
    seen.add(name);
    const field = e.matches("select, input:not([type=checkbox], [type=radio], [type=file])");
    all.push({ name, note: e.title.match(/^Key (.+)$/)?.[1] ?? "", run: () => (field ? e.focus() : e.click()), far: Boolean(e.closest(".contact")) });
  }
  finder(all);
}

const keys = [
  ["The leaves", "1 to 5"],
  ["Find what can be done, a picture or an order", "/"],
  ["Undo, redo", "Ctrl+Z, Ctrl+Shift+Z"],
];
const onSheet = [
  ["From picture to picture", "← → ↑ ↓"],
  ["Stars, none", "1 to 5, 0"],
  ["Set aside", "X"],
  ["Look-alikes side by side", "Enter"],
  ["Leave out of the film", "Delete"],
  ["When it was taken", "W"],
  ["Right clock, then wrong clock, of the same moment", "C"],
  ["Take in what is held back", "T"],
];

document.addEventListener("keydown", (event) => {
  if (event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey || event.target.closest("input, textarea, select, audio, video, dialog")) return;
  if (event.key === "/") commandBox();
  else if (event.key === "?") keyList([...keys, ...(document.querySelector(".contact") ? onSheet : [])]);
  else return;
  event.preventDefault();
});

// Rendering stops once before what there is to look at: whoever has seen it and
// renders all the same is not asked again until there is something else. What
// keeps the film from being rendered leads to its place.
document.addEventListener("htmx:confirm", (event) => {
  const found = document.querySelector("#beforerendering .notice");
  if (event.target.id !== "makefiles" || !found) return;
  const stops = found.querySelector("[data-stops]");
  if (stops) {
    event.preventDefault();
    decide("Before rendering", `It cannot be rendered yet. ${stops.textContent}.`, [["Go there", () => stops.click()]]);
    return;
  }
  const seen = `nelko-seen-${order}`;
  const what = found.textContent;
  if (sessionStorage.getItem(seen) === what) return;
  event.preventDefault();
  decide("Before rendering", found.dataset.said, [
    ["Look at it first", () => found.querySelector("a").click()],
    [
      "Render all the same",
      () => {
        sessionStorage.setItem(seen, what);
        event.detail.issueRequest(true);
      },
    ],
  ]);
});

// What can be done with a line of a leaf, by right click or the menu key: all
// that can be pressed in it.
document.addEventListener("contextmenu", (event) => {
  const line = event.target.closest?.("#order [data-render], #order [data-hosted], #order [data-remark], #order [data-song], #order .findings li, #order tr, #order li:not(.contact > li)");
  if (!line || event.defaultPrevented || event.target.closest("input, textarea, select, audio, video")) return;
  const items = [...line.querySelectorAll("button, a[href]")].filter((e) => !e.disabled && e.checkVisibility() && called(e)).map((e) => ({ name: called(e), run: () => e.click() }));
  if (items.length === 0) return;
  event.preventDefault();
  openMenu({ x: event.clientX, y: event.clientY }, items);
});
