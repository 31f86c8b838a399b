// Names are corrected where they are read. A name that was corrected is kept
// when the field is left, and its picture is drawn anew.
import { hear, notice } from "./page.mjs";

const run = document.getElementById("run").dataset.run;

async function keep(field) {
  if (field.value === field.dataset.was) return;
  const li = field.closest("[data-order]");
  field.dataset.was = field.value;
  try {
    const answer = await fetch(`/runs/${run}/cells`, {
      method: "POST",
      headers: { "HX-Request": "true", "Content-Type": "application/json" },
      body: JSON.stringify({ title: "Corrected a name", cells: [{ order: Number(li.dataset.order), role: "detail:names", to: field.value }] }),
    });
    if (answer.status === 401) location.reload();
    const said = await answer.json();
    notice(said.text, said.kind);
    await redraw();
  } catch {
    field.dataset.was = null;
    notice("The server cannot be reached. The name is still in its field: leave it again to try once more.");
  }
}

document.addEventListener("focusout", (event) => event.target.matches("[data-names]") && keep(event.target));
document.addEventListener("keydown", (event) => {
  if (event.key !== "Enter" || event.altKey || event.shiftKey || !event.target.matches("[data-names]")) return;
  event.preventDefault();
  const all = [...document.querySelectorAll("[data-names]")];
  (all[all.indexOf(event.target) + 1] ?? event.target).focus();
  if (document.activeElement === event.target) event.target.blur();
});

async function redraw() {
  const page = new DOMParser().parseFromString(await (await fetch(location.href)).text(), "text/html");
  for (const li of page.querySelectorAll("[data-order]")) {
    const old = document.querySelector(`[data-order="${li.dataset.order}"]`);
    if (!old) continue;
    const moments = old.querySelector(".moments");
    if (moments.innerHTML !== li.querySelector(".moments").innerHTML) moments.replaceWith(li.querySelector(".moments"));
  }
}

hear(`/events?run=${run}`, redraw);

document.addEventListener("keydown", (event) => {
  if (event.target.closest("input, textarea, select") || event.ctrlKey || event.altKey) return;
  document.querySelector(`[data-leaf-key="${event.key}"]`)?.click();
});
