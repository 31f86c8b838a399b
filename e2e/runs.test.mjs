// A Run as an operator makes one: a list and folders dropped, exceptions
// mended, all films rendered, cards and links. What the operator does is
// counted.
import assert from "node:assert/strict";
import { appendFileSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before } from "node:test";
import { open, signIn } from "./browser.mjs";
import { photos, song } from "./material.mjs";
import { Server } from "./server.mjs";
import { accessible, inOrder } from "./steps.mjs";

let server, browser, page, errors, tree;
const test = inOrder();
const crews = ["The Gannets", "Harbour Lights", "", "Dunlin Eight"];

// A gesture is a click, a key or a drop.
let gestures = 0;
const click = (selector) => (gestures++, page.click(selector));
const press = (key) => (gestures++, page.keyboard.press(key));

/** Drops files, with the paths they have below a folder, onto the page. */
async function drop(files) {
  gestures++;
  const items = files.map(({ path, name, type }) => ({ path, type, base64: readFileSync(name).toString("base64") }));
  await page.evaluate((list) => {
    const tree = { dirs: {}, files: [] };
    for (const { path, type, base64 } of list) {
      const parts = path.split("/");
      let at = tree;
      for (const p of parts.slice(0, -1)) at = at.dirs[p] ??= { dirs: {}, files: [] };
      at.files.push(new File([Uint8Array.from(atob(base64), (c) => c.charCodeAt(0))], parts.at(-1), { type }));
    }
    // What a browser gives for a dropped tree (File and Directory Entries API).
    const file = (f) => ({ isFile: true, name: f.name, file: (yes) => yes(f) });
    const directory = (name, d) => ({
      isFile: false,
      name,
      createReader: () => {
        let left = [...Object.entries(d.dirs).map(([n, x]) => directory(n, x)), ...d.files.map(file)];
        return { readEntries: (yes) => (yes(left), (left = [])) };
      },
    });
    const entries = [...Object.entries(tree.dirs).map(([n, x]) => directory(n, x)), ...tree.files.map(file)];
    const event = new Event("drop", { bubbles: true, cancelable: true });
    const one = new DataTransfer();
    for (const f of tree.files) one.items.add(f);
    event.dataTransfer = { types: ["Files"], files: one.files, items: entries.map((e) => ({ webkitGetAsEntry: () => e })) };
    document.body.dispatchEvent(event);
  }, items);
}

before(async () => {
  server = await Server.start();
  browser = await open();
  const context = await browser.newContext({ baseURL: server.base, viewport: { width: 1280, height: 800 }, permissions: ["clipboard-read", "clipboard-write"], acceptDownloads: true });
  page = await context.newPage();
  errors = [];
  page.on("pageerror", (e) => errors.push(e.message));
  page.on("console", (m) => /Content.Security/i.test(m.text()) && errors.push(m.text()));
  tree = mkdtempSync(join(tmpdir(), "nelko-run-"));
  writeFileSync(join(tree, "crews.csv"), `Key;Crew;Date;Coach\r\n${crews.map((c, i) => `0${i + 1};${c};12 September 2026;B. Reed`).join("\r\n")}\r\n`);
});
after(async () => {
  await browser?.close();
  await server?.stop();
  if (tree) rmSync(tree, { recursive: true, force: true });
});

test("a dropped list begins the Run", async () => {
  gestures++; // the key that sends the sign-in
  await signIn(page);
  await click("a:has-text('New Run')");
  await accessible(page, "new Run");
  await page.fill("#name", "Lantern Regatta");
  await drop([{ path: "crews.csv", name: join(tree, "crews.csv"), type: "text/csv" }]);
  await page.waitForSelector("#row-1, #runrows tr");
  assert.equal(await page.locator("#runrows tr").count(), 4);
  await page.waitForSelector("#summary:has-text('4 films')");
  assert.match(await page.textContent("#runrows tr:nth-child(3)"), /names missing/);
});

test("dropped folders find their rows, and what is doubtful is asked", async () => {
  const pictures = photos(join(tree, "photos"), 9);
  const files = [{ path: "Crews/song.flac", name: song(tree, 20, "song.flac"), type: "audio/flac" }, { path: "Crews/quay.jpg", name: pictures[8], type: "image/jpeg" }];
  for (const [i, folder] of ["The Gannets", "HarbourLights", "03"].entries()) for (const k of [0, 1]) files.push({ path: `Crews/${folder}/p${k}.jpg`, name: pictures[i * 2 + k], type: "image/jpeg" });
  await drop(files);
  await page.waitForSelector("#questions:has-text('HarbourLights')", { timeout: 60000 });
  assert.match(await page.textContent("#questions"), /02 Harbour Lights\?/);
  await press("y");
  await page.waitForSelector("#questions", { state: "detached", timeout: 30000 });
  await page.waitForFunction(() => [...document.querySelectorAll("#runrows tr")].slice(0, 3).every((tr) => tr.querySelector("[data-role='pictures'] a")?.textContent === "2"), null, { timeout: 60000 });
  await page.waitForFunction(() => document.querySelector("#runrows tr [data-role='fit']").textContent.includes("0:20.0 / 0:20.0"), null, { timeout: 60000 });
  await accessible(page, "sheet of a Run");
});

test("one key shows what needs a person, and it is typed in", async () => {
  await page.evaluate(() => document.activeElement.blur());
  await page.waitForFunction(() => document.querySelectorAll("#runrows tr[data-needs]").length === 2);
  await press("e");
  await page.waitForFunction(() => [...document.querySelectorAll("#runrows tr")].filter((tr) => !tr.hidden).length === 2);
  // A correction: not counted.
  assert.equal(await page.evaluate(() => document.activeElement.dataset.role), "detail:names");
  await page.keyboard.type("The Shearwaters");
  await page.keyboard.press("Enter");
  await page.waitForSelector("#run[data-pending='0']", { state: "attached" });
  await page.waitForFunction(() => !document.querySelector("#runrows tr:nth-child(3)").hasAttribute("data-needs"));
  assert.match(await page.textContent("#runrows tr:nth-child(3) [data-role='detail:names']"), /The Shearwaters/);
  await press("Alt+e");
  assert.match(await page.textContent("#runfoot"), /3 films, 0:20\.0 each/);
  assert.match(await page.textContent("#runfoot"), /left out: no pictures \(04\)/);
});

test("all that are ready are rendered with one press, and the rows change in place", async () => {
  await click("#renderall");
  await page.waitForSelector("#notice:has-text('3 films queued')");
  await page.waitForFunction(() => document.querySelector("#summary").textContent.includes("3 rendered"), null, { timeout: 240000 });
});

test("links and cards for all", async () => {
  await click("#makelinks");
  await page.waitForSelector("#notice:has-text('3 links made')");
  await click("a:has-text('Out')");
  await accessible(page, "what goes out");
  const [pdf] = await Promise.all([page.waitForEvent("download"), click("#cards")]);
  assert.match(readFileSync(await pdf.path()).toString("latin1"), /^%PDF-/);
  const [csv] = await Promise.all([page.waitForEvent("download"), page.click("a:has-text('Links as CSV')")]);
  const links = readFileSync(await csv.path(), "utf8");
  assert.match(links, /03,The Shearwaters,,The Shearwaters,http/);
  const [zip] = await Promise.all([page.waitForEvent("download"), page.click("a:has-text('Films as a zip')")]);
  assert.match(readFileSync(await zip.path()).toString("latin1"), /02 Harbour Lights\.mp4/);
  // A client opens one of them.
  const address = links.match(/http[^,]+/)[0];
  const answer = await page.request.get(server.base + new URL(address).pathname);
  assert.equal(answer.status(), 200);
  console.log(`gestures=${gestures}`);
  if (process.env.NELKO_GESTURES) appendFileSync(process.env.NELKO_GESTURES, `gestures=${gestures}\n`);
  assert.ok(gestures <= 12, `${gestures} gestures`);
});

const text = (row, role) => page.textContent(`#runrows tr:nth-child(${row}) [data-role="${role}"]`);
const cell = (row, role) => page.locator(`#runrows tr:nth-child(${row}) [data-role="${role}"]`);
const kept = () => page.waitForSelector("#run[data-pending='0']", { state: "attached" });

test("acts are for the chosen rows alone", async () => {
  await page.goto("/runs/1");
  assert.equal(await page.locator("#chosenrows").isVisible(), false);
  await cell(1, "detail:names").click();
  await page.keyboard.press("Shift+ArrowDown");
  await page.waitForSelector("#chosenrows:has-text('2 rows chosen')");
  await page.click("#chosenrows button:has-text('Cancel films')");
  await page.waitForSelector("#notice:has-text('0 films cancelled')");
  await page.waitForSelector("#chosenrows:has-text('2 rows chosen')");
  await page.click("#chosenrows button:has-text('Make links')");
  await page.waitForSelector("#notice:has-text('0 links made')");
});

test("it is used like a sheet of cells", async () => {
  await page.goto("/runs/1");
  await cell(1, "detail:names").click();
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("Shift+ArrowDown");
  await page.keyboard.press("Control+c");
  assert.equal(await page.evaluate(() => navigator.clipboard.readText()), "Harbour Lights\nThe Shearwaters");
  // Typing, Enter down, Tab across.
  await cell(1, "detail:date").click();
  await page.keyboard.type("13 May");
  await page.keyboard.press("Enter");
  await page.keyboard.type("14 May");
  await page.keyboard.press("Tab");
  assert.equal(await page.evaluate(() => document.activeElement.dataset.role), "pictures");
  await kept();
  assert.equal(await text(1, "detail:date"), "13 May");
  assert.equal(await text(2, "detail:date"), "14 May");
  // A range from another program.
  await page.evaluate(() => navigator.clipboard.writeText('The "Old" Gannets\tFriday\n"Two\nLines"\tSaturday\n'));
  await cell(1, "detail:names").click();
  await page.keyboard.press("Control+v");
  await kept();
  await page.waitForFunction(() => document.querySelector("#runrows tr:nth-child(2) [data-role='detail:names']").dataset.text === "Two\nLines" && !document.querySelector("td.waits"));
  assert.equal(await text(1, "detail:names"), 'The "Old" Gannets');
  assert.equal(await text(2, "detail:date"), "Saturday");
  // Fill down, and undo all of it step by step.
  await cell(1, "detail:date").click();
  await page.keyboard.press("Control+Shift+ArrowDown");
  await page.keyboard.press("Control+d");
  await kept();
  await page.waitForFunction(() => document.querySelector("#runrows tr:nth-child(4) [data-role='detail:date']").dataset.text === "Friday" && !document.querySelector("td.waits"));
  for (let i = 0; i < 4; i++) await page.keyboard.press("Control+z");
  await kept();
  await page.waitForFunction(() => document.querySelector("#runrows tr:nth-child(1) [data-role='detail:date']").dataset.text === "12 September 2026");
  await page.waitForFunction(() => document.querySelector("#runrows tr:nth-child(2) [data-role='detail:names']").dataset.text === "Harbour Lights");
  // What cannot be is refused with its row, and the cell shows what stands.
  await cell(2, "key").click();
  await page.keyboard.type("01");
  await page.keyboard.press("Enter");
  await page.waitForSelector("#notice:has-text('Another row has the key')");
  await page.waitForFunction(() => document.querySelector("#runrows tr:nth-child(2) [data-role='key']").textContent === "02");
});

test("what is typed survives a reload and a server that is away", async () => {
  await page.route("**/cells", (route) => route.abort());
  await cell(1, "detail:names").click();
  await page.keyboard.type("Typed while away");
  await page.keyboard.press("Enter");
  await page.waitForSelector("#notice:has-text('cannot be reached')");
  await page.reload();
  await page.unroute("**/cells");
  await page.waitForFunction(() => document.querySelector("#runrows tr:nth-child(1) [data-role='detail:names']").dataset.text === "Typed while away" && document.querySelector("#run").dataset.pending === "0", null, { timeout: 20000 });
  await page.reload();
  assert.equal(await text(1, "detail:names"), "Typed while away");
  await page.keyboard.press("Control+z");
  await page.waitForFunction(() => document.querySelector("#runrows tr:nth-child(1) [data-role='detail:names']").dataset.text === "The Gannets");
});

test("a corrected list is compared, shown and taken", async () => {
  writeFileSync(join(tree, "crews.csv"), "Key;Crew;Date;Coach\r\n01;The Gannet Crew;12 September 2026;B. Reed\r\n02;Harbour Lights;12 September 2026;B. Reed\r\n03;;12 September 2026;B. Reed\r\n05;Old Tidemill;12 September 2026;x\r\n");
  await drop([{ path: "crews.csv", name: join(tree, "crews.csv"), type: "text/csv" }]);
  await page.waitForSelector("#proposal:has-text('1 name changed, 1 new row, 1 gone')", { timeout: 20000 });
  await page.click("#proposal button:text-is('Take it')");
  await page.waitForSelector("#proposal", { state: "detached" });
  await page.waitForFunction(() => document.querySelectorAll("#runrows tr").length === 4 && document.querySelector("#runrows").textContent.includes("Old Tidemill"));
  assert.equal(await text(1, "detail:names"), "The Gannet Crew");
  assert.equal(await text(3, "detail:names"), "The Shearwaters", "typed by hand, and the list says nothing new");
  assert.match(await page.textContent("#summary"), /1 kept aside/);
});

test("a row opens as an order, with the rows before and after, and follows the pattern", async () => {
  await page.goto("/runs/1");
  await cell(1, "detail:names").click();
  await page.keyboard.press("Alt+o");
  await page.waitForSelector("#inrun:has-text('all as the pattern has it')");
  await page.keyboard.press("Alt+PageDown");
  await page.waitForSelector("h1:has-text('Harbour Lights')");
  await page.waitForSelector("#inrun a[rel='prev']");
  await page.fill("#pace", "3");
  await page.click("#fit button:text-is('Hold')");
  await page.waitForSelector("#inrun button:has-text('fit ×')");
  await page.click("#inrun button:has-text('fit ×')");
  await page.waitForSelector("#inrun:has-text('all as the pattern has it')");
  await accessible(page, "a row as an order");
  // The pattern, seen as another row; a change says what it touches first.
  await page.goto("/runs/1");
  await page.click("a:has-text('Pattern')");
  await page.waitForSelector("#inrun:has-text('Pattern of')");
  await page.selectOption("#seeas", { label: "02 Harbour Lights" });
  await page.waitForFunction(() => document.querySelector("[name='detail-names'], #detail-names")?.value === "Harbour Lights" || document.body.textContent.includes("Seen as"));
  await page.fill("#detail-message", "Well rowed");
  await page.locator("#detail-message").press("Tab");
  await page.waitForSelector("#inrun:has-text('changed since the rows followed it')");
  await page.goto("/runs/1");
  await page.waitForSelector("#impact:has-text('frames to make anew')", { timeout: 30000 });
  await page.click("#told button");
  await page.waitForSelector("#told", { state: "detached", timeout: 20000 });
  assert.match(await text(1, "detail:message"), /Well rowed/);
});

test("names are proofread as they will be seen, and corrected there", async () => {
  await page.click("a:has-text('Names to proofread')");
  await page.waitForFunction(() => [...document.querySelectorAll(".proofs img")].slice(0, 2).every((i) => i.naturalWidth === 640), null, { timeout: 30000 });
  await accessible(page, "names to proofread");
  const before = await page.getAttribute(".proofs li:nth-child(2) img", "src");
  await page.fill(".proofs li:nth-child(2) [data-names]", "Harbour Light");
  await page.keyboard.press("Enter");
  await page.waitForFunction((src) => document.querySelector(".proofs li:nth-child(2) img").getAttribute("src") !== src, before);
  const pdf = await page.request.get("/runs/1/proofread.pdf?of=opening");
  assert.equal(pdf.status(), 200);
  assert.match((await pdf.body()).toString("latin1"), /^%PDF-/);
  for (const of of ["closing", "strip", "slide"]) {
    await page.goto(`/runs/1/proofread?of=${of}`);
    await page.waitForFunction(() => document.querySelector(".proofs img")?.naturalWidth > 0, null, { timeout: 30000 });
  }
});

test("no script of the pages failed", () => assert.deepEqual(errors, []));
