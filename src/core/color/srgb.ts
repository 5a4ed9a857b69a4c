/** Linear light to and from sRGB (IEC 61966-2-1), channel by channel. */

/** A linear share as an sRGB byte; what lies beyond 0..1 is taken as its end. */
export function srgbByte(linear: number): number {
  const v = Math.min(1, Math.max(0, linear));
  return Math.round(255 * (v <= 0.0031308 ? v * 12.92 : 1.055 * v ** (1 / 2.4) - 0.055));
}

/** The linear value of an sRGB share. */
export function linearOf(share: number): number {
  return share <= 0.04045 ? share / 12.92 : ((share + 0.055) / 1.055) ** 2.4;
}

/** Linear RGB packed as sRGB 0xRRGGBB. */
export function packLinear(r: number, g: number, b: number): number {
  return (srgbByte(r) << 16) | (srgbByte(g) << 8) | srgbByte(b);
}
