// Takes the pictures of each main view for docs/screenshots from the running
// demo: node e2e/screenshots.mjs DIR
import { execFileSync } from "node:child_process";
import { mkdtempSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
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

await page.goto("/signin");
await shot("sign-in");
await signIn(page);
await shot("day-sheet");
await page.goto("/orders/new");
await shot("new-order");
for (const [path, name] of [["/queue", "queue"], ["/deliveries", "deliveries"], ["/standins", "stand-ins"], ["/settings", "settings"]]) {
  await page.goto(path);
  await shot(name);
}
await page.goto("/orders/1");
await page.waitForSelector("#rows .slide");
await shot("order");
await page.locator("#rows .slide").nth(4).click();
await page.locator("#rows .slide").nth(6).click({ modifiers: ["Shift"] });
await page.waitForSelector("text=3 slides selected");
await page.locator("#desk").scrollIntoViewIfNeeded();
await page.evaluate(() => document.querySelector("#desk").scrollIntoView({ block: "end" }));
await shot("desk");
await page.evaluate(() => document.querySelector("#material").scrollIntoView({ block: "start" }));
await shot("deliver");

// A link is opened and closed again, so that the demo stays as it is.
await page.click("text=Make the link");
const address = new URL(await page.inputValue("#link-address"));
const phone = await browser.newContext({ baseURL, viewport: { width: 390, height: 844 } });
const visitor = await phone.newPage();
await visitor.goto(address.pathname);
await shot("watch-phone", {}, visitor);

// Frames of the theme: opening, a join half-way, two body slides, closing.
const res = await page.request.get("/renders/1/film.mp4");
const film = join(mkdtempSync(join(tmpdir(), "nelko-shots-")), "film.mp4");
writeFileSync(film, await res.body());
const times = [2.9, 4.6, 11, 17.5, 47, 58.5];
const inputs = times.flatMap((t) => ["-ss", String(t), "-i", film]);
const scaled = times.map((_, i) => `[${i}]trim=end_frame=1,scale=420:-2[f${i}]`).join(";");
const layout = times.map((_, i) => `${(i % 3) * 428}_${Math.floor(i / 3) * 244}`).join("|");
execFileSync("ffmpeg", ["-v", "error", "-y", ...inputs, "-filter_complex", `${scaled};${times.map((_, i) => `[f${i}]`).join("")}xstack=inputs=6:layout=${layout}:fill=0xe7e7e7`, "-frames:v", "1", join(dir, "tideline.png")]);
await page.goto("/orders/1#deliveries");
await page.locator("[data-link] >> text=Close").first().click();
await page.waitForSelector("[data-link]:has-text('closed')");
await browser.close();
