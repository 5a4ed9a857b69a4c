import { describe, expect, test } from "vitest";
import type { Link } from "../document/preparation";
import type { Triple } from "../math/triple";
import { CamCurve } from "./cam";
import { FourBar } from "./fourBar";
import { linearInverse, linkFunction } from "./links";
import type { Axis } from "./planar";

const z = (x: number, y: number, sense: 1 | -1 = 1): Axis => ({ point: [x, y, 0], direction: [0, 0, sense] });
const at = (x: number, y: number): Triple => [x, y, 0];
/** Where the follower's pin is, by circles: independent of the code under test. */
function pins(ground: number, a: Triple, b: Triple, driver: number, follower: number) {
  const turned = (p: Triple, about: number, deg: number): Triple => {
    const r = (deg * Math.PI) / 180;
    const [x, y] = [p[0] - about, p[1]];
    return [about + x * Math.cos(r) - y * Math.sin(r), x * Math.sin(r) + y * Math.cos(r), 0];
  };
  return [turned(a, 0, driver), turned(b, ground, follower)] as const;
}

describe("four bars", () => {
  test("in a crank-rocker the coupler keeps its length all the way round, and the rocker comes back", () => {
    const [a, b] = [at(0, 10), at(55, 40)];
    const bars = new FourBar(z(0, 0), z(60, 0), a, b, false);
    expect(bars.follower(0)).toBe(0);
    for (let d = -720; d <= 720; d += 7) {
      const [p, q] = pins(60, a, b, d, bars.follower(d));
      expect(Math.hypot(p[0] - q[0], p[1] - q[1])).toBeCloseTo(Math.hypot(55, 30), 6);
    }
    expect(bars.follower(360)).toBeCloseTo(0, 6);
    expect(bars.follower(-1080)).toBeCloseTo(0, 6);
    expect(bars.reach().kind).toBe("full");
  });
  test("in a true parallelogram the follower goes round with the driver, turn for turn", () => {
    const bars = new FourBar(z(0, 0), z(50, 0), at(0, 20), at(50, 20), false);
    for (const d of [0, 10, 45, 80, 200, 359, 361, 720, -90, -400]) expect(bars.follower(d)).toBeCloseTo(d, 6);
  });
  test("a double crank counts its turns too, without a jump", () => {
    const bars = new FourBar(z(0, 0), z(10, 0), at(0, 40), at(20, 38), false);
    expect(bars.follower(360)).toBeCloseTo(360, 6);
    let last = bars.follower(-30);
    for (let d = -29; d < 800; d += 1) {
      const now = bars.follower(d);
      expect(Math.abs(now - last)).toBeLessThan(8);
      last = now;
    }
  });
  test("axes that point against each other turn the follower's count over", () => {
    const same = new FourBar(z(0, 0), z(60, 0), at(0, 10), at(55, 40), false);
    const against = new FourBar(z(0, 0), z(60, 0, -1), at(0, 10), at(55, 40), false);
    for (const d of [15, 100, 250]) expect(against.follower(d)).toBeCloseTo(-same.follower(d), 9);
  });
  test("crossed it stands on the other side of the line between the pins", () => {
    const crossed = new FourBar(z(0, 0), z(60, 0), at(0, 10), at(55, 40), true);
    expect(crossed.follower(0)).not.toBeCloseTo(0, 0);
  });
  test("that cannot go all the way round says from where to where it can, on both sides of home", () => {
    const bars = new FourBar(z(0, 0), z(60, 0), at(0, 50), at(60, 20), false);
    const reach = bars.reach();
    if (reach.kind !== "part") throw new Error(reach.kind);
    expect(reach.from).toBeLessThan(0);
    expect(reach.to).toBeGreaterThan(0);
    const [p, q] = pins(60, at(0, 50), at(60, 20), reach.to, bars.follower(reach.to));
    expect(Math.hypot(p[0] - q[0], p[1] - q[1])).toBeCloseTo(Math.hypot(60, 30), 1);
  });
  test.each([
    ["parallel", z(0, 0), { point: [60, 0, 0], direction: [1, 0, 0] } as Axis, at(0, 10), at(55, 40)],
    ["apart", z(0, 0), z(0, 0), at(0, 10), at(55, 40)],
    ["on its own hinge's axis", z(0, 0), z(60, 0), at(0, 0), at(55, 40)],
    ["on its own hinge's axis", z(0, 0), z(60, 0), at(0, 10), at(60, 0)],
    ["the same place", z(0, 0), z(60, 0), at(0, 10), at(0, 10)],
  ])("refuses hinges and pins that make no linkage: %s", (words, d, f, a, b) => {
    expect(() => new FourBar(d, f, a, b, false)).toThrow(words);
  });
});

describe("cams", () => {
  test("an open cam stays at its ends; a closed one meets itself with one slope", () => {
    const open = new CamCurve(
      [
        [0, 0],
        [90, 10],
        [180, 4],
      ],
      null,
    );
    expect([open.follower(-50), open.follower(90), open.follower(400)]).toEqual([0, 10, 4]);
    const closed = new CamCurve(
      [
        [0, 0],
        [90, 10],
        [180, 4],
      ],
      360,
    );
    const slope = (d: number) => (closed.follower(d + 1e-4) - closed.follower(d - 1e-4)) / 2e-4;
    expect(closed.follower(360)).toBeCloseTo(0, 12);
    expect(slope(360 - 1e-3)).toBeCloseTo(slope(360 + 1e-3), 2);
    expect(slope(0)).toBeCloseTo(0, 6);
  });
  test("one that rises over its period goes on climbing, at one speed across the seam", () => {
    const climbing = new CamCurve(
      [
        [0, 0],
        [120, 3],
        [360, 12],
      ],
      360,
    );
    expect([climbing.follower(720), climbing.follower(-360), climbing.follower(480)]).toEqual([24, -12, 15]);
    const slope = (d: number) => (climbing.follower(d + 1e-4) - climbing.follower(d - 1e-4)) / 2e-4;
    expect(slope(360)).toBeGreaterThan(0);
    expect(slope(359.99)).toBeCloseTo(slope(360.01), 3);
  });
  test("between points it never overshoots", () => {
    const cam = new CamCurve(
      [
        [0, 0],
        [10, 5],
        [200, 5],
        [210, -2],
        [360, 0],
      ],
      360,
    );
    for (let d = 0; d < 360; d += 1) {
      expect(cam.follower(d)).toBeLessThanOrEqual(5 + 1e-9);
      expect(cam.follower(d)).toBeGreaterThanOrEqual(-2 - 1e-9);
    }
    expect(cam.follower(100)).toBe(5);
  });
});

describe("straight proportions", () => {
  const base = { id: "l", name: "L", driver: "a", follower: "b", offset: 7 };
  test.each<[Link, number, number]>([
    [{ ...base, kind: "ratio", num: 3, den: 2 }, 90, 142],
    [{ ...base, kind: "gears", driverTeeth: 12, followerTeeth: 36, internal: false }, 90, -23],
    [{ ...base, kind: "gears", driverTeeth: 12, followerTeeth: 36, internal: true }, 90, 37],
    [{ ...base, kind: "rack", travel: 36 }, 90, 16],
    [{ ...base, kind: "lead", travel: -4 }, 90, 6],
  ] as [Link, number, number][])("%o takes 90 to where it should, and back", (link, driver, follower) => {
    const f = linkFunction(link, z(0, 0), z(50, 0));
    expect(f.follower(driver)).toBeCloseTo(follower, 9);
    expect(linearInverse(f, link, follower)).toBeCloseTo(driver, 9);
    expect(linearInverse(f, link, 7)).toBeCloseTo(0, 9);
  });
  test("gears on axes that point against each other turn the other way", () => {
    const link = { ...base, offset: 0, kind: "gears", driverTeeth: 10, followerTeeth: 20, internal: false } as Link;
    expect(linkFunction(link, z(0, 0), z(50, 0, -1)).follower(30)).toBe(15);
    expect(
      linearInverse(
        linkFunction({ ...base, kind: "ratio", num: 0, den: 2 } as Link, z(0, 0), z(1, 0)),
        { ...base, kind: "ratio", num: 0, den: 2 } as Link,
        5,
      ),
    ).toBeNull();
  });
});
