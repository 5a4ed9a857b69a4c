import { cameraMatrix, clipPlanes, SENSOR_WIDTH_MM } from "../camera/camera";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import type { Program } from "../program/program";
import type { Pose } from "../program/sampling";

/** A hair beyond the edge is not outside. */
const OUT = 1 + 1e-9;

/** Where a thing lies in the picture: shares of the half picture, -1..1 inside. */
export interface Box {
  left: number;
  right: number;
  bottom: number;
  top: number;
  /** Something of it is not before the camera. */
  behind: boolean;
}

/** Projects what stands in a pose into the picture; allocates nothing once it is made. */
export class View {
  private readonly m = new Float64Array(16);
  private tanX = 1;
  private tanY = 1;
  readonly box: Box = { left: 0, right: 0, bottom: 0, top: 0, behind: false };

  constructor(private readonly program: Program) {}

  /** Looks through the live camera of a pose. */
  look(at: Pose): void {
    cameraMatrix(this.m, at.camera, 0, this.program.index.assembly.up);
    this.tanX = SENSOR_WIDTH_MM / 2 / nth(at.camera, 7);
    this.tanY = (this.tanX * this.program.sequence.picture.height) / this.program.sequence.picture.width;
  }

  get eye(): Triple {
    return [nth(this.m, 12), nth(this.m, 13), nth(this.m, 14)];
  }

  /** Where the picture begins in depth, mm before the camera. @param radius of all that is drawn, round its middle */
  near(at: Pose, middle: Triple, radius: number): number {
    const { m } = this;
    const away = Math.hypot(nth(m, 12) - middle[0], nth(m, 13) - middle[1], nth(m, 14) - middle[2]);
    return clipPlanes(nth(at.camera, 5), away, radius).near;
  }

  /** How far a place of a node's frame lies before the camera, mm. */
  ahead(at: Pose, node: number, p: ArrayLike<number>): number {
    const { m } = this;
    const w = at.world;
    const o = 16 * node;
    let z = 0;
    for (let r = 0; r < 3; r++) {
      const v =
        (w[o + r] as number) * (p[0] as number) +
        (w[o + 4 + r] as number) * (p[1] as number) +
        (w[o + 8 + r] as number) * (p[2] as number) +
        (w[o + 12 + r] as number) -
        (m[12 + r] as number);
      z -= v * (m[8 + r] as number);
    }
    return z;
  }

  /** The place of a node's own point in the picture, pixels from its upper left corner; null behind the camera. */
  pixel(at: Pose, node: number, p: ArrayLike<number>): { x: number; y: number } | null {
    const box = this.project(at, node, p);
    if (box.behind) return null;
    const { width, height } = this.program.sequence.picture;
    return { x: ((box.left + 1) / 2) * width, y: ((1 - box.bottom) / 2) * height };
  }

  /** Writes the box round points of a node's frame into `box`. */
  project(at: Pose, node: number, points: ArrayLike<number>): Box {
    const { m, box } = this;
    const w = at.world;
    const o = 16 * node;
    box.left = box.bottom = Number.POSITIVE_INFINITY;
    box.right = box.top = Number.NEGATIVE_INFINITY;
    box.behind = false;
    for (let i = 0; i + 2 < points.length; i += 3) {
      const px = points[i] as number;
      const py = points[i + 1] as number;
      const pz = points[i + 2] as number;
      const x =
        (w[o] as number) * px +
        (w[o + 4] as number) * py +
        (w[o + 8] as number) * pz +
        (w[o + 12] as number) -
        (m[12] as number);
      const y =
        (w[o + 1] as number) * px +
        (w[o + 5] as number) * py +
        (w[o + 9] as number) * pz +
        (w[o + 13] as number) -
        (m[13] as number);
      const z =
        (w[o + 2] as number) * px +
        (w[o + 6] as number) * py +
        (w[o + 10] as number) * pz +
        (w[o + 14] as number) -
        (m[14] as number);
      const ahead = -(x * (m[8] as number) + y * (m[9] as number) + z * (m[10] as number));
      if (ahead <= 1e-9) {
        box.behind = true;
        continue;
      }
      const u = (x * (m[0] as number) + y * (m[1] as number) + z * (m[2] as number)) / ahead / this.tanX;
      const v = (x * (m[4] as number) + y * (m[5] as number) + z * (m[6] as number)) / ahead / this.tanY;
      if (u < box.left) box.left = u;
      if (u > box.right) box.right = u;
      if (v < box.bottom) box.bottom = v;
      if (v > box.top) box.top = v;
    }
    return box;
  }

  /** The lowest that a sphere of a node's frame reaches in the picture, a little less at most; -Infinity near by. */
  lowest(at: Pose, node: number, middle: Triple, radius: number): number {
    this.sphere(at, node, middle, radius);
    return _sphere.lowest;
  }

  /**
   * Whether a sphere of a node's frame is wholly inside the picture, or wholly outside, and how wide it is there (shares,
   * 0..1). Neither where it cuts the edge, and at times close to it.
   */
  sphere(at: Pose, node: number, middle: Triple, radius: number): { inside: boolean; outside: boolean; size: number } {
    const { m } = this;
    const w = at.world;
    const o = 16 * node;
    let x = 0;
    let y = 0;
    let z = 0;
    let scale = 0;
    for (let k = 0; k < 3; k++)
      scale = Math.max(
        scale,
        (w[o + 4 * k] as number) ** 2 + (w[o + 4 * k + 1] as number) ** 2 + (w[o + 4 * k + 2] as number) ** 2,
      );
    for (let r = 0; r < 3; r++) {
      const v =
        (w[o + r] as number) * middle[0] +
        (w[o + 4 + r] as number) * middle[1] +
        (w[o + 8 + r] as number) * middle[2] +
        (w[o + 12 + r] as number) -
        (m[12 + r] as number);
      x += v * (m[r] as number);
      y += v * (m[4 + r] as number);
      z -= v * (m[8 + r] as number);
    }
    const r = radius * Math.sqrt(scale);
    // How far it reaches across the slanted sides of what is seen.
    const [rx, ry] = [r * Math.sqrt(1 + this.tanX * this.tanX), r * Math.sqrt(1 + this.tanY * this.tanY)];
    _sphere.inside = z > r && Math.abs(x) + rx <= z * this.tanX && Math.abs(y) + ry <= z * this.tanY;
    _sphere.outside = z > r && (Math.abs(x) - rx > z * this.tanX || Math.abs(y) - ry > z * this.tanY);
    _sphere.size = z > r ? r / z / Math.max(this.tanX, this.tanY) : 1;
    _sphere.lowest = z > r ? Math.min((y - r) / (z - r), (y - r) / (z + r)) / this.tanY : Number.NEGATIVE_INFINITY;
    return _sphere;
  }
}
const _sphere = { inside: false, outside: false, size: 0, lowest: 0 };

/** Whether a box lies wholly inside the picture. */
export const within = (b: Box): boolean =>
  !b.behind && b.left >= -OUT && b.right <= OUT && b.bottom >= -OUT && b.top <= OUT;

/** Whether nothing of a box is in the picture. */
export const outside = (b: Box): boolean =>
  b.right < b.left || b.left > 1 || b.right < -1 || b.bottom > 1 || b.top < -1;

/** Share of the picture that a box takes, 0..1. */
export const shareOf = (b: Box): number => {
  if (b.behind) return 1;
  const wide = Math.min(1, b.right) - Math.max(-1, b.left);
  const high = Math.min(1, b.top) - Math.max(-1, b.bottom);
  return wide > 0 && high > 0 ? (wide * high) / 4 : 0;
};
