// Three hundred slides, and an operator in a hurry: no press goes missing, and
// nothing typed is lost.
import assert from "node:assert/strict";
import { join } from "node:path";
import { after, before } from "node:test";
import { open, signIn } from "./browser.mjs";
import { manyPhotos, song } from "./material.mjs";
import { Server } from "./server.mjs";
import { chooseSlide, inOrder, leaf, settled } from "./steps.mjs";

const slides = 300;
let server, browser, page;
const test = inOrder();

before(async () => {
  server = await Server.start();
  browser = await open();
  page = await (await browser.newContext({ baseURL: server.base, viewport: { width: 1280, height: 800 } })).newPage();
  await signIn(page);
});
after(async () => {
  await browser?.close();
  await server?.stop();
});

const ids = () => page.$$eval("#rows .slide", (all) => all.map((g) => g.dataset.slide));
const turn = () => server.sql("SELECT count(*) FROM revisions WHERE title LIKE 'Turned%'");

test("an order of three hundred pictures", async () => {
  await page.goto("/orders/new");
  for (const [field, text] of Object.entries({ client: "The Guillemots", event: "Season", due: "2026-12-24", "detail-names": "The Guillemots", "detail-date": "2026" })) await page.fill(`#${field}`, text);
  await page.click("text=Open the order");
  await leaf(page, "Material");
  const dir = join(server.dir, "in");
  await page.setInputFiles("#files", [...manyPhotos(dir, slides), song(dir, 60)]);
  await page.waitForSelector(`#material-count:has-text('${slides} photos, 1 song')`, { timeout: 240000 });
  await page.waitForFunction(() => !/not in the film/i.test(document.querySelector("#materiallist").textContent), null, { timeout: 60000 });
  await leaf(page, "Running order");
  // Look-alikes do not share a slide, so each picture has one of its own.
  await page.waitForFunction((n) => document.querySelectorAll("#rows .slide").length === n + 2, slides, { timeout: 60000 });
  await settled(page);
});

test("Alt with an arrow, ten times in a second, moves ten places", async () => {
  const before = await ids();
  const slide = before[20];
  await page.focus(`[data-slide="${slide}"]`);
  await page.keyboard.press("Enter");
  await page.waitForSelector(`#margin[data-shown$="|${slide}"]`);
  const began = Date.now();
  for (let i = 0; i < 10; i++) await page.keyboard.press("Alt+ArrowRight");
  assert.ok(Date.now() - began < 1000, "pressed within a second");
  await settled(page);
  const moved = await ids();
  assert.equal(moved.indexOf(slide), 30);
  assert.deepEqual(moved.filter((s) => s !== slide), before.filter((s) => s !== slide), "nothing else moved");
  assert.equal(await page.evaluate(() => document.activeElement.dataset?.slide), slide, "the focus stays with it");
  assert.equal(await page.getAttribute(`[data-slide="${slide}"]`, "aria-selected"), "true");
  for (let i = 0; i < 10; i++) await page.keyboard.press("Control+z");
  await settled(page);
  assert.deepEqual(await ids(), before);
});

test("turn right, four times at once, is a whole turn", async () => {
  const slide = (await ids())[20];
  await page.focus(`[data-slide="${slide}"]`);
  await page.keyboard.press("Enter");
  await page.waitForSelector(`#margin[data-shown$="|${slide}"]`);
  await page.click("#kind-pictures");
  const rotation = () => page.getAttribute("[data-focal] image", "transform");
  assert.equal(await rotation(), "rotate(0 50 50)");
  const button = page.locator("[aria-label$=' right'][value='1']").first();
  await button.evaluate((b) => [1, 2, 3].forEach(() => b.click()));
  await settled(page);
  assert.equal(await rotation(), "rotate(270 50 50)");
  assert.equal(turn(), "3");
  await button.click();
  await settled(page);
  assert.equal(await rotation(), "rotate(0 50 50)");
  assert.equal(turn(), "4", "every press is a step of its own");
});

test("what is being typed is neither overwritten nor lost", async () => {
  const [one, two] = (await ids()).slice(40, 42);
  await chooseSlide(page, 40, 4);
  await page.click("#kind-slide");
  await page.click("#caption");
  await page.keyboard.type("Before the ga");
  // A colleague's change, or the program's, draws the page anew meanwhile.
  server.sql(`SELECT pg_notify('nelko', 'order 1')`);
  server.sql("UPDATE orders SET event = 'Another season' WHERE id = 1; SELECT pg_notify('nelko', 'order 1')");
  await page.waitForSelector("#orderhead:has-text('Another season')");
  assert.equal(await page.inputValue("#caption"), "Before the ga");
  await page.keyboard.type("le");
  // Going on to the next slide keeps it.
  await page.locator(`[data-slide="${two}"]`).click({ position: { x: 3, y: 20 } });
  await page.waitForSelector(`#margin[data-shown$="|${two}"]`);
  await settled(page);
  await page.waitForFunction(() => document.querySelector("#caption").value === "");
  await page.locator(`[data-slide="${one}"]`).click({ position: { x: 3, y: 20 } });
  await page.waitForFunction(() => document.querySelector("#caption")?.value === "Before the gale");
});

test("the rows stay where they were scrolled to, also over a reload, and what was chosen too", async () => {
  await chooseSlide(page, 100, 4);
  const chosen = (await ids())[100];
  await page.setViewportSize({ width: 1280, height: 480 });
  const scrolled = () => page.evaluate(() => document.querySelector("#work").scrollTop);
  await page.evaluate(() => document.querySelector("#work").scrollTo(0, 120));
  const top = await scrolled();
  assert.equal(top, 120, "there is something to scroll");
  await page.keyboard.press("Alt+ArrowRight");
  await settled(page);
  assert.equal(await scrolled(), top);
  await page.reload();
  await page.waitForSelector(`#margin[data-shown$="|${chosen}"]`);
});
