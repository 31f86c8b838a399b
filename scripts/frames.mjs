// Writes frames of every order's film from a running studio into a folder, or
// compares two such folders byte for byte, so that a change that must not
// change what films look like can be checked on a studio's own orders:
//   node scripts/frames.mjs http://127.0.0.1:8080 before/
//   node scripts/frames.mjs compare before/ after/
// Signs in with NELKO_EMAIL and NELKO_PASSWORD, by default as the demo's owner.
import { mkdirSync, readFileSync, readdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";

const [what, from, to] = process.argv.slice(2);
const each = 37; // frames between two that are looked at: no multiple of usual slide lengths

async function take(base, dir) {
  mkdirSync(dir, { recursive: true });
  const body = new URLSearchParams({ email: process.env.NELKO_EMAIL ?? "demo@nelko.example", password: process.env.NELKO_PASSWORD ?? "lantern-regatta" });
  const signed = await fetch(`${base}/signin`, { method: "POST", body, redirect: "manual" });
  const cookie = signed.headers.get("set-cookie")?.split(";")[0];
  if (!cookie) throw new Error(`${base}: not signed in (${signed.status})`);
  const get = async (path) => {
    const r = await fetch(base + path, { headers: { cookie, accept: "text/html" } });
    if (!r.ok) throw new Error(`${path}: ${r.status}`);
    return Buffer.from(await r.arrayBuffer());
  };
  const sheet = String(await get("/"));
  const orders = [...new Set([...sheet.matchAll(/\/orders\/(\d+)/g)].map((m) => Number(m[1])))].sort((a, b) => a - b);
  let n = 0;
  for (const order of orders) {
    const page = String(await get(`/orders/${order}`));
    const frames = Number(page.match(/data-frames="(\d+)"/)?.[1] ?? 0);
    const revision = page.match(/data-revision="(\d+)"/)?.[1];
    for (let k = 0; k < frames; k += each, n++) writeFileSync(join(dir, `${order}-${k}.jpg`), await get(`/orders/${order}/frame?n=${k}&w=640&r=${revision}`));
  }
  console.log(`${n} frames of ${orders.length} orders in ${dir}`);
}

function compare(a, b) {
  const names = readdirSync(a);
  const other = new Set(readdirSync(b));
  const differ = names.filter((n) => !other.has(n) || !readFileSync(join(a, n)).equals(readFileSync(join(b, n))));
  console.log(`${names.length} frames, ${differ.length} differ${differ.length > 0 ? `: ${differ.slice(0, 20).join(" ")}` : ""}`);
  process.exitCode = differ.length > 0 || names.length === 0 || other.size !== names.length ? 1 : 0;
}

if (what === "compare") compare(from, to);
else await take(what, from);
