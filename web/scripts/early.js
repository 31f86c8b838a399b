// Keys pressed before the page's modules are there are kept, and pressed again
// once they are, so that none is lost. Modules have run when the page is parsed.
(() => {
  const kept = [];
  const keep = (event) => {
    if (event.target.closest?.("input, textarea, select") || ["Tab", "Enter", " ", "Shift", "Control", "Alt", "Meta"].includes(event.key)) return;
    kept.push(event);
  };
  document.addEventListener("keydown", keep);
  document.addEventListener("DOMContentLoaded", () => {
    document.removeEventListener("keydown", keep);
    for (const { key, code, shiftKey, ctrlKey, altKey, metaKey, defaultPrevented } of kept)
      if (!defaultPrevented) (document.activeElement ?? document.body).dispatchEvent(new KeyboardEvent("keydown", { key, code, shiftKey, ctrlKey, altKey, metaKey, bubbles: true, cancelable: true }));
  });
})();
