const asFloat = new Float32Array(1);
const asBits = new Uint32Array(asFloat.buffer);
/** The largest number that half precision holds. */
export const HALF_MOST = 65504;

/** A number from 0 to {@link HALF_MOST} in half precision (IEEE 754 binary16), rounded to the nearest; beyond, the end. */
export function halfOf(value: number): number {
  asFloat[0] = Math.min(HALF_MOST, Math.max(0, value));
  const bits = asBits[0] as number;
  const exponent = (bits >>> 23) - 112;
  // Too small for an exponent of its own: counted in steps of 2^-24.
  if (exponent <= 0) return Math.round((asFloat[0] as number) * 2 ** 24);
  return ((exponent << 10) | ((bits >>> 13) & 0x3ff)) + ((bits >>> 12) & 1);
}
