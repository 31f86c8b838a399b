// Writes what outside references say into test data: node scripts/references.mjs
// Easing curves: the package bezier-easing, at 101 points of each curve.
import { readFileSync, writeFileSync } from "node:fs";
import bezier from "bezier-easing";

const { version } = JSON.parse(readFileSync("node_modules/bezier-easing/package.json"));
const curves = { ease: [0.25, 0.1, 0.25, 1], "ease-in": [0.42, 0, 1, 1], "ease-out": [0, 0, 0.58, 1], "ease-in-out": [0.42, 0, 0.58, 1], "cubic-bezier(0.68, -0.55, 0.27, 1.55)": [0.68, -0.55, 0.27, 1.55] };
const values = {};
for (const [name, points] of Object.entries(curves)) {
  const at = bezier(...points);
  values[name] = Array.from({ length: 101 }, (_, i) => Number(at(i / 100).toFixed(6)));
}
writeFileSync("internal/core/framing/testdata/easing.json", `${JSON.stringify({ source: `bezier-easing ${version}`, values })}\n`);
