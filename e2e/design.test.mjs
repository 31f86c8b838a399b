// The film's look by hand: themes that move with one's own pictures, captions,
// framings, transitions, and the film played as a draft.
import assert from "node:assert/strict";
import { after, before } from "node:test";
import { join } from "node:path";
import { open, signIn } from "./browser.mjs";
import { photos, song } from "./material.mjs";
import { Server } from "./server.mjs";
import { accessible, chooseSlide, fitted, inOrder, leaf, settled } from "./steps.mjs";

let server, browser, page;

const test = inOrder();

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

/** Does something and waits until the running order was drawn anew. */
async function edited(act) {
  const seen = await page.getAttribute("#work", "data-revision");
  await act();
  await page.waitForFunction((r) => document.querySelector("#work").dataset.revision !== r, seen);
  await settled(page);
}

const choose = (n) => chooseSlide(page, n);

test("an order is filled", async () => {
  await page.goto("/orders/new");
  await page.fill("#client", "The Cormorants");
  await page.fill("#event", "Harbour race");
  await page.fill("#due", "2026-12-24");
  await page.fill("#detail-names", "The Cormorants");
  await page.fill("#detail-date", "24 December 2026");
  await page.click("text=Open the order");
  const dir = join(server.dir, "in");
  await leaf(page, "Material");
  await page.setInputFiles("#files", [...photos(dir, 5), song(dir, 26)]);
  await page.waitForSelector("#material-count:has-text('5 photos, 1 song')", { timeout: 60000 });
  await leaf(page, "Running order");
  await fitted(page);
});

/** Opens the panel of a kind of change. */
async function panel(name) {
  await page.click(`#kind-${name}`);
  await page.waitForSelector(`#panel-${name}:not([hidden])`);
}

/** Types into a field and leaves it. */
async function typed(field, text) {
  await page.fill(field, text);
  await page.locator(field).press("Enter");
}

/** Presses one of the pictures of a choice. */
const pick = (name, value) => page.click(`#margin .pick[name="${name}"][value="${value}"]:visible`);
const isPicked = (name, value) => page.waitForSelector(`#margin .pick[name="${name}"][value="${value}"][aria-pressed=true]`, { state: "attached" });

test("every theme moves with the order's own pictures, and another is taken", async () => {
  await page.click("#theme");
  await page.waitForSelector("h1:has-text('Theme for The Cormorants')");
  assert.ok((await page.locator("[data-theme]").count()) >= 10);
  await accessible(page, "themes");
  await page.selectOption("#occasion", "sport");
  await page.waitForSelector("#themes-shown:has-text(' of ')");
  assert.equal(await page.locator("[data-theme]:visible").count(), await page.locator("[data-for*='sport']").count());
  await page.selectOption("#occasion", "");
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
  await panel("slide");
  const before = await page.getAttribute("#look", "src");
  await edited(async () => {
    await page.fill("#caption", "The start, at noon");
    await page.locator("#caption").press("Tab");
  });
  await page.waitForFunction((src) => document.querySelector("#look")?.getAttribute("src") !== src, before);
  await panel("join");
  await edited(() => pick("join", "iris"));
  await page.fill("#join-name", "Porthole");
  await page.click("button[data-post$='/transitions']");
  await page.waitForSelector("#notice:has-text('“Porthole” is kept')");
  await page.waitForSelector(".pick[value='own:Porthole']");
  await panel("motion");
  await edited(() => pick("motion", "none"));
  await panel("pictures");
  await edited(() => page.selectOption("[data-shot] select[name=look]", "mono"));
  await edited(() => page.click("[data-focal]", { position: { x: 10, y: 80 } }));
  await page.waitForSelector("[data-focal] line", { state: "attached" });
  await accessible(page, "the margin");
  await edited(() => page.click("#undo"));
  await page.waitForSelector("[data-focal] line", { state: "detached" });
});

/** Drags on an element from one place to another, in shares of its size. */
async function drag(selector, from, to) {
  await page.locator(selector).scrollIntoViewIfNeeded();
  const box = await page.locator(selector).boundingBox();
  const at = ([x, y]) => [box.x + x * box.width, box.y + y * box.height];
  await page.mouse.move(...at(from));
  await page.mouse.down();
  await page.mouse.move(...at(to), { steps: 3 });
  await page.mouse.up();
}

async function chooseRange(first, last) {
  await choose(first);
  await page.locator("#rows .slide").nth(last).click({ position: { x: 40, y: 30 }, modifiers: ["Shift"] });
  await page.waitForSelector(`#controls h2:has-text('${last - first + 1} slides selected')`);
}

test("one look for a selection, one transition for all joins; exceptions stay", async () => {
  await chooseRange(1, 3);
  await panel("look");
  await edited(() => pick("look", "warm"));
  await isPicked("look", "warm");
  await page.waitForSelector("#controls h2:has-text('3 slides selected')");
  const looks = await page.locator("[data-shot] select[name=look]").evaluateAll((all) => all.map((l) => l.value));
  assert.ok(looks.length >= 3 && looks.every((l) => l === "warm"), `looks: ${looks}`);
  assert.ok(await page.isVisible("#panel-look"), "what was open stays open");
  await panel("light");
  const picture = await page.getAttribute("#look", "src");
  // Being moved, it shows itself before it is set. A hand that moves it tells of it again and again.
  await page.waitForFunction((was) => {
    const look = document.querySelector("#look");
    if (look.src.includes("/try/tone") && look.dataset.tasteMs && !look.src.endsWith(was)) return true;
    const range = document.querySelector("#panel-light [type=range][name=tone-light]");
    range.value = "20";
    range.dispatchEvent(new Event("input", { bubbles: true }));
    return false;
  }, picture, { polling: 700 });
  assert.equal(await page.inputValue("#tone-light"), "20");
  await edited(() => page.locator("#panel-light [type=range][name=tone-light]").dispatchEvent("change"));
  await page.waitForFunction(() => document.querySelector("#tone-light")?.value === "20");

  // Only what was touched is written to a selection, and what differs says so.
  await choose(1);
  await edited(() => typed("#tone-light", "40"));
  await chooseRange(1, 3);
  assert.equal(await page.getAttribute("#tone-light", "placeholder"), "several");
  await edited(() => typed("#tone-saturation", "-30"));
  for (const [slide, light] of [
    [1, "40"],
    [2, "20"],
  ]) {
    await choose(slide);
    assert.deepEqual([await page.inputValue("#tone-light"), await page.inputValue("#tone-saturation")], [light, "-30"]);
  }

  await page.locator("#rows .slide").nth(2).press("Escape");
  await page.waitForSelector("#controls h2:has-text('The whole film')");
  await panel("join");
  await edited(() => pick("join", "wipe"));
  await choose(2);
  await isPicked("join", "");
  await edited(() => pick("join", "clock"));
  await isPicked("join", "clock");
  await panel("look");
  await edited(() => pick("look", "mono"));
  for (const kind of await page.locator("#margin [role=tab]").evaluateAll((all) => all.map((t) => t.id.replace("kind-", "")))) {
    await panel(kind);
    await accessible(page, `the margin's ${kind}`, `#panel-${kind}`);
  }
});

test("a picture is cropped and framed by drawing on it", async () => {
  await choose(1);
  await panel("pictures");
  await page.locator("[data-shot] summary:has-text('Crop and frame')").first().click();
  await edited(() => drag("[data-shot] .framer >> nth=0", [0.1, 0.1], [0.9, 0.8]));
  await page.waitForSelector("button[data-set=uncrop]");
  assert.ok(Math.abs(Number(await page.inputValue("[name=crop-w]")) - 80) < 2);
  if (await page.isVisible("[value=begins]")) {
    await page.check("[name=drawing][value=begins]");
    await drag("[data-shot] .framer >> nth=0", [0.1, 0.1], [0.6, 0.6]);
    await edited(() => drag("[data-shot] .framer >> nth=0", [0.4, 0.3], [0.9, 0.8]));
    await page.waitForSelector("#framed-by-hand", { state: "attached" });
  }
});

test("crop, focal point, framing and words are taken hold of on the film itself", async () => {
  await choose(3);
  await panel("pictures");
  const edge = page.locator("#handles .handle-upright").first();
  await edge.waitFor();
  const before = await page.evaluate(() => document.querySelector("#undo").title);
  await edited(() => pull(edge, 40));
  assert.notEqual(await page.evaluate(() => document.querySelector("#undo").title), before);
  assert.ok(Number(await page.locator("[data-shot] [name=crop-x]").first().inputValue()) > 2, "cut at its left edge");
  assert.match(await page.evaluate(() => document.activeElement.id), /^handle-crop-left/, "the handle keeps the focus");
  await page.locator("#handles .handle-cross").first().focus();
  await edited(() => page.keyboard.press("Shift+ArrowRight"));
  assert.match(await page.getAttribute("#undo", "title"), /focal point/);
  await panel("motion");
  await page.locator("#handles .handle-area").first().focus();
  await edited(() => page.keyboard.press("+"));
  await page.waitForSelector("#framed-by-hand", { state: "attached" });
  await panel("slide");
  await edited(async () => {
    await page.fill("#caption", "Held by hand");
    await page.locator("#caption").press("Tab");
  });
  const words = page.locator("#handle-words");
  await words.waitFor();
  const [frame, box] = [await page.locator("#handles").boundingBox(), await words.boundingBox()];
  await edited(() => pull(words, frame.x + frame.width / 2 - box.x - box.width / 2 + 3, -60));
  assert.equal(await page.inputValue("#cap-x"), "50", "snapped to the middle");
  assert.ok(Number(await page.inputValue("[name=cap-y]")) < 85);
  for (let i = 0; i < 5; i++) await edited(() => page.click("#undo"));
});

test("a picture and a drift lie over a range of slides", async () => {
  await chooseRange(1, 2);
  await panel("over");
  await page.selectOption("#particles", "snow");
  await edited(() => page.click("button[data-set=drift]"));
  await page.waitForSelector("summary:has-text('snow over slides 2 to 3')");
  await edited(() => page.click("button[data-set=laypicture]"));
  await page.waitForSelector("#points circle");
  await page.locator("#points").scrollIntoViewIfNeeded();
  const dot = await page.locator("#points circle").first().boundingBox();
  const screen = await page.locator("#points").boundingBox();
  await edited(async () => {
    await page.mouse.move(dot.x + dot.width / 2, dot.y + dot.height / 2);
    await page.mouse.down();
    await page.mouse.move(screen.x + screen.width * 0.51, screen.y + screen.height * 0.49, { steps: 4 });
    await page.mouse.up();
  });
  await page.waitForFunction(() => document.querySelector("[name=p-x]")?.value === "50", null, { timeout: 10000 });
  assert.equal(await page.inputValue("[name=p-y] >> nth=0"), "50", "snapped to the middle");
  await edited(() => page.click("[data-decor='1'] button[data-set=undecorate]"));
  await page.waitForSelector("summary:has-text('snow over slides 2 to 3')");
});

test("a recast and another theme leave what was set by hand", async () => {
  const kept = async () => {
    await choose(1);
    await page.waitForSelector("#caption", { state: "attached" });
    return [await page.inputValue("#caption"), await page.locator("[data-shot] select[name=look]").first().inputValue(), await page.locator("summary:has-text('snow over')").count()];
  };
  const was = await kept();
  assert.equal(was[0], "The start, at noon");
  await page.click("#recast");
  await page.waitForSelector("dialog .versions img");
  await page.waitForFunction(() => [...document.querySelectorAll("dialog .versions")].every((v) => v.querySelector("img").naturalWidth > 0), null, { timeout: 20000 });
  await accessible(page, "another version", "dialog");
  await edited(() => page.click("text=Take this version"));
  assert.match(await page.getAttribute("#undo", "title"), /kept [1-9]\d* set by hand/);
  assert.deepEqual(await kept(), was);
  await page.click("#theme");
  await page.click("text=Take Evergreen");
  await page.waitForSelector("#theme:has-text('Theme: Evergreen')");
  assert.deepEqual(await kept(), was);
});

test("a text card comes in, and the frame changes its shape", async () => {
  await choose(2);
  const count = await page.locator("#rows .slide").count();
  await panel("slide");
  await edited(() => page.click("text=Text card before"));
  assert.equal(await page.locator("#rows .slide").count(), count + 1);
  await choose(2);
  await panel("card");
  await edited(async () => {
    await page.fill("#card-main", "Half-time");
    await page.locator("#card-main").press("Tab");
  });
  await edited(() => page.selectOption("[name=frame]", "1080x1920"));
  await page.waitForFunction(() => document.querySelector("#look")?.naturalHeight > document.querySelector("#look")?.naturalWidth);
  await edited(() => page.selectOption("[name=frame]", "1920x1080"));
});

/** Drags from the middle of an element by pixels. */
async function pull(locator, dx, dy = 0) {
  const box = await locator.boundingBox();
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x + dx / 2, y + dy / 2, { steps: 2 });
  await page.mouse.move(x + dx, y + dy, { steps: 2 });
  await page.mouse.up();
}
const slideOf = (n) => page.locator("#rows .slide").nth(n);
const dataOf = (n, name) => slideOf(n).getAttribute(`data-${name}`);

test("an edge is dragged to give a slide its seconds, a join to make it longer", async () => {
  const id = await dataOf(1, "slide");
  const was = Number(await dataOf(1, "length"));
  await edited(() => pull(page.locator(`#rows .edge[data-of="${id}"]`), 40));
  assert.equal(await dataOf(1, "pinned"), "true");
  assert.ok(Number(await dataOf(1, "length")) > was + 8, `from ${was} to ${await dataOf(1, "length")}`);
  assert.match(await page.textContent("#arithmetic"), /1 pinned/);
  await choose(1);
  await panel("join");
  const before = await page.inputValue("#join-seconds");
  await edited(() => pull(page.locator(`#rows .join-edge[data-of="${id}"]`), 40));
  await page.waitForFunction((v) => Number(document.querySelector("#join-seconds").value) > Number(v) + 0.2, before);
  await edited(() => page.click("#undo"));
  await edited(() => page.click("#undo"));
  assert.equal(await dataOf(1, "pinned"), "false");
});

test("everything is found by a key, by typing and by right click", async () => {
  await slideOf(3).click({ button: "right", position: { x: 40, y: 30 } });
  await page.waitForSelector("[role=menu]");
  await accessible(page, "the menu", ".menu");
  const n = await page.locator("#rows .slide").count();
  await edited(() => page.click("[role=menuitem]:has-text('Show it once more')"));
  assert.equal(await page.locator("#rows .slide").count(), n + 1);
  assert.equal(await page.evaluate(() => document.activeElement.closest(".slide") !== null), true, "the focus is on the slide again");
  await page.keyboard.press("?");
  await page.waitForSelector("dialog.box .keys");
  await accessible(page, "the keys", "dialog.box");
  await page.keyboard.press("Escape");
  await page.keyboard.press("/");
  await page.keyboard.type("text cards");
  await accessible(page, "the command box", "dialog.box");
  await page.keyboard.press("Enter");
  await page.waitForSelector("#controls h2:has-text('Slide 3, card')");
  await page.keyboard.press("/");
  await page.keyboard.type("cormorants");
  await page.waitForSelector("#found li:has-text('Order The Cormorants')");
  await page.keyboard.press("Escape");
  // Apart from one another: Ctrl goes without choosing, Space adds.
  await slideOf(1).focus();
  await page.keyboard.press("Enter");
  for (const key of ["Control+ArrowRight", "Control+ArrowRight", "Control+Space"]) await page.keyboard.press(key);
  await page.waitForSelector("#controls h2:has-text('2 slides selected')");
  // One slide's settings are given to another.
  await slideOf(1).focus();
  await page.keyboard.press("Enter");
  await panel("motion");
  await edited(() => pick("motion", "pan"));
  await slideOf(1).focus();
  await page.keyboard.press("Control+c");
  await page.keyboard.press("ArrowRight");
  await page.keyboard.press("ArrowRight");
  const name = await page.textContent("#controls h2");
  await page.waitForFunction((was) => document.querySelector("#controls h2").textContent !== "" && document.querySelector("#margin").dataset.shown.split("|")[2] !== "", name);
  await edited(() => page.keyboard.press("Control+v"));
  await isPicked("motion", "pan");
  // A row as long as the operator wants it, also after a reload.
  await page.locator("#row-seconds").fill("60");
  await page.waitForSelector("#row-said:has-text('60 s')");
  await page.waitForFunction(() => !document.querySelector("#row-fits").disabled);
  await page.reload();
  await page.waitForSelector("#row-said:has-text('60 s')");
  await page.click("#row-fits");
  await page.waitForFunction(() => document.querySelector("#row-fits").disabled);
});

test("captions are typed down the film, details are seen while they are typed", async () => {
  const all = await page.$$eval("#rows .slide", (s) => s.map((g, i) => [i, g.dataset.pictures !== "0"]));
  const [[first], [second]] = all.filter(([, pictures]) => pictures);
  await slideOf(first).focus();
  await page.keyboard.press("Enter");
  await panel("slide");
  await page.click("#caption");
  await page.keyboard.press("Control+a");
  await page.keyboard.type("One");
  await page.keyboard.press("Enter");
  const next = await dataOf(second, "slide");
  await page.waitForFunction((s) => document.activeElement.id === "caption" && document.querySelector("#margin").dataset.shown.endsWith(`|${s}`), next);
  await page.keyboard.type("Two");
  await page.keyboard.press("Shift+Enter");
  await page.waitForFunction(() => document.activeElement.id === "caption" && document.activeElement.value === "One");
  await page.waitForSelector("#order[data-pending='0']", { state: "attached" });
  assert.deepEqual(await page.$$eval("#rows .words", (w) => w.map((t) => t.textContent).slice(0, 2)), ["One", "Two"]);
  await page.keyboard.press("Escape");
  await slideOf(first).focus();
  await page.keyboard.press("Escape");
  await page.waitForSelector("#controls h2:has-text('The whole film')");
  await panel("details");
  const field = page.locator("[data-seen-on]").first();
  await field.focus();
  await page.keyboard.press("End");
  await page.keyboard.type("!");
  await page.waitForFunction(() => document.querySelector("#look").src.includes("/try/details") && document.querySelector("#look").naturalWidth > 0);
  await page.keyboard.press("Backspace");
  await field.press("Tab");
});

test("the contact sheet shows what is used, where, and what it is worth", async () => {
  await leaf(page, "Material");
  const used = () => page.textContent("#used-count");
  assert.equal(await used(), "6 in, 6 used, 0 not used");
  await page.waitForSelector("[data-show=twice]:has-text('1')");
  await page.click("[data-show=twice]");
  assert.equal(await page.locator(".contact > li:visible").count(), 1);
  assert.equal(await page.locator(".contact > li:visible a").count(), 2, "it leads to both its slides");
  await page.click("[data-show=all]");
  const first = page.locator('.contact > li:not([data-tags~="twice"]):not([data-tags~="song"])').first();
  const name = await first.locator("[title]").getAttribute("title");
  await first.focus();
  await page.keyboard.press("4");
  await page.waitForSelector(".contact > li[data-stars='4']");
  assert.equal(await page.evaluate(() => document.activeElement.dataset.stars), "4", "the focus stays");
  await page.keyboard.press("x");
  await page.waitForSelector("[data-show=aside]");
  await page.keyboard.press("Delete");
  await page.waitForSelector("#used-count:has-text('6 in, 5 used, 1 not used')");
  await accessible(page, "the contact sheet");
  await page.click("[data-show=unused]");
  await page.click(`[aria-label="Put ${name} into the film"]`);
  await page.waitForSelector("#used-count:has-text('6 in, 6 used, 0 not used')");
  await page.locator("[data-show=all]").first().click();
  await page.locator(".contact > li a").first().click();
  await page.waitForSelector("#controls h2:has-text('Slide')");
});

test("a finding leads to its place and is marked as meant", async () => {
  await leaf(page, "Check");
  const finding = page.locator("#checks li:has-text('is shown on slides')").first();
  await finding.waitFor();
  const before = await page.textContent(".leaves a:has-text('Check')");
  await finding.locator("text=Meant").click();
  await page.waitForSelector("#checks summary:has-text('1 marked as meant')");
  assert.notEqual(await page.textContent(".leaves a:has-text('Check')"), before);
  await accessible(page, "the checks");
  await page.click("#checks summary:has-text('marked as meant')");
  await page.click("text=Point out again");
  await page.locator("#checks li:has-text('is shown on slides') a").first().click();
  await page.waitForSelector("#controls h2:has-text('Slide')");
});

test("play pressed while a slide is being opened plays from that slide", async () => {
  await choose(0);
  const opening = Number(await page.getAttribute("#screen", "data-seconds"));
  await page.route("**/margin?*", async (route) => {
    await new Promise((later) => setTimeout(later, 700));
    await route.continue();
  });
  await page.locator("#rows .slide").nth(2).click({ position: { x: 40, y: 30 } });
  await page.click("#play");
  await page.waitForFunction((s) => Number(document.querySelector("#screen").dataset.seconds) > s + 2, opening);
  await page.waitForFunction(() => document.querySelector("#player").currentTime > Number(document.querySelector("#screen").dataset.seconds) + 0.3, null, { timeout: 60000 });
  await page.unroute("**/margin?*");
  await page.click("#play");
  await page.waitForSelector("#look:not(.hidden)");
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
  assert.ok(Math.abs(state.duration - 26) < 0.3, `lasts ${state.duration}`);
  assert.ok(state.sound > 0, "sound is heard");
  assert.equal(state.width, 640);
  // Timecode and the line in the rows go along.
  const along = () => page.evaluate(() => [document.querySelector("#look-time").textContent, document.querySelector("#moment").style.transform]);
  const [time, line] = await along();
  await page.waitForFunction((t) => document.querySelector("#look-time").textContent > t, time);
  assert.notEqual((await along())[1], line);
  console.log(`play_start_ms=${await page.getAttribute("#screen", "data-start-ms")}`);
  // Scrubbing: it goes on from anywhere.
  await page.evaluate(() => (document.querySelector("#player").currentTime = 12));
  await page.waitForFunction(() => document.querySelector("#player").currentTime > 12.8, null, { timeout: 30000 });
  await page.check("#show-guides");
  await page.waitForSelector("#guides:not(.hidden)");
  await page.click("#play");
  await page.waitForSelector("#look:not(.hidden)");
  await page.waitForFunction((s) => Number(document.querySelector("#screen").dataset.seconds) > s, from);
});
