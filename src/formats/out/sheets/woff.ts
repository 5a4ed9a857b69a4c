import { unzlibSync } from "fflate";

const WOFF = 0x774f4646;

/**
 * The TrueType or OpenType font in a WOFF 1.0 file (W3C Recommendation, 2012): each table unpacked, in the order of the
 * directory, on multiples of four bytes. A PDF takes fonts only so.
 * @throws RangeError where it is no such file, or less than it says
 */
export function fontOfWoff(bytes: Uint8Array): Uint8Array {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 44 || view.getUint32(0) !== WOFF) throw new RangeError("This is not a WOFF font.");
  const count = view.getUint16(12);
  const tables = Array.from({ length: count }, (_, i) => {
    const at = 44 + 20 * i;
    const [offset, packed, length] = [view.getUint32(at + 4), view.getUint32(at + 8), view.getUint32(at + 12)];
    if (offset + packed > bytes.length) throw new RangeError("This font is cut short.");
    const data = bytes.subarray(offset, offset + packed);
    return {
      tag: view.getUint32(at),
      sum: view.getUint32(at + 16),
      data: packed < length ? unzlibSync(data, { out: new Uint8Array(length) }) : data,
    };
  });
  const padded = (n: number) => (n + 3) & ~3;
  const out = new Uint8Array(tables.reduce((sum, t) => sum + padded(t.data.length), 12 + 16 * count));
  const to = new DataView(out.buffer);
  to.setUint32(0, view.getUint32(4));
  to.setUint16(4, count);
  // For binary search over the directory.
  const power = Math.floor(Math.log2(Math.max(1, count)));
  to.setUint16(6, 16 * 2 ** power);
  to.setUint16(8, power);
  to.setUint16(10, 16 * (count - 2 ** power));
  let place = 12 + 16 * count;
  tables.forEach((t, i) => {
    const at = 12 + 16 * i;
    to.setUint32(at, t.tag);
    to.setUint32(at + 4, t.sum);
    to.setUint32(at + 8, place);
    to.setUint32(at + 12, t.data.length);
    out.set(t.data, place);
    place += padded(t.data.length);
  });
  return out;
}
