import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { real } from "../../../tests/support/real";
import { multiplied, transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import { cosDeg, sinDeg } from "../math/rotation";
import type { Triple } from "../math/triple";
import { CamCurve } from "./cam";
import { CrankSlider, crankSliderFrom, distanceFromAxis } from "./crankSlider";
import { FourBar } from "./fourBar";
import { linkFault, linkOrder } from "./graph";
import type { JointKind } from "./jointKinds";
import { invertLink } from "./linkFunction";
import type { Axis } from "./planar";

const Y: Axis = { point: [18, 14, 152], direction: [0, 1, 0] };
const UP: Axis = { point: [18, 14, 0], direction: [0, 0, 1] };
const motion = (f: { middle?(d: number, out: Float64Array, o: number): void }, d: number) => {
  const m = new Float64Array(16);
  f.middle?.(d, m, 0);
  return m;
};
const turnY = (p: readonly number[], deg: number): Triple => {
  const x = nth(p, 0) - 18;
  const z = nth(p, 2) - 152;
  return [18 + x * cosDeg(deg) + z * sinDeg(deg), nth(p, 1), 152 - x * sinDeg(deg) + z * cosDeg(deg)];
};

describe("crank and slider", () => {
  const pin: Triple = [18, 30, 168];
  const wrist: Triple = [18, 30, 106];
  const size = crankSliderFrom(Y, UP, pin, wrist);
  const crank = new CrankSlider(Y, UP, size);

  test("reads its sizes from two pins", () => {
    expect(size.radius).toBeCloseTo(16, 12);
    expect(size.rodLength).toBeCloseTo(62, 12);
    expect(size.offset).toBeCloseTo(0, 12);
    expect(size.branch).toBe(-1);
  });

  test("is at home at home, bit for bit", () => {
    expect(crank.follower(0)).toBe(0);
    expect(Array.from(motion(crank, 0))).toEqual([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]);
  });

  test("half a turn from the top lifts the slider by the whole stroke, downwards here", () => {
    // Pin above: the wrist stands at 168 - 62. Pin below: at 136 - 62.
    expect(crank.follower(180)).toBeCloseTo(-32, 10);
    expect(crank.follower(360)).toBeCloseTo(0, 10);
    // By hand for a quarter turn: sqrt(62^2 - 16^2) below the axis instead of 46.
    expect(crank.follower(90)).toBeCloseTo(46 - Math.sqrt(62 * 62 - 256), 10);
  });

  test("the rod's ends stay on the crank pin and on the slider, at any angle and size", () => {
    const sizes = fc.tuple(real(2, 40), real(90, 300), real(-40, 40), real(-180, 180));
    fc.assert(
      fc.property(
        sizes,
        fc.constantFrom(1 as const, -1 as const),
        real(-2000, 2000),
        ([radius, rodLength, offset, homeAngle], branch, d) => {
          const f = new CrankSlider(Y, UP, { radius, rodLength, offset, homeAngle, branch });
          // In the plane frame: u is up (Z), w = Y x Z = X.
          const at = (angle: number): Triple => [18 + radius * sinDeg(angle), 14, 152 + radius * cosDeg(angle)];
          const slider = (angle: number): Triple => {
            const rise = radius * sinDeg(angle) - offset;
            return [
              18 + offset,
              14,
              152 + radius * cosDeg(angle) + branch * Math.sqrt(rodLength * rodLength - rise * rise),
            ];
          };
          const m = motion(f, d);
          transformPoint(m, at(homeAngle)).forEach((v, k) => {
            expect(v).toBeCloseTo(nth(at(homeAngle + d), k), 7);
          });
          transformPoint(m, slider(homeAngle)).forEach((v, k) => {
            expect(v).toBeCloseTo(nth(slider(homeAngle + d), k), 7);
          });
          expect(f.follower(d)).toBeCloseTo(slider(homeAngle + d)[2] - slider(homeAngle)[2], 7);
        },
      ),
    );
  });

  test("says how far it can go where the rod is too short", () => {
    const short = new CrankSlider(Y, UP, { radius: 30, rodLength: 20, offset: 0, homeAngle: 0, branch: 1 });
    const reach = short.reach();
    if (reach.kind !== "part") throw new Error("expected a part");
    expect(reach.to).toBeCloseTo((Math.asin(20 / 30) * 180) / Math.PI, 9);
    expect(reach.from).toBeCloseTo(-reach.to, 9);
    expect(crank.reach()).toEqual({ kind: "full" });
    expect(new CrankSlider(Y, UP, { radius: 30, rodLength: 5, offset: 0, homeAngle: 90, branch: 1 }).reach().kind).toBe(
      "none",
    );
  });

  test("refuses a slide along the crank's axis", () => {
    expect(() => new CrankSlider(Y, { point: [0, 0, 0], direction: [0, 1, 0] }, size)).toThrow(/square to the crank/);
    expect(() => crankSliderFrom(Y, UP, [18, 99, 152], wrist)).toThrow(/lies on the crank's axis/);
  });
});

describe("four bars", () => {
  const A: Axis = { point: [0, 0, 0], direction: [0, 0, 1] };
  const B: Axis = { point: [100, 0, 0], direction: [0, 0, 1] };
  const length = (p: readonly number[], q: readonly number[]) => Math.hypot(...p.map((v, k) => v - nth(q, k)));

  test("the coupler keeps its length and its pins stay on the bars", () => {
    const f = new FourBar(A, B, [20, 10, 5], [95, 60, 5], false);
    expect(f.reach()).toEqual({ kind: "full" });
    for (let d = -720; d <= 720; d += 7.3) {
      const m = motion(f, d);
      const a = transformPoint(m, [20, 10, 5]);
      const b = transformPoint(m, [95, 60, 5]);
      expect(length(a, b)).toBeCloseTo(length([20, 10], [95, 60]), 8);
      expect(a[0]).toBeCloseTo(20 * cosDeg(d) - 10 * sinDeg(d), 8);
      const t = f.follower(d);
      expect(b[0]).toBeCloseTo(100 + -5 * cosDeg(t) - 60 * sinDeg(t), 7);
      expect(b[1]).toBeCloseTo(-5 * sinDeg(t) + 60 * cosDeg(t), 7);
    }
  });

  test("equal cranks (a parallelogram) turn alike, turn after turn, without a jump", () => {
    const f = new FourBar(A, B, [0, 30, 0], [100, 30.5, 0], false);
    let last = f.follower(0);
    for (let d = 1; d <= 1500; d++) {
      const now = f.follower(d);
      expect(Math.abs(now - last)).toBeLessThan(25);
      last = now;
    }
  });

  test("a follower whose axis points the other way counts the other way", () => {
    const same = new FourBar(A, B, [20, 10, 0], [95, 60, 0], false);
    const other = new FourBar(A, { point: [100, 0, 0], direction: [0, 0, -1] }, [20, 10, 0], [95, 60, 0], false);
    expect(other.follower(37)).toBeCloseTo(-same.follower(37), 12);
  });

  test("home is home; crossed it stands the other way", () => {
    expect(new FourBar(A, B, [20, 10, 0], [95, 60, 0], false).follower(0)).toBe(0);
    expect(Math.abs(new FourBar(A, B, [20, 10, 0], [95, 60, 0], true).follower(0))).toBeGreaterThan(10);
  });

  test("refuses hinges that are not parallel or stand in one place", () => {
    expect(() => new FourBar(A, { point: [100, 0, 0], direction: [0, 1, 0] }, [20, 0, 0], [90, 30, 0], false)).toThrow(
      /parallel/,
    );
    expect(() => new FourBar(A, { point: [0, 0, 9], direction: [0, 0, 1] }, [20, 0, 0], [90, 30, 0], false)).toThrow(
      /apart/,
    );
  });
});

describe("cam curve", () => {
  test("goes through its points and never leaves the range between neighbours", () => {
    const heights = fc.array(real(-50, 50), { minLength: 3, maxLength: 12 });
    fc.assert(
      fc.property(heights, (ys) => {
        const points = ys.map((y, i) => [i * 20, y] as [number, number]);
        const cam = new CamCurve(points, null);
        const home = nth(ys, 0);
        points.forEach(([x, y]) => {
          expect(cam.follower(x)).toBeCloseTo(y - home, 9);
        });
        for (let i = 0; i + 1 < ys.length; i++) {
          const [lo, hi] = [nth(ys, i), nth(ys, i + 1)].sort((a, b) => a - b) as [number, number];
          for (let u = 0; u <= 1; u += 0.1) {
            const v = cam.follower((i + u) * 20) + home;
            expect(v).toBeGreaterThanOrEqual(lo - 1e-9);
            expect(v).toBeLessThanOrEqual(hi + 1e-9);
          }
        }
      }),
    );
  });

  test("repeats with its period, forwards and backwards", () => {
    const cam = new CamCurve(
      [
        [0, 0],
        [90, 12],
        [200, 3],
      ],
      360,
    );
    for (const d of [13, 90, 333])
      for (const k of [-3, 1, 7]) expect(cam.follower(d + 360 * k)).toBeCloseTo(cam.follower(d), 9);
  });

  test("can be driven back to the nearest place that gives a value", () => {
    const cam = new CamCurve(
      [
        [0, 0],
        [180, 10],
      ],
      360,
    );
    const d = invertLink(cam, 4, 300, 360) as number;
    expect(cam.follower(d)).toBeCloseTo(4, 9);
    expect(Math.abs(d - 300)).toBeLessThan(60);
    expect(invertLink(cam, 11, 0, 360)).toBeNull();
  });
});

describe("the graph of links", () => {
  const joint = (id: string, kind: JointKind = "hinge") => ({ id, name: id.toUpperCase(), kind });
  const link = (driver: string, follower: string, kind = "ratio") => ({
    id: `${driver}-${follower}`,
    name: `${driver} to ${follower}`,
    kind,
    driver,
    follower,
  });
  const graph = (joints: ReturnType<typeof joint>[], links: ReturnType<typeof link>[]) => ({
    joints: Object.fromEntries(joints.map((j) => [j.id, j])),
    links: Object.fromEntries(links.map((l) => [l.id, l])),
  });

  test("refuses a circle and names its path", () => {
    const fault = linkFault(
      graph([joint("a"), joint("b"), joint("c")], [link("a", "b"), link("b", "c"), link("c", "a")]),
    );
    expect(fault).toMatch(
      /circle: (A drives B drives C drives A|B drives C drives A drives B|C drives A drives B drives C)/,
    );
    expect(linkFault(graph([joint("a")], [link("a", "a")]))).toMatch(/A drives A/);
  });
  test("refuses two drivers, missing joints and joints of the wrong kind", () => {
    expect(linkFault(graph([joint("a"), joint("b"), joint("c")], [link("a", "c"), link("b", "c")]))).toMatch(
      /two drivers, "A" and "B"/,
    );
    expect(linkFault(graph([joint("a")], [link("a", "x")]))).toMatch(/does not exist/);
    expect(linkFault(graph([joint("a"), joint("b")], [link("a", "b", "rack")]))).toMatch(/needs a slide/);
    expect(linkFault(graph([joint("a", "slide"), joint("b")], [link("a", "b", "gears")]))).toMatch(
      /hinge or screw as its driver/,
    );
  });
  test("puts drivers before followers however the links are listed", () => {
    const order = linkOrder([link("c", "d"), link("a", "b"), link("b", "c")]).map((l) => l.follower);
    expect(order).toEqual(["b", "c", "d"]);
  });
});

test("distance from an axis", () => {
  expect(distanceFromAxis(Y, [18, 99, 168])).toBeCloseTo(16, 12);
  expect(turnY([18, 0, 168], 90)[0]).toBeCloseTo(34, 12);
  expect(
    multiplied(
      motion({ middle: (_, out) => out.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]) }, 0),
      [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1],
    ),
  ).toHaveLength(16);
});
