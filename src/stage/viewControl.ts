import { cameraMatrix, type Up, verticalAngleOfView } from "../core/camera/camera";
import { CAMERA_DISTANCE_MAX } from "../core/document/keys";
import type { CameraValues } from "../core/document/sequence";
import { nth } from "../core/math/packed";
import type { ReadonlyTriple, Triple } from "../core/math/triple";

/** Looking around: changes the free view only. Angles count on without bound, so an orbit's degrees stay exact. */
export class ViewControl {
  view: CameraValues;
  /** Point that orbiting turns about, mm; null: the aim. */
  orbitAbout: ReadonlyTriple | null = null;
  private readonly m = new Array<number>(16).fill(0);

  constructor(
    initial: CameraValues,
    private readonly up: Up,
  ) {
    this.view = { ...initial };
  }

  private values(): number[] {
    const v = this.view;
    return [v["aim.x"], v["aim.y"], v["aim.z"], v.azimuth, v.elevation, v.distance, v.roll, v.lens];
  }

  /** Turns by pixels of a drag. A point to turn about stays where it is on the screen. */
  orbit(dxPx: number, dyPx: number): void {
    const before = this.view;
    const azimuth = before.azimuth - dxPx * 0.4;
    const elevation = Math.max(-89.9, Math.min(89.9, before.elevation + dyPx * 0.4));
    const about = this.orbitAbout;
    if (!about) {
      this.view = { ...before, azimuth, elevation };
      return;
    }
    cameraMatrix(this.m, this.values(), 0, this.up);
    const from = this.m.slice();
    const d = [0, 1, 2].map((k) => (before[`aim.${"xyz"[k]}` as "aim.x"] as number) - nth(about, k));
    const local = [0, 4, 8].map(
      (c) => nth(d, 0) * nth(from, c) + nth(d, 1) * nth(from, c + 1) + nth(d, 2) * nth(from, c + 2),
    );
    this.view = { ...before, azimuth, elevation };
    cameraMatrix(this.m, this.values(), 0, this.up);
    const aim = [0, 1, 2].map(
      (k) =>
        nth(about, k) +
        nth(local, 0) * nth(this.m, k) +
        nth(local, 1) * nth(this.m, 4 + k) +
        nth(local, 2) * nth(this.m, 8 + k),
    );
    this.view = { ...this.view, "aim.x": nth(aim, 0), "aim.y": nth(aim, 1), "aim.z": nth(aim, 2) };
  }

  /** Shifts by pixels, so that what lies at the aim's depth follows the pointer. */
  pan(dxPx: number, dyPx: number, heightPx: number, aspect: number): void {
    cameraMatrix(this.m, this.values(), 0, this.up);
    const span = 2 * this.view.distance * Math.tan((verticalAngleOfView(this.view.lens, aspect) * Math.PI) / 360);
    const k = span / heightPx;
    this.shift([0, 1, 2].map((i) => -dxPx * k * nth(this.m, i) + dyPx * k * nth(this.m, 4 + i)));
  }

  /**
   * Zooms by a factor toward a point (mm) under the pointer, which stays where it is on the screen; without one,
   * toward the aim.
   */
  zoom(factor: number, toward: ReadonlyTriple | null): void {
    const limited = Math.max(0.05, Math.min(20, factor));
    const distance = Math.max(0.5, Math.min(CAMERA_DISTANCE_MAX, this.view.distance * limited));
    const real = distance / this.view.distance;
    if (toward)
      this.shift([0, 1, 2].map((k) => (nth(toward, k) - this.view[`aim.${"xyz"[k]}` as "aim.x"]) * (1 - real)));
    this.view = { ...this.view, distance };
  }

  /** Flies: moves viewer and aim alike, by mm to the right, upwards and ahead. */
  fly(right: number, upward: number, ahead: number): void {
    cameraMatrix(this.m, this.values(), 0, this.up);
    this.shift([0, 1, 2].map((i) => right * nth(this.m, i) + upward * nth(this.m, 4 + i) - ahead * nth(this.m, 8 + i)));
  }

  /** Looks round from where the viewer stands, by pixels of a drag. */
  look(dxPx: number, dyPx: number): void {
    cameraMatrix(this.m, this.values(), 0, this.up);
    const eye = this.m.slice(12, 15);
    this.view = {
      ...this.view,
      azimuth: this.view.azimuth - dxPx * 0.25,
      elevation: Math.max(-89.9, Math.min(89.9, this.view.elevation + dyPx * 0.25)),
    };
    cameraMatrix(this.m, this.values(), 0, this.up);
    this.shift([0, 1, 2].map((i) => nth(eye, i) - nth(this.m, 12 + i)));
  }

  /** Turns square to a direction (unit, pointing at the viewer), aiming at a point. */
  squareTo(direction: ReadonlyTriple, aim: ReadonlyTriple): void {
    const [x, y, z] = direction as Triple;
    // In a frame with Z up, as in cameraMatrix.
    const [fx, fy, fz] = this.up === "z" ? [x, y, z] : [x, -z, y];
    const level = Math.hypot(fx, fy);
    const azimuth = level > 1e-6 ? (Math.atan2(fx, -fy) * 180) / Math.PI : this.view.azimuth;
    this.view = {
      ...this.view,
      azimuth: azimuth + 360 * Math.round((this.view.azimuth - azimuth) / 360),
      elevation: (Math.atan2(fz, level) * 180) / Math.PI,
      roll: 0,
      "aim.x": nth(aim, 0),
      "aim.y": nth(aim, 1),
      "aim.z": nth(aim, 2),
    };
  }

  private shift(d: number[]): void {
    this.view = {
      ...this.view,
      "aim.x": this.view["aim.x"] + nth(d, 0),
      "aim.y": this.view["aim.y"] + nth(d, 1),
      "aim.z": this.view["aim.z"] + nth(d, 2),
    };
  }
}
