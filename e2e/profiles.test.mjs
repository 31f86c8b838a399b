// Every way of encoding for the web plays in a browser: it says it can, and it
// does, with sound, to the end. The films are those the Go tests made and had
// read by two other readers; where they were not run before they are now.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { createReadStream, existsSync, mkdtempSync, readdirSync, rmSync, statSync } from "node:fs";
import { createServer } from "node:http";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { after, before } from "node:test";
import { open } from "./browser.mjs";
import { root } from "./server.mjs";
import { inOrder } from "./steps.mjs";

let films, own, browser, server;

const test = inOrder();

before(async () => {
  films = process.env.NELKO_TEST_FILMS;
  if (!films || !existsSync(films)) {
    films = own = mkdtempSync(join(tmpdir(), "nelko-films-"));
    execFileSync("go", ["test", "./internal/makefilm", "-run", "TestShippedProfiles", "-count=1"], { cwd: root, env: { ...process.env, GOEXPERIMENT: "simd", NELKO_TEST_FILMS: films } });
  }
  server = createServer((request, answer) => {
    const name = decodeURIComponent(new URL(request.url, "http://x").pathname.slice(1));
    if (name === "page") return answer.writeHead(200, { "Content-Type": "text/html" }).end("<!doctype html><title>x</title><video id=film muted></video>");
    const path = join(films, name);
    if (!existsSync(path)) return answer.writeHead(404).end();
    const { size } = statSync(path);
    const range = /bytes=(\d+)-(\d*)/.exec(request.headers.range ?? "");
    const from = range ? Number(range[1]) : 0;
    const to = range?.[2] ? Number(range[2]) : size - 1;
    answer.writeHead(range ? 206 : 200, { "Content-Length": to - from + 1, "Accept-Ranges": "bytes", ...(range && { "Content-Range": `bytes ${from}-${to}/${size}` }), "Content-Type": name.endsWith(".webm") ? "video/webm" : "video/mp4" });
    createReadStream(path, { start: from, end: to }).pipe(answer);
  });
  await new Promise((resolve) => server.listen(0, "127.0.0.1", resolve));
  browser = await open();
});
after(async () => {
  await browser?.close();
  server?.close();
  if (own) rmSync(own, { recursive: true, force: true });
});

test("every web profile plays to its end", async () => {
  const made = readdirSync(films);
  for (const way of ["MP4", "Phone 360", "Phone 480", "Web 720", "Web 1080", "Web 2160", "Upright 1080", "Square 1080", "Mail", "Open web", "Teaser"]) assert.ok(made.some((f) => f.startsWith(`${way}.`)), way);
  const page = await browser.newPage();
  await page.goto(`http://127.0.0.1:${server.address().port}/page`);
  for (const name of made) {
    const { streams } = JSON.parse(execFileSync("ffprobe", ["-v", "error", "-show_streams", "-of", "json", join(films, name)], { encoding: "utf8" }));
    const video = streams.find((s) => s.codec_type === "video" && !s.disposition.attached_pic);
    const h264 = video.codec_name === "h264";
    // RFC 6381: the profile and the level are in the name of the codec.
    const codecs = h264 ? `avc1.${{ High: "6400", Main: "4d40", "Constrained Baseline": "42e0" }[video.profile]}${video.level.toString(16).padStart(2, "0")}, mp4a.40.2` : "vp9, opus";
    const says = await page.evaluate((type) => document.createElement("video").canPlayType(type), `${h264 ? "video/mp4" : "video/webm"}; codecs="${codecs}"`);
    assert.equal(says, "probably", `${name}: ${codecs}`);
    const played = await page.evaluate(
      (src) =>
        new Promise((resolve) => {
          const film = document.getElementById("film");
          film.onended = () => resolve({ at: film.currentTime, w: film.videoWidth, h: film.videoHeight, sound: film.webkitAudioDecodedByteCount, frames: film.getVideoPlaybackQuality().totalVideoFrames });
          film.onerror = () => resolve({ error: film.error.message });
          film.src = src;
          film.play();
        }),
      `/${encodeURIComponent(name)}`,
    );
    assert.equal(played.error, undefined, name);
    assert.ok(Math.abs(played.at - 1.2) < 0.15, `${name} ends at ${played.at} s`);
    assert.deepEqual([played.w, played.h], [video.width, video.height], name);
    assert.ok(played.sound > 500 && played.frames > 10, `${name}: ${JSON.stringify(played)}`);
  }
});
