// Takes the pictures of each main view for docs/screenshots from the running
// demo: node e2e/screenshots.mjs DIR
import { join } from "node:path";
import { open, signIn } from "./browser.mjs";

const dir = process.argv[2];
const baseURL = process.env.NELKO_BASE ?? "http://127.0.0.1:8080";
const browser = await open();
const context = await browser.newContext({ baseURL, viewport: { width: 1280, height: 800 } });
const page = await context.newPage();
const shot = async (name, options = {}, on = page) => {
  await on.waitForTimeout(900);
  await on.screenshot({ path: join(dir, `${name}.png`), ...options });
  console.log(name);
};

await signIn(page);
await shot("day-sheet");
await page.goto("/queue");
await shot("queue");
// The Run, with the cell chosen that misses a name.
await page.goto("/runs/1");
await page.waitForSelector("#runrows tr");
await page.click("#runrows tr:nth-child(5) [data-role='detail:names']");
await shot("run");
await page.goto("/runs/1/proofread");
await page.waitForFunction(() => [...document.querySelectorAll(".proofs img")].slice(0, 6).every((i) => i.naturalWidth > 0), null, { timeout: 60000 });
await shot("proofread");
await page.goto("/runs/1/out");
await shot("run-out");
await page.goto("/orders/1");
await page.waitForSelector("#rows .slide");
await shot("order");
await page.locator("#rows .slide").nth(3).click({ position: { x: 20, y: 20 } });
await page.waitForSelector("#kind-pictures");
await page.click("#kind-pictures");
await page.click("summary:has-text('Crop and frame')");
for (const [name, values] of [["begins", [4, 6, 92, 92]], ["ends", [38, 30, 52, 52]]]) {
  for (const [i, side] of ["x", "y", "w", "h"].entries()) await page.fill(`[name=${name}-${side}]`, String(values[i]));
}
await page.locator("summary:has-text('Crop and frame')").scrollIntoViewIfNeeded();
await shot("framing");
await page.reload();
await page.waitForSelector("#rows .slide");
await page.locator("#rows .slide").nth(4).click({ position: { x: 20, y: 20 } });
await page.locator("#rows .slide").nth(6).click({ modifiers: ["Shift"], position: { x: 20, y: 20 } });
await page.waitForSelector("#margin:has-text('3 slides')");
await page.click("#kind-look");
await page.waitForFunction(() => [...document.querySelectorAll("#panel-look .taste img")].length > 5 && [...document.querySelectorAll("#panel-look .taste img")].every((i) => i.naturalWidth > 0));
await shot("desk");
await page.click("#kind-slide");
for (const leaf of ["material", "soundtrack", "check"]) {
  await page.goto(`/orders/1/${leaf}`);
  await shot(leaf);
}
// The page on which a client sends material in, on a phone.
await page.goto("/orders/1/material");
await page.click("#ways-in summary");
await page.click("text=Open a page for the client");
await page.waitForSelector("#client-page");
const bring = new URL(await page.getAttribute("#client-page", "href")).pathname;
const phoneIn = await (await browser.newContext({ baseURL, viewport: { width: 390, height: 844 }, isMobile: true, hasTouch: true, deviceScaleFactor: 2 })).newPage();
await phoneIn.goto(bring);
await phoneIn.waitForFunction(() => document.querySelector("#opening")?.naturalWidth > 0);
await shot("bring-phone", {}, phoneIn);
await page.click("text=Close it");
await page.waitForSelector("text=Open a page for the client");
await page.goto("/orders/1/deliveries");

// A disc, one copy of which is burned and the next one asks for a blank.
if (!(await page.locator("#discs:has-text('every button tried')").count())) {
  await page.click("#press");
  await page.waitForSelector("#discs:has-text('every button tried')", { timeout: 300000 });
}
await page.fill("[aria-label^='Copies of']", "2");
await page.click("#discs button:has-text('Burn')");
await page.waitForSelector("#notice:has-text('Burner')");
await page.goto("/burner");
await page.waitForSelector("text=Take the finished disc out", { timeout: 60000 });
await page.click("[data-burn] >> text=Cancel");
await page.goto("/orders/1/deliveries");
await page.click("text=Step through it");
await page.waitForFunction(() => document.getElementById("television").readyState > 1, null, { timeout: 30000 });
await shot("disc");
await page.goto("/deliveries");
await shot("deliveries");
await page.goto("/orders/1/deliveries");

// A link is opened and closed again, so that the demo stays as it is.
await page.click("text=Make the link");
const address = new URL(await page.inputValue("#link-address"));
const phone = await browser.newContext({ baseURL, viewport: { width: 390, height: 844 } });
const visitor = await phone.newPage();
await visitor.goto(address.pathname);
await shot("watch-phone", {}, visitor);
await shot("deliver");

// A proof with a remark, on a link that is closed again.
await page.goto("/orders/3/deliveries");
while (await page.locator("[data-link]:has-text('(proof)') button:has-text('Close')").count()) {
  await page.locator("[data-link]:has-text('(proof)') button:has-text('Close')").first().click();
  await page.waitForTimeout(500);
}
await page.uncheck("#makeproof [name=mail]");
await page.click("#sendproof");
await page.waitForFunction(() => document.getElementById("link-address")?.value);
const proof = new URL(await page.inputValue("#link-address"));
await page.waitForFunction(() => !/being made/.test(document.getElementById("proofstate").textContent), null, { timeout: 180000 });
const client = await browser.newContext({ baseURL, viewport: { width: 1280, height: 1000 } });
const looker = await client.newPage();
await looker.goto(proof.pathname);
await looker.evaluate(() => (document.getElementById("film").currentTime = 14.2));
await looker.waitForFunction(() => Number(document.getElementById("seconds").value) > 14 && document.getElementById("film").readyState > 1, null, { timeout: 30000 });
if (!(await looker.locator("#remarks li").count())) {
  await looker.fill("#who", "Ines Tarrant");
  await looker.fill("#text", "Could this one stay a little longer?");
  await looker.click("text=Send the remark");
  await looker.waitForSelector("#remarks li");
  await looker.waitForFunction(() => document.getElementById("film").readyState > 1 && document.getElementById("film").currentTime > 14);
}
await shot("proof", {}, looker);
await page.locator("[data-link]:has-text('(proof)') button:has-text('Close')").first().click();

// The picker, once its loops move.
await page.goto("/orders/1/themes");
await page.waitForFunction(() => [...document.querySelectorAll("video[data-loop]")].slice(0, 3).every((v) => v.currentTime > 1.5), null, { timeout: 180000 });
await shot("themes");
await page.goto("/orders/1/deliveries");
await page.locator("[data-link] >> text=Close").first().click();
await page.waitForSelector("[data-link]:has-text('closed')");
await browser.close();
