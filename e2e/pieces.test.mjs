// What the client's page reads from a film in fragments before any player is
// there: the pieces of its list (RFC 8216, 4.3.2) and the codec's name (RFC 6381)
// from the decoder's settings (ISO/IEC 14496-15, 5.3.3.1).
import assert from "node:assert/strict";
import test from "node:test";
import { codec, read } from "../web/scripts/pieces.mjs";
import { timecode } from "../web/scripts/timecode.mjs";

test("the pieces of a list follow one another in the file and in time", () => {
  const pieces = read(
    ["#EXTM3U", "#EXT-X-VERSION:7", '#EXT-X-MAP:URI="film.m4s",BYTERANGE="1396@0"', "#EXTINF:4.200000,", "#EXT-X-BYTERANGE:111217@1396", "film.m4s", "#EXTINF:4.1,", "#EXT-X-BYTERANGE:351193@112613", "film.m4s", "#EXT-X-ENDLIST"].join("\n"),
  );
  assert.deepEqual(pieces, [
    { from: 1396, to: 112612, start: 0, end: 4.2 },
    { from: 112613, to: 463805, start: 4.2, end: 8.3 },
  ]);
  assert.deepEqual(read(""), []);
});

test("the codec's name is read from the head of a file", () => {
  const head = new TextEncoder().encode("....moov....avcC............");
  // High profile (100), no constraints, level 4.0: avc1.640028 in the examples of RFC 6381, from memory.
  head.set([1, 0x64, 0x00, 0x28], 16);
  assert.equal(codec(head.buffer), "avc1.640028");
  assert.throws(() => codec(new ArrayBuffer(64)), /not known/);
});

test("timecode is as the server writes it", () => {
  // The same cases as in the core's test.
  for (const [n, num, den, said] of [
    [0, 25, 1, "0:00:00:00"],
    [90000 + 12, 25, 1, "1:00:00:12"],
    [1799, 30000, 1001, "0:00:59;29"],
    [1800, 30000, 1001, "0:01:00;02"],
    [17982, 30000, 1001, "0:10:00;00"],
    [3600, 60000, 1001, "0:01:00;04"],
    [1800, 30, 1, "0:01:00:00"],
  ])
    assert.equal(timecode(n, num, den), said);
});
