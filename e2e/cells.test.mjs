// Cells on the clipboard come through letter by letter, both ways.
import assert from "node:assert/strict";
import { test } from "node:test";
import { read, write } from "../web/scripts/cells.mjs";

test("what other programs put on the clipboard is read", () => {
  for (const [text, cells] of [
    ["a\tb\nc\td\n", [["a", "b"], ["c", "d"]]],
    ["a\tb\r\nc\td", [["a", "b"], ["c", "d"]]],
    ["one", [["one"]]],
    ["a\t\tb\n\t\n", [["a", "", "b"], ["", ""]]],
    ['"two\nlines"\t"tab\there"\t"he said ""no"""', [["two\nlines", "tab\there", 'he said "no"']]],
    ['The "Old" Gannets\t"Quoted" and more', [['The "Old" Gannets', '"Quoted" and more']]],
    ['"never closed\tb', [['"never closed', "b"]]],
    ["a\n\nb", [["a"], [""], ["b"]]],
  ]) assert.deepEqual(read(text).map((r) => (r.length === 0 ? [""] : r)), cells, JSON.stringify(text));
});

test("what is written is read again as it was", () => {
  const letters = ["a", '"', "\t", "\n", " ", "é", "山", "'", ""];
  let seed = 7;
  const next = (n) => (seed = (seed * 48271) % 2147483647) % n;
  for (let i = 0; i < 2000; i++) {
    const wide = 1 + next(4);
    const cells = Array.from({ length: 1 + next(4) }, () => Array.from({ length: wide }, () => Array.from({ length: next(6) }, () => letters[next(letters.length)]).join("")));
    if (cells.at(-1).every((c) => c === "")) cells.at(-1)[0] = "x"; // an empty last row is the end of the line before
    if (wide === 1) for (const row of cells) row[0] ||= "x";
    assert.deepEqual(read(write(cells)), cells, JSON.stringify(cells));
  }
});
