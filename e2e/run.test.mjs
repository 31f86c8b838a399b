// The two commands a newcomer types: ./run, and nelko make.
import assert from "node:assert/strict";
import { execFileSync, spawn, spawnSync } from "node:child_process";
import { chmodSync, existsSync, mkdtempSync, readFileSync, readdirSync, rmSync, statSync, writeFileSync } from "node:fs";
import { connect, createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before, test } from "node:test";
import { clip, letter, photos, probe, song } from "./material.mjs";
import { root } from "./server.mjs";

let dir;
before(() => {
  dir = mkdtempSync(join(tmpdir(), "nelko-run-"));
  chmodSync(dir, 0o755);
});
after(() => rmSync(dir, { recursive: true, force: true }));

const freePort = () =>
  new Promise((resolve) => {
    const s = createServer().listen(0, "127.0.0.1", () => {
      const { port } = s.address();
      s.close(() => resolve(port));
    });
  });

/** What a server answers to bytes. */
const said = (port, bytes) =>
  new Promise((resolve) => {
    let out = "";
    const s = connect(port, "127.0.0.1", () => s.write(bytes));
    s.on("data", (d) => (out += d));
    s.on("error", () => resolve(out)).on("close", () => resolve(out));
  });

// Runs ./run until it says it is ready; stop() presses Ctrl-C.
async function run(args, env, input = "") {
  const process_ = spawn("./run", args, { cwd: root, env: { ...process.env, ...env }, detached: true });
  let out = "";
  process_.stdin.end(input);
  await new Promise((resolve, reject) => {
    const hear = (data) => {
      out += data;
      if (/Nelko is ready at http/.test(out)) resolve();
    };
    process_.stdout.on("data", hear);
    process_.stderr.on("data", hear);
    process_.on("exit", (code) => reject(new Error(`./run ended with ${code}: ${out}`)));
  });
  const stop = async () => {
    const gone = new Promise((resolve) => process_.on("exit", resolve));
    process.kill(-process_.pid, "SIGINT"); // the terminal tells the whole group
    await gone;
  };
  return { text: () => out, stop };
}

test("./run starts the demo, says so once, refuses a second start, and stops cleanly", async () => {
  const port = await freePort();
  const env = { NELKO_VAR: join(dir, "var"), NELKO_ADDR: `127.0.0.1:${port}`, NELKO_LOG_BYTES: "20000" };
  const first = await run([], env);
  assert.match(first.text(), new RegExp(`Nelko is ready at http://127\\.0\\.0\\.1:${port} — sign in as demo@nelko\\.example with password lantern-regatta\n`));
  assert.equal((await fetch(`http://127.0.0.1:${port}/healthz`)).status, 200);

  // A stranger cannot fill the log: not with one long request, not with many.
  const log = join(dir, "var", "nelko.log");
  assert.match(await said(port, `${"X".repeat(900_000)} / HTTP/1.1\r\nHost: x\r\n\r\n`), /^HTTP\/1\.1 431/);
  assert.match(await said(port, `${"X".repeat(50_000)} / HTTP/1.1\r\nHost: x\r\nX-Request-Id: ${"y".repeat(9_000)}\r\nConnection: close\r\n\r\n`), /^HTTP\/1\.1 4/);
  assert.ok(!readFileSync(log, "utf8").match(/XXXXXXXX|yyyyyyyy/));
  for (let i = 0; i < 400; i++) await fetch(`http://127.0.0.1:${port}/nowhere/${i}`, { method: "POST" });
  for (const until = Date.now() + 10_000; !existsSync(`${log}.1`) && Date.now() < until; ) await new Promise((r) => setTimeout(r, 200));
  assert.ok(existsSync(`${log}.1`), "the log is rotated");

  const second = spawnSync("./run", { cwd: root, env: { ...process.env, ...env }, encoding: "utf8" });
  assert.equal(second.status, 1);
  assert.match(second.stderr, /already running from this folder: http:\/\/127\.0\.0\.1/);

  const other = spawnSync("./run", { cwd: root, env: { ...process.env, ...env, NELKO_VAR: join(dir, "other") }, encoding: "utf8" });
  assert.equal(other.status, 1);
  assert.match(other.stderr, /already listens on 127\.0\.0\.1:\d+\. Stop it, or choose another address: NELKO_ADDR=/);

  // Nobody else reads what is kept, and the server is nobody in particular.
  const data = join(dir, "var");
  for (const name of ["blobs", "cache", "uploads", "nelko.log", "postgres/data"]) assert.equal(statSync(join(data, name)).mode & 0o077, 0, name);
  assert.equal(statSync(data).mode & 0o007, 0);
  const server = () => execFileSync("pgrep", ["-f", "^bin/nelko serve"], { encoding: "utf8" }).trim().split("\n").filter((pid) => readFileSync(`/proc/${pid}/environ`, "utf8").includes(`NELKO_ADDR=127.0.0.1:${port}`))[0];
  if (process.getuid() === 0) assert.notEqual(statSync(`/proc/${server()}`).uid, 0);
  const role = (sql) => execFileSync("psql", [execFileSync("scripts/pg", ["start", join(data, "postgres"), "studio"], { cwd: root, encoding: "utf8" }).trim(), "-tAc", sql], { encoding: "utf8" }).trim();
  assert.equal(role("SELECT rolsuper OR rolcreatedb OR rolcreaterole FROM pg_roles WHERE rolname = current_user"), "f");

  // Accounts are managed without being told of the database, and leave nothing
  // behind that the server could not read.
  const { NELKO_DATABASE_URL, ...untold } = { ...process.env, ...env };
  execFileSync("bin/nelko", ["user", "add", "teal@studio.example"], { cwd: root, env: untold, input: "gravel lantern heron\n", stdio: ["pipe", "ignore", "inherit"] });
  assert.equal(role("SELECT count(*) FROM users WHERE email = 'teal@studio.example'"), "1");
  const owner = statSync(join(data, "blobs")).uid;
  for (const name of readdirSync(join(data, "blobs"))) assert.equal(statSync(join(data, "blobs", name)).uid, owner, name);

  // What is killed is started again: the server, PostgreSQL, and both.
  const back = async () => {
    for (let i = 0; i < 300; i++) {
      const ok = await fetch(`http://127.0.0.1:${port}/healthz`).then((r) => r.status === 200, () => false);
      if (ok) return;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    assert.fail("it does not answer again: " + first.text());
  };
  const database = () => Number(readFileSync(join(data, "postgres/data/postmaster.pid"), "utf8").split("\n")[0]);
  const killed = [Number(server()), database()];
  process.kill(killed[0], "SIGKILL");
  await back();
  assert.notEqual(Number(server()), killed[0]);
  process.kill(killed[1], "SIGKILL");
  for (let i = 0; i < 300 && !/PostgreSQL answers again/.test(first.text()); i++) await new Promise((resolve) => setTimeout(resolve, 100));
  await back();
  assert.notEqual(database(), killed[1]);
  process.kill(database(), "SIGKILL");
  process.kill(Number(server()), "SIGKILL");
  await back();

  await first.stop();
  await assert.rejects(fetch(`http://127.0.0.1:${port}/healthz`));
  assert.ok(!existsSync(join(dir, "var/postgres/data/postmaster.pid")), "its PostgreSQL has stopped too");
  // A lock file that a fault left names a process of somebody else's: it is left
  // alone, and what is ours starts.
  const stranger = spawn("sleep", ["300"]);
  const lock = join(dir, "var/postgres/data/postmaster.pid");
  writeFileSync(lock, `${stranger.pid}\n${join(dir, "var/postgres/data")}\n1\n${await freePort()}\n`);
  const again = await run([], env);
  assert.equal(stranger.exitCode, null);
  stranger.kill();
  assert.equal((await fetch(`http://127.0.0.1:${port}/healthz`)).status, 200);
  await again.stop();
});

test("./run --empty asks once for the owner and has no demo data", async () => {
  const port = await freePort();
  const env = { NELKO_VAR: join(dir, "own"), NELKO_ADDR: `127.0.0.1:${port}` };
  const first = await run(["--empty"], env, "owner@studio.example\na long password\n");
  assert.match(first.text(), /Account made for owner@studio\.example/);
  const signIn = await (await fetch(`http://127.0.0.1:${port}/signin`)).text();
  assert.doesNotMatch(signIn, /demo@nelko/);
  await first.stop();
  const second = await run(["--empty"], env);
  assert.doesNotMatch(second.text(), /e-mail:/);
  await second.stop();
  const wrong = spawnSync("./run", ["--full"], { cwd: root, encoding: "utf8" });
  assert.equal(wrong.status, 2);
});

test("nelko make renders a folder, lists what it could not use, and leaves nothing half-written", () => {
  const media = join(dir, "media");
  const music = join(dir, "music");
  photos(media, 5);
  clip(media);
  letter(media);
  const tune = song(music, 18);
  const out = join(dir, "film.mp4");
  const nelko = (...args) => spawnSync(join(root, "bin/nelko"), args, { encoding: "utf8" });
  const wanted = ["make", "--theme", "tideline", "--media", media, "--music", tune, "--detail", "names=Ann, Bo", "--detail", "date=2026", "--size", "640x360", "--fps", "25", "--json", "--out", out];
  // Within the usual limits it does not fit: what would help, and no film.
  const refused = nelko(...wanted);
  assert.equal(refused.status, 3);
  assert.match(refused.stderr, /it would help to:\n- let pictures go down to 1 s/);
  const remedies = JSON.parse(refused.stdout).remedies;
  assert.ok(remedies.length >= 3);
  for (const r of remedies) assert.ok(r.what && r.how_many > 0 && r.seconds_a_picture > 0, JSON.stringify(r));
  assert.ok(!readdirSync(dir).includes("film.mp4"));
  wanted.splice(1, 0, "--shortest", "1");
  const made = nelko(...wanted);
  assert.equal(made.status, 0, made.stderr);
  assert.match(made.stderr, /not used: letter\.jpg: not a photo/);
  const summary = JSON.parse(made.stdout);
  const film = probe(out);
  assert.equal(summary.fps, "25/1");
  assert.equal(film.frames, summary.frames);
  assert.equal(summary.slides.reduce((n, s) => n + s.frames - s.overlap_frames, 0), summary.frames);
  assert.ok(Math.abs(summary.film_seconds - summary.music_seconds) <= 0.5 / 25 + 1e-9);

  // The same seed gives the same film, to the byte of every frame. The poster is
  // a stream of its own, which ffmpeg puts before the film or after it by chance.
  const hash = (path) => execFileSync("ffmpeg", ["-v", "error", "-i", path, "-map", "0:v:0", "-f", "md5", "-"], { encoding: "utf8" });
  const twin = join(dir, "twin.mp4");
  assert.equal(nelko(...wanted.slice(0, -1), twin).status, 0);
  assert.equal(hash(twin), hash(out));

  const failed = nelko("make", "--theme", "tideline", "--media", media, "--music", tune, "--size", "641x360", "--out", join(dir, "bad", "x.mp4"));
  assert.equal(failed.status, 1);
  assert.match(failed.stderr, /sides must be even/);
  assert.deepEqual(readdirSync(dir).filter((f) => f.startsWith(".render")), []);
  assert.match(nelko("themes").stdout, /^tideline\t/m);
  assert.equal(nelko("doctor").status, 0);
});
