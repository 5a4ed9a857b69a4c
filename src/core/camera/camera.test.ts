import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { real } from "../../../tests/support/real";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import {
  angleOfView,
  cameraMatrix,
  fitBox,
  nearestTurn,
  threeQuarterView,
  type Up,
  verticalAngleOfView,
} from "./camera";

const at = (azimuth: number, elevation: number, up: Up, roll = 0) => {
  const m = new Array<number>(16).fill(0);
  cameraMatrix(m, [0, 0, 0, azimuth, elevation, 10, roll, 50], 0, up);
  return m;
};
const round = (v: number[]) => v.map((x) => Math.round(x * 1e9) / 1e9 + 0);

describe("where a camera stands", () => {
  test("0 is the front, 90 the right, and elevation 90 above; Z up", () => {
    expect(round(at(0, 0, "z").slice(12, 15))).toEqual([0, -10, 0]);
    expect(round(at(90, 0, "z").slice(12, 15))).toEqual([10, 0, 0]);
    expect(round(at(0, 90, "z").slice(12, 15))).toEqual([0, 0, 10]);
  });
  test("the same with Y up", () => {
    expect(round(at(0, 0, "y").slice(12, 15))).toEqual([0, 0, 10]);
    expect(round(at(90, 0, "y").slice(12, 15))).toEqual([10, 0, 0]);
    expect(round(at(0, 90, "y").slice(12, 15))).toEqual([0, 10, 0]);
  });
  test("its axes are square to one another, right-handed, and it looks at the aim", () => {
    fc.assert(
      fc.property(
        real(-800, 800),
        real(-90, 90),
        real(-180, 180),
        fc.constantFrom<Up>("y", "z"),
        (az, el, roll, up) => {
          const m = at(az, el, up, roll);
          const c = (i: number) => m.slice(4 * i, 4 * i + 3) as Triple;
          const [r, u, b] = [c(0), c(1), c(2)];
          const dot = (p: number[], q: number[]) => p.reduce((s, v, k) => s + v * nth(q, k), 0);
          for (const [p, q, v] of [
            [r, u, 0],
            [u, b, 0],
            [r, b, 0],
            [r, r, 1],
            [u, u, 1],
            [b, b, 1],
          ] as const)
            expect(dot(p, q)).toBeCloseTo(v, 9);
          expect(dot([r[1] * u[2] - r[2] * u[1], r[2] * u[0] - r[0] * u[2], r[0] * u[1] - r[1] * u[0]], b)).toBeCloseTo(
            1,
            9,
          );
          m.slice(12, 15).forEach((v, k) => {
            expect(v).toBeCloseTo(10 * nth(b, k), 9);
          });
        },
      ),
    );
  });
});

describe("fitting", () => {
  test("every corner is inside the picture, and one touches the margin", () => {
    const corner = fc.tuple(real(-500, 500), real(-500, 500), real(-500, 500));
    fc.assert(
      fc.property(
        corner,
        corner,
        fc.integer({ min: -180, max: 180 }),
        fc.integer({ min: -80, max: 80 }),
        real(0.4, 3),
        (p, q, az, el, aspect) => {
          const min = p.map((v, k) => Math.min(v, nth(q, k)));
          const max = p.map((v, k) => Math.max(v, nth(q, k)) + 1);
          const fit = fitBox(min, max, az, el, 50, aspect, "z", 0.1);
          const m = new Array<number>(16).fill(0);
          cameraMatrix(m, [fit["aim.x"], fit["aim.y"], fit["aim.z"], az, el, fit.distance, 0, 50], 0, "z");
          const tan = Math.tan((angleOfView(50) * Math.PI) / 360);
          let widest = 0;
          for (let i = 0; i < 8; i++) {
            const d = [0, 1, 2].map((k) => ((i >> k) & 1 ? nth(max, k) : nth(min, k)) - nth(m, 12 + k));
            const along = (c: number) => d.reduce((s, v, k) => s + v * nth(m, c + k), 0);
            const depth = -along(8);
            expect(depth).toBeGreaterThan(0);
            widest = Math.max(
              widest,
              Math.abs(along(0)) / (depth * tan),
              Math.abs(along(4)) / ((depth * tan) / aspect),
            );
          }
          expect(widest).toBeLessThanOrEqual(0.9 + 1e-9);
          expect(widest).toBeGreaterThan(0.9 - 1e-6);
        },
      ),
    );
  });
  test("focal length and angle of view", () => {
    expect(angleOfView(18)).toBeCloseTo(90, 12);
    expect(verticalAngleOfView(18, 1)).toBeCloseTo(90, 12);
    expect(threeQuarterView([0, 0, 0], [1, 1, 1], 1.5, "z").lens).toBe(50);
  });
  test("the nearest equal angle", () => {
    expect(nearestTurn(350, 0)).toBe(-10);
    expect(nearestTurn(10, 725)).toBe(730);
  });
});
