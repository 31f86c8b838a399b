// The soundtrack as an operator works on it: a song too long made to fit, two songs
// that cross, cuts on the beat, each song with its own pictures, narration, and the
// studio's own music.
import assert from "node:assert/strict";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { open, signIn } from "./browser.mjs";
import { beaten, photos } from "./material.mjs";
import { Server } from "./server.mjs";
import { accessible, inOrder, leaf, settled } from "./steps.mjs";

let server, browser, page;
const step = inOrder();

before(async () => {
  server = await Server.start();
  browser = await open();
  const context = await browser.newContext({ baseURL: server.base, viewport: { width: 1280, height: 800 }, permissions: ["microphone"] });
  page = await context.newPage();
  await signIn(page);
});
after(async () => {
  await browser?.close();
  await server?.stop();
});

const says = (selector, text) => page.waitForFunction(([s, t]) => document.querySelector(s)?.textContent.includes(t), [selector, text]);
const numbers = (name) => page.$eval("#soundtrack", (e, n) => e.dataset[n].split(" ").filter(Boolean).map(Number), name);
const choose = async (name, value, within = "[data-fitting]") => {
  await page.selectOption(`${within} [name=${name}]`, value);
  await settled(page);
};
const type = async (selector, value) => {
  await page.fill(selector, value);
  await page.press(selector, "Tab");
  await settled(page);
};

step("songs come in, too long for the pictures", async () => {
  await page.goto("/orders/new");
  for (const [field, value] of [["#client", "The Terns"], ["#event", "Race"], ["#due", "2026-12-24"], ["#detail-names", "The Terns"], ["#detail-date", "2026"]]) await page.fill(field, value);
  await page.press("#detail-date", "Enter");
  await page.waitForSelector("#next");
  await leaf(page, "material");
  const dir = join(server.dir, "in");
  await page.setInputFiles("#files", [...photos(dir, 5), beaten(dir, 40, "first.flac"), beaten(dir, 30, "second.flac")]);
  await page.waitForSelector("#material-count:has-text('5 photos, 2 songs')", { timeout: 60000 });
  await leaf(page, "soundtrack");
  await page.waitForFunction(() => document.querySelectorAll("#track .track-item").length === 2);
  await says("#soundtrack", "of music left when the pictures end");
  await says("#soundtrack", "120.0 beats a minute");
  await accessible(page, "the soundtrack", "#soundtrack");
});

step("five pictures are too few for both: the remedies say so, and one is taken", async () => {
  await choose("mode", "music");
  await page.waitForSelector("#remedies");
  await says("#remedies", "Does not fit");
  await page.click("#remedies button[value='longer pictures']");
  await page.waitForSelector("#remedies", { state: "detached" });
  await says("#soundtrack", "They end together, to the frame.");
});

step("a song is trimmed by dragging its end, holding on to a beat", async () => {
  await settled(page);
  await page.waitForTimeout(400); // the head has become lower
  const grip = await page.locator("#item-1 .grip-to").boundingBox();
  const lane = await page.locator("#item-1").boundingBox();
  await page.mouse.move(grip.x + 4, grip.y + 20);
  await page.mouse.down();
  await page.mouse.move(grip.x + 4 - lane.width / 3, grip.y + 20, { steps: 8 });
  const label = await page.textContent(".track-says");
  assert.match(label, /to 0:\d\d/);
  await page.mouse.up();
  await settled(page);
  const to = Number(await page.inputValue("li[data-at='1'] [name=to]"));
  assert.ok(to > 15 && to < 25, `the second song ends at ${to}`);
  if (label.includes("on a beat")) assert.ok(Math.abs(to * 2 - Math.round(to * 2)) < 0.1, `${to} is on a beat`);
  await page.keyboard.press("Escape");
  await type("li[data-at='1'] [name=to]", "20");
  await says("#soundtrack h2", "Pictures and music");
  assert.equal(await page.$eval("#item-1", (e) => e.dataset.to), "20");
});

step("the songs cross, and the music is as much shorter", async () => {
  const end = () => page.$eval("#item-1", (e) => Number(e.dataset.end));
  assert.ok(Math.abs((await end()) - 60) < 0.1);
  await page.selectOption("li[data-at='1'] [name=join]", "cross-fade");
  await settled(page);
  await type("li[data-at='1'] [name=joinseconds]", "3");
  assert.ok(Math.abs((await end()) - 57) < 0.1, `ends at ${await end()}`);
});

step("under the running order a song's end is dragged too, and the arithmetic says where it comes from", async () => {
  await leaf(page, "running order");
  const end = () => page.$eval("#rows .sound-bar[data-at='1']", (e) => Number(e.dataset.end));
  const was = await end();
  const edge = await page.locator("#rows .sound-bar[data-at='1'] [data-grip=to]").boundingBox();
  const row = await page.locator("#rows .row").first().boundingBox();
  const seconds = Number(await page.inputValue("#row-seconds"));
  await page.mouse.move(edge.x + 4, edge.y + 14);
  await page.mouse.down();
  await page.mouse.move(edge.x + 4 - (row.width / seconds) * 2, edge.y + 14, { steps: 6 });
  assert.match(await page.textContent("#drop"), /second\.flac to 0:1[78]\.\d\d/);
  await page.mouse.up();
  await settled(page);
  assert.ok(Math.abs((await end()) - was + 2) < 0.4, `from ${was} to ${await end()}`);
  await page.click("#arithmetic .term:has-text('music')");
  await says(".why:popover-open", "second.flac");
  await page.keyboard.press("Escape");
  await page.click("#undo");
  await settled(page);
  assert.equal(await end(), was);
  await leaf(page, "soundtrack");
});

step("what each way of fitting would come to is seen before it is taken", async () => {
  await page.click("#ways summary");
  const bars = page.locator("#ways tr:has-text('cuts on bars')");
  const [, on] = (await bars.textContent()).match(/(\d+) of \d+/);
  await bars.locator("button").click();
  await settled(page);
  await says("#soundtrack", `${on} of`);
  assert.equal(await page.inputValue("[name=beat]"), "bars");
  await says("#ways tr[aria-current]", "cuts on bars");
  await page.click("#undo");
  await settled(page);
});

step("cuts go to beats, and each song has its own pictures", async () => {
  await choose("beat", "beats");
  const [, on, all] = (await page.textContent("#soundtrack")).match(/(\d+) of (\d+) cuts on the beat/);
  assert.ok(Number(on) >= Number(all) - 2, `${on} of ${all}`);
  await choose("own", "true");
  await says("#soundtrack", "They end together, to the frame.");
});

step("the music is made as long as the pictures", async () => {
  await choose("mode", "pictures");
  await type("[data-fitting] [name=pace]", "8");
  await says("#soundtrack", "They end together, to the frame.");
  await says("#soundtrack", "The last song is");
  await choose("mode", "pace");
  await choose("hold", "true");
  await choose("mode", "music");
});

step("a song's level, fades, line and version are set, and wrong ones refused", async () => {
  await type("li[data-at='0'] [name=fadein]", "2");
  assert.equal(await page.$eval("#item-0 .track-fade-in", (e) => Math.round(parseFloat(e.style.width))), 5);
  await type("li[data-at='0'] [name=points]", "5: -6, 9: 0");
  assert.equal(await page.inputValue("li[data-at='0'] [name=points]"), "5: -6, 9: 0");
  await type("li[data-at='0'] [name=points]", "loud");
  await says("#notice", "no point of a volume line");
  await type("li[data-at='0'] [name=long]", "soon");
  await says("#notice", "soon");
  await type("li[data-at='0'] [name=long]", "0:52");
  await says("#version-0", "A version of 0:52.0");
  const sound = await (await page.request.get(new URL(await page.getAttribute("#version-0 audio", "src"), page.url()).href)).body();
  assert.equal(sound.subarray(0, 4).toString(), "RIFF");
  assert.equal(sound.length, 44 + 52 * 48000 * 4);
  await page.click("#version-0 [data-hear]");
  await page.waitForFunction(() => document.querySelector("#version-0 audio").currentTime > 1);
  await page.click("#version-0 button:has-text('Take it')");
  await settled(page);
  await says("li[data-at='0']", "a version of 0:52.0");
  await page.waitForSelector("#item-0 .track-join", { state: "attached" });
  await page.click("li[data-at='0'] button:has-text('As it is')");
  await settled(page);
  assert.equal(await page.locator("#item-0 .track-join").count(), 0);
});

step("points of the volume line are put, dragged and taken away on the bar", async () => {
  await type("li[data-at='0'] [name=points]", "");
  await page.locator("#track").scrollIntoViewIfNeeded();
  await page.locator("#item-0").scrollIntoViewIfNeeded();
  const bar = await page.locator("#item-0").boundingBox();
  // A press is on a whole pixel, wherever the bar lies: 6 dB at its upper edge, −36 at its lower.
  const y = Math.floor(bar.y + bar.height / 2);
  const db = Math.round((6 - (42 * (y - bar.y)) / bar.height) * 2) / 2;
  assert.ok(Math.abs(db + 15) <= 0.5, `${db} dB in the middle`);
  await page.mouse.dblclick(bar.x + bar.width / 4, y);
  await page.mouse.dblclick(bar.x + bar.width / 2, y);
  await page.waitForFunction(() => document.querySelectorAll("#item-0 .track-point").length === 2);
  await settled(page);
  const point = await page.locator("#item-0 .track-point").nth(1).boundingBox();
  await page.mouse.move(point.x + 12, point.y + 12);
  await page.mouse.down();
  await page.mouse.move(bar.x + bar.width * 0.75, bar.y + bar.height - 2, { steps: 5 });
  assert.match(await page.textContent(".track-says"), /0:30\.\d\d of it: -3[45]/);
  await page.mouse.up();
  await settled(page);
  const points = () => page.inputValue("li[data-at='0'] [name=points]");
  assert.match(await points(), new RegExp(`^(9|10)\\.?\\d*: ${db}, (29|30)\\.?\\d*: -3`));
  await page.focus("#item-0 .track-point >> nth=0");
  await page.keyboard.press("ArrowUp");
  await settled(page);
  assert.ok((await points()).includes(`: ${db + 0.5},`), await points());
  for (const left of [1, 0]) {
    await page.locator("#item-0 .track-point").first().dblclick();
    await page.waitForFunction((n) => document.querySelectorAll("#item-0 .track-point").length === n, left);
    await settled(page);
  }
});

step("the film plays from the playhead, with its sound", async () => {
  await page.locator(".track-ruler").click({ position: { x: 300, y: 9 } });
  const from = await page.textContent("#playhead-at");
  await page.focus("#playhead");
  await page.keyboard.press("ArrowRight");
  assert.notEqual(await page.textContent("#playhead-at"), from);
  await page.click("[data-film]");
  await page.waitForFunction(() => document.getElementById("film").currentTime > 8 && !document.getElementById("film").paused, null, { timeout: 30000 });
  await page.click("[data-film]");
  await page.waitForSelector("#film", { state: "hidden" });
});

step("somebody speaks, and the music gives way", async () => {
  await page.click("[data-record]");
  await page.waitForSelector("[data-record]:has-text('Stop')", { timeout: 15000 });
  assert.ok(await page.$eval("#film", (e) => !e.paused && e.muted), "the film plays along, without its sound");
  await page.waitForTimeout(2500);
  await page.click("[data-record]");
  await page.click("button:has-text('Keep this take')");
  await page.waitForSelector("#track .track-spoken", { timeout: 30000 });
  await says("[data-whole]", "Under narration music is quieter by");
  const spoken = "li:has([name=hold])";
  await page.selectOption(`${spoken} [name=hold]`, "true");
  await settled(page);
  await says(`${spoken}`, "stays until it ends");
  assert.match(await page.textContent(`${spoken} [name=hold] option:checked`), /slide \d+ stays until it ends/);
  await type("[data-whole] [name=duck]", "-9");
  assert.equal(await page.inputValue("[data-whole] [name=duck]"), "-9");
});

step("the studio's own music is listed, and taken into the order", async () => {
  const order = page.url();
  await page.goto("/music");
  await page.setInputFiles("#songs", beaten(join(server.dir, "in"), 45, "studio waltz.flac"));
  await page.click("button:has-text('Bring in')");
  await page.waitForFunction(async () => {
    if (document.body.textContent.includes("0:45.0")) return true;
    await new Promise((go) => setTimeout(go, 500));
    location.reload();
    return false;
  }, null, { timeout: 30000 });
  await page.fill("[name=mood]", "glad");
  await page.fill("[name=until]", "2020-01-01");
  await page.click("td button:has-text('Keep')");
  await says("table", "ended");
  await accessible(page, "the music");
  await page.goto("/music?text=sad");
  await says("#main", "Nothing is like that");
  await page.goto(order);
  await page.click("#musiclist button:has-text('Take')");
  await page.waitForFunction(() => document.querySelectorAll("#track .track-item").length === 4, null, { timeout: 20000 });
  const list = await (await page.request.get(`${new URL(order).pathname.replace("/soundtrack", "")}/soundtrack.m3u8`)).text();
  assert.match(list, /^#EXTM3U\n[^]*first\.flac[^]*second\.flac[^]*studio waltz\.flac\n$/);
  await page.setInputFiles("[data-playlist]", { name: "a.m3u", mimeType: "audio/x-mpegurl", buffer: Buffer.from("#EXTM3U\nno such song.mp3\n") });
  await says("#notice", "no such song.mp3");
});
