/**
 * Puts WebP pictures together as an animation, in the container that Google's "WebP Container Specification" gives:
 * a header with the canvas and how often it plays, then each picture with how long it stands.
 */

const u24 = (v: number): number[] => [v & 255, (v >> 8) & 255, (v >> 16) & 255];
const u32 = (v: number): number[] => [...u24(v), (v >>> 24) & 255];
const tag = (name: string): number[] => [...name].map((c) => c.charCodeAt(0));

/** Bytes before the first frame. */
export const HEAD_BYTES = 12 + 18 + 14;

/**
 * The beginning of an animation; its own length in it is put right by {@link webpLength} once it is known.
 * @param times how often it plays; 0 for ever
 */
export function webpHead(width: number, height: number, times: number): Uint8Array {
  return Uint8Array.from([
    ...[...tag("RIFF"), ...u32(0), ...tag("WEBP")],
    // Animated, and maybe with alpha.
    ...[...tag("VP8X"), ...u32(10), 0b0001_0010, 0, 0, 0, ...u24(width - 1), ...u24(height - 1)],
    ...[...tag("ANIM"), ...u32(6), 0, 0, 0, 0, times & 255, times >> 8],
  ]);
}

/** What stands at byte 4 of a file of so many bytes. */
export const webpLength = (bytes: number): Uint8Array => Uint8Array.from(u32(bytes - 8));

/**
 * One picture of an animation.
 * @param still a whole WebP file of one picture of the animation's size @param takes how long it stands, ms
 * @throws Error when the file is not one
 */
export function webpFrame(still: Uint8Array, width: number, height: number, takes: number): Uint8Array {
  const view = new DataView(still.buffer, still.byteOffset, still.byteLength);
  const name = (at: number) => String.fromCharCode(...still.subarray(at, at + 4));
  if (still.length < 20 || name(0) !== "RIFF" || name(8) !== "WEBP") throw new Error("This is not a WebP picture.");
  const parts: Uint8Array[] = [];
  for (let at = 12; at + 8 <= still.length; ) {
    const length = view.getUint32(at + 4, true);
    const end = at + 8 + length + (length % 2);
    if (["ALPH", "VP8 ", "VP8L"].includes(name(at))) parts.push(still.subarray(at, Math.min(end, still.length)));
    at = end;
  }
  const size = parts.reduce((sum, p) => sum + p.length + (p.length % 2), 0);
  if (size === 0) throw new Error("There is no picture in this WebP file.");
  const out = new Uint8Array(24 + size);
  // It covers the whole canvas and takes the place of the one before.
  out.set([...tag("ANMF"), ...u32(16 + size), ...u24(0), ...u24(0), ...u24(width - 1), ...u24(height - 1)]);
  out.set([...u24(takes), 0b10], 20);
  let at = 24;
  for (const p of parts) {
    out.set(p, at);
    at += p.length + (p.length % 2);
  }
  return out;
}
