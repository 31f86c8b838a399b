// What every page has: buttons that copy, and words for failures of the
// connection.
document.addEventListener("click", async (event) => {
  const button = event.target.closest("[data-copy]");
  if (!button) return;
  const input = document.querySelector(button.dataset.copy);
  input.select();
  try {
    await navigator.clipboard.writeText(input.value);
    button.textContent = "Copied";
  } catch {
    button.textContent = "Selected: press Ctrl+C";
  }
});

/** Shows a message in the page's notice line. */
export function notice(text, kind = "bad") {
  const place = document.getElementById("notice");
  if (!place) return;
  if (!text) {
    place.replaceChildren();
    return;
  }
  const p = document.createElement("p");
  p.className = `notice notice-${kind}`;
  p.textContent = text;
  place.replaceChildren(p);
}

const isPoll = (event) => event.detail.requestConfig?.verb === "get";

document.addEventListener("htmx:responseError", (event) => {
  if (isPoll(event)) return;
  const text = event.detail.xhr.getResponseHeader("Content-Type")?.startsWith("text/plain")
    ? event.detail.xhr.responseText
    : "The server could not do that. Nothing was changed; try again in a moment.";
  notice(text);
});
document.addEventListener("htmx:sendError", (event) => {
  if (!isPoll(event)) notice("The server cannot be reached. Nothing was changed; try again in a moment.");
});
document.addEventListener("htmx:configRequest", (event) => {
  // A message belongs to the action before; a new action clears it.
  if (event.detail.verb !== "get") document.getElementById("notice")?.replaceChildren();
});

/**
 * Calls changed when the server tells of a change, once at the beginning and
 * whenever the page comes back into sight. A page that is out of sight keeps no
 * connection: browsers allow only six to a server, and an operator has more
 * orders open than that.
 */
export function hear(url, changed) {
  let events = null;
  const leave = () => {
    events?.close();
    events = null;
  };
  const follow = () => {
    if (document.visibilityState !== "visible") return leave();
    if (events) return;
    events = new EventSource(url);
    events.addEventListener("changed", changed);
  };
  document.addEventListener("visibilitychange", follow);
  window.addEventListener("pageshow", follow);
  window.addEventListener("pagehide", leave);
  follow();
}

// Pages that say what they show are drawn anew when the server tells that it
// has changed: the day sheet and the queue.
const live = document.querySelector("[data-live]");
if (live) hear(`/events?what=${live.dataset.live}`, () => window.htmx.trigger(live, "nelko:changed"));

// Forms that say so are sent when something else is chosen in them.
document.addEventListener("change", (event) => event.target.closest("form[data-sends]:not([data-say])")?.requestSubmit());

const later = (ms) => new Promise((go) => setTimeout(go, ms));
const well = () => fetch("/healthz").then((a) => a.ok, () => false);

/**
 * Sends a change until the server answers. waits says in words what is kept
 * here meanwhile. A server that is well and cannot make this one change would
 * hold up all others: then the change is given up, and there is no answer.
 */
export async function deliver(send, waits) {
  for (let tries = 1; ; tries++) {
    const answer = await send().catch(() => null);
    if (answer && answer.status < 500) {
      if (tries > 1) notice("", "good");
      return answer;
    }
    notice(`The server cannot be reached. ${waits()} here and will be sent as soon as it answers.`);
    await later(1000);
    if (!answer || tries < 5 || !(await well())) continue;
    notice("A change could not be made; the server's log says why. It was given up, the others go on.");
    return null;
  }
}

/** An empty dialog, to be filled and shown; closing it gives the focus back. */
export function dialog(label) {
  document.querySelector("dialog.box")?.close();
  const box = document.createElement("dialog");
  box.className = "box";
  box.setAttribute("aria-label", label);
  const back = document.activeElement;
  box.addEventListener("close", () => {
    box.remove();
    if (back?.isConnected) back.focus({ preventScroll: true });
  });
  box.addEventListener("click", (event) => {
    if (event.target === box) box.close();
  });
  document.body.append(box);
  return box;
}

/** Asks which of several things is to be done: pairs of words and what they do. */
export function decide(label, text, ways) {
  const box = dialog(label);
  const p = document.createElement("p");
  p.className = "mb-3";
  p.textContent = text;
  const line = document.createElement("div");
  line.className = "flex gap-2";
  for (const [words, act] of [...ways, ["Do nothing", null]]) {
    const button = document.createElement("button");
    button.type = "button";
    button.className = "button";
    button.textContent = words;
    button.addEventListener("click", () => {
      box.close();
      act?.();
    });
    line.append(button);
  }
  box.append(p, line);
  box.showModal();
  line.firstElementChild.focus();
}

/** Asks for one value in a dialog of its own. */
export function ask(label, done, value = "") {
  const box = dialog(label);
  const form = document.createElement("form");
  const input = document.createElement("input");
  const name = document.createElement("label");
  name.textContent = label;
  name.htmlFor = input.id = "asked";
  input.className = "!w-44 time";
  input.value = value;
  form.append(name, input);
  form.className = "flex gap-2 items-center";
  form.addEventListener("submit", (event) => {
    event.preventDefault();
    box.close();
    done(input.value);
  });
  box.append(form);
  box.showModal();
  input.focus();
  input.select();
}
