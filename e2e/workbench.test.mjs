// A day at the workbench: sixty files in by folder, two refused; clocks, order,
// layouts, captions, settings, clips, and all of it undone and done again, while
// somebody else looks on.
import assert from "node:assert/strict";
import { writeFileSync } from "node:fs";
import { after, before } from "node:test";
import { join } from "node:path";
import { open, signIn } from "./browser.mjs";
import { clip, letter, manyPhotos, song } from "./material.mjs";
import { Server } from "./server.mjs";
import { accessible, chooseSlide, fitted, inOrder, leaf, settled } from "./steps.mjs";

let server, browser, page, dir;
const mara = { email: "mara@nelko.example", password: "harbour-lights" };

const test = inOrder();

before(async () => {
  server = await Server.start();
  server.addUser(mara);
  browser = await open();
  page = await (await browser.newContext({ baseURL: server.base, viewport: { width: 1280, height: 900 } })).newPage();
  await signIn(page);
  dir = join(server.dir, "in", "card");
});
after(async () => {
  await browser?.close();
  await server?.stop();
});

const revision = () => page.getAttribute("#work", "data-revision");
async function edited(act) {
  const seen = await revision();
  await act();
  await page.waitForFunction((r) => document.querySelector("#work").dataset.revision !== r, seen, { timeout: 20000 });
  await settled(page);
}
const choose = (n) => chooseSlide(page, n);
const undoTitle = () => page.getAttribute("#undo", "title");
const panel = async (name) => {
  await page.click(`#kind-${name}`);
  await page.waitForSelector(`#panel-${name}:not([hidden])`);
};
/** Does an action by typing its name in the command box. */
async function command(words) {
  await page.locator("#rows .slide[tabindex='0']").first().focus();
  await page.keyboard.press("/");
  await page.keyboard.type(words);
  await page.waitForSelector("dialog [role=option]");
  await page.keyboard.press("Enter");
}

test("sixty mixed files come in by folder, two are refused and say why", async () => {
  manyPhotos(dir, 56);
  clip(dir);
  song(dir, 150);
  letter(dir);
  writeFileSync(join(dir, "cut off.jpg"), Buffer.concat([Buffer.from([0xff, 0xd8, 0xff, 0xe0]), Buffer.alloc(2000, 7)]));
  await page.goto("/orders/new");
  await page.fill("#client", "The Guillemots");
  await page.fill("#event", "Regatta");
  await page.fill("#due", "2026-12-24");
  await page.fill("#detail-names", "The Guillemots");
  await page.fill("#detail-date", "2026");
  await page.click("text=Open the order");
  await leaf(page, "Material");
  await page.setInputFiles("#folder", dir);
  await page.waitForSelector("#used-count:has-text('58 in, 58 used, 0 not used')", { timeout: 120000 });
  assert.equal(await page.locator("[data-refused]").count(), 2);
  assert.match(await page.locator("[data-refused='letter.jpg']").innerText(), /refused/);
});

test("an undated camera is dated, and the slides are sorted", async () => {
  const first = page.locator(".contact > li").first();
  await first.focus();
  await page.keyboard.press("w");
  await page.waitForSelector("dialog input");
  await page.fill("dialog input", "2026-09-12 14:30");
  await page.keyboard.press("Enter");
  await page.waitForSelector(".contact > li[data-taken='2026-09-12 14:30:00']");
  await leaf(page, "Running order");
  await fitted(page);
  await edited(() => page.selectOption("[name=by]", "name"));
  assert.match(await undoTitle(), /Sorted/);
});

test("five slides become one, and a look goes to twenty", async () => {
  const pictures = page.locator("#rows .slide[data-kind=pictures][data-pictures='1']");
  const at = async (n) => (await page.locator("#rows .slide").evaluateAll((all) => all.map((g) => g.id))).indexOf(await pictures.nth(n).getAttribute("id"));
  const from = await at(0);
  await choose(from);
  for (let i = 1; i < 5; i++) await page.locator(`#${await pictures.nth(i).getAttribute("id")}`).click({ position: { x: 40, y: 20 }, modifiers: ["ControlOrMeta"] });
  await edited(() => page.keyboard.press("g"));
  await page.waitForSelector("#rows .slide[data-pictures='5']");
  await choose(await at(0));
  await panel("look");
  await edited(() => page.click("#panel-look .pick[value=mono]"));
  await page.locator("#rows .slide[tabindex='0']").first().focus();
  await page.keyboard.press("Control+c");
  await page.keyboard.press("Control+a");
  await command("give some of the copied");
  await page.waitForSelector("dialog input[value=look]");
  for (const kind of await page.locator("dialog input[name=kind]:not([value=look])").all()) await kind.uncheck();
  await edited(() => page.click("dialog .button-main"));
  assert.match(await undoTitle(), /Copied settings to \d\d slides/);
});

test("settings are kept under a name and given to others", async () => {
  await choose(2);
  await command("keep its settings");
  await page.waitForSelector("dialog input[name=name]");
  await page.fill("dialog input[name=name]", "House mono");
  await page.click("dialog .button-main");
  await page.waitForSelector("#notice:has-text('House mono')");
  await choose(4);
  await page.locator("#rows .slide[tabindex='0']").first().focus();
  await page.keyboard.press("Shift+K");
  await page.waitForSelector("dialog >> text=House mono");
  const before = await revision();
  await page.click("dialog button:has-text('House mono')");
  await page.waitForFunction(() => document.getElementById("order").dataset.pending === "0");
  assert.ok((await revision()) >= before);
});

test("a clip is split at the moment shown, and trimmed on its filmstrip", async () => {
  await command("choose all clips");
  await page.waitForSelector("#kind-pictures");
  await panel("pictures");
  const strips = () => page.waitForFunction(() => document.querySelector(".filmstrip image") && document.querySelector(".filmstrip [data-end=to]").getAttribute("x") > 0);
  await strips();
  const clips = () => page.locator("#rows .slide[data-kind=clip]").count();
  assert.equal(await clips(), 1);
  await edited(() => page.click("[data-split-clip]"));
  assert.equal(await clips(), 2);
  const n = (await page.locator("#rows .slide").evaluateAll((all) => all.map((g) => g.dataset.kind))).indexOf("clip");
  await choose(n);
  await panel("pictures");
  await strips();
  const end = await page.locator(".filmstrip [data-end=to]").boundingBox();
  const strip = await page.locator(".filmstrip").boundingBox();
  const to = Number(await page.inputValue("[name=to]"));
  await edited(async () => {
    await page.mouse.move(end.x + end.width / 2, end.y + end.height / 2);
    await page.mouse.down();
    await page.mouse.move(strip.x + strip.width * 0.3, end.y + 10, { steps: 4 });
    // An answer that comes while it is dragged takes nothing back.
    await page.evaluate(async () => {
      const { draw } = await import(document.querySelector("script[src$='scripts/order.mjs']").src);
      draw(document.getElementById("margin").outerHTML);
    });
    await page.mouse.up();
  });
  assert.ok(Number(await page.inputValue("[name=to]")) < to);
});

test("captions come from file names, and in a file of subtitles", async () => {
  await choose(6);
  await panel("slide");
  await edited(() => page.click("text=Caption from the file’s name"));
  assert.match(await page.inputValue("#caption"), /many/);
  await page.keyboard.press("Escape");
  await page.locator("#rows .slide[tabindex='0']").first().focus();
  await page.keyboard.press("Escape");
  const file = join(server.dir, "words.srt");
  writeFileSync(file, "1\n00:00:06,000 --> 00:00:07,000\nOff they go\n\n2\n00:00:20,000 --> 00:00:22,000\nAt the turn\n");
  await page.waitForSelector("#kind-details");
  await panel("captions");
  await edited(() => page.setInputFiles("[data-subtitles]", file));
  await page.waitForSelector("#notice:has-text('captioned')");
});

test("a film in no motion says what it saves; motion blur is set for the film", async () => {
  await panel("manner");
  assert.match(await page.innerText("#panel-manner"), /\d+ of \d+ frames stand still/);
  await edited(() => page.click("#panel-manner button[value=calm]"));
  await panel("join");
  await edited(async () => {
    await page.fill("#shutter", "180");
    await page.keyboard.press("Tab");
  });
  assert.equal(await page.inputValue("#shutter"), "180");
});

test("the film is made in a second shape, with one exception", async () => {
  await command("frame shapes");
  await page.selectOption("dialog select", "1080x1920");
  await edited(() => page.click("[data-add-shape]"));
  await page.waitForSelector("dialog tbody td:nth-child(3) img");
  await accessible(page, "the frame shapes", "dialog");
  await page.click("dialog a[href$='1080x1920#slide-s5'], dialog tbody tr:nth-child(5) td:nth-child(3) a");
  await page.waitForURL(/1080x1920#slide-/);
  await page.waitForSelector("#rows .slide[aria-selected=true]");
  const number = Number((await page.innerText("#controls h2")).match(/Slide (\d+)/)[1]);
  await settled(page);
  await panel("layout");
  const other = "#panel-layout [role=radio][aria-checked=false], #panel-layout button[aria-pressed=false]";
  await page.waitForSelector(other);
  await edited(() => page.locator(other).last().click());
  await page.waitForSelector("#controls:has-text('Own in 9:16: layout')");
  // The first shape has none of it, and what is said there reaches this one.
  await page.click("nav[aria-label='Frame shape seen'] a:first-child");
  await page.waitForURL((url) => !url.pathname.includes("1080"));
  await choose(number - 1);
  await panel("layout");
  await page.waitForSelector("#panel-layout [aria-checked=true], #panel-layout [aria-pressed=true]");
  await panel("slide");
  await edited(async () => {
    await page.fill("#caption", "In both of them");
    await page.keyboard.press("Tab");
  });
  await page.goBack();
  await page.waitForURL(/1080x1920/);
  await page.waitForSelector("#rows .slide[aria-label*='own in 9:16: layout']");
  await choose(number - 1);
  await panel("slide");
  assert.equal(await page.inputValue("#caption"), "In both of them");
  await edited(() => page.click("[data-as-first]"));
  assert.equal(await page.locator("#rows .slide[aria-label*='own in']").count(), 0);
  // What happens elsewhere is heard here too, and files can be dropped here.
  await edited(() =>
    page.evaluate(() => {
      const slide = document.querySelector("#rows .slide[aria-selected=true]").dataset.slide;
      return fetch("/orders/1/edit/caption", { method: "POST", body: new URLSearchParams({ slide, caption: "From elsewhere", base: document.getElementById("base").value }), headers: { "HX-Request": "true" } });
    }),
  );
  await page.click("#undo");
  await settled(page);
  await page.evaluate(() => {
    const transfer = new DataTransfer();
    transfer.items.add(new File(["no picture"], "dropped.jpg"));
    for (const type of ["dragenter", "dragover", "drop"]) document.body.dispatchEvent(new DragEvent(type, { dataTransfer: transfer, bubbles: true, cancelable: true }));
  });
  const arrived = () => server.sql("SELECT count(*) FROM media WHERE name = 'dropped.jpg' AND order_id = 1");
  for (let i = 0; i < 150 && arrived() !== "1"; i++) await page.waitForTimeout(100);
  assert.equal(arrived(), "1");
  await edited(() => page.click("#undo"));
  await page.goto(page.url().replace(/\.1080x1920.*/, ""));
});

test("another operator sees who is here and what happens", async () => {
  const other = await (await browser.newContext({ baseURL: server.base, viewport: { width: 1280, height: 800 } })).newPage();
  await signIn(other, mara);
  await other.goto(page.url());
  await other.waitForSelector("#others:has-text('Wren')");
  await page.waitForSelector("#others:has-text('mara')", { timeout: 20000 });
  await choose(5);
  await other.waitForSelector("#others:has-text('at slide 6')", { timeout: 20000 });
  await other.close();
  await page.waitForSelector("#others", { state: "detached", timeout: 40000 });
});

test("all of it is undone to the beginning, and done again", async () => {
  const last = await revision();
  let steps = 0;
  while (await page.isEnabled("#undo")) {
    await edited(() => page.click("#undo"));
    assert.ok(++steps < 60);
  }
  assert.equal(await page.locator("#rows .slide").count(), 0);
  for (; steps > 0; steps--) await edited(() => page.click("#redo"));
  assert.equal(await revision(), last);
  assert.equal(await page.locator("#rows .slide[data-kind=clip]").count(), 2);
});

test("material is chosen and removed many at a time", async () => {
  await leaf(page, "Material");
  const all = page.locator(".contact > li:not([hidden])");
  const before = await all.count();
  await all.nth(1).locator(".contact-picture").click();
  await all.nth(3).locator(".contact-picture").click({ modifiers: ["Shift"] });
  await page.waitForSelector("#chosen:has-text('3 chosen')");
  await all.nth(2).locator(".contact-picture").click({ modifiers: ["ControlOrMeta"] });
  await page.waitForSelector("#chosen:has-text('2 chosen')");
  let asked = "";
  page.once("dialog", (d) => {
    asked = d.message();
    d.accept();
  });
  await all.nth(1).focus();
  await page.keyboard.press("r");
  await page.waitForFunction((n) => document.querySelectorAll(".contact > li:not([hidden])").length === n, before - 2);
  assert.match(asked, /^Remove 2 files from this order for good\? 2 of them are in the film/);
  assert.equal(await page.locator("#chosen").isVisible(), false);
});
