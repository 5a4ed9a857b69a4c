import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { real } from "../../../tests/support/real";
import { nth } from "./packed";
import {
  axisRotation3,
  conjugateQuaternion,
  cosDeg,
  multiply3,
  multiplyQuaternion,
  type Quaternion,
  quaternionFromAxis,
  quaternionRotation3,
  rotateVector,
  sinDeg,
  slerp,
} from "./rotation";
import { cross, distance, dot, lengthOf, minus, normalised, plus, shifted, type Triple, times, unit } from "./triple";

const turn = (axis: Triple, deg: number) => {
  const m = new Float64Array(9);
  axisRotation3(m, ...axis, deg);
  return Array.from(m);
};
const near = (a: ArrayLike<number>, b: ArrayLike<number>, digits = 9) => {
  expect(a.length).toBe(b.length);
  for (let i = 0; i < a.length; i++) expect(nth(a, i)).toBeCloseTo(nth(b, i), digits);
};
const angle = real(-800, 800);
const direction = fc
  .tuple(real(-1, 1), real(-1, 1), real(-1, 1))
  .filter((v) => lengthOf(v) > 0.1)
  .map((v) => normalised(v) as Triple);

describe("rotations", () => {
  test("quarters are exact, whichever way round and however often", () => {
    for (const [deg, s, c] of [
      [0, 0, 1],
      [90, 1, 0],
      [180, 0, -1],
      [270, -1, 0],
      [360, 0, 1],
      [-90, -1, 0],
      [-180, 0, -1],
      [810, 1, 0],
    ] as const) {
      expect([sinDeg(deg) + 0, cosDeg(deg) + 0]).toEqual([s, c]);
    }
    expect(sinDeg(30)).toBeCloseTo(0.5, 15);
    expect(cosDeg(-300)).toBeCloseTo(0.5, 15);
  });
  test("go by the right hand: x to y about z, y to z about x, z to x about y", () => {
    near(turn([0, 0, 1], 90).slice(0, 3), [0, 1, 0]);
    near(turn([1, 0, 0], 90).slice(3, 6), [0, 0, 1]);
    near(turn([0, 1, 0], 90).slice(6, 9), [1, 0, 0]);
  });
  test("a matrix and a quaternion of one turn are the same, and products of them", () => {
    fc.assert(
      fc.property(direction, angle, direction, angle, (a, da, b, db) => {
        const [qa, qb] = [quaternionFromAxis(a, da), quaternionFromAxis(b, db)];
        const m = new Float64Array(9);
        quaternionRotation3(m, ...qa);
        near(m, turn(a, da), 8);
        const product = new Float64Array(9);
        multiply3(product, turn(a, da), turn(b, db));
        quaternionRotation3(m, ...multiplyQuaternion(qa, qb));
        near(m, product, 8);
        near(rotateVector(multiplyQuaternion(qa, conjugateQuaternion(qa)), [1, 2, 3]), [1, 2, 3], 8);
      }),
    );
  });
  test("a product may be written over either factor", () => {
    const [a, b] = [turn([0, 0, 1], 30), turn([1, 0, 0], 50)];
    const whole = new Float64Array(9);
    multiply3(whole, a, b);
    const left = Float64Array.from(a);
    multiply3(left, left, b);
    const right = Float64Array.from(b);
    multiply3(right, a, right);
    expect([Array.from(left), Array.from(right)]).toEqual([Array.from(whole), Array.from(whole)]);
  });
});

describe("blending orientations", () => {
  const blend = (a: Quaternion, b: Quaternion, u: number) => {
    const out = [9, 0, 0, 0, 0, 9];
    slerp(out, 1, [7, ...a], 1, [...b], 0, u);
    expect([out[0], out[5]]).toEqual([9, 9]);
    return out.slice(1, 5);
  };
  test("goes at constant speed by the shorter arc, and ends where it should", () => {
    fc.assert(
      fc.property(direction, real(1, 359), real(0, 1), (axis, deg, u) => {
        const from = quaternionFromAxis([0, 0, 1], 20);
        const to = multiplyQuaternion(quaternionFromAxis(axis, deg), from);
        const short = deg > 180 ? deg - 360 : deg;
        const m = new Float64Array(9);
        quaternionRotation3(m, ...(blend(from, to, u) as Quaternion));
        const wanted = new Float64Array(9);
        quaternionRotation3(wanted, ...multiplyQuaternion(quaternionFromAxis(axis, short * u), from));
        if (Math.abs(deg - 180) > 1e-3) near(m, wanted, 6);
      }),
    );
  });
  test("between two that are nearly or wholly the same it stays a turn", () => {
    const q = quaternionFromAxis([1, 0, 0], 40);
    near(blend(q, q, 0.3), q, 12);
    const almost = quaternionFromAxis([1, 0, 0], 40.00001);
    expect(Math.hypot(...blend(q, almost, 0.5))).toBeCloseTo(1, 12);
    // The same turn with the other sign is no way at all.
    near(blend(q, q.map((v) => -v) as Quaternion, 0.7).map(Math.abs), q.map(Math.abs), 9);
  });
});

describe("points and directions", () => {
  test("are added, taken, crossed and measured", () => {
    const [a, b]: Triple[] = [
      [1, 2, 3],
      [-2, 0.5, 4],
    ];
    if (!a || !b) throw new Error("no points");
    expect([dot(a, b), plus(a, b), minus(a, b), times(a, -2), shifted(a, b, 2)]).toEqual([
      11,
      [-1, 2.5, 7],
      [3, 1.5, -1],
      [-2, -4, -6],
      [-3, 3, 11],
    ]);
    expect(cross([1, 0, 0], [0, 1, 0])).toEqual([0, 0, 1]);
    expect([dot(cross(a, b), a), dot(cross(a, b), b)]).toEqual([expect.closeTo(0, 12), expect.closeTo(0, 12)]);
    expect([lengthOf([2, 3, 6]), distance([1, 1, 1], [3, 4, 7])]).toEqual([7, 7]);
  });
  test("nil has no direction; noise beside an exact axis is taken off", () => {
    expect(normalised([0, 0, 1e-13])).toBeNull();
    expect(normalised([0, -5, 0])).toEqual([0, -1, 0]);
    expect(unit([3e-10, 0, -2])).toEqual([0, 0, -1]);
    expect(unit([0, 0, 0])).toEqual([0, 0, 0]);
    expect(lengthOf(unit([1, 2, -2]))).toBeCloseTo(1, 15);
  });
});
