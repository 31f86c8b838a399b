// What the browser tests share.
import assert from "node:assert/strict";
import { test as unordered } from "node:test";
import { AxeBuilder } from "@axe-core/playwright";

/** Tests that build on one another: after a failure the rest says nothing. */
export function inOrder() {
  let failed = "";
  return (name, work) =>
    unordered(name, async (t) => {
      if (failed) return t.skip(`after: ${failed}`);
      failed = name;
      await work(t);
      failed = "";
    });
}

/** Fails where a page breaks a rule of WCAG 2.2 at level AA that axe knows. */
export async function accessible(page, where, within = "body") {
  // A head that stays covers what is scrolled below it.
  await page.evaluate(() => scrollTo(0, 0));
  const { violations } = await new AxeBuilder({ page }).include(within).withTags(["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]).analyze();
  assert.deepEqual(violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.target).join(", ")}`), [], where);
}

/** Renders, also where there is something to look at first. */
export async function render(page) {
  await page.click("#render");
  if ((await page.locator("#beforerendering .notice").count()) > 0) await page.click("dialog >> text=Render all the same");
}

/** Fits to the music, with shorter pictures than usual where that takes them. */
export async function fitted(page) {
  await page.waitForSelector("#arithmetic:has-text('— music')");
  if (await page.isEnabled("#fit-music")) await page.click("#fit-music");
  await settled(page);
  await page.waitForSelector("#orderhead:not([data-cannot]), #remedies", { state: "attached" });
  const shorter = page.locator("#remedies button[value='shorter pictures']");
  if ((await shorter.count()) > 0) await shorter.click();
  await page.waitForSelector("#arithmetic:has-text('to the frame')");
  await settled(page);
}

/** Goes to a leaf of the order that is open. */
export async function leaf(page, name) {
  await page.click(`.leaves a:has-text('${name}')`);
  await page.waitForSelector(`.leaves a[aria-current]:has-text('${name}')`);
  await page.waitForLoadState("load"); // its scripts too
}

/** Waits until every change was answered. */
export const settled = (page) => page.waitForSelector("#order[data-pending='0']", { state: "attached" });

/** Chooses a slide by its position and waits until the margin shows it. */
export async function chooseSlide(page, n, x = 40) {
  const slide = page.locator("#rows .slide").nth(n);
  const id = await slide.getAttribute("data-slide");
  await slide.click({ position: { x, y: 20 } });
  await page.waitForSelector(`#margin[data-shown$="|${id}"]`);
}
