import { cameraMatrix, type Up, verticalAngleOfView } from "../core/camera/camera";
import type { CameraValues } from "../core/document/sequence";

/** Looking around: changes the free view only. Angles count on without bound, so an orbit's degrees stay exact. */
export class ViewControl {
  view: CameraValues;
  /** Point that orbiting turns about, mm; null: the aim. */
  orbitAbout: readonly [number, number, number] | null = null;
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
    const d = [0, 1, 2].map((k) => (before[`aim.${"xyz"[k]}` as "aim.x"] as number) - (about[k] as number));
    const local = [0, 4, 8].map((c) => (d[0] as number) * (from[c] as number) + (d[1] as number) * (from[c + 1] as number) + (d[2] as number) * (from[c + 2] as number));
    this.view = { ...before, azimuth, elevation };
    cameraMatrix(this.m, this.values(), 0, this.up);
    const aim = [0, 1, 2].map(
      (k) =>
        (about[k] as number) + (local[0] as number) * (this.m[k] as number) + (local[1] as number) * (this.m[4 + k] as number) + (local[2] as number) * (this.m[8 + k] as number),
    );
    this.view = { ...this.view, "aim.x": aim[0] as number, "aim.y": aim[1] as number, "aim.z": aim[2] as number };
  }

  /** Shifts by pixels, so that what lies at the aim's depth follows the pointer. */
  pan(dxPx: number, dyPx: number, heightPx: number, aspect: number): void {
    cameraMatrix(this.m, this.values(), 0, this.up);
    const span = 2 * this.view.distance * Math.tan((verticalAngleOfView(this.view.lens, aspect) * Math.PI) / 360);
    const k = span / heightPx;
    this.shift([0, 1, 2].map((i) => -dxPx * k * (this.m[i] as number) + dyPx * k * (this.m[4 + i] as number)));
  }

  /**
   * Zooms by a factor toward a point (mm) under the pointer, which stays where it is on the screen; without one,
   * toward the aim.
   */
  zoom(factor: number, toward: readonly [number, number, number] | null): void {
    const limited = Math.max(0.05, Math.min(20, factor));
    const distance = Math.max(0.5, Math.min(1e7, this.view.distance * limited));
    const real = distance / this.view.distance;
    if (toward) this.shift([0, 1, 2].map((k) => ((toward[k] as number) - this.view[`aim.${"xyz"[k]}` as "aim.x"]) * (1 - real)));
    this.view = { ...this.view, distance };
  }

  /** Flies: moves viewer and aim alike, by mm to the right, upwards and ahead. */
  fly(right: number, upward: number, ahead: number): void {
    cameraMatrix(this.m, this.values(), 0, this.up);
    this.shift([0, 1, 2].map((i) => right * (this.m[i] as number) + upward * (this.m[4 + i] as number) - ahead * (this.m[8 + i] as number)));
  }

  /** Looks round from where the viewer stands, by pixels of a drag. */
  look(dxPx: number, dyPx: number): void {
    cameraMatrix(this.m, this.values(), 0, this.up);
    const eye = this.m.slice(12, 15);
    this.view = { ...this.view, azimuth: this.view.azimuth - dxPx * 0.25, elevation: Math.max(-89.9, Math.min(89.9, this.view.elevation + dyPx * 0.25)) };
    cameraMatrix(this.m, this.values(), 0, this.up);
    this.shift([0, 1, 2].map((i) => (eye[i] as number) - (this.m[12 + i] as number)));
  }

  /** Turns square to a direction (unit, pointing at the viewer), aiming at a point. */
  squareTo(direction: readonly number[], aim: readonly number[]): void {
    const [x, y, z] = direction as [number, number, number];
    // In a frame with Z up, as in cameraMatrix.
    const [fx, fy, fz] = this.up === "z" ? [x, y, z] : [x, -z, y];
    const level = Math.hypot(fx, fy);
    const azimuth = level > 1e-6 ? (Math.atan2(fx, -fy) * 180) / Math.PI : this.view.azimuth;
    this.view = {
      ...this.view,
      azimuth: azimuth + 360 * Math.round((this.view.azimuth - azimuth) / 360),
      elevation: (Math.atan2(fz, level) * 180) / Math.PI,
      roll: 0,
      "aim.x": aim[0] as number,
      "aim.y": aim[1] as number,
      "aim.z": aim[2] as number,
    };
  }

  private shift(d: number[]): void {
    this.view = { ...this.view, "aim.x": this.view["aim.x"] + (d[0] as number), "aim.y": this.view["aim.y"] + (d[1] as number), "aim.z": this.view["aim.z"] + (d[2] as number) };
  }
}
