// What is chosen stays what is chosen: while files arrive from another window, slides
// change their length, or go.
import assert from "node:assert/strict";
import { join } from "node:path";
import { after, before } from "node:test";
import { open, signIn } from "./browser.mjs";
import { photos, song } from "./material.mjs";
import { Server } from "./server.mjs";
import { chooseSlide, inOrder, leaf, settled } from "./steps.mjs";

const test = inOrder();
let server, browser, page, other, dir, at;

before(async () => {
  server = await Server.start();
  browser = await open();
  const context = await browser.newContext({ baseURL: server.base, viewport: { width: 1280, height: 800 } });
  page = await context.newPage();
  await signIn(page);
  other = await context.newPage();
  dir = join(server.dir, "in");
});
after(async () => {
  await browser?.close();
  await server?.stop();
});

/** The slide on the film, by the moment that is looked at. */
const onFilm = () => page.evaluate(() => {
  const n = Number(document.getElementById("look").dataset.frame);
  return [...document.querySelectorAll("#rows .slide")].filter((g) => n >= Number(g.dataset.start) && n < Number(g.dataset.start) + Number(g.dataset.length)).map((g) => g.dataset.slide);
});
const shown = () => page.getAttribute("#margin", "data-shown");
const chosen = async () => (await shown()).split("|").at(-1);

test("a chosen slide stays chosen while files arrive from another window", async () => {
  await page.goto("/orders/new");
  await page.fill("#client", "The Terns");
  await page.fill("#event", "Race");
  await page.fill("#due", "2026-12-24");
  await page.fill("#detail-names", "The Terns");
  await page.fill("#detail-date", "2026");
  await page.click("main button.button-main");
  await page.waitForSelector("#next");
  at = page.url().replace(/[?#].*$/, "");
  await leaf(page, "Material");
  const all = photos(dir, 9);
  await page.setInputFiles("#files", [...all.slice(0, 5), song(dir, 30)]);
  await page.waitForSelector("#material-count:has-text('5 photos, 1 song')", { timeout: 60000 });
  await leaf(page, "Running order");
  await page.waitForFunction(() => document.querySelectorAll("#rows .slide").length >= 5);
  await chooseSlide(page, 2);
  const id = await chosen();
  assert.deepEqual(await onFilm(), [id]);

  await other.goto(at + "/material").catch(() => other.goto(at));
  await leaf(other, "Material");
  await other.setInputFiles("#files", all.slice(5));
  await other.waitForSelector("#material-count:has-text('9 photos, 1 song')", { timeout: 60000 });
  await page.waitForFunction(() => document.querySelectorAll("#rows .slide").length >= 8, null, { timeout: 30000 });
  await settled(page);
  await page.waitForFunction((s) => document.getElementById("margin").dataset.shown.endsWith(`|${s}`), id);
  assert.equal(await page.getAttribute(`#slide-${id}`, "aria-selected"), "true");
  await page.waitForFunction((s) => document.getElementById("margin").dataset.shown.split("|").at(-1) === s, id);
  assert.ok((await onFilm()).includes(id), "the film shows what the margin is about");
});

test("after a fit the film still shows what is chosen", async () => {
  await chooseSlide(page, 6, 60);
  const id = await chosen();
  const revision = await page.getAttribute("#work", "data-revision");
  await page.evaluate(() => fetch(`/orders/${document.getElementById("order").dataset.order}/edit/pace`, { method: "POST", headers: { "HX-Request": "true" }, body: new URLSearchParams({ pace: "2.2", base: document.getElementById("base").value }) }));
  await page.waitForFunction((r) => document.getElementById("work").dataset.revision !== r, revision, { timeout: 20000 });
  await page.waitForFunction((s) => document.getElementById("margin").dataset.shown.endsWith(`|${s}`) && document.getElementById("margin").dataset.shown.startsWith(document.getElementById("work").dataset.revision), id);
  assert.ok((await onFilm()).includes(id), `${await onFilm()} is on the film, ${id} is chosen`);
});

test("a chosen slide that goes is said to be gone, and an edit of it is refused", async () => {
  await chooseSlide(page, 4, 60);
  const id = await chosen();
  await other.goto(at);
  await leaf(other, "Running order");
  await other.locator(`#slide-${id}`).click({ position: { x: 60, y: 30 } });
  await other.keyboard.press("Delete");
  await other.waitForSelector(`#slide-${id}`, { state: "detached" });
  await page.waitForSelector("#notice:has-text('no longer in the film')", { timeout: 20000 });
  const refused = await page.evaluate(async (slide) => {
    const answer = await fetch(`/orders/${document.getElementById("order").dataset.order}/edit/manner`, { method: "POST", headers: { "HX-Request": "true" }, body: new URLSearchParams({ slide, manner: "calm", base: document.getElementById("base").value }) });
    return answer.status;
  }, id);
  assert.equal(refused, 422);
});
