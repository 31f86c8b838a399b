// How items of the soundtrack are trimmed, moved and faded by hand, on whichever
// drawing: the soundtrack's leaf and the rows of the running order.
export const clock = (s) => `${Math.floor(s / 60)}:${(s % 60).toFixed(2).padStart(5, "0")}`;
const within = (v, low, high) => Math.max(low, Math.min(high, v));

/** The nearest of what holds on within eight pixels of a second of the film, and its words. */
function snapped(second, { holds, perPixel }, free) {
  if (free) return [second, ""];
  let best = second;
  let far = 8 * perPixel;
  let what = "";
  const hold = (m, words) => {
    if (Math.abs(m - second) < far) [best, far, what] = [m, Math.abs(m - second), words];
  };
  for (const m of holds.cuts) hold(m, " · on a slide");
  for (const m of holds.beats) hold(m, " · on a beat");
  if (holds.moment !== null) hold(holds.moment, " · at the moment shown");
  return [best, what];
}

/**
 * What dragging a grip by so many seconds does to what is held: words, where it lies
 * then, and what is sent. held has n (from, to, seconds of the file; start, end of the
 * film), fade, perPixel (seconds) and holds (seconds of the film).
 */
export const acts = {
  from(h, by, free) {
    const [at, what] = snapped(h.n.start + by, h, free);
    const from = within(h.n.from + at - h.n.start, 0, h.n.to - 0.1);
    return { says: `from ${clock(from)}${what}`, left: h.n.start + from - h.n.from, right: h.n.end, send: [["from", from.toFixed(3)]] };
  },
  to(h, by, free) {
    const [at, what] = snapped(h.n.end + by, h, free);
    const to = within(h.n.to + at - h.n.end, h.n.from + 0.1, h.n.seconds);
    return { says: `to ${clock(to)}${what}`, left: h.n.start, right: h.n.end + to - h.n.to, send: [["to", to.toFixed(3)]] };
  },
  body(h, by, free) {
    const [at, what] = snapped(h.n.start + by, h, free);
    const start = Math.max(0, at);
    return { says: `at ${clock(start)}${what}`, left: start, right: start + h.n.end - h.n.start, send: [["start", start.toFixed(3)]] };
  },
  fadein(h, by) {
    const long = within(h.fade + by, 0, Math.min(30, h.n.end - h.n.start));
    return { says: `fades in over ${long.toFixed(1)} s`, fade: long, send: [["fadein", long.toFixed(2)]] };
  },
  fadeout(h, by) {
    const long = within(h.fade - by, 0, Math.min(30, h.n.end - h.n.start));
    return { says: `fades out over ${long.toFixed(1)} s`, fade: long, send: [["fadeout", long.toFixed(2)]] };
  },
};
