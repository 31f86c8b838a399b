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
export async function accessible(page, where) {
  const { violations } = await new AxeBuilder({ page }).withTags(["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]).analyze();
  assert.deepEqual(violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.target).join(", ")}`), [], where);
}
