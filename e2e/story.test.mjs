// The whole story in the demo studio: from sign-in to a link that a client
// watches on a phone.
import assert from "node:assert/strict";
import { join } from "node:path";
import { after, before } from "node:test";
import { open, signIn } from "./browser.mjs";
import { Line } from "./line.mjs";
import { clip, letter, photos, probe, song } from "./material.mjs";
import { Server } from "./server.mjs";
import { accessible, chooseSlide, fitted, inOrder, leaf, render, settled } from "./steps.mjs";

let server, browser, page, errors;

const test = inOrder();

before(async () => {
  server = await Server.start({ demo: true });
  browser = await open();
  const context = await browser.newContext({ baseURL: server.base, viewport: { width: 1280, height: 800 } });
  page = await context.newPage();
  errors = [];
  page.on("pageerror", (e) => errors.push(e.message));
  // Scripts of the page itself must keep to the policy; the test tools' own
  // style elements have no source file.
  await page.addInitScript(() =>
    document.addEventListener("securitypolicyviolation", (e) => e.sourceFile?.startsWith(location.origin) && console.log(`policy broken: ${e.violatedDirective} ${e.sourceFile}:${e.lineNumber}`)),
  );
  page.on("console", (m) => m.text().startsWith("policy broken") && errors.push(m.text()));
});
after(async () => {
  await browser?.close();
  await server?.stop();
});

test("a wrong password is refused, the right one leads to the day sheet", async () => {
  await page.goto("/");
  await page.fill("#email", "demo@nelko.example");
  await page.fill("#password", "not the password");
  await page.click("button:text-is('Sign in')");
  await page.waitForSelector("text=do not belong together");
  await accessible(page, "sign-in");
  await signIn(page);
  await page.waitForSelector("h1:has-text('Day sheet')");
  assert.ok((await page.locator("[data-order]").count()) >= 8, "the demo's orders are there");
  assert.equal(await page.locator("h2:has-text('Due today')").count(), 1);
  await accessible(page, "day sheet");
});

test("a new order says what is missing", async () => {
  await page.click("text=New order");
  await page.fill("#client", "The Cormorants");
  await page.fill("#client_email", "cormorants@saltmere.example");
  await page.fill("#event", "Harbour race");
  await page.fill("#due", "2026-12-24");
  await page.fill("#detail-names", "The Cormorants");
  await accessible(page, "new order");
  await page.click("text=Open the order");
  await page.waitForSelector("#next:has-text('Missing: Date')");
  await leaf(page, "Deliveries");
  await page.click("#render");
  await page.waitForSelector("dialog:has-text('cannot be rendered yet. Missing: Date')");
  await page.click("dialog >> text=Go there");
  await page.fill("#detail-date", "24 December 2026");
  await page.locator("#detail-date").press("Tab");
  await page.waitForSelector("#next:has-text('No pictures yet')");
  await page.waitForSelector(".missing", { state: "detached" });
});

test("files come in together; the bad one is named and refused", async () => {
  const dir = join(server.dir, "in");
  await leaf(page, "Material");
  const files = [...photos(dir, 6), clip(dir), letter(dir), song(dir, 34.3)];
  await page.setInputFiles("[data-upload-input]", files);
  await page.waitForSelector("[data-refused='letter.jpg']", { timeout: 60000 });
  assert.match(await page.textContent("[data-refused='letter.jpg']"), /letter\.jpg refused: not a photo, clip or song/);
  await page.waitForSelector("#material-count:has-text('6 photos, 1 clip, 1 song')", { timeout: 60000 });
  await page.click("[aria-label='Dismiss letter.jpg']");
  await page.waitForSelector("[data-refused]", { state: "detached" });
  await page.waitForFunction(() => document.querySelectorAll("#materiallist img").length >= 7);
  await accessible(page, "material");
});

test("a dropped file comes in too, and the same one again is refused as a twin", async () => {
  const drop = (name, text) =>
    page.evaluate(([n, t]) => {
      const transfer = new DataTransfer();
      transfer.items.add(new File([t], n));
      for (const type of ["dragenter", "dragover", "drop"]) document.body.dispatchEvent(new DragEvent(type, { dataTransfer: transfer, bubbles: true, cancelable: true }));
    }, [name, text]);
  await drop("dropped.txt", "just words");
  await page.waitForSelector("[data-refused='dropped.txt']", { timeout: 30000 });
  await page.setInputFiles("[data-upload-input]", join(server.dir, "in", "photo 1.jpg"));
  await page.waitForSelector("[data-refused='photo 1.jpg']:has-text('the same file as photo 1.jpg')", { timeout: 30000 });
});

test("the slides are fitted to the song, exact to the frame", async () => {
  await leaf(page, "Running order");
  await page.waitForFunction(() => document.querySelectorAll("#rows .slide").length >= 5, null, { timeout: 30000 });
  // The song is poured by a job of its own, when it has been looked at.
  await page.waitForSelector("#arithmetic:has-text('music 0:34.')", { timeout: 30000 });
  assert.match(await page.textContent("#arithmetic"), /joins? × 0\.80 s = .* — music 0:34\.\d — /);
  await fitted(page);
  await page.waitForSelector("#arithmetic:has-text('ends with the music, to the frame')");
  await page.waitForSelector("#next:has-text('Ready to render')");
  await page.waitForTimeout(300);
  await accessible(page, "order");
});

const order = () => page.$$eval("#rows .slide", (all) => all.map((g) => g.dataset.slide));

test("slides move by dragging, and undo puts them back", async () => {
  const before = await order();
  const boxes = await page.$$eval("#rows .slide", (all) => all.map((g) => g.querySelector(".frame").getBoundingClientRect().toJSON()));
  // The first 30 units of a slide are its own: the join with the next is at its end.
  await page.mouse.move(boxes[1].x + 30, boxes[1].y + 60);
  await page.mouse.down();
  await page.mouse.move(boxes[3].x + 40, boxes[3].y + 30, { steps: 6 });
  await page.mouse.move(boxes[3].x + boxes[3].width * 0.8, boxes[3].y + 30, { steps: 4 });
  await page.mouse.up();
  await page.waitForFunction((first) => document.querySelectorAll("#rows .slide")[1].dataset.slide !== first, before[1]);
  const moved = await order();
  assert.deepEqual(moved, [before[0], before[2], before[3], before[1], ...before.slice(4)]);
  await page.click("#undo");
  await page.waitForFunction((first) => document.querySelectorAll("#rows .slide")[1].dataset.slide === first, before[1]);
  assert.deepEqual(await order(), before);
  await page.click("#redo");
  await page.waitForFunction((first) => document.querySelectorAll("#rows .slide")[1].dataset.slide !== first, before[1]);
});

test("any moment can be looked at", async () => {
  const line = page.locator("#rows .time-line").first();
  const box = await line.boundingBox();
  await page.mouse.click(box.x + box.width * 0.5, box.y + 5);
  await page.waitForFunction(() => Number(document.querySelector("#look").dataset.frame) > 100);
  await page.waitForFunction(() => document.querySelector("#look").naturalWidth === 640);
  const n = Number(await page.getAttribute("#look", "data-frame"));
  await page.click("[aria-label='One frame on']");
  await page.waitForFunction((k) => Number(document.querySelector("#look").dataset.frame) === k + 1, n);
});

test("the moment looked at stays inside a film that became shorter, and is asked for once", async () => {
  const box = await page.locator("#rows .time-line").last().boundingBox();
  await page.mouse.click(box.x + 20, box.y + 5);
  // The last row begins beyond the first half; until the margin has answered,
  // the moment before still stands in it.
  await page.waitForFunction(() => Number(document.querySelector("#look").dataset.frame) > document.querySelector("#work").dataset.frames / 2);
  await settled(page);
  const at = Number(await page.getAttribute("#look", "data-frame"));
  let asked = 0;
  const count = (request) => (asked += request.url().includes("/margin") ? 1 : 0);
  page.on("request", count);
  await page.fill("#pace", "0.3");
  await page.click("#fit button:text-is('Hold')");
  await page.waitForFunction((n) => Number(document.querySelector("#work").dataset.frames) < n, at);
  await page.waitForTimeout(1500);
  page.off("request", count);
  assert.ok(asked <= 2, `the margin was asked for ${asked} times`);
  const frames = Number(await page.getAttribute("#work", "data-frames"));
  assert.ok(Number(await page.getAttribute("#look", "data-frame")) < frames);
  await page.click("#undo");
  await page.waitForSelector("#arithmetic:has-text('to the frame')");
});

test("pinned seconds stay as typed and the rest is fitted again", async () => {
  await chooseSlide(page, 2);
  await page.fill("#pin", "6,5");
  await page.locator("#pin").press("Enter");
  await page.waitForSelector("#arithmetic:has-text('1 pinned 6.50 s')");
  assert.match(await page.textContent("#arithmetic"), /to the frame/);
  // The margin is drawn anew with what was kept.
  await page.waitForFunction(() => document.querySelector("#pin")?.value === "6.5");
  await page.fill("#pin", "lots");
  await page.locator("#pin").press("Tab");
  await page.waitForSelector("#notice:has-text('\"lots\" is not a length')");
});

test("the film is rendered in the background with progress, and is as planned", async () => {
  await settled(page);
  const frames = Number(await page.getAttribute("#work", "data-frames"));
  await leaf(page, "Check");
  await accessible(page, "check");
  await leaf(page, "Soundtrack");
  await accessible(page, "soundtrack");
  await leaf(page, "Deliveries");
  await render(page);
  await page.waitForSelector("[data-state='running'] progress", { timeout: 60000 });
  await page.waitForFunction(() => /\d+ of \d+ frames, \d+:\d\d left/.test(document.querySelector("#renders").textContent), null, { timeout: 60000 });
  await page.goto("/queue");
  await page.waitForSelector("td:has-text('The Cormorants')");
  await accessible(page, "queue");
  await page.goBack();
  await page.waitForSelector("[data-state='done']", { timeout: 300000 });
  const [download] = await Promise.all([page.waitForEvent("download"), page.click("[data-state='done'] >> text=Download")]);
  assert.equal(download.suggestedFilename(), "The Cormorants - Harbour race.mp4");
  const path = join(server.dir, "film.mp4");
  await download.saveAs(path);
  const film = probe(path);
  assert.equal(film.frames, frames);
  assert.equal(film.video.width, 1920);
  assert.equal(film.video.r_frame_rate, "30/1");
  assert.ok(Math.abs(Number(film.audio.duration) - frames / 30) <= 1 / 30, "sound as long as the picture");
});

test("a client without an account watches it on a phone", async () => {
  await page.click("text=Make the link");
  await page.waitForSelector("#link-address");
  const address = new URL(await page.inputValue("#link-address"));
  const phone = await browser.newContext({ baseURL: server.base, viewport: { width: 390, height: 844 }, isMobile: true, hasTouch: true });
  const visitor = await phone.newPage();
  await visitor.goto(address.pathname);
  assert.equal(new URL(visitor.url()).pathname, address.pathname, "no sign-in asked for");
  await visitor.waitForSelector("h1:has-text('The Cormorants · Harbour race')");
  await accessible(visitor, "link page");
  assert.ok(await visitor.evaluate(() => document.documentElement.scrollWidth <= innerWidth), "nothing wider than the phone");
  await visitor.evaluate(() => {
    const film = document.getElementById("film");
    film.muted = true;
    return film.play();
  });
  await visitor.waitForFunction(() => document.getElementById("film").currentTime > 1.5, null, { timeout: 30000 });
  assert.deepEqual(await visitor.evaluate(() => [document.getElementById("film").videoWidth, document.getElementById("film").error]), [1920, null]);
  await page.waitForSelector("#deliveries:has-text('watched once')", { timeout: 15000 });
  await page.waitForSelector("#deliveries:has-text('mailed to cormorants@saltmere.example')", { timeout: 15000 });
  assert.ok(await page.inputValue("#link-address"), "the address is still there to be copied");
  await page.click("[data-link] >> text=Close");
  await page.waitForSelector("[data-link]:has-text('closed')");
  await visitor.reload();
  await visitor.waitForSelector("h1:has-text('This link is closed')");
  await phone.close();
});

test("a client remarks on a proof and approves it; what changes afterwards asks again", async () => {
  await page.click("#sendproof");
  await page.waitForFunction((old) => ![null, "", old].includes(document.getElementById("link-address")?.value ?? null), await page.inputValue("#link-address"));
  const address = new URL(await page.inputValue("#link-address"));
  const home = await browser.newContext({ baseURL: server.base, viewport: { width: 820, height: 1180 } });
  const visitor = await home.newPage();
  visitor.on("pageerror", (e) => errors.push(e.message));
  await page.waitForFunction(() => !/being made/.test(document.getElementById("proofstate").textContent), null, { timeout: 120000 });
  await visitor.goto(address.pathname);
  await accessible(visitor, "proof");
  await visitor.evaluate(() => {
    const film = document.getElementById("film");
    film.muted = true;
    return film.play();
  });
  await visitor.waitForFunction(() => document.getElementById("film").currentTime > 2, null, { timeout: 30000 });
  await visitor.focus("#text");
  const stopped = await visitor.evaluate(() => document.getElementById("film").currentTime);
  await visitor.fill("#text", "Could this stay a little longer?");
  await visitor.reload();
  assert.equal(await visitor.inputValue("#text"), "Could this stay a little longer?", "what was written survives a reload");
  await visitor.evaluate((at) => (document.getElementById("film").currentTime = at), stopped);
  await visitor.waitForFunction((at) => Math.abs(Number(document.getElementById("seconds").value) - at) < 0.1, stopped);
  await visitor.fill("#who", "Zoë Brandt");
  await visitor.click("text=Send the remark");
  await visitor.waitForSelector("#remarks:has-text('Could this stay')");

  await page.waitForSelector("#remarks [data-remark]:has-text('Zoë Brandt')", { timeout: 15000 });
  const said = await page.textContent("#remarks [data-remark] .time");
  const [minutes, seconds] = said.split(":").map(Number);
  assert.ok(Math.abs(minutes * 60 + seconds - stopped) < 0.15, `the moment ${said} is ${stopped}`);
  assert.equal(await page.textContent("#next"), await page.textContent("#next >> text=Answer 1 remark"));
  // It stands on its slide in the running order, and beside what can be changed.
  await leaf(page, "Running order");
  await page.waitForSelector("#rows .remark");
  assert.match(await page.textContent("#rows .remark"), /Could this stay/);
  const number = await page.$eval("#rows .remark", (r) => [...document.querySelectorAll("#rows .slide")].indexOf(r.closest(".slide")));
  await chooseSlide(page, number, 8);
  await page.waitForSelector("[data-said]:has-text('Zoë Brandt')");
  await accessible(page, "a remark beside its slide");
  await leaf(page, "Deliveries");
  await page.click("#remarks summary");
  await page.fill("#remarks input[name=text]", "It does now.");
  await page.click("#remarks >> text=Send");
  await page.waitForSelector("#remarks:has-text('It does now.')");
  await page.click("#remarks >> text=Done");
  await page.waitForSelector("#remarks:has-text('✓ done')");
  await visitor.reload();
  await visitor.waitForSelector("#remarks:has-text('It does now.')");
  await visitor.fill("#approver", "Zoë Brandt");
  await visitor.click("text=Approve the film");
  await visitor.waitForSelector("text=Approved by Zoë Brandt");
  await page.waitForSelector("#proofstate:has-text('approved by Zoë Brandt')", { timeout: 15000 });
  await accessible(page, "deliveries of an order");
  await page.click("text=Undo");
  await page.waitForSelector("#proofstate:has-text('changed since')");
  assert.match(await page.textContent("#next"), /Changed since it was approved; send a new proof/);
  await page.click("text=Redo");
  await page.waitForFunction(() => !/changed since/.test(document.getElementById("proofstate").textContent));
  await home.close();
});

test("on a poor line the film is there at once and does not stop", async () => {
  await page.waitForFunction(() => !document.querySelector("#renders [data-state=waiting], #renders [data-state=running]"), null, { timeout: 240000 });
  await page.click("text=Make the link");
  await page.waitForFunction(() => document.getElementById("link-address")?.value);
  assert.equal(await page.locator("#newaddress svg.code").count(), 1, "the address as a code");
  const address = new URL(await page.inputValue("#link-address"));
  const bits = 1.5e6;
  const line = await Line.to(server.port, { bits, latency: 20 });
  const phone = await browser.newContext({ baseURL: line.base, viewport: { width: 390, height: 844 }, isMobile: true, hasTouch: true });
  const visitor = await phone.newPage();
  await visitor.addInitScript(() => {
    window.stops = 0;
    document.addEventListener("waiting", () => window.started && window.stops++, true);
    document.addEventListener("playing", () => (window.started = true), true);
  });
  const began = Date.now();
  await visitor.goto(address.pathname, { waitUntil: "commit" });
  await visitor.waitForFunction(() => document.getElementById("film")?.readyState >= 2, null, { polling: 20, timeout: 30000 });
  const until = line.bytes;
  console.log(`first picture at 1.5 Mbit/s after ${Date.now() - began} ms and ${Math.round(until / 1000)} kB`);
  assert.ok(until < 1.3 * (bits / 8), `the first picture takes ${until} bytes, more than the line carries in 1.5 s, less its latency`);
  await visitor.evaluate(() => {
    const film = document.getElementById("film");
    film.muted = true;
    return film.play();
  });
  await visitor.waitForFunction(() => document.getElementById("film").currentTime > 10, null, { timeout: 60000 });
  assert.equal(await visitor.evaluate(() => window.stops), 0, "it never waits for more");
  // Elsewhere in the film, which was not loaded, it goes on as well.
  const lasts = await visitor.evaluate(() => document.getElementById("film").duration);
  await visitor.evaluate((at) => (document.getElementById("film").currentTime = at), lasts - 3);
  await visitor.waitForFunction(() => document.getElementById("film").ended, null, { timeout: 60000 });
  assert.ok((await visitor.evaluate(() => document.getElementById("film").videoHeight)) <= 720, "in a size the line carries");
  await phone.close();
  line.close();
});

test("a disc is made, stepped through from its own image, burned and read back", async () => {
  await page.fill("#disc-name", "The Cormorants");
  await page.click("#press");
  await page.waitForSelector("#discs:has-text('every button tried')", { timeout: 300000 });
  await page.click("text=Step through it");
  await page.waitForSelector("#where:has-text('menu, page 1')");
  await page.waitForFunction(() => document.getElementById("television").videoWidth === 1024, null, { timeout: 30000 });
  await accessible(page, "a disc");
  await page.keyboard.press("Enter"); // the button that is chosen at first
  await page.waitForSelector("#where:has-text('film 1, from chapter 1')");
  await page.waitForFunction(() => document.getElementById("television").currentTime > 1, null, { timeout: 30000 });
  await page.evaluate(() => (document.getElementById("television").playbackRate = 8));
  await page.waitForSelector("#where:has-text('menu, page 1')", { timeout: 60000 });
  await page.click("text=Back to the order");
  await page.click("#discs >> text=Burn");
  await page.waitForSelector("#notice:has-text('Burner')");
  await page.goto("/burner");
  await page.waitForSelector("[data-over][data-state=done]", { timeout: 60000 });
  await accessible(page, "burner");
  await page.click("text=The same again");
  await page.waitForSelector("text=Take the finished disc out, put in a blank DVD 4.7 GB");
  await page.click("text=Put a blank in");
  await page.waitForFunction(() => document.querySelectorAll("[data-over][data-state=done]").length === 2, null, { timeout: 60000 });
});

test("the studio signs in at a video host and puts the film there", async () => {
  await page.goto("/settings");
  await page.click("#host >> text=Sign in");
  await page.click("text=Go to the host");
  await page.click("text=Allow");
  await page.waitForSelector("#host:has-text('Signed in at')");
  await page.goto("/standins");
  await page.selectOption("#host-fails", "expires");
  await page.click("text=So be it");
  await page.goto("/");
  await page.click("[data-order] >> text=The Cormorants");
  await leaf(page, "Deliveries");
  await page.click("text=Put it there");
  await page.waitForSelector("#hosted >> text=Watch it there", { timeout: 60000 });
  await accessible(page, "deliveries with a disc and a host");
});

test("the stand-in mailbox and the list of deliveries know of it", async () => {
  await page.goto("/standins");
  await page.waitForSelector("article:has-text('cormorants@saltmere.example')");
  await accessible(page, "stand-ins");
  await page.goto("/deliveries");
  await page.waitForSelector("tr:has-text('The Cormorants'):has-text('watched once')");
  await accessible(page, "deliveries");
  await page.goto("/settings");
  await accessible(page, "settings");
  assert.deepEqual(errors, [], "no error and no broken content policy on any page");
});
