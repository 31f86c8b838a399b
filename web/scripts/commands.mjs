// Every action of the running order in one list: by key, by typing in the
// command box, by right click.
import { openPanel } from "./choices.mjs";
import { finder, keyList, make, shown } from "./finder.mjs";
import { splitClip } from "./framing.mjs";
import { change, order } from "./order.mjs";
import { openMenu } from "./menu.mjs";
import { ask, decide, dialog, notice } from "./page.mjs";
import { slides } from "./rows.mjs";
import { choose, chooseAll, chosen, edit, movable, moveTo, step, takeOut } from "./running-order.mjs";

const ids = () => chosen().map((g) => g.dataset.slide);
const media = () => [...document.querySelectorAll('#chosen-form [name="media"]')].map((i) => i.value);
const one = () => chosen().length === 1;
const some = () => chosen().length > 0;
const pictures = () => some() && chosen().every((g) => g.dataset.pictures !== "0");
const field = (panel, id) => () => {
  openPanel(panel);
  const to = document.getElementById(id);
  to?.focus();
  to?.select?.();
};
const panel = (id) => () => {
  openPanel(id);
  document.querySelector(`#panel-${id} .pick[aria-pressed="true"], #panel-${id} input:not([type=hidden]), #panel-${id} .pick, #panel-${id} select, #panel-${id} button`)?.focus();
};
const has = (id) => () => Boolean(document.getElementById(`kind-${id}`));
const pick = (test) => () => chooseAll(slides().filter(test));
const press = (id) => () => document.getElementById(id)?.click();

// The settings of a slide that were copied, to be given to others.
const clipboard = { get: () => JSON.parse(sessionStorage.getItem("nelko-settings") ?? "null"), set: (v) => sessionStorage.setItem("nelko-settings", JSON.stringify(v)) };

const kindsOfSettings = { layout: "layout", motion: "motion", transition: "transition after it", backdrop: "backdrop", look: "look", framing: "framing and size", captions: "style of captions", linger: "linger" };

/** Asks for kinds of settings, and a name if one is wanted. */
function askKinds(label, done, named = false) {
  const box = dialog(label);
  const form = document.createElement("form");
  form.className = "flex flex-col gap-2";
  form.append(make("h2", label));
  if (named) {
    const name = make("label", "Name ");
    name.innerHTML = 'Name <input name="name" required maxlength="60">';
    form.append(name);
  }
  for (const [kind, words] of Object.entries(kindsOfSettings)) {
    const line = document.createElement("label");
    line.className = "text-ink";
    line.innerHTML = `<input type="checkbox" name="kind" value="${kind}" checked> ${words}`;
    form.append(line);
  }
  const go = make("button", label);
  go.className = "button button-main self-start";
  form.append(go);
  form.addEventListener("submit", (event) => {
    event.preventDefault();
    const values = new FormData(form);
    box.close();
    done(values.getAll("kind"), values.get("name"));
  });
  box.append(form);
  box.showModal();
  form.querySelector("input").focus();
}

/** Gives the chosen slides settings that were kept, or forgets some. */
async function presets() {
  const names = await (await fetch(`/orders/${order}/presets`)).json();
  const box = dialog("Kept settings");
  box.append(make("h2", names.length > 0 ? "Kept settings" : "No settings are kept yet"));
  for (const name of names) {
    const row = document.createElement("p");
    row.className = "flex gap-2 items-center";
    const give = make("button", name);
    give.className = "button grow text-left";
    give.addEventListener("click", () => {
      box.close();
      edit("presets/give", { preset: name, slide: ids() });
    });
    const forget = make("button", "Forget");
    forget.className = "button button-small";
    forget.setAttribute("aria-label", `Forget ${name}`);
    forget.addEventListener("click", () => {
      row.remove();
      edit("presets/forget", { preset: name });
    });
    row.append(give, forget);
    box.append(row);
  }
  box.showModal();
}

/** Chooses all slides that are like the chosen ones. */
async function chooseLike(by) {
  const query = new URLSearchParams({ by });
  for (const id of ids()) query.append("slide", id);
  const answer = await fetch(`/orders/${order}/like?${query}`);
  if (!answer.ok) return;
  const like = new Set(await answer.json());
  chooseAll(slides().filter((g) => like.has(g.dataset.slide)));
}

/** Shows another version of the film beside it, before it is taken. */
async function anotherVersion() {
  const answer = await fetch(`/orders/${order}/recast`, { headers: { "HX-Request": "true" } });
  if (!answer.ok) {
    notice(await answer.text());
    return;
  }
  const box = dialog("Another version");
  box.classList.add("wide");
  box.innerHTML = await answer.text();
  box.addEventListener("click", (event) => {
    const take = event.target.closest("[data-take-recast]");
    if (take) change(`/orders/${order}/edit/recast`, [["seed", take.dataset.takeRecast]]);
    if (take || event.target.closest("[data-close]")) box.close();
  });
  box.showModal();
}
document.addEventListener("click", (event) => {
  if (event.target.closest?.("[data-recast]")) anotherVersion();
});

/** Shows the film in all its frame shapes, slide by slide. */
async function frameShapes() {
  const answer = await fetch(`/orders/${order}/shapes`, { headers: { "HX-Request": "true" } });
  if (!answer.ok) {
    notice(await answer.text());
    return;
  }
  const box = dialog("Frame shapes");
  box.classList.add("wide");
  box.innerHTML = await answer.text();
  box.addEventListener("click", async (event) => {
    const at = event.target.closest("button, a[href*='#']");
    if (!at) return;
    const { asFirst, dropShape } = at.dataset;
    if ("addShape" in at.dataset) await change(`/orders/${order}/edit/addshape`, [["frame", box.querySelector("select").value]]);
    else if (asFirst) await change(`/orders/${order}/edit/asfirst`, [["frame", asFirst]]);
    else if (dropShape) await change(`/orders/${order}/edit/dropshape`, [["frame", dropShape]]);
    else if ("close" in at.dataset || at.pathname === location.pathname) box.close();
    if (dropShape && order.endsWith(`.${dropShape}`)) location.assign(`/orders/${order.split(".")[0]}`);
    else if ("addShape" in at.dataset || asFirst || dropShape) {
      box.close();
      frameShapes();
    }
  });
  box.showModal();
}
document.addEventListener("click", (event) => {
  if (event.target.closest?.("[data-shapes]")) frameShapes();
  const back = event.target.closest?.("#margin [data-as-first]");
  if (back) change(`/orders/${order}/edit/asfirst`, [["frame", back.dataset.asFirst], ...ids().map((id) => ["slide", id])]);
});

/** Puts the slides in order; those put in their places by hand may stay there. */
function sortBy(by) {
  const placed = slides().filter((g) => g.dataset.placed === "true").length;
  if (placed === 0) return edit("edit/sort", { by });
  const these = placed === 1 ? "One slide was" : `${placed} slides were`;
  return decide("Sort", `${these} put in place by hand.`, [
    ["Leave them where they are", () => edit("edit/sort", { by, keep: "true" })],
    ["Sort them too", () => edit("edit/sort", { by })],
  ]);
}
document.addEventListener("change", (event) => {
  if (!event.target.matches?.("[data-sort]")) return;
  sortBy(event.target.value);
  event.target.value = "";
});

/** What can be done: its name, its key, when it applies, and whether it is for what is chosen. */
export const actions = [
  { name: "Move earlier", key: "Alt+ArrowLeft", when: some, run: () => step(-1), of: true },
  { name: "Move later", key: "Alt+ArrowRight", when: some, run: () => step(1), of: true },
  { name: "Move to the beginning", key: "Alt+Home", when: some, run: () => moveTo(1), of: true },
  { name: "Move to the end", key: "Alt+End", when: some, run: () => moveTo(Infinity), of: true },
  {
    name: "Move before slide number…",
    key: "M",
    when: some,
    run: () => ask("Move before slide number", (n) => Number(n) > 0 && moveTo(Number(n))),
    of: true,
  },
  { name: "Take out", key: "Delete", when: some, run: takeOut, of: true },
  { name: "Spread evenly among the others", when: some, run: () => edit("edit/spread", { slide: movable().map((g) => g.dataset.slide) }), of: true },
  { name: "Put together in one slide", key: "G", when: () => chosen().length > 1 && pictures(), run: () => edit("edit/group", { slide: ids() }), of: true },
  { name: "Take apart", key: "U", when: () => chosen().some((g) => Number(g.dataset.pictures) > 1), run: () => edit("edit/split", { slide: ids() }), of: true },
  { name: "Show it once more after itself", key: "D", when: pictures, run: () => edit("edit/again", { slide: ids() }), of: true },
  { name: "Split the clip at this moment", key: "Shift+S", when: () => one() && chosen()[0].dataset.kind === "clip", run: () => splitClip(ids()[0]), of: true },
  { name: "Pause before", key: "Shift+T", run: () => edit("edit/pause", { slide: ids() }), of: true },
  { name: "Studio’s contact card before", when: some, run: () => edit("edit/studiocard", { slide: ids(), says: "contact" }), of: true },
  { name: "Studio’s credits before", when: some, run: () => edit("edit/studiocard", { slide: ids(), says: "credits" }), of: true },
  { name: "Text card before", key: "T", run: () => edit("edit/addcard", { slide: ids() }), of: true },
  { name: "Turn right", key: "R", when: pictures, run: () => edit("edit/turn", { media: media(), turn: 1 }), of: true },
  { name: "Turn left", key: "Shift+R", when: pictures, run: () => edit("edit/turn", { media: media(), turn: -1 }), of: true },
  { name: "Caption", key: "C", when: pictures, run: field("slide", "caption"), of: true },
  { name: "Seconds", key: "S", when: some, run: field("slide", "pin"), of: true },
  { name: "Unpin", when: () => chosen().some((g) => g.dataset.pinned === "true"), run: () => edit("edit/unpin", { slide: ids() }), of: true },
  { name: "Copy its settings", key: "Ctrl+C", when: one, run: () => clipboard.set({ order, slide: ids()[0] }), of: true },
  {
    name: "Give the copied settings",
    key: "Ctrl+V",
    when: () => some() && clipboard.get()?.order === order,
    run: () => edit("edit/copysettings", { slide: ids(), from: clipboard.get().slide, kind: ["layout", "motion", "transition", "backdrop", "look", "framing", "captions", "linger"] }),
    of: true,
  },
  {
    name: "Give some of the copied settings…",
    key: "Ctrl+Shift+V",
    when: () => some() && clipboard.get()?.order === order,
    run: () => askKinds("Give these settings", (kind) => kind.length > 0 && edit("edit/copysettings", { slide: ids(), from: clipboard.get().slide, kind })),
    of: true,
  },
  { name: "Keep its settings as…", when: one, run: () => askKinds("Keep these settings", (kind, name) => edit("presets", { from: ids()[0], kind, name }), true), of: true },
  { name: "Give kept settings…", key: "Shift+K", when: some, run: presets, of: true },
  ...[
    ["layout", "Layout", "L"],
    ["motion", "Motion", "O"],
    ["join", "Transition", "N"],
    ["backdrop", "Backdrop", "B"],
    ["look", "Look", "K"],
    ["light", "Light and colour", "I"],
    ["captions", "Caption style", "Y"],
    ["pictures", "Crop and frame", "F"],
    ["over", "Lay something over", "V"],
    ["card", "Words of the card", "W"],
  ].map(([id, name, key]) => ({ name, key, when: has(id), run: panel(id), of: true })),
  { name: "Size in its place, %…", when: pictures, run: () => ask("Size, per cent", (v) => edit("edit/scale", { media: media(), scale: v })), of: true },
  { name: "Tilt, °…", when: pictures, run: () => ask("Tilt, degrees", (v) => edit("edit/tilt", { media: media(), tilt: v })), of: true },
  { name: "Sound of clips, %…", when: () => chosen().some((g) => g.dataset.kind === "clip"), run: () => ask("Sound, per cent", (v) => edit("edit/sound", { media: media(), sound: v })), of: true },
  ...[
    ["whole", "Show pictures whole"],
    ["fill", "Let pictures fill their places"],
    ["", "Frame pictures as the theme does"],
  ].map(([fit, name]) => ({ name, when: pictures, run: () => edit("edit/fitin", { media: media(), fit }), of: true })),
  { name: "Put back as received", when: pictures, run: () => edit("edit/anew", { media: media() }), of: true },
  { name: "Play from here", key: "P", run: press("play") },
  { name: "Fit to the music", when: () => !document.getElementById("fit-music")?.disabled, run: press("fit-music") },
  { name: "Undo", key: "Ctrl+Z", run: () => change(`/orders/${order}/undo`, []) },
  { name: "Redo", key: "Ctrl+Shift+Z", run: () => change(`/orders/${order}/redo`, []) },
  { name: "Recast…", key: "Shift+V", run: anotherVersion },
  { name: "Frame shapes…", key: "Shift+F", run: frameShapes },
  ...[
    ["time", "by capture time"],
    ["name", "by file name"],
    ["random", "at random"],
    ["reverse", "the other way round"],
    ["evenly", "clips and cards evenly"],
  ].map(([by, how]) => ({ name: `Sort ${how}`, run: () => sortBy(by) })),
  { name: "Choose all slides", key: "Ctrl+A", run: pick(() => true) },
  { name: "Choose all clips", run: pick((g) => g.dataset.kind === "clip") },
  { name: "Choose all text cards", run: pick((g) => g.dataset.kind === "card") },
  { name: "Choose all slides of one picture", run: pick((g) => g.dataset.kind === "pictures" && g.dataset.pictures === "1") },
  { name: "Choose all slides of several pictures", run: pick((g) => Number(g.dataset.pictures) > 1) },
  { name: "Choose all pinned slides", run: pick((g) => g.dataset.pinned === "true") },
  { name: "Choose all of the same camera", when: pictures, run: () => chooseLike("camera"), of: true },
  { name: "Choose all with the same look", when: pictures, run: () => chooseLike("look"), of: true },
  { name: "Choose all with something to check", run: () => chooseLike("finding") },
  { name: "Choose all slides with a remark", run: pick((g) => g.querySelector(".remark")) },
  { name: "Themes", run: press("theme") },
  { name: "History", key: "H", run: press("history") },
];

const applies = (a) => !a.when || a.when();

// Letters are keys of their own while the rows or the margin have the focus
// (WCAG 2.2, 2.1.4 Character Key Shortcuts).
const keyOf = (event) => [event.ctrlKey || event.metaKey ? "Ctrl+" : "", event.altKey ? "Alt+" : "", event.shiftKey && event.key !== "?" ? "Shift+" : "", event.key.length === 1 ? event.key.toUpperCase() : event.key].join("");
document.addEventListener("keydown", (event) => {
  if (event.defaultPrevented || event.target.closest("input, textarea, select, audio, video, dialog")) return;
  const key = keyOf(event);
  if (key === "?") showKeys();
  else if (key === "/") commandBox();
  else if (key === "ContextMenu" || key === "Shift+F10") openMenu(event.target.getBoundingClientRect(), mine());
  else {
    const action = actions.find((a) => a.key === key);
    if (!action || (key === "Ctrl+C" && String(window.getSelection())) || key === "Ctrl+Z" || key === "Ctrl+Shift+Z") return;
    if (!applies(action) || (/^(Shift\+)?[A-Z]$/.test(key) && !event.target.closest("#rows, #margin"))) return;
    action.run();
  }
  event.preventDefault();
});

const choosing = [
  ["Choose the slide before, after", "← →"],
  ["Choose a range", "Shift+← →"],
  ["Go without choosing, then choose with", "Ctrl+← →, Ctrl+Space"],
  ["First, last slide", "Home End"],
  ["Choose nothing: the whole film", "Escape"],
  ["The leaves", "1 to 5"],
  ["Find an action, a slide or an order", "/"],
  ["What can be done with what is chosen", "Menu key, right click"],
];

function showKeys() {
  keyList([...choosing, ...actions.filter((a) => a.key).map((a) => [a.name, shown(a.key)])]);
}

/** Finds actions, slides and orders by typing. */
export function commandBox() {
  const all = actions.filter(applies).map((a) => ({ name: a.name, note: a.key ? shown(a.key) : "", run: a.run }));
  for (const g of slides()) all.push({ name: `Slide ${g.getAttribute("aria-label")}`, note: "", run: () => choose(g), far: true });
  finder(all);
}

// What can be done with what is chosen.
const mine = () => actions.filter((x) => x.of && applies(x));
document.addEventListener("contextmenu", (event) => {
  const g = event.target.closest?.("#rows .slide, #rows .rest, #rows .edge, #rows .join-edge");
  if (!g) return;
  event.preventDefault();
  const slide = g.matches(".slide") ? g : document.getElementById(`slide-${g.dataset.of}`);
  if (!chosen().includes(slide)) choose(slide);
  openMenu({ x: event.clientX, y: event.clientY }, mine());
});
document.addEventListener("click", (event) => {
  if (event.target.closest?.("[data-keys]")) showKeys();
  if (event.target.closest?.("[data-find]")) commandBox();
});
