// Cells on the clipboard, as other programs write and read them: a row a line,
// tabs between cells, quotation marks around what has one of these in it.

/** Rows of cells as text. */
export const write = (rows) => rows.map((row) => row.map((c) => (/["\t\n\r]/.test(c) ? `"${c.replaceAll('"', '""')}"` : c)).join("\t")).join("\n");

/** Text as rows of cells. Marks count only where a cell begins with one. */
export function read(text) {
  const rows = [[]];
  let i = 0;
  while (i < text.length) {
    let cell = "";
    if (text[i] === '"') {
      const end = closing(text, i);
      if (end > 0) {
        cell = text.slice(i + 1, end).replaceAll('""', '"');
        i = end + 1;
      }
    }
    while (i < text.length && !"\t\n\r".includes(text[i])) cell += text[i++];
    rows.at(-1).push(cell);
    if (text[i] === "\t") {
      i++;
      if (i === text.length || "\n\r".includes(text[i])) rows.at(-1).push("");
    }
    if (text[i] === "\r") i++;
    if (text[i] === "\n") {
      i++;
      if (i < text.length) rows.push([]);
    }
  }
  return rows;
}

/** Where a cell that begins with a mark ends: at a mark before the end of the
 *  cell, or nowhere. */
function closing(text, from) {
  for (let i = from + 1; i < text.length; i++) {
    if (text[i] !== '"') continue;
    if (text[i + 1] === '"') i++;
    else return i + 1 === text.length || "\t\n\r".includes(text[i + 1]) ? i : -1;
  }
  return -1;
}
