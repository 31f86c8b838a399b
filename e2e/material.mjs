// Makes small pictures, clips and songs to bring in, with ffmpeg.
import { execFileSync } from "node:child_process";
import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";

const ffmpeg = (...args) => execFileSync("ffmpeg", ["-v", "error", "-y", ...args]);

/** Writes `count` photos, every third upright, and returns their paths. */
export function photos(dir, count) {
  mkdirSync(dir, { recursive: true });
  return Array.from({ length: count }, (_, i) => {
    const path = join(dir, `photo ${i + 1}.jpg`);
    const size = i % 3 === 2 ? "800x1200" : "1200x800";
    ffmpeg("-f", "lavfi", "-i", `gradients=s=${size}:seed=${i + 1}:nb_colors=4:c0=random:c1=random`, "-frames:v", "1", path);
    return path;
  });
}

/** Writes `count` small photos, all different, by one run of ffmpeg. */
export function manyPhotos(dir, count) {
  mkdirSync(dir, { recursive: true });
  ffmpeg("-f", "lavfi", "-i", "testsrc2=s=480x320:r=25", "-frames:v", String(count), join(dir, "many %03d.jpg"));
  return Array.from({ length: count }, (_, i) => join(dir, `many ${String(i + 1).padStart(3, "0")}.jpg`));
}

export function clip(dir) {
  const path = join(dir, "clip.mp4");
  ffmpeg("-f", "lavfi", "-i", "testsrc2=s=640x360:r=25:d=2", "-pix_fmt", "yuv420p", path);
  return path;
}

export function song(dir, seconds, name = "song.mp3") {
  mkdirSync(dir, { recursive: true });
  const path = join(dir, name);
  ffmpeg("-f", "lavfi", "-i", `sine=330:d=${seconds},tremolo=f=3:d=0.8`, path);
  return path;
}

/** A song with a beat: a knock every half second, low on the first of each bar. */
export function beaten(dir, seconds, name) {
  mkdirSync(dir, { recursive: true });
  const path = join(dir, name);
  ffmpeg("-f", "lavfi", "-i", `aevalsrc='0.4*sin(2*PI*900*t)*exp(-40*mod(t,0.5))+0.5*sin(2*PI*70*t)*exp(-12*mod(t,2))':d=${seconds}:s=48000`, path);
  return path;
}

export function letter(dir) {
  const path = join(dir, "letter.jpg");
  writeFileSync(path, "Dear studio, the pictures follow tomorrow.");
  return path;
}

/** What ffprobe says of a film, frames counted. */
export function probe(path) {
  const out = execFileSync("ffprobe", ["-v", "error", "-count_frames", "-show_streams", "-show_format", "-of", "json", path], { encoding: "utf8" });
  const { streams, format } = JSON.parse(out);
  const video = streams.find((s) => s.codec_type === "video");
  const audio = streams.find((s) => s.codec_type === "audio");
  return { video, audio, frames: Number(video.nb_read_frames), seconds: Number(format.duration) };
}
