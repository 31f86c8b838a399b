// Measures the running order's page with so many slides, as an operator in a
// hurry meets it: prints name=value. Run by `nelko bench ui`.
import { join } from "node:path";
import { open, signIn } from "./browser.mjs";
import { manyPhotos, song } from "./material.mjs";
import { Server } from "./server.mjs";
import { leaf, settled } from "./steps.mjs";

const count = Number(process.argv[2] ?? 300);
const server = await Server.start();
const browser = await open();
let failed = false;
try {
  const page = await (await browser.newContext({ baseURL: server.base, viewport: { width: 1280, height: 800 }, bypassCSP: true })).newPage();
  await signIn(page);
  await page.goto("/orders/new");
  for (const [field, text] of Object.entries({ client: "The Guillemots", event: "Season", due: "2026-12-24", "detail-names": "The Guillemots", "detail-date": "2026" })) await page.fill(`#${field}`, text);
  await page.click("text=Open the order");
  await leaf(page, "Material");
  await page.setInputFiles("#files", [...manyPhotos(join(server.dir, "in"), count), song(join(server.dir, "in"), 60)]);
  await page.waitForSelector(`#material-count:has-text('${count} photos, 1 song')`, { timeout: 900000 });
  await page.waitForFunction(() => !/not in the film/i.test(document.querySelector("#materiallist").textContent), null, { timeout: 120000 });

  // The page is usable when its rows are there and a key is answered.
  const opened = [];
  for (let i = 0; i < 5; i++) {
    const began = Date.now();
    await page.goto("/orders/1", { waitUntil: "commit" });
    await page.waitForFunction((n) => document.querySelectorAll("#rows .slide").length >= n && document.querySelector('#rows .slide[tabindex="0"]'), count);
    opened.push(Date.now() - began);
  }
  await settled(page);
  await page.waitForTimeout(3000);

  /** Milliseconds from a press until the page has drawn what it did. */
  const until = async (done, arg, act) => {
    await page.evaluate(
      ({ text, arg }) => {
        const is = new Function("arg", `return (${text})(arg)`);
        window.measured = new Promise((resolve, reject) => {
          setTimeout(() => reject(new Error(`waited too long: ${text}`)), 10000);
          let pressed = 0;
          const press = () => (pressed ||= performance.now());
          for (const kind of ["keydown", "pointerdown"]) document.addEventListener(kind, press, { capture: true, once: true });
          const look = () => {
            if (pressed && is(arg)) requestAnimationFrame(() => resolve(performance.now() - pressed));
            else requestAnimationFrame(look);
          };
          look();
        });
        window.measured.catch(() => {});
      },
      { text: String(done), arg },
    );
    await act();
    return page.evaluate(() => window.measured);
  };
  const slideAt = (n) => page.evaluate((i) => document.querySelectorAll("#rows .slide")[i].dataset.slide, n);
  const choose = async (n) => {
    const id = await slideAt(n);
    await page.evaluate((s) => document.getElementById(`slide-${s}`).focus(), id);
    await page.keyboard.press("Enter");
    await page.waitForSelector(`#margin[data-shown$="|${id}"]`);
    return id;
  };

  const selects = [];
  await choose(20);
  for (let i = 21; i < 81; i++) {
    const id = await slideAt(i);
    selects.push(await until((s) => document.getElementById("margin").dataset.shown.endsWith(`|${s}`) && document.querySelector("#controls h2").textContent !== "", id, () => page.keyboard.press("ArrowRight")));
  }

  const edits = { move: [], turn: [], look: [], pin: [] };
  const slide = await choose(60);
  for (let i = 0; i < 30; i++) {
    const at = await page.evaluate((s) => [...document.querySelectorAll("#rows .slide")].findIndex((g) => g.dataset.slide === s), slide);
    edits.move.push(await until(({ s, at }) => document.querySelectorAll("#rows .slide")[at + 1]?.dataset.slide === s, { s: slide, at }, () => page.keyboard.press("Alt+ArrowRight")));
    await settled(page);
  }
  await page.click("#kind-look");
  for (let i = 0; i < 20; i++) {
    const value = ["mono", "warm", "cool", "faded"][i % 4];
    edits.look.push(await until((v) => document.querySelector(`#margin .pick[name="look"][value="${v}"]`)?.getAttribute("aria-pressed") === "true", value, () => page.click(`#margin .pick[name="look"][value="${value}"]`)));
    await settled(page);
  }
  await page.click("#kind-pictures");
  for (let i = 0; i < 12; i++) {
    const to = `rotate(${(((i + 1) * 90) % 360)} 50 50)`;
    edits.turn.push(await until((t) => document.querySelector("[data-focal] image")?.getAttribute("transform") === t, to, () => page.click("[aria-label$=' right'][value='1']")));
    await settled(page);
  }

  // Ten presses a second, ten times over.
  await page.evaluate((s) => document.getElementById(`slide-${s}`).focus(), slide);
  const steps = () => Number(server.sql("SELECT count(*) FROM revisions WHERE title LIKE 'Moved%'"));
  const before = steps();
  for (let i = 0; i < 10; i++) {
    const began = Date.now();
    for (let k = 0; k < 10; k++) await page.keyboard.press(i % 2 ? "Alt+ArrowLeft" : "Alt+ArrowRight");
    await page.waitForTimeout(Math.max(0, 1000 - (Date.now() - began)));
  }
  await settled(page);
  const lost = 100 - (steps() - before);

  // Scrolling through all of it: how many frames take longer than two of 60 Hz.
  const scroll = await page.evaluate(
    () =>
      new Promise((resolve) => {
        const view = document.getElementById("work");
        view.scrollTop = 0;
        let last = performance.now();
        let slow = 0;
        let n = 0;
        const go = (now) => {
          if (now - last > 34) slow++;
          last = now;
          n++;
          view.scrollTop += 24;
          if (view.scrollTop + view.clientHeight >= view.scrollHeight - 2 || n > 1500) resolve({ slow, n });
          else requestAnimationFrame(go);
        };
        requestAnimationFrame(go);
      }),
  );

  const p95 = (all) => [...all].sort((a, b) => a - b)[Math.ceil(all.length * 0.95) - 1];
  const print = (name, value) => console.log(`${name}=${Math.round(value)}`);
  print("slides", count);
  print("page_usable_ms", p95(opened));
  print("edit_visible_p95_ms", p95(Object.values(edits).flat()));
  for (const [name, all] of Object.entries(edits)) if (all.length > 0) print(`edit_${name}_p95_ms`, p95(all));
  print("select_to_margin_p95_ms", p95(selects));
  print("keys_lost", lost);
  console.log(`scroll_slow_share=${(scroll.slow / scroll.n).toFixed(3)}`);
} catch (error) {
  failed = true;
  console.error(error);
} finally {
  await browser.close();
  await server.stop();
}
process.exit(failed ? 1 : 0);
