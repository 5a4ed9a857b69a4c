import { nth } from "../math/packed";
import { cameraMatrix, distanceOf, SENSOR_WIDTH_MM, type Up } from "./camera";

/**
 * Gathers points and gives the nearest view, from a fixed direction, that has all of them inside the picture. Exact:
 * with right, up and back as x, y, z and the camera at c, a point p is inside where |p.x - c.x| <= t (c.z - p.z), so
 * the largest p.x + t p.z and -p.x + t p.z decide, and likewise for y; a point only updates four extremes.
 */
export class PointFit {
  private readonly m = new Array<number>(16).fill(0);
  private readonly tx: number;
  private readonly ty: number;
  private right = Number.NEGATIVE_INFINITY;
  private left = Number.NEGATIVE_INFINITY;
  private top = Number.NEGATIVE_INFINITY;
  private bottom = Number.NEGATIVE_INFINITY;
  private near = Number.NEGATIVE_INFINITY;
  private far = Number.POSITIVE_INFINITY;
  count = 0;

  /**
   * @param azimuth degrees @param elevation degrees @param roll degrees @param lens focal length, mm
   * @param aspect picture width / height @param margin share of the half picture kept free, 0..0.9
   */
  constructor(azimuth: number, elevation: number, roll: number, lens: number, aspect: number, up: Up, margin: number) {
    cameraMatrix(this.m, [0, 0, 0, azimuth, elevation, 0, roll, lens], 0, up);
    const tan = SENSOR_WIDTH_MM / 2 / lens;
    this.tx = tan * (1 - margin);
    this.ty = (tan / aspect) * (1 - margin);
  }

  /** Takes a point in, mm in the assembly's frame. */
  add(x: number, y: number, z: number): void {
    const m = this.m;
    const px = x * nth(m, 0) + y * nth(m, 1) + z * nth(m, 2);
    const py = x * nth(m, 4) + y * nth(m, 5) + z * nth(m, 6);
    const pz = x * nth(m, 8) + y * nth(m, 9) + z * nth(m, 10);
    this.right = Math.max(this.right, px + this.tx * pz);
    this.left = Math.max(this.left, -px + this.tx * pz);
    this.top = Math.max(this.top, py + this.ty * pz);
    this.bottom = Math.max(this.bottom, -py + this.ty * pz);
    this.near = Math.max(this.near, pz);
    this.far = Math.min(this.far, pz);
    this.count++;
  }

  /** Aim and distance, mm, at most what a camera may have; null when no point was given. */
  view(): { "aim.x": number; "aim.y": number; "aim.z": number; distance: number } | null {
    if (this.count === 0) return null;
    const cx = (this.right - this.left) / 2;
    const cy = (this.top - this.bottom) / 2;
    const cz = Math.max(
      (this.right + this.left) / (2 * this.tx),
      (this.top + this.bottom) / (2 * this.ty),
      this.near + 0.5,
    );
    const middle = (this.near + this.far) / 2;
    const m = this.m;
    const at = (k: number) => cx * nth(m, k) + cy * nth(m, 4 + k) + middle * nth(m, 8 + k);
    return { "aim.x": at(0), "aim.y": at(1), "aim.z": at(2), distance: distanceOf(cz - middle) };
  }
}
