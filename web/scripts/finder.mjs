// The command box and the list of keys, for every leaf of an order.
import { dialog } from "./page.mjs";

/** An element with words in it. */
export const make = (tag, text, className = "") => {
  const e = document.createElement(tag);
  e.textContent = text;
  e.className = className;
  return e;
};
/** A key as people read it. */
export const shown = (key) => key.replace("Arrow", "").replace("Left", "←").replace("Right", "→");

/** Shows what can be done by key: pairs of a name and its key. */
export function keyList(pairs) {
  const box = dialog("Keys");
  box.append(make("h2", "Keys"));
  const list = make("dl", "", "keys");
  for (const [name, key] of pairs) list.append(make("dt", name), make("dd", key, "time"));
  const close = make("button", "Close", "button button-small self-start");
  close.addEventListener("click", () => box.close());
  box.append(list, close);
  box.showModal();
}

// Words match where each of them is in a name.
const matches = (name, typed) => typed.every((w) => name.toLowerCase().includes(w));

/** Finds by typing: things with a name, a note and what they do, and orders. What is far is found only by typing. */
export function finder(all) {
  const box = dialog("Find or do");
  const input = document.createElement("input");
  input.setAttribute("role", "combobox");
  input.setAttribute("aria-label", "Find an action, a slide, a picture or an order");
  input.setAttribute("aria-controls", "found");
  input.setAttribute("aria-expanded", "true");
  input.placeholder = "an action, a slide, a picture, an order";
  const list = document.createElement("ul");
  list.id = "found";
  list.setAttribute("role", "listbox");
  list.setAttribute("aria-label", "Found");
  box.append(input, list);
  for (const a of document.querySelectorAll(".leaves a")) all.push({ name: `Go to ${a.firstChild.textContent.trim()}`, note: a.dataset.leafKey, run: () => a.click() });
  let found = [];
  let at = 0;
  let orders = [];
  const draw = () => {
    const typed = input.value.toLowerCase().split(/\s+/).filter(Boolean);
    found = [...all.filter((x) => (typed.length > 0 || !x.far) && matches(x.name, typed)), ...(typed.length > 0 ? orders : [])].slice(0, 40);
    at = Math.max(0, Math.min(at, found.length - 1));
    list.replaceChildren(
      ...found.map((x, i) => {
        const li = make("li", x.name);
        li.id = `found-${i}`;
        li.setAttribute("role", "option");
        li.setAttribute("aria-selected", String(i === at));
        if (x.note) li.append(make("span", x.note, "time quiet ml-auto pl-4"));
        li.addEventListener("click", () => go(i));
        return li;
      }),
    );
    if (found.length === 0) list.append(make("li", "Nothing is called so.", "quiet"));
    input.setAttribute("aria-activedescendant", found.length > 0 ? `found-${at}` : "");
    document.getElementById(`found-${at}`)?.scrollIntoView({ block: "nearest" });
  };
  const go = (i) => {
    const x = found[i];
    box.close();
    x?.run();
  };
  let asked = 0;
  input.addEventListener("input", async () => {
    at = 0;
    draw();
    const mine = ++asked;
    if (input.value.trim().length < 2) return;
    const answer = await fetch(`/find?q=${encodeURIComponent(input.value)}`).catch(() => null);
    if (mine !== asked || !answer?.ok) return;
    orders = (await answer.json()).map((o) => ({ name: `Order ${o.name}`, note: o.due, run: () => location.assign(o.path) }));
    draw();
  });
  input.addEventListener("keydown", (event) => {
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (by) {
      at = (at + by + found.length) % Math.max(1, found.length);
      draw();
    } else if (event.key === "Enter") go(at);
    else return;
    event.preventDefault();
  });
  draw();
  box.showModal();
  input.focus();
}
