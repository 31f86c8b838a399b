// Prints the lines of Go files that are wider than 110 columns (a tab is four): FILE:LINE. What
// cannot be broken is left alone: a raw string, and a line with a long string of its own.
import { readFileSync } from "node:fs";

const most = 110;
for (const file of process.argv.slice(2)) {
  let raw = false;
  readFileSync(file, "utf8").split("\n").forEach((line, i) => {
    const inside = raw;
    if ((line.match(/`/g) ?? []).length % 2) raw = !raw;
    if ([...line.replaceAll("\t", "    ")].length <= most) return;
    if (inside || line.includes("`") || /"(?:[^"\\]|\\.){50,}"/.test(line)) return;
    console.log(`${file}:${i + 1}`);
  });
}
