// Two operators at once, and one who uses no mouse.
import assert from "node:assert/strict";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { demo, open, signIn } from "./browser.mjs";
import { photos, song } from "./material.mjs";
import { Server } from "./server.mjs";
import { accessible, chooseSlide, settled } from "./steps.mjs";

let server, browser;

const mara = { email: "mara@nelko.example", password: "harbour-lights" };

before(async () => {
  server = await Server.start();
  server.addUser(mara);
  browser = await open();
});
after(async () => {
  await browser?.close();
  await server?.stop();
});

async function visitor() {
  const context = await browser.newContext({ baseURL: server.base, viewport: { width: 1280, height: 800 } });
  return context.newPage();
}

const ids = (page) => page.$$eval("#rows .slide", (all) => all.map((g) => g.dataset.slide));
const tabTo = async (page, selector) => {
  for (let i = 0; i < 60; i++) {
    if (await page.evaluate((s) => document.activeElement?.matches(s), selector)) return;
    await page.keyboard.press("Tab");
  }
  assert.fail(`${selector} cannot be reached with Tab`);
};

test("an order is opened, arranged and fitted with the keyboard alone", async () => {
  const page = await visitor();
  await page.goto("/");
  await page.keyboard.type(demo.email);
  await page.keyboard.press("Tab");
  await page.keyboard.type(demo.password);
  await page.keyboard.press("Enter");
  await page.waitForSelector("h1:has-text('Day sheet')");
  await tabTo(page, "a[href='/orders/new']");
  await page.keyboard.press("Enter");
  await page.waitForSelector("h1:has-text('New order')");
  for (const [selector, text] of [["#client", "The Terns"], ["#event", "Race"], ["#due", "12242026"], ["#detail-names", "The Terns"], ["#detail-date", "2026"]]) {
    await tabTo(page, selector);
    await page.keyboard.type(text);
  }
  await page.keyboard.press("Enter");
  await page.waitForSelector("#next");
  await page.keyboard.press("1");
  await page.waitForSelector("#files", { state: "attached" });
  await tabTo(page, "#files");
  // The file dialog is the browser's own; what is chosen there arrives here.
  const dir = join(server.dir, "in");
  await page.setInputFiles("#files", [...photos(dir, 5), song(dir, 22)]);
  await page.waitForSelector("#material-count:has-text('5 photos, 1 song')", { timeout: 60000 });
  await page.waitForSelector("#arithmetic:has-text('music 0:22')");
  await page.focus("#main");
  await page.keyboard.press("2");
  await page.waitForFunction(() => document.querySelectorAll("#rows .slide").length >= 5, null, { timeout: 30000 });

  await page.focus("#main");
  await tabTo(page, "#rows .slide");
  await page.keyboard.press("ArrowRight");
  await page.waitForFunction(() => document.querySelectorAll("#rows .slide")[1].getAttribute("aria-selected") === "true");
  const before = await ids(page);
  await page.keyboard.press("Alt+ArrowRight");
  await page.waitForFunction((s) => document.querySelectorAll("#rows .slide")[2].dataset.slide === s, before[1]);
  // The focus stays with the slide.
  await page.waitForFunction((s) => document.activeElement?.dataset.slide === s, before[1]);
  await page.keyboard.press("Control+z");
  await page.waitForFunction((s) => document.querySelectorAll("#rows .slide")[1].dataset.slide === s, before[1]);
  await page.waitForFunction(() => document.activeElement?.closest("#rows"));
  await page.keyboard.press("Delete");
  await page.waitForFunction((n) => document.querySelectorAll("#rows .slide").length === n - 1, before.length);
  await page.keyboard.press("Control+z");
  await page.waitForFunction((n) => document.querySelectorAll("#rows .slide").length === n, before.length);
  await settled(page);
  assert.deepEqual(await ids(page), before);
  await page.focus("#main");
  // The song was fitted to when it came in: a pace is held, and fitted anew.
  await tabTo(page, "#pace");
  await page.keyboard.type("3");
  await page.keyboard.press("Enter");
  await page.waitForSelector("#arithmetic:not(:has-text('to the frame'))");
  await settled(page);
  await page.focus("#main");
  await tabTo(page, "#fit-music");
  await page.keyboard.press("Enter");
  await page.waitForSelector("#arithmetic:has-text('to the frame')");
  await page.context().close();
});

test("a stale edit gets a clear answer and overwrites nothing", async () => {
  const first = await visitor();
  const second = await visitor();
  for (const page of [first, second]) {
    await signIn(page, page === first ? undefined : mara);
    // The pages would hear of each other's edits at once.
    await page.route(/\/live\?|\/events/, (route) => route.abort());
    await page.goto("/orders/1");
    await page.waitForSelector("#rows .slide");
  }
  const before = await ids(first);
  await chooseSlide(first, 1);
  await first.click("#take-out");
  await first.waitForFunction((n) => document.querySelectorAll("#rows .slide").length === n - 1, before.length);

  await second.fill("#pace", "9");
  await second.click("#fit button:text-is('Hold')");
  await second.waitForSelector("#notice:has-text('Wren Ashdown changed this slideshow meanwhile (took out 1 slide). Your change was not made')");
  assert.equal((await ids(second)).length, before.length - 1, "the second sees how it stands now");
  await second.click("#fit button:text-is('Hold')");
  await second.waitForSelector("#notice:empty", { state: "attached" });
  await first.context().close();
  await second.context().close();
});

test("what one does the other sees without reloading", async () => {
  const first = await visitor();
  const second = await visitor();
  for (const page of [first, second]) {
    await signIn(page);
    await page.goto("/orders/1");
    await page.waitForSelector("#rows .slide");
  }
  const n = (await ids(first)).length;
  await chooseSlide(first, 1);
  await first.keyboard.press("Delete");
  await second.waitForFunction((k) => document.querySelectorAll("#rows .slide").length === k - 1, n, { timeout: 30000 });
  await first.context().close();
  await second.context().close();
});

test("eight orders open at once: only the one in sight is told, the others when they come back", async () => {
  const first = await visitor();
  await signIn(first);
  const sight = (page, state) =>
    page.evaluate((s) => {
      Object.defineProperty(document, "visibilityState", { configurable: true, get: () => s });
      document.dispatchEvent(new Event("visibilitychange"));
    }, state);
  const tabs = [];
  for (let i = 0; i < 8; i++) {
    const tab = await first.context().newPage();
    await tab.goto("/orders/1");
    await tab.waitForSelector("#rows .slide");
    await sight(tab, "hidden");
    tabs.push(tab);
  }
  const n = (await ids(tabs[0])).length;
  const last = tabs.at(-1);
  await sight(last, "visible");
  await chooseSlide(last, 1);
  await last.keyboard.press("Delete");
  await last.waitForFunction((k) => document.querySelectorAll("#rows .slide").length === k - 1, n);
  await last.waitForTimeout(700);
  assert.equal((await ids(tabs[0])).length, n, "out of sight nothing is asked");
  await sight(tabs[0], "visible");
  await tabs[0].waitForFunction((k) => document.querySelectorAll("#rows .slide").length === k - 1, n, { timeout: 30000 });
  await first.context().close();
});

test("a key pressed before the page's scripts are there is not lost, nor pressed twice", async () => {
  const page = await visitor();
  await signIn(page);
  await page.route("**/order.mjs", async (route) => {
    await new Promise((done) => setTimeout(done, 800));
    await route.continue();
  });
  const going = page.goto("/orders/1");
  await page.waitForSelector("#next");
  await page.keyboard.press("1");
  await going;
  await page.waitForURL("**/orders/1/material");
  await page.unroute("**/order.mjs");
  await page.goto("/orders/1");
  await page.locator("#rows .slide[tabindex='0']").focus();
  const at = () => page.evaluate(() => [...document.querySelectorAll("#rows .slide")].indexOf(document.activeElement));
  const before = await at();
  await page.keyboard.press("ArrowRight");
  await page.waitForFunction((n) => [...document.querySelectorAll("#rows .slide")].indexOf(document.activeElement) > n, before);
  assert.equal(await at(), before + 1);
  await page.context().close();
});

test("a button pressed before the page's scripts are there is not lost, nor pressed twice", async () => {
  const page = await visitor();
  await signIn(page);
  await page.click("text=New order");
  await page.fill("#client", "The Early Ones");
  await page.fill("#event", "Harbour race");
  await page.fill("#due", "2026-12-24");
  await page.click("text=Open the order");
  await page.waitForSelector("#next:has-text('Missing')");
  const at = new URL(page.url()).pathname;
  for (const late of ["**/order.mjs", "**/elsewhere.mjs", "**/htmx.min.js"]) {
    await page.route(late, async (route) => {
      await new Promise((done) => setTimeout(done, 800));
      await route.continue();
    });
    const going = page.goto(`${at}/deliveries`);
    await page.waitForSelector("#render");
    await page.click("#render");
    await page.click("#render");
    await going;
    await page.waitForSelector("dialog:has-text('cannot be rendered yet')");
    assert.equal(await page.locator("dialog[open]").count(), 1, late);
    assert.equal(new URL(page.url()).pathname + new URL(page.url()).search, `${at}/deliveries`, late);
    await page.unroute(late);
  }
  await page.context().close();
});

test("a passkey is made, signs its owner in by itself, and is removed", async () => {
  // Passkeys are good for a name, and this machine's is localhost.
  const at = server.base.replace("127.0.0.1", "localhost");
  const context = await browser.newContext({ baseURL: at, viewport: { width: 1280, height: 800 } });
  const page = await context.newPage();
  const device = await context.newCDPSession(page);
  await device.send("WebAuthn.enable");
  const { authenticatorId } = await device.send("WebAuthn.addVirtualAuthenticator", {
    options: { protocol: "ctap2", transport: "internal", hasResidentKey: true, hasUserVerification: true, isUserVerified: true, automaticPresenceSimulation: true },
  });
  await signIn(page, mara);
  await page.goto("/account");
  await accessible(page, "account");
  const make = async (name, present) => {
    await page.fill("#passkey-name", name);
    await page.fill("#passkey-present", present);
    await page.click("text=Make a passkey");
  };
  await make("Phone", "not the password");
  await page.waitForSelector("#passkeys [role=alert]:has-text('not your present password')");
  await make("Phone", mara.password);
  await page.waitForSelector("#passkeys li:has-text('Phone')");
  await make("Phone again", mara.password);
  await page.waitForSelector("#passkeys [role=alert]:has-text('has a passkey for this account already')");

  await page.click("text=Sign out");
  await page.goto("/orders/new");
  await page.click("text=Sign in with a passkey");
  await page.waitForSelector("h1:has-text('New order')");
  await page.waitForSelector("header:has-text('mara')");

  await page.goto("/account");
  await page.waitForSelector("#passkeys li:has-text('used')");
  await page.click("#passkeys li button");
  await page.waitForSelector("text=That passkey is removed");
  await page.click("text=Sign out");
  await page.click("text=Sign in with a passkey");
  await page.waitForSelector("[role=alert]:has-text('not known here')");
  await device.send("WebAuthn.setUserVerified", { authenticatorId, isUserVerified: false });
  await page.click("text=Sign in with a passkey");
  await page.waitForSelector("[role=alert]:has-text('did not confirm')");
  // Where they are no good they are not offered.
  await page.goto(`${server.base}/signin`);
  await page.waitForLoadState("networkidle");
  assert.equal(await page.isVisible("text=Sign in with a passkey"), false);
  await context.close();
});
