// Signing in with a passkey, and making one. Forms that do are hidden where the
// browser cannot, or where the page is not at the address that passkeys know.
const can = typeof PublicKeyCredential === "function" && Boolean(PublicKeyCredential.parseRequestOptionsFromJSON);

const say = (form, text) => (form.querySelector("[role=alert]").textContent = text);

async function ask(url, body, type = "application/json") {
  const response = await fetch(url, { method: "POST", body, headers: { "Content-Type": type } });
  if (!response.ok) throw new Error((await response.text()) || "The server could not do that. Try again in a moment.");
  return response;
}

const does = {
  async in(form) {
    const { publicKey } = await (await ask("/signin/passkey/begin", "{}")).json();
    const key = await navigator.credentials.get({ publicKey: PublicKeyCredential.parseRequestOptionsFromJSON(publicKey) });
    const response = await ask(`/signin/passkey?next=${encodeURIComponent(form.dataset.next)}`, JSON.stringify(key));
    location.assign(response.url);
  },
  async make(form) {
    const fields = new FormData(form);
    const { publicKey } = await (await ask("/account/passkeys/begin", new URLSearchParams(fields).toString(), "application/x-www-form-urlencoded")).json();
    const key = await navigator.credentials.create({ publicKey: PublicKeyCredential.parseCreationOptionsFromJSON(publicKey) });
    await ask(`/account/passkeys?name=${encodeURIComponent(fields.get("name"))}`, JSON.stringify(key));
    location.reload();
  },
};

for (const form of document.querySelectorAll("[data-passkey]")) {
  const here = location.origin === form.dataset.at;
  form.hidden = !can || !here;
  if (!here) document.getElementById("passkeyelsewhere")?.removeAttribute("hidden");
  let busy = false;
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    if (busy) return;
    busy = true;
    say(form, "");
    try {
      await does[form.dataset.passkey](form);
    } catch (error) {
      const words = { NotAllowedError: "The device did not confirm it was you, or took too long. Try again.", InvalidStateError: "This device has a passkey for this account already." };
      say(form, words[error.name] ?? (error instanceof TypeError ? "The server cannot be reached. Try again in a moment." : error.message));
    }
    busy = false;
  });
}
