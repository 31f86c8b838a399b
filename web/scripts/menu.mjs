// Menus by right click or the menu key.
import { make, shown } from "./finder.mjs";

/** Shows what can be done where it was asked for: things with a name, what they do, and a key if they have one. */
export function openMenu(box, items) {
  document.querySelector(".menu")?.remove();
  const menu = document.createElement("div");
  menu.className = "menu";
  menu.setAttribute("role", "menu");
  menu.setAttribute("aria-label", "What can be done");
  const back = document.activeElement;
  const close = (refocus = true) => {
    menu.remove();
    if (refocus && back?.isConnected) back.focus({ preventScroll: true });
  };
  for (const a of items) {
    const item = make("button", a.name);
    item.type = "button";
    item.tabIndex = -1;
    item.setAttribute("role", "menuitem");
    if (a.key) item.append(make("span", shown(a.key), "time quiet"));
    item.addEventListener("click", () => {
      close();
      a.run();
    });
    menu.append(item);
  }
  menu.addEventListener("keydown", (event) => {
    const all = [...menu.children];
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (by) all[(all.indexOf(document.activeElement) + by + all.length) % all.length].focus();
    else if (event.key === "Escape" || event.key === "Tab") close();
    else if (event.key.length === 1 && /\w/.test(event.key)) all.find((i) => i.textContent.toLowerCase().startsWith(event.key.toLowerCase()) && i !== document.activeElement)?.focus();
    else return;
    event.preventDefault();
    event.stopPropagation();
  });
  menu.addEventListener("focusout", (event) => {
    if (event.relatedTarget && !menu.contains(event.relatedTarget)) close(false);
  });
  document.body.append(menu);
  menu.style.left = `${Math.min(box.x, innerWidth - menu.offsetWidth - 8)}px`;
  menu.style.top = `${Math.max(8, Math.min(box.y, innerHeight - menu.offsetHeight - 8))}px`;
  menu.firstElementChild?.focus();
}

document.addEventListener("pointerdown", (event) => {
  if (!event.target.closest?.(".menu")) document.querySelector(".menu")?.remove();
});
