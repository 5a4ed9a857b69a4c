import { cameraMatrix, SENSOR_WIDTH_MM, type Up } from "../camera/camera";
import { nth } from "../math/packed";
import type { ReadonlyTriple, Triple } from "../math/triple";

/** Width of a drawing in its own units: all sizes below are thousandths of the picture's width. */
export const WIDE = 1000;

/** What lies nearer to the camera than this share of its distance from the aim is not drawn. */
const NEAR = 0.02;

/** Places in a picture seen through a camera, in units of the drawing: x to the right and y down from its upper left. */
export class Projection {
  private readonly m = new Float64Array(16);
  private readonly scale: number;
  readonly high: number;
  readonly near: number;

  /** @param camera in the order of CAMERA_CHANNELS @param picture any size of its shape */
  constructor(camera: ArrayLike<number>, up: Up, picture: { width: number; height: number }) {
    cameraMatrix(this.m, camera, 0, up);
    this.high = (WIDE * picture.height) / picture.width;
    this.scale = (WIDE * nth(camera, 7)) / SENSOR_WIDTH_MM;
    this.near = NEAR * nth(camera, 5);
  }

  get eye(): Triple {
    return [nth(this.m, 12), nth(this.m, 13), nth(this.m, 14)];
  }

  /** The direction from a place to the eye, not of unit length. */
  toEye(p: ReadonlyTriple): Triple {
    return [nth(this.m, 12) - p[0], nth(this.m, 13) - p[1], nth(this.m, 14) - p[2]];
  }

  /** How far before the camera a place lies, mm along its axis. */
  ahead(x: number, y: number, z: number): number {
    const { m } = this;
    return -(
      (x - (m[12] as number)) * (m[8] as number) +
      (y - (m[13] as number)) * (m[9] as number) +
      (z - (m[14] as number)) * (m[10] as number)
    );
  }

  /** Writes x, y and how far ahead it lies (mm) of a place. @returns false where it is not before the camera */
  project(x: number, y: number, z: number, out: Float64Array, o = 0): boolean {
    const { m } = this;
    const dx = x - (m[12] as number);
    const dy = y - (m[13] as number);
    const dz = z - (m[14] as number);
    const ahead = -(dx * (m[8] as number) + dy * (m[9] as number) + dz * (m[10] as number));
    out[o + 2] = ahead;
    if (ahead <= this.near) return false;
    const f = this.scale / ahead;
    out[o] = WIDE / 2 + f * (dx * (m[0] as number) + dy * (m[1] as number) + dz * (m[2] as number));
    out[o + 1] = this.high / 2 - f * (dx * (m[4] as number) + dy * (m[5] as number) + dz * (m[6] as number));
    return true;
  }

  /** The same as a pair, or null. */
  place(p: ReadonlyTriple): [number, number] | null {
    return this.project(p[0], p[1], p[2], _place) ? [nth(_place, 0), nth(_place, 1)] : null;
  }

  /** Millimetres that a unit of the drawing is at so many mm ahead. */
  unitAt(ahead: number): number {
    return ahead / this.scale;
  }
}
const _place = new Float64Array(3);
