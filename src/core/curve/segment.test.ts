import bezier from "bezier-easing";
import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { real } from "../../../tests/support/real";
import { evaluateEase } from "../ease/ease";
import { divided, dividedAt, easedParts, endSlope, type Segment, segmentAt, shapeHandles } from "./segment";

const share = real(0, 1);
const value = real(-500, 500);
const withShares = (least: number, most: number): fc.Arbitrary<Segment> => {
  const handle = fc.record({ share: real(least, most), value });
  return fc
    .tuple(value, fc.oneof(value, fc.constant(null)), handle, handle)
    .map(([from, to, leave, arrive]) => ({ t0: 1000, t1: 3000, from, to: to ?? from, leave, arrive }));
};
const segment = withShares(0, 1);
/** Not upright anywhere, where a time would tell a value only roughly. */
const leaning = withShares(0.05, 0.8);
const scaleOf = (s: Segment) =>
  1 + Math.abs(s.from) + Math.abs(s.to) + Math.abs(s.leave.value) + Math.abs(s.arrive.value);

describe("a segment", () => {
  test("is a function of time whatever its handles: each time has one value, and near times near values", () => {
    fc.assert(
      fc.property(segment, (s) => {
        let last = s.t0;
        // The curve's own points come in order of time.
        for (let i = 1; i <= 40; i++) {
          const [a] = divided(s, i / 40);
          expect(a.t1).toBeGreaterThanOrEqual(last - 1e-9);
          last = a.t1;
          if (i < 40 && a.t1 < s.t1 - 1e-6) expect(Math.abs(segmentAt(s, a.t1) - a.to)).toBeLessThan(1e-4 * scaleOf(s));
        }
        expect(segmentAt(s, s.t0)).toBe(s.from);
        expect(segmentAt(s, s.t1)).toBe(s.to);
      }),
    );
  });

  test("divided is the same curve, to 1e-9", () => {
    fc.assert(
      fc.property(leaning, real(0.02, 0.98), share, (s, at, probe) => {
        const [a, b] = dividedAt(s, s.t0 + at * 2000);
        const t = s.t0 + probe * 2000;
        expect(Math.abs(segmentAt(t < a.t1 ? a : b, t) - segmentAt(s, t))).toBeLessThan(1e-9 * scaleOf(s));
      }),
    );
  });

  test("its eased parts are the same curve, even where it comes back to where it began", () => {
    fc.assert(
      fc.property(leaning, real(0.01, 0.99), (s, probe) => {
        const parts = easedParts(s);
        const t = s.t0 + probe * 2000;
        const p = parts.find((x) => t >= x.t0 && t < x.t1);
        const got = p
          ? p.from + (p.to - p.from) * evaluateEase(p.ease, (t - p.t0) / (p.t1 - p.t0))
          : (parts.filter((x) => x.t1 <= t).at(-1)?.to ?? s.from);
        expect(Math.abs(got - segmentAt(s, t))).toBeLessThan(1e-7 * scaleOf(s));
      }),
    );
  });

  test("one that comes back is parted at a whole tick, where it has one inside", () => {
    const leaning = (length: number): Segment => ({
      ...{ t0: 10, t1: 10 + length, from: 5, to: 5 },
      ...{ leave: { share: 0.21, value: 30 }, arrive: { share: 0.4, value: 17 } },
    });
    for (const length of [7, 500, 2001]) {
      const parts = easedParts(leaning(length));
      expect(parts).toHaveLength(2);
      expect(Number.isInteger(parts[0]?.t1)).toBe(true);
      expect(parts[1]?.t0).toBe(parts[0]?.t1);
    }
    const [a] = easedParts(leaning(1));
    expect((a?.t1 ?? 0) - 10).toBeGreaterThan(0);
    expect((a?.t1 ?? 0) - 10).toBeLessThan(1);
  });

  test("agrees with an independent cubic Bezier", () => {
    const half = real(0, 0.5);
    fc.assert(
      fc.property(half, real(-2, 3), half, real(-2, 3), share, (x1, y1, left, y2, u) => {
        const x2 = 1 - left;
        const s: Segment = {
          t0: 0,
          t1: 1,
          from: 0,
          to: 1,
          leave: { share: x1, value: y1 },
          arrive: { share: 1 - x2, value: y2 - 1 },
        };
        expect(segmentAt(s, u)).toBeCloseTo(bezier(x1, y1, x2, y2)(u), 3);
      }),
    );
  });

  test("its slopes are those of its ends", () => {
    const s: Segment = {
      t0: 0,
      t1: 100,
      from: 5,
      to: 25,
      leave: { share: 0.25, value: 10 },
      arrive: { share: 0.5, value: -4 },
    };
    expect(endSlope(s, "start")).toBeCloseTo((segmentAt(s, 1e-4) - 5) / 1e-4, 3);
    expect(endSlope(s, "end")).toBeCloseTo((25 - segmentAt(s, 100 - 1e-4)) / 1e-4, 3);
  });
});

describe("shapes", () => {
  const near = (before: number | null, after: number | null) => ({
    before: before === null ? null : { slope: before, length: 10 },
    after: after === null ? null : { slope: after, length: 10 },
  });
  const made = (kind: "smooth" | "free" | "straight", n: ReturnType<typeof near>, to = 10): Segment => ({
    ...{ t0: 0, t1: 10, from: 0, to },
    ...shapeHandles({ kind }, { kind: "soft", start: 0, stop: 0 }, 0, to, 10, n),
  });
  test("smooth never leaves the room between its arrivals; free may", () => {
    fc.assert(
      fc.property(real(-9, 9), real(-9, 9), share, (a, b, u) => {
        const v = segmentAt(made("smooth", near(a, b)), 10 * u);
        expect(v).toBeGreaterThanOrEqual(-1e-9);
        expect(v).toBeLessThanOrEqual(10 + 1e-9);
      }),
    );
    expect(Math.max(...[0.5, 0.7, 0.9].map((u) => segmentAt(made("free", near(3, -6)), 10 * u)))).toBeGreaterThan(10);
  });
  test("begins and ends at rest beside a still, and runs through where it meets another", () => {
    expect(endSlope(made("smooth", near(null, null)), "start")).toBe(0);
    expect(endSlope(made("smooth", near(1, 1)), "end")).toBeCloseTo(1, 9);
    expect(endSlope(made("free", near(null, 3)), "end")).toBeCloseTo(2, 9);
  });
  test("straight is steady", () => {
    for (const u of [0.2, 0.5, 0.9])
      expect(segmentAt(made("straight", near(null, null)), 10 * u)).toBeCloseTo(10 * u, 9);
  });
});
