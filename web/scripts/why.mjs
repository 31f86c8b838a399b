// Each number of the film's arithmetic says on a press where it comes from.
import { order } from "./order.mjs";
import { notice } from "./page.mjs";

const box = document.getElementById("why");
document.addEventListener("click", async (event) => {
  const term = event.target.closest("[data-why]");
  if (!term) return;
  const answer = await fetch(`/orders/${order}/why?term=${term.dataset.why}`, { headers: { "HX-Request": "true" } });
  const text = await answer.text();
  if (!answer.ok) {
    notice(text);
    return;
  }
  box.innerHTML = text;
  box.showPopover();
});
// Who goes where it leads has read it.
box.addEventListener("click", (event) => event.target.closest("a") && box.hidePopover());
