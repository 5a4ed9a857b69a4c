import type { Up } from "../camera/camera";
import { nth } from "../math/packed";

/**
 * Where on level ground the shadow of a box can lie, as the matrix (column-major, 16) that lays a square of side 1 round
 * the origin, in the plane of x and y, over it: the smallest rectangle along the light that holds the shadow and a
 * margin. What of the box is below the ground throws none. Allocates nothing.
 *
 * @param out gets the matrix; lengths as those of the box (mm)
 * @param box least x, y, z and greatest x, y, z
 * @param floor height of the ground along `up`
 * @param light direction from the ground to the light, of length 1, upward by more than 0
 * @param margin how far beyond the shadow's edge across the light; along it more, as the shadow is drawn out
 * @param most half the side of the square round `middle` that nothing goes beyond; the shadow of a low sun is endless
 * @returns false, with `out` as it was, where no shadow lies within that
 */
export function shadeOnGround(
  out: { [at: number]: number },
  box: ArrayLike<number>,
  floor: number,
  light: readonly [number, number, number],
  up: Up,
  margin: number,
  middle: readonly [number, number, number],
  most: number,
): boolean {
  // On the ground first and second axis make a right-handed frame with what is up.
  const [a, b, h] = up === "z" ? [0, 1, 2] : [2, 0, 1];
  const rise = nth(light, h);
  const flat = Math.hypot(nth(light, a), nth(light, b));
  const top = nth(box, 3 + h) - floor;
  if (!(top > 0) || !(nth(box, a) <= nth(box, 3 + a))) return false;
  const low = Math.max(0, nth(box, h) - floor);
  // Along the light, on the ground, and across it; straight from above any way does.
  const ca = flat > 1e-9 ? nth(light, a) / flat : 1;
  const cb = flat > 1e-9 ? nth(light, b) / flat : 0;
  let [u0, u1, v0, v1] = [Infinity, -Infinity, Infinity, -Infinity];
  for (let corner = 0; corner < 4; corner++) {
    const x = nth(box, corner & 1 ? 3 + a : a) - nth(middle, a);
    const y = nth(box, corner & 2 ? 3 + b : b) - nth(middle, b);
    u0 = Math.min(u0, ca * x + cb * y);
    u1 = Math.max(u1, ca * x + cb * y);
    v0 = Math.min(v0, ca * y - cb * x);
    v1 = Math.max(v1, ca * y - cb * x);
  }
  const drawn = margin / rise;
  u0 = Math.max(-most, u0 - (top * flat) / rise - drawn);
  u1 = Math.min(most, u1 - (low * flat) / rise + drawn);
  v0 = Math.max(-most, v0 - margin);
  v1 = Math.min(most, v1 + margin);
  if (u0 >= u1 || v0 >= v1) return false;
  const [u, v] = [(u0 + u1) / 2, (v0 + v1) / 2];
  for (let k = 0; k < 16; k++) out[k] = 0;
  out[a] = ca * (u1 - u0);
  out[b] = cb * (u1 - u0);
  out[4 + a] = -cb * (v1 - v0);
  out[4 + b] = ca * (v1 - v0);
  out[8 + h] = 1;
  out[12 + a] = nth(middle, a) + ca * u - cb * v;
  out[12 + b] = nth(middle, b) + cb * u + ca * v;
  out[12 + h] = floor;
  out[15] = 1;
  return true;
}
