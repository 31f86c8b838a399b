// The film's look by hand: themes that move with one's own pictures, captions,
// framings, transitions, and the film played as a draft.
import assert from "node:assert/strict";
import { after, before, test as unordered } from "node:test";
import { join } from "node:path";
import { AxeBuilder } from "@axe-core/playwright";
import { open, signIn } from "./browser.mjs";
import { photos, song } from "./material.mjs";
import { Server } from "./server.mjs";

let server, browser, page;

// Each part builds on the ones before; after a failure the rest says nothing.
let failed = "";
function test(name, work) {
  unordered(name, async (t) => {
    if (failed) return t.skip(`after: ${failed}`);
    failed = name;
    await work(t);
    failed = "";
  });
}

before(async () => {
  server = await Server.start();
  browser = await open();
  page = await (await browser.newContext({ baseURL: server.base, viewport: { width: 1280, height: 900 } })).newPage();
  await signIn(page);
});
after(async () => {
  await browser?.close();
  await server?.stop();
});

async function accessible(where) {
  const { violations } = await new AxeBuilder({ page }).withTags(["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]).analyze();
  assert.deepEqual(violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.target).join(", ")}`), [], where);
}

/** Does something and waits until the running order was drawn anew. */
async function edited(act) {
  const seen = await page.getAttribute("#work", "data-revision");
  await act();
  await page.waitForFunction((r) => document.querySelector("#work").dataset.revision !== r, seen);
  await page.waitForFunction(() => !document.querySelector(".htmx-settling, .htmx-swapping, .htmx-request"));
}

async function choose(n) {
  await page.locator("#rows .slide").nth(n).click();
  await page.waitForSelector("#desk h2:has-text('1 slide selected')");
}

test("an order is filled", async () => {
  await page.goto("/orders/new");
  await page.fill("#client", "The Cormorants");
  await page.fill("#event", "Harbour race");
  await page.fill("#due", "2026-12-24");
  await page.fill("#detail-names", "The Cormorants");
  await page.fill("#detail-date", "24 December 2026");
  await page.click("text=Open the order");
  const dir = join(server.dir, "in");
  await page.setInputFiles("#files", [...photos(dir, 5), song(dir, 20)]);
  await page.waitForSelector("#material-count:has-text('5 photos, 1 song')", { timeout: 60000 });
  await page.waitForSelector("#fit-music:not([disabled])");
  await edited(() => page.click("#fit-music"));
});

test("every theme moves with the order's own pictures, and another is taken", async () => {
  await page.click("#theme");
  await page.waitForSelector("h1:has-text('Theme for The Cormorants')");
  assert.ok((await page.locator("[data-theme]").count()) >= 10);
  await accessible("themes");
  await page.waitForFunction(() => [...document.querySelectorAll("video[data-loop]")].some((v) => v.currentTime > 0.3), null, { timeout: 60000 });
  await page.click("text=Take Ledger");
  await page.waitForSelector("#theme:has-text('Theme: Ledger')");
  await page.waitForSelector("#next:has-text('Missing: Company')");
  await edited(async () => {
    await page.fill("#detail-place", "Harbour Works");
    await page.locator("#detail-place").press("Tab");
  });
});

test("caption, motion, transition and look are set by hand, and undone", async () => {
  await choose(1);
  const before = await page.getAttribute("#look", "src");
  await edited(async () => {
    await page.fill("#caption", "The start, at noon");
    await page.click("button[hx-post$='/edit/caption']");
  });
  await page.waitForFunction((src) => document.querySelector("#look")?.getAttribute("src") !== src, before);
  await edited(() => page.selectOption("#join", "iris"));
  await page.fill("#join-name", "Porthole");
  await page.click("button[hx-post$='/transitions']");
  await page.waitForSelector("#notice:has-text('“Porthole” is kept')");
  await edited(() => page.selectOption("#motion", "none"));
  await page.waitForSelector("#join option:has-text('Porthole')", { state: "attached" });
  await edited(() => page.selectOption("[data-shot] select[name=look]", "mono"));
  await edited(() => page.click("[data-focal]", { position: { x: 10, y: 80 } }));
  await page.waitForSelector("[data-focal] line", { state: "attached" });
  await accessible("the desk");
  await edited(() => page.click("#undo"));
  await page.waitForSelector("[data-focal] line", { state: "detached" });
});

test("a text card comes in, and the frame changes its shape", async () => {
  await choose(2);
  const count = await page.locator("#rows .slide").count();
  await edited(() => page.click("text=Text card before"));
  assert.equal(await page.locator("#rows .slide").count(), count + 1);
  await choose(2);
  await edited(async () => {
    await page.fill("#card-main", "Half-time");
    await page.click("text=Keep the words");
  });
  await edited(() => page.selectOption("[name=frame]", "1080x1920"));
  await page.waitForFunction(() => document.querySelector("#look")?.naturalHeight > document.querySelector("#look")?.naturalWidth);
  await edited(() => page.selectOption("[name=frame]", "1920x1080"));
});

test("the film plays as a draft, from the chosen moment, with sound", async () => {
  await choose(1);
  const from = Number(await page.getAttribute("#screen", "data-seconds"));
  await page.click("#play");
  await page.waitForFunction((s) => document.querySelector("#player").currentTime > s + 1, from, { timeout: 60000 });
  const state = await page.evaluate(() => {
    const v = document.querySelector("#player");
    return { duration: v.duration, sound: v.webkitAudioDecodedByteCount, width: v.videoWidth };
  });
  assert.ok(Math.abs(state.duration - 20) < 0.3, `lasts ${state.duration}`);
  assert.ok(state.sound > 0, "sound is heard");
  assert.equal(state.width, 640);
  console.log(`play_start_ms=${await page.getAttribute("#screen", "data-start-ms")}`);
  await page.check("#show-guides");
  await page.waitForSelector("#guides:not(.hidden)");
  await page.click("#play");
  await page.waitForSelector("#look:not(.hidden)");
  await page.waitForFunction((s) => Number(document.querySelector("#screen").dataset.seconds) > s, from);
});
