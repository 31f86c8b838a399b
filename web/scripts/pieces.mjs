// Plays one size of a film in pieces, as its list has them in one file (HLS with
// byte ranges, RFC 8216), by media source. It is what plays on a poor line before
// a whole player could be loaded: the first piece, with what stands before it,
// is all the first picture needs.

/** How many seconds are loaded ahead. */
const ahead = 30;

/** The codec's name (RFC 6381) from the decoder's settings in a file's head. */
export function codec(head) {
  const bytes = new Uint8Array(head);
  for (let i = 0; i + 8 < bytes.length; i++) {
    if (String.fromCharCode(...bytes.subarray(i, i + 4)) === "avcC") return `avc1.${[...bytes.subarray(i + 5, i + 8)].map((b) => b.toString(16).padStart(2, "0")).join("")}`;
  }
  throw new Error("the codec is not known");
}

/** The pieces of a list: their places in the file and in time. */
export function read(list) {
  const pieces = [];
  let at = 0;
  let length = 0;
  for (const line of list.split("\n")) {
    const [, seconds] = /^#EXTINF:([\d.]+)/.exec(line) ?? [];
    if (seconds) length = Number(seconds);
    const [, size, from] = /^#EXT-X-BYTERANGE:(\d+)@(\d+)/.exec(line) ?? [];
    if (!size) continue;
    pieces.push({ from: Number(from), to: Number(from) + Number(size) - 1, start: at, end: at + length });
    at += length;
  }
  return pieces;
}

export class Pieces {
  constructor(film) {
    this.film = film;
    this.over = false;
  }

  async range(from, to) {
    const answer = await fetch(this.film.dataset.first, { headers: { Range: `bytes=${from}-${to}` } });
    if (answer.status !== 206) throw new Error(`the film's piece: ${answer.status}`);
    return answer.arrayBuffer();
  }

  append(bytes) {
    return new Promise((resolve, reject) => {
      this.buffer.addEventListener("updateend", resolve, { once: true });
      this.buffer.addEventListener("error", reject, { once: true });
      this.buffer.appendBuffer(bytes);
    });
  }

  /** Shows the first picture, and then goes on loading until stopped. */
  async start() {
    const source = new MediaSource();
    const opened = new Promise((resolve) => source.addEventListener("sourceopen", resolve, { once: true }));
    this.film.src = URL.createObjectURL(source);
    const [head] = await Promise.all([this.range(0, Number(this.film.dataset.opening) - 1), opened]);
    if (this.over) return;
    this.buffer = source.addSourceBuffer(`video/mp4; codecs="${codec(head)}, mp4a.40.2"`);
    source.duration = Number(this.film.dataset.seconds);
    await this.append(head);
    this.source = source;
  }

  /** Until where the film is loaded from where it stands. */
  loaded() {
    const { buffered, currentTime } = this.film;
    for (let i = 0; i < buffered.length; i++) {
      if (buffered.start(i) <= currentTime + 0.1 && buffered.end(i) > currentTime) return buffered.end(i);
    }
    return currentTime;
  }

  /** Loads what is next, again and again. */
  async goOn() {
    const pieces = read(await (await fetch(this.film.dataset.firstList)).text());
    const news = () => new Promise((resolve) => ["timeupdate", "seeking"].forEach((e) => this.film.addEventListener(e, resolve, { once: true })));
    while (!this.over) {
      const until = this.loaded();
      const next = pieces.find((p) => p.end > until + 0.05);
      if (!next) {
        if (this.source.readyState === "open") this.source.endOfStream();
        await news();
      } else if (until - this.film.currentTime > ahead) {
        await news();
      } else {
        const bytes = await this.range(next.from, next.to);
        if (!this.over) await this.append(bytes);
      }
    }
  }

  stop() {
    this.over = true;
  }
}
