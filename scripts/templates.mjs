// Lines of templates that are wider than 110 columns and can be broken: prints FILE:LINE of each, or
// with --fix breaks them. A line is broken where that changes nothing of what is drawn: inside an
// action, between attributes, between classes, at a space of a text, and beside the tags of blocks.
// What lies in <pre>, <textarea>, <title> and <option>, and values of attributes, stay as they are.
import { readFileSync, writeFileSync } from "node:fs";

const most = 110;
const blocks = new Set(("address article aside body datalist dd details dialog div dl dt fieldset figure footer form h1 h2 h3 " +
  "head header hr html li link main meta nav ol option p script section select summary table tbody td template th thead tr ul")
  .split(" "));
const kept = new Set(["pre", "textarea", "title", "option"]);

// Where each kind of break is preferred, best first: beside a block, in an action, between attributes,
// in a text, between classes.
const kinds = ["block", "action", "attribute", "text", "class"];

// breaks finds the places of a template where a line may end: the index of the white space that
// becomes the line's end, or of what begins the next line.
function breaks(text) {
  const at = new Map();
  let tag = null; // the tag that is open, as { name, closing, attribute, quote }
  let verbatim = ""; // the element whose text is kept
  let i = 0;
  const space = (c) => c === " " || c === "\n" || c === "\t";
  while (i < text.length) {
    if (text.startsWith("{{", i)) {
      let quote = "";
      const comment = text.startsWith("/*", i + 2) || text.startsWith("- /*", i + 2);
      for (i += 2; i < text.length && !(quote === "" && text.startsWith("}}", i)); i++) {
        const c = text[i];
        if (comment) {
          if (space(c) && text[i - 1] !== "-" && text[i + 1] !== "-") at.set(i, "action");
        } else if (quote) {
          if (c === "\\" && quote === '"') i++;
          else if (c === quote) quote = "";
        } else if (c === '"' || c === "`") quote = c;
        else if (space(c) && text[i - 1] !== "-" && text[i + 1] !== "-") at.set(i, "action");
      }
      i += 2;
      continue;
    }
    const c = text[i];
    if (tag?.quote) {
      if (c === tag.quote) tag.quote = "";
      else if (space(c) && tag.attribute === "class") at.set(i, "class");
    } else if (tag) {
      if (c === '"' || c === "'") {
        tag.quote = c;
        tag.attribute = /([\w:-]+)=$/.exec(text.slice(Math.max(0, i - 40), i))?.[1] ?? "";
      } else if (space(c)) at.set(i, "attribute");
      else if (c === ">") {
        if (blocks.has(tag.name) && !verbatim) at.set(i + 1, "block");
        if (kept.has(tag.name)) {
          if (!tag.closing) verbatim = tag.name;
          else if (verbatim === tag.name) verbatim = "";
          if (tag.closing || verbatim) at.delete(i + 1);
        }
        if (tag.preformed && !tag.closing) verbatim = tag.name;
        if (tag.closing && verbatim === tag.name) verbatim = "";
        tag = null;
      } else if (text.startsWith("whitespace-pre", i)) tag.preformed = true;
    } else if (c === "<" && /^<\/?[a-zA-Z]/.test(text.slice(i, i + 3))) {
      const m = /^<(\/?)([a-zA-Z][\w-]*)/.exec(text.slice(i, i + 30));
      tag = { name: m[2].toLowerCase(), closing: m[1] !== "", attribute: "", quote: "" };
      if (blocks.has(tag.name) && !verbatim) at.set(i, "block");
      i += m[0].length;
      continue;
    } else if (space(c) && !verbatim) at.set(i, "text");
    if (tag?.quote && text.startsWith("whitespace-pre", i)) tag.preformed = true;
    i++;
  }
  return at;
}

// wrap gives a template with its wide lines broken, and which were.
function wrap(text) {
  const at = breaks(text);
  const wide = [];
  const out = [];
  let start = 0;
  text.split("\n").forEach((line, n) => {
    const end = start + line.length;
    const indent = /^ */.exec(line)[0];
    const next = `${indent}    `;
    let from = start;
    let before = "";
    let broken = false;
    while (before.length + end - from > most) {
      let best = -1;
      const last = from + most - before.length;
      for (const kind of kinds) {
        const enough = kind === "block" || kind === "action" ? 45 : 25;
        for (let i = last; i > from + enough; i--) {
          if (at.get(i) === kind && text.slice(from, i).trim() && text.slice(i, end).trim()) {
            best = i;
            break;
          }
        }
        if (best >= 0) break;
      }
      if (best < 0) {
        // Nothing is narrow enough: the first place at all.
        for (let i = last + 1; i < end && best < 0; i++) {
          if (at.has(i) && text.slice(i, end).trim()) best = i;
        }
        if (best < 0) break;
      }
      out.push(before + text.slice(from, best).trimEnd());
      from = best;
      while (text[from] === " ") from++;
      before = next;
      broken = true;
    }
    out.push(before + text.slice(from, end));
    if (broken) wide.push(n + 1);
    start = end + 1;
  });
  return { text: out.join("\n"), wide };
}

const fix = process.argv[2] === "--fix";
for (const file of process.argv.slice(fix ? 3 : 2)) {
  const was = readFileSync(file, "utf8");
  const { text, wide } = wrap(was);
  if (!fix) {
    for (const n of wide) console.log(`${file}:${n}`);
  } else if (text !== was) {
    if (text.replace(/\s/g, "") !== was.replace(/\s/g, "")) throw new Error(`${file} would be another`);
    writeFileSync(file, text);
  }
}
