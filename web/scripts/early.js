// What is pressed before the page's scripts are there is kept, and pressed again once
// they are, so that nothing is lost. Modules have run when the page is parsed; htmx
// begins just after.
(() => {
  const keys = [];
  const buttons = [];
  const keepKey = (event) => {
    if (event.target.closest?.("input, textarea, select") || ["Tab", "Enter", " ", "Shift", "Control", "Alt", "Meta"].includes(event.key)) return;
    keys.push(event);
  };
  // A button that only scripts answer: the browser itself would load the page anew, or
  // do nothing. One is kept once, however often it is pressed.
  const keepButton = (event) => {
    const button = event.target.closest?.("button");
    if (!button || button.popoverTargetElement || button.form?.hasAttribute("action") || button.form?.method === "post" || button.form?.method === "dialog") return;
    event.preventDefault();
    event.stopImmediatePropagation();
    if (!buttons.includes(button)) buttons.push(button);
  };
  document.addEventListener("keydown", keepKey);
  document.addEventListener("click", keepButton, true);
  document.addEventListener("DOMContentLoaded", () => {
    document.removeEventListener("keydown", keepKey);
    for (const { key, code, shiftKey, ctrlKey, altKey, metaKey, defaultPrevented } of keys)
      if (!defaultPrevented) (document.activeElement ?? document.body).dispatchEvent(new KeyboardEvent("keydown", { key, code, shiftKey, ctrlKey, altKey, metaKey, bubbles: true, cancelable: true }));
    setTimeout(() => {
      document.removeEventListener("click", keepButton, true);
      for (const button of buttons) button.click();
    });
  });
})();
