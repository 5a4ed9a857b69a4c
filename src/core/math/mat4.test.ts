import fc from "fast-check";
import { Matrix4, Vector3 } from "three";
import { describe, expect, test } from "vitest";
import { real } from "../../../tests/support/real";
import {
  invertedAffine,
  multiplied,
  multiplyAffine,
  multiplyShift,
  setIdentity,
  transformDirection,
  transformPoint,
} from "./mat4";
import { nth } from "./packed";
import { quaternionFromMatrix, quaternionRotation3 } from "./rotation";

const number = real(-9, 9);
/** An affine transform whose numbers are all different and none of them nil, column-major. */
const affine = fc
  .array(number, { minLength: 12, maxLength: 12 })
  .map((v) => [...v.slice(0, 3), 0, ...v.slice(3, 6), 0, ...v.slice(6, 9), 0, ...v.slice(9), 1])
  .filter((m) => Math.abs(new Matrix4().fromArray(m).determinant()) > 0.5);
const point = fc.tuple(number, number, number);
const near = (a: ArrayLike<number>, b: ArrayLike<number>, digits = 6) => {
  expect(a.length).toBe(b.length);
  for (let i = 0; i < a.length; i++) expect(nth(a, i), `number ${i}`).toBeCloseTo(nth(b, i), digits);
};

describe("affine matrices are those of the well-known library", () => {
  test("products, at any place of packed arrays and in place", () => {
    fc.assert(
      fc.property(affine, affine, (a, b) => {
        const wanted = new Matrix4().multiplyMatrices(new Matrix4().fromArray(a), new Matrix4().fromArray(b)).elements;
        near(multiplied(a, b), wanted);
        const packed = new Float64Array(64).fill(77);
        packed.set(a, 16);
        packed.set(b, 32);
        multiplyAffine(packed, 48, packed, 16, packed, 32);
        near(packed.subarray(48, 64), wanted);
        expect([...packed.subarray(0, 16)]).toEqual(new Array(16).fill(77));
        multiplyAffine(packed, 16, packed, 16, packed, 32);
        near(packed.subarray(16, 32), wanted);
      }),
    );
  });
  test("a shift taken on in place is the product with it", () => {
    fc.assert(
      fc.property(affine, point, (a, p) => {
        const shift = new Float64Array(32);
        setIdentity(shift, 16);
        shift.set(p, 28);
        const packed = new Float64Array(48);
        packed.set(a, 16);
        multiplyShift(packed, 16, shift, 16);
        near(packed.subarray(16, 32), multiplied(a, Array.from(shift.subarray(16))));
      }),
    );
  });
  test("the inverse takes back, at any place, and there is none of size zero", () => {
    fc.assert(
      fc.property(affine, (a) => {
        near(invertedAffine(a), new Matrix4().fromArray(a).invert().elements, 4);
        near(invertedAffine([9, 9, 9, ...a], 3), invertedAffine(a), 12);
      }),
    );
    const flat = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 1, 2, 3, 1];
    expect(() => invertedAffine(flat)).toThrow(RangeError);
    expect(() => invertedAffine([Number.NaN, ...flat.slice(1)])).toThrow(RangeError);
  });
  test("points are moved, directions only turned and stretched", () => {
    fc.assert(
      fc.property(affine, point, (a, p) => {
        const m = new Matrix4().fromArray(a);
        near(transformPoint(a, p), new Vector3(...p).applyMatrix4(m).toArray());
        near(transformPoint([5, 5, ...a], p, 2), transformPoint(a, p), 12);
        const origin = new Vector3().applyMatrix4(m);
        near(transformDirection(a, p), new Vector3(...p).applyMatrix4(m).sub(origin).toArray());
        near(transformDirection([5, 5, ...a], p, 2), transformDirection(a, p), 12);
      }),
    );
  });
  test("the identity leaves what is beside it alone", () => {
    const packed = new Float64Array(20).fill(7);
    setIdentity(packed, 2);
    expect([...packed]).toEqual([7, 7, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 7, 7]);
  });
});

test("the orientation of a matrix is read back from it, whichever of its four numbers is the largest", () => {
  const share = real(-1, 1);
  fc.assert(
    fc.property(fc.tuple(share, share, share, share), fc.integer({ min: 0, max: 3 }), (q, most) => {
      // Each of the ways the numbers are worked out has its turn.
      const large = q.map((v, i) => (i === most ? 2 + Math.abs(v) : v));
      const n = Math.hypot(...large);
      const [x = 0, y = 0, z = 0, w = 0] = large.map((v) => v / n);
      const r = new Float64Array(9);
      quaternionRotation3(r, x, y, z, w);
      const m = new Array<number>(20).fill(3);
      for (let c = 0; c < 3; c++) for (let k = 0; k < 3; k++) m[4 + 4 * c + k] = nth(r, 3 * c + k);
      const back = quaternionFromMatrix(m, 4);
      const sign = Math.sign(back.reduce((sum, v, i) => sum + v * nth([x, y, z, w], i), 0));
      near(
        back.map((v) => v * sign),
        [x, y, z, w],
        9,
      );
    }),
  );
});
