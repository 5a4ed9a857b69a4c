import { cosDeg, sinDeg } from "../math/rotation";
import { cross, dot, minus, normalised, type ReadonlyTriple, shifted, type Triple } from "../math/triple";

/** An axis in the assembly's frame at home: a point (mm) and a unit direction. */
export interface Axis {
  point: ReadonlyTriple;
  direction: ReadonlyTriple;
}

/** A plane frame across an axis: origin on the axis, `u` in the plane, `w` = axis x u. */
export interface PlaneFrame {
  origin: Triple;
  axis: Triple;
  u: Triple;
  w: Triple;
}

/** The frame across `axis` whose u is nearest to `toward`; null when `toward` runs along the axis. */
export function planeFrame(axis: Axis, toward: ReadonlyTriple): PlaneFrame | null {
  const a = axis.direction;
  const u = normalised(shifted(toward, a, -dot(toward, a)));
  return u ? { origin: [...axis.point], axis: [...a], u, w: cross(a, u) } : null;
}

/** Plane coordinates of a point. */
export function inPlane(frame: PlaneFrame, p: ReadonlyTriple): [number, number] {
  const d = minus(p, frame.origin);
  return [dot(d, frame.u), dot(d, frame.w)];
}

/**
 * Writes the 4x4 matrix that turns by `deg` about the frame's axis through the plane point (px, py) and then shifts by
 * (dx, dy) in the plane. Exactly the identity where nothing changes.
 */
export function planarMotion(
  frame: PlaneFrame,
  px: number,
  py: number,
  deg: number,
  dx: number,
  dy: number,
  out: Float64Array,
  o: number,
): void {
  const [x, y, z] = frame.axis;
  const c = cosDeg(deg);
  const s = sinDeg(deg);
  const k = 1 - c;
  const m0 = c + x * x * k;
  const m1 = y * x * k + z * s;
  const m2 = z * x * k - y * s;
  const m4 = x * y * k - z * s;
  const m5 = c + y * y * k;
  const m6 = z * y * k + x * s;
  const m8 = x * z * k + y * s;
  const m9 = y * z * k - x * s;
  const m10 = c + z * z * k;
  const cx = frame.origin[0] + px * frame.u[0] + py * frame.w[0];
  const cy = frame.origin[1] + px * frame.u[1] + py * frame.w[1];
  const cz = frame.origin[2] + px * frame.u[2] + py * frame.w[2];
  const turned = deg !== 0;
  out[o] = turned ? m0 : 1;
  out[o + 1] = turned ? m1 : 0;
  out[o + 2] = turned ? m2 : 0;
  out[o + 3] = 0;
  out[o + 4] = turned ? m4 : 0;
  out[o + 5] = turned ? m5 : 1;
  out[o + 6] = turned ? m6 : 0;
  out[o + 7] = 0;
  out[o + 8] = turned ? m8 : 0;
  out[o + 9] = turned ? m9 : 0;
  out[o + 10] = turned ? m10 : 1;
  out[o + 11] = 0;
  out[o + 12] = dx * frame.u[0] + dy * frame.w[0] + (turned ? cx - (m0 * cx + m4 * cy + m8 * cz) : 0);
  out[o + 13] = dx * frame.u[1] + dy * frame.w[1] + (turned ? cy - (m1 * cx + m5 * cy + m9 * cz) : 0);
  out[o + 14] = dx * frame.u[2] + dy * frame.w[2] + (turned ? cz - (m2 * cx + m6 * cy + m10 * cz) : 0);
  out[o + 15] = 1;
}

/** Angle of a plane vector, degrees in (-180, 180]. */
export const angleDeg = (x: number, y: number): number => (Math.atan2(y, x) * 180) / Math.PI;

/** The equal angle in [-180, 180). */
export const wrapped = (deg: number): number => deg - 360 * Math.floor((deg + 180) / 360);
