import { CAMERA_DISTANCE_MAX, type CameraValues } from "../document/keys";
import type { Numbers } from "../math/mat4";
import { nth } from "../math/packed";
import { cosDeg, sinDeg } from "../math/rotation";
import type { Triple } from "../math/triple";

/** Width of the sensor that focal lengths refer to, mm. */
export const SENSOR_WIDTH_MM = 36;

export type Up = "y" | "z";

/** Horizontal angle of view in degrees for a focal length in mm. */
export function angleOfView(lensMm: number): number {
  return (2 * Math.atan(SENSOR_WIDTH_MM / 2 / lensMm) * 180) / Math.PI;
}

/** Vertical angle of view in degrees, for a picture `aspect` = width / height. */
export function verticalAngleOfView(lensMm: number, aspect: number): number {
  return (2 * Math.atan(SENSOR_WIDTH_MM / 2 / lensMm / aspect) * 180) / Math.PI;
}

/**
 * Camera to world matrix (16, column-major): columns are right, up, back (the camera looks down its -Z), position.
 * Azimuth 0 looks from the front (from -Y where Z is up, from +Z where Y is up) and grows to the right, so 90 looks
 * from +X. `v` holds aim x y z, azimuth, elevation, distance, roll, lens, as in CAMERA_CHANNELS.
 */
export function cameraMatrix(out: Numbers, v: ArrayLike<number>, vo: number, up: Up): void {
  const az = nth(v, vo + 3);
  const el = nth(v, vo + 4);
  const distance = nth(v, vo + 5);
  const roll = nth(v, vo + 6);
  const sa = sinDeg(az),
    ca = cosDeg(az),
    se = sinDeg(el),
    ce = cosDeg(el);
  // In a frame with Z up: back points from the aim to the camera.
  const bx = ce * sa,
    by = -ce * ca,
    bz = se;
  const rx = ca,
    ry = sa,
    rz = 0;
  // up = back x right
  const ux = by * rz - bz * ry,
    uy = bz * rx - bx * rz,
    uz = bx * ry - by * rx;
  const cr = cosDeg(roll),
    sr = sinDeg(roll);
  const r = [rx * cr + ux * sr, ry * cr + uy * sr, rz * cr + uz * sr];
  const u = [ux * cr - rx * sr, uy * cr - ry * sr, uz * cr - rz * sr];
  const b = [bx, by, bz];
  put(out, 0, r, up);
  put(out, 4, u, up);
  put(out, 8, b, up);
  out[3] = 0;
  out[7] = 0;
  out[11] = 0;
  for (let k = 0; k < 3; k++) out[12 + k] = nth(v, vo + k) + distance * nth(out, 8 + k);
  out[15] = 1;
}

/** Turns a Z-up direction into the assembly's frame: Y-up has x, z, -y. */
function put(out: Numbers, o: number, d: number[], up: Up): void {
  out[o] = nth(d, 0);
  out[o + 1] = up === "z" ? nth(d, 1) : nth(d, 2);
  out[o + 2] = up === "z" ? nth(d, 2) : -nth(d, 1);
}

/**
 * Aim and distance that show a box whole, looking from a given azimuth and elevation: every corner lies inside the
 * picture with `margin` (share of the half picture) to spare. The distance is exact for the corners, not for a sphere;
 * of a box that would take more than a camera may have, the middle is seen.
 */
export function fitBox(
  min: ArrayLike<number>,
  max: ArrayLike<number>,
  azimuth: number,
  elevation: number,
  lens: number,
  aspect: number,
  up: Up,
  margin = 0.12,
): { "aim.x": number; "aim.y": number; "aim.z": number; distance: number } {
  const aim = [0, 1, 2].map((k) => (nth(min, k) + nth(max, k)) / 2) as Triple;
  const m = new Array<number>(16).fill(0);
  cameraMatrix(m, [0, 0, 0, azimuth, elevation, 0, 0, lens], 0, up);
  const tanX = (SENSOR_WIDTH_MM / 2 / lens) * (1 - margin);
  const tanY = tanX / aspect;
  let distance = 0;
  for (let corner = 0; corner < 8; corner++) {
    const p = [0, 1, 2].map((k) => ((corner >> k) & 1 ? nth(max, k) : nth(min, k)) - nth(aim, k));
    const along = (c: number) => nth(p, 0) * nth(m, c) + nth(p, 1) * nth(m, c + 1) + nth(p, 2) * nth(m, c + 2);
    const back = along(8);
    distance = Math.max(distance, Math.abs(along(0)) / tanX + back, Math.abs(along(4)) / tanY + back);
  }
  return { "aim.x": aim[0], "aim.y": aim[1], "aim.z": aim[2], distance: distanceOf(distance) };
}

/** A distance that a camera may have, mm. */
export const distanceOf = (wanted: number): number => Math.min(CAMERA_DISTANCE_MAX, Math.max(1, wanted));

/** A three-quarter view of a box from the front right, slightly above. */
export function threeQuarterView(min: ArrayLike<number>, max: ArrayLike<number>, aspect: number, up: Up): CameraValues {
  const azimuth = 35;
  const elevation = 22;
  const lens = 50;
  return { ...fitBox(min, max, azimuth, elevation, lens, aspect, up), azimuth, elevation, roll: 0, lens };
}

/**
 * Where a picture begins and ends in depth, mm: what lies nearer is cut off.
 * @param distance of the camera from its aim @param away from the middle of what is drawn, of that radius
 */
export function clipPlanes(distance: number, away: number, radius: number): { near: number; far: number } {
  const far = away + radius * 4;
  return { near: Math.max(far / 20000, distance * 0.02, away - radius * 1.6), far };
}

/** The angle equal to `azimuth` up to whole turns that lies nearest to `to`. */
export function nearestTurn(azimuth: number, to: number): number {
  return azimuth + 360 * Math.round((to - azimuth) / 360);
}
