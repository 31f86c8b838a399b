// Timecode as the server writes it.

/**
 * Frame n at num/den frames a second as h:mm:ss:ff, or h:mm:ss;ff where frame numbers are
 * dropped: at 29.97 and 59.94 a second two or four in every minute that is no multiple of
 * ten (SMPTE ST 12-1, from memory).
 */
export function timecode(n, num, den) {
  const nominal = Math.ceil(num / den);
  const dropped = den === 1001 && (nominal === 30 || nominal === 60) ? nominal / 15 : 0;
  let f = n;
  if (dropped > 0) {
    const minute = nominal * 60 - dropped;
    const ten = minute * 10 + dropped;
    const rest = n % ten;
    f += Math.floor(n / ten) * 9 * dropped;
    if (rest >= nominal * 60) f += (1 + Math.floor((rest - nominal * 60) / minute)) * dropped;
  }
  const two = (v) => String(v).padStart(2, "0");
  const seconds = Math.floor(f / nominal);
  return `${Math.floor(seconds / 3600)}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}${dropped > 0 ? ";" : ":"}${two(f % nominal)}`;
}
