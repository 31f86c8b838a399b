// What must not go wrong: a worker killed in mid-render, a database that goes
// away and comes back.
import assert from "node:assert/strict";
import { join } from "node:path";
import { writeFileSync } from "node:fs";
import { after, before, test } from "node:test";
import { open, signIn } from "./browser.mjs";
import { photos, probe, song } from "./material.mjs";
import { Server } from "./server.mjs";
import { fitted, leaf, render, settled } from "./steps.mjs";

let server, browser, page, frames;

before(async () => {
  server = await Server.start();
  browser = await open();
  page = await (await browser.newContext({ baseURL: server.base })).newPage();
  await signIn(page);
  await page.goto("/orders/new");
  for (const [field, text] of Object.entries({ client: "The Terns", event: "Race", due: "2026-12-24", "detail-names": "The Terns", "detail-date": "2026" })) {
    await page.fill(`#${field}`, text);
  }
  await page.click("text=Open the order");
  const dir = join(server.dir, "in");
  await leaf(page, "Material");
  await page.setInputFiles("#files", [...photos(dir, 4), song(dir, 20)]);
  await page.waitForSelector("#material-count:has-text('4 photos, 1 song')", { timeout: 60000 });
  await leaf(page, "Running order");
  await fitted(page);
  frames = Number(await page.getAttribute("#work", "data-frames"));
});
after(async () => {
  await browser?.close();
  await server?.stop();
});

test("a render goes on by itself after the worker was killed", async () => {
  await leaf(page, "Deliveries");
  await render(page);
  await page.waitForFunction(() => /[1-9]\d+ of \d+ frames/.test(document.querySelector("#renders").textContent), null, { timeout: 60000 });
  await server.kill("SIGKILL");
  assert.equal(server.sql("SELECT state FROM renders"), "running", "the queue does not know yet");
  await server.serve();
  await page.waitForSelector("[data-state='done']", { timeout: 240000 });
  assert.equal(server.sql("SELECT attempt FROM renders"), "2");
  const res = await page.request.get("/renders/1/film.mp4");
  const path = join(server.dir, "film.mp4");
  writeFileSync(path, await res.body());
  assert.equal(probe(path).frames, frames);
});

test("the database goes away and comes back: no restart, no upload lost", async () => {
  await page.goto("/orders/1/material");
  await page.waitForSelector("#materiallist img");
  server.stopDatabase();
  assert.equal((await page.request.get("/healthz")).status(), 503);
  await page.click("#undo");
  await page.waitForSelector("#notice:has-text('The server cannot be reached. 1 change waits here')");
  const more = photos(join(server.dir, "more"), 7).slice(4);
  await page.setInputFiles("#files", more);
  await page.waitForSelector("[data-upload-list] >> text=tries again", { timeout: 20000 });
  server.restartDatabase();
  await page.waitForSelector("#material-count:has-text('7 photos, 1 song')", { timeout: 90000 });
  await settled(page);
  assert.doesNotMatch(await page.textContent("#arithmetic"), /to the frame/, "the press on Undo was not lost");
  assert.equal((await page.request.get("/healthz")).status(), 200);
  assert.equal(server.process.exitCode, null, "the same process");
});

test("an upload that is whole on disk is taken in after a crash", async () => {
  // The database goes away between the last byte and the hand-over.
  const photo = photos(join(server.dir, "late"), 8).at(-1);
  const { readFileSync } = await import("node:fs");
  const data = readFileSync(photo);
  const meta = `filename ${Buffer.from("late.jpg").toString("base64")},order ${Buffer.from("1").toString("base64")}`;
  const tus = { "Tus-Resumable": "1.0.0" };
  const made = await page.request.post("/uploads/", { headers: { ...tus, "Upload-Length": String(data.length), "Upload-Metadata": meta } });
  assert.equal(made.status(), 201);
  // Blobs cannot be registered while this lock is held, so the server is
  // killed with the file whole and the hand-over begun.
  const { spawn } = await import("node:child_process");
  const lock = spawn("psql", [server.database, "-c", "BEGIN; LOCK TABLE media IN ACCESS EXCLUSIVE MODE; SELECT pg_sleep(600)"], { stdio: "ignore" });
  while (server.sql("SELECT count(*) FROM pg_locks WHERE mode = 'AccessExclusiveLock' AND relation = 'media'::regclass") === "0");
  const sent = page.request.patch(new URL(made.headers().location).pathname, { headers: { ...tus, "Upload-Offset": "0", "Content-Type": "application/offset+octet-stream" }, data }).catch(() => null);
  const { readdirSync, statSync } = await import("node:fs");
  const whole = () => readdirSync(join(server.dir, "var/uploads")).some((f) => !f.includes(".") && statSync(join(server.dir, "var/uploads", f)).size === data.length);
  while (!whole()) await new Promise((r) => setTimeout(r, 20));
  await server.kill("SIGKILL");
  await sent;
  server.sql("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE query LIKE '%pg_sleep(600)%' AND pid <> pg_backend_pid()");
  lock.kill();
  await server.serve();
  await page.goto("/orders/1/material");
  await page.waitForSelector("#material-count:has-text('8 photos, 1 song')", { timeout: 60000 });
});
