// Takes a picture of a page of the running demo:
//   node e2e/look.mjs PATH OUT.png [WIDTHxHEIGHT] [full]
import { open, signIn } from "./browser.mjs";

const [path, out, size = "1280x800", full] = process.argv.slice(2);
const [width, height] = size.split("x").map(Number);
const base = process.env.NELKO_BASE ?? "http://127.0.0.1:8080";
const browser = await open();
const page = await browser.newPage({ viewport: { width, height }, baseURL: base });
page.on("console", (m) => m.type() === "error" && console.error("console:", m.text()));
page.on("pageerror", (e) => console.error("page:", e.message));
await signIn(page);
await page.goto(path);
await page.waitForLoadState("load");
await page.waitForTimeout(1200);
for (const selector of process.argv.slice(6)) await page.click(selector);
if (process.argv.length > 6) await page.waitForTimeout(1200);
await page.screenshot({ path: out, fullPage: full === "full" });
await browser.close();
