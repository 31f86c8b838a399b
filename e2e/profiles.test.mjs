// Every way of encoding for the web plays in a browser: it says it can, and it
// does, with sound, to the end.
import assert from "node:assert/strict";
import { execFileSync } from "node:child_process";
import { createReadStream, mkdirSync, mkdtempSync, readdirSync, rmSync, statSync, writeFileSync } from "node:fs";
import { createServer } from "node:http";
import { tmpdir } from "node:os";
import { extname, join } from "node:path";
import { after, before } from "node:test";
import { open } from "./browser.mjs";
import { root } from "./server.mjs";
import { inOrder } from "./steps.mjs";

const ways = ["MP4", "Phone 360", "Phone 480", "Web 720", "Web 1080", "Upright 1080", "Square 1080", "Mail", "Open web", "Teaser"];
const seconds = 9;
let dir, browser, server, made;

const test = inOrder();

before(async () => {
  dir = mkdtempSync(join(tmpdir(), "nelko-ways-"));
  mkdirSync(join(dir, "media"));
  const ffmpeg = (...args) => execFileSync("ffmpeg", ["-v", "error", ...args]);
  for (const [name, seed] of [["a.jpg", "0.2"], ["b.jpg", "0.7"]]) ffmpeg("-f", "lavfi", "-i", `mandelbrot=size=960x640:start_x=-${seed}`, "-frames:v", "1", join(dir, "media", name));
  ffmpeg("-f", "lavfi", "-i", `sine=330:d=${seconds}`, join(dir, "song.flac"));
  const args = ["make", "--theme", "pennant", "--media", join(dir, "media"), "--music", join(dir, "song.flac"), "--detail", "names=The Gannets", "--detail", "date=2026", "--out", join(dir, "films"), "--size", "960x540", "--fps", "24"];
  execFileSync(join(root, "bin/nelko"), [...args, ...ways.flatMap((w) => ["--profile", w])]);
  made = readdirSync(join(dir, "films")).filter((f) => /^\.(mp4|webm)$/.test(extname(f)));
  writeFileSync(join(dir, "page.html"), "<!doctype html><title>x</title><video id=film muted></video>");
  server = createServer((request, answer) => {
    if (request.url === "/favicon.ico") return answer.writeHead(404).end();
    const path = join(dir, decodeURIComponent(new URL(request.url, "http://x").pathname));
    const { size } = statSync(path);
    const range = /bytes=(\d+)-(\d*)/.exec(request.headers.range ?? "");
    const from = range ? Number(range[1]) : 0;
    const to = range?.[2] ? Number(range[2]) : size - 1;
    answer.writeHead(range ? 206 : 200, { "Content-Length": to - from + 1, "Accept-Ranges": "bytes", ...(range && { "Content-Range": `bytes ${from}-${to}/${size}` }),
      "Content-Type": { ".html": "text/html", ".mp4": "video/mp4", ".webm": "video/webm" }[extname(path)] });
    createReadStream(path, { start: from, end: to }).pipe(answer);
  }).listen(0, "127.0.0.1");
  browser = await open();
});
after(async () => {
  await browser?.close();
  server?.close();
  rmSync(dir, { recursive: true, force: true });
});

test("every web profile plays to its end", async () => {
  assert.equal(made.length, ways.length);
  const page = await browser.newPage();
  await page.goto(`http://127.0.0.1:${server.address().port}/page.html`);
  for (const name of made) {
    const streams = JSON.parse(execFileSync("ffprobe", ["-v", "error", "-show_streams", "-of", "json", join(dir, "films", name)], { encoding: "utf8" })).streams;
    const video = streams.find((s) => s.codec_type === "video" && !s.disposition.attached_pic);
    // RFC 6381: the profile and the level are in the name of the codec.
    const codecs = video.codec_name === "h264" ? `avc1.${{ High: "6400", Main: "4d40", "Constrained Baseline": "42e0" }[video.profile]}${video.level.toString(16).padStart(2, "0")}, mp4a.40.2` : "vp9, opus";
    const told = await page.evaluate(([type]) => document.createElement("video").canPlayType(type), [`${video.codec_name === "h264" ? "video/mp4" : "video/webm"}; codecs="${codecs}"`]);
    assert.equal(told, "probably", `${name}: ${codecs}`);
    const played = await page.evaluate(
      (src) =>
        new Promise((resolve) => {
          const film = document.getElementById("film");
          film.onended = () => resolve({ at: film.currentTime, w: film.videoWidth, h: film.videoHeight, sound: film.webkitAudioDecodedByteCount, frames: film.getVideoPlaybackQuality().totalVideoFrames });
          film.onerror = () => resolve({ error: film.error.message });
          // From the beginning, and from the middle to the end.
          film.ontimeupdate = () => {
            if (film.currentTime < 0.8) return;
            film.ontimeupdate = null;
            film.currentTime = film.duration - 1;
          };
          film.src = src;
          film.play();
        }),
      `/films/${encodeURIComponent(name)}`,
    );
    assert.equal(played.error, undefined, name);
    assert.ok(Math.abs(played.at - seconds) < 0.3, `${name} ends at ${played.at} s`);
    assert.deepEqual([played.w, played.h], [video.width, video.height], name);
    assert.ok(played.sound > 1000 && played.frames > 10, `${name}: ${JSON.stringify(played)}`);
  }
});
