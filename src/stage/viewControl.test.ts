import { describe, expect, test } from "vitest";
import { CAMERA } from "../../tests/support/assembly";
import { cameraMatrix } from "../core/camera/camera";
import { nth } from "../core/math/packed";
import { ViewControl } from "./viewControl";

/** Where a point appears, as shares of the distance to the right and up of the line of sight. */
function seen(control: ViewControl, p: readonly number[]): [number, number] {
  const v = control.view;
  const m = new Array<number>(16).fill(0);
  cameraMatrix(m, [v["aim.x"], v["aim.y"], v["aim.z"], v.azimuth, v.elevation, v.distance, v.roll, v.lens], 0, "z");
  const d = [0, 1, 2].map((k) => nth(p, k) - nth(m, 12 + k));
  const along = (c: number) => d.reduce((s, x, k) => s + x * nth(m, c + k), 0);
  return [along(0) / -along(8), along(4) / -along(8)];
}
const POINT = [40, -25, 60] as const;

describe("looking around", () => {
  test("zooming toward a point leaves it where it is on the screen", () => {
    const control = new ViewControl(CAMERA, "z");
    const before = seen(control, POINT);
    for (const f of [0.5, 0.8, 1.7]) control.zoom(f, POINT);
    seen(control, POINT).forEach((v, i) => {
      expect(v).toBeCloseTo(nth(before, i), 9);
    });
    expect(control.view.distance).toBeCloseTo(CAMERA.distance * 0.5 * 0.8 * 1.7, 9);
  });
  test("orbiting about a point leaves it where it is on the screen", () => {
    const control = new ViewControl(CAMERA, "z");
    const before = seen(control, POINT);
    control.orbitAbout = POINT;
    control.orbit(130, -40);
    seen(control, POINT).forEach((v, i) => {
      expect(v).toBeCloseTo(nth(before, i), 9);
    });
    expect(control.view.azimuth).toBeCloseTo(CAMERA.azimuth - 52, 9);
  });
  test("orbiting round and round counts every turn; elevation stops short of the pole", () => {
    const control = new ViewControl(CAMERA, "z");
    for (let i = 0; i < 20; i++) control.orbit(-100, 90);
    expect(control.view.azimuth).toBeCloseTo(CAMERA.azimuth + 800, 9);
    expect(control.view.elevation).toBeLessThan(90);
  });
  test("panning by the height of the view moves the aim by what the view shows at its depth", () => {
    const control = new ViewControl({ ...CAMERA, azimuth: 0, elevation: 0, lens: 18 }, "z");
    control.pan(0, 100, 100, 1);
    // 18 mm on 36 mm: the view is as high as twice the distance.
    expect(control.view["aim.z"]).toBeCloseTo(2 * CAMERA.distance, 6);
  });
});
