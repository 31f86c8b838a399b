// The ways in: held back and taken in, an upload cut and resumed, the watched
// folder, the photo source, and the client's own page on a phone.
import assert from "node:assert/strict";
import { copyFileSync, existsSync, mkdirSync } from "node:fs";
import { after, before } from "node:test";
import { join } from "node:path";
import { open, signIn } from "./browser.mjs";
import { photos, song } from "./material.mjs";
import { Server } from "./server.mjs";
import { accessible, inOrder, leaf } from "./steps.mjs";

let server, browser, page, order, files;

const test = inOrder();

before(async () => {
  server = await Server.start();
  browser = await open();
  page = await (await browser.newContext({ baseURL: server.base, viewport: { width: 1280, height: 900 } })).newPage();
  await signIn(page);
  files = photos(join(server.dir, "in"), 9);
});
after(async () => {
  await browser?.close();
  await server?.stop();
});

const count = (text) => page.waitForSelector(`#material-count:has-text('${text}')`, { timeout: 60000 });

test("what is held back is in the film when it is taken in, by one key", async () => {
  await page.goto("/orders/new");
  await page.fill("#client", "The Fulmars");
  await page.fill("#event", "Harbour race");
  await page.fill("#due", "2026-12-24");
  await page.click("text=Open the order");
  order = new URL(page.url()).pathname.split("/")[2];
  await leaf(page, "Material");
  await page.setInputFiles("#files", files.slice(0, 2));
  await page.waitForSelector("#used-count:has-text('2 in, 2 used')", { timeout: 60000 });
  await page.check("#holds");
  await page.waitForFunction(() => document.getElementById("order").dataset.pending === "0");
  await page.setInputFiles("#files", files.slice(2, 4));
  await page.waitForSelector("#waits:has-text('2 files held back')", { timeout: 60000 });
  await page.waitForSelector("#used-count:has-text('4 in, 2 used')", { timeout: 60000 });
  await accessible(page, "the contact sheet with what is held back");
  await page.locator("#material-count").click();
  await page.keyboard.press("?");
  await page.waitForSelector("dialog:has-text('Take in what is held back')");
  await page.keyboard.press("Escape");
  await page.keyboard.press("/");
  await page.keyboard.type("look-alikes");
  await page.keyboard.press("Escape");
  await page.keyboard.press("t");
  await page.waitForSelector("#used-count:has-text('4 in, 4 used')", { timeout: 60000 });
  await page.waitForSelector("#notice:has-text('as slide')", { timeout: 20000 });
  await page.uncheck("#holds");
});

test("an upload that was cut goes on after the page was opened anew", async () => {
  page.on("dialog", (d) => d.accept());
  await page.route("**/uploads/*", (route) => (route.request().method() === "PATCH" ? route.abort() : route.continue()));
  await page.setInputFiles("#files", files.slice(4, 5));
  await page.waitForSelector("[data-upload-list] >> text=tries again", { timeout: 20000 });
  await page.reload();
  await page.unroute("**/uploads/*");
  await page.waitForSelector("[data-upload-list]:has-text('had not come whole')");
  const asked = [];
  page.on("request", (r) => r.url().includes("/uploads") && asked.push(r.method()));
  await page.setInputFiles("#files", files.slice(4, 5));
  await count("5 photos");
  assert.deepEqual([...new Set(asked)].sort(), ["HEAD", "PATCH"], "nothing was begun anew");
});

test("what is put into the watched folder comes in, and is moved aside", async () => {
  const mine = join(join(server.dir, "var"), "intake", order);
  mkdirSync(mine, { recursive: true });
  copyFileSync(files[5], join(mine, "from the card.jpg"));
  await count("6 photos");
  await page.waitForFunction(() => document.querySelector("#used-count").textContent.startsWith("6 in, 6 used"), null, { timeout: 60000 });
  for (let i = 0; i < 100 && !existsSync(join(mine, "done", "from the card.jpg")); i++) await page.waitForTimeout(200);
  assert.ok(existsSync(join(mine, "done", "from the card.jpg")));
});

test("an album of the photo source is fetched", async () => {
  const album = join(join(server.dir, "var"), "photos", "Harbour walk");
  mkdirSync(album, { recursive: true });
  copyFileSync(files[6], join(album, "walk.jpg"));
  await page.click("#held summary");
  await page.click("#show-albums");
  await page.click("button[aria-label='Fetch Harbour walk']");
  await count("7 photos");
});

test("the client sends pictures and names from a phone, and sees the opening as it will be", async () => {
  if (!(await page.isVisible("text=Open a page for the client"))) await page.click("#held summary");
  await page.click("text=Open a page for the client");
  const address = await page.getAttribute("#client-page", "href");
  const phone = await browser.newContext({ viewport: { width: 390, height: 800 }, hasTouch: true, isMobile: true, deviceScaleFactor: 2 });
  const client = await phone.newPage();
  await client.goto(server.base + new URL(address).pathname);
  await accessible(client, "the client's page");
  assert.equal(await client.evaluate(() => document.documentElement.scrollWidth > innerWidth), false, "no scrolling sideways");
  await client.setInputFiles("#files", [files[7], files[8], song(join(server.dir, "in"), 12)]);
  await client.waitForSelector("#brought:has-text('3 files here')", { timeout: 60000 });
  const before = await client.getAttribute("#opening", "src");
  await client.fill("#detail-names", "Ada & Bo");
  await client.waitForFunction((b) => document.querySelector("#opening").src.includes("Ada") && document.querySelector("#opening").src !== b && document.querySelector("#opening").complete, before);
  assert.ok((await client.evaluate(() => document.querySelector("#opening").naturalWidth)) > 100);
  await client.click("#details button");
  await client.waitForSelector("text=Sent. The studio has it.");

  await page.waitForSelector("#waits:has-text('3 files held back')", { timeout: 20000 });
  await page.waitForSelector("#waits:has-text('Ada & Bo')", { timeout: 20000 });
  await page.click("#accept");
  await page.waitForSelector("#used-count:has-text('10 in, 10 used')", { timeout: 60000 });
  await page.click("text=Close it");
  await page.waitForSelector("text=Open a page for the client");
  assert.equal((await client.reload()).status(), 410);
  await leaf(page, "Running order");
  await page.waitForFunction(() => [...document.querySelectorAll("#details input")].some((i) => i.value === "Ada & Bo"));
  await phone.close();
});
