import bezier from "bezier-easing";
import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { real } from "../../../tests/support/real";
import { nth } from "../math/packed";
import { type Ease, easeAt, easeSpeedAt, evaluateEase, writeEase } from "./ease";

const share = real(0, 1);
const soft: fc.Arbitrary<Ease> = fc.tuple(share, share).map(([start, stop]) => ({ kind: "soft", start, stop }));
const tame: fc.Arbitrary<Ease> = fc
  .tuple(share, share, share, share)
  .map(([x1, y1, x2, y2]) => ({ kind: "curve", x1, y1, x2, y2 }));

describe("eases", () => {
  test("start at 0, end at 1, exactly", () => {
    fc.assert(
      fc.property(fc.oneof(soft, tame), (ease) => {
        expect(evaluateEase(ease, 0)).toBe(0);
        expect(evaluateEase(ease, 1)).toBe(1);
      }),
    );
  });

  test("soft eases never run backwards and stay within 0 and 1", () => {
    fc.assert(
      fc.property(soft, (ease) => {
        let last = 0;
        for (let i = 1; i <= 50; i++) {
          const v = evaluateEase(ease, i / 50);
          expect(v).toBeGreaterThanOrEqual(last - 1e-12);
          expect(v).toBeLessThanOrEqual(1 + 1e-12);
          last = v;
        }
      }),
    );
  });

  test("nil and nil is steady speed", () => {
    for (const u of [0.1, 0.37, 0.5, 0.93])
      expect(evaluateEase({ kind: "soft", start: 0, stop: 0 }, u)).toBeCloseTo(u, 15);
  });

  test("a soft ease is at rest at soft ends and steady in between", () => {
    const table = [0, 0, 0, 0, 0];
    writeEase({ kind: "soft", start: 0.25, stop: 0.25 }, table, 0);
    expect(easeSpeedAt(table, 0, 0)).toBe(0);
    expect(easeSpeedAt(table, 0, 1)).toBe(0);
    expect(easeSpeedAt(table, 0, 0.4)).toBeCloseTo(easeSpeedAt(table, 0, 0.6), 12);
    expect(easeAt(table, 0, 0.5)).toBeCloseTo(0.5, 12);
  });

  test("the speed stated is the slope", () => {
    fc.assert(
      fc.property(soft, real(0.02, 0.98), (ease, u) => {
        const table = [0, 0, 0, 0, 0];
        writeEase(ease, table, 0);
        const h = 1e-6;
        const slope = (easeAt(table, 0, u + h) - easeAt(table, 0, u - h)) / (2 * h);
        const near = [nth(table, 1), 1 - nth(table, 2)].some((edge) => Math.abs(u - edge) < 2 * h);
        if (!near) expect(easeSpeedAt(table, 0, u)).toBeCloseTo(slope, 3);
      }),
    );
  });

  test("curves agree with an independent implementation", () => {
    fc.assert(
      fc.property(fc.tuple(real(0.02, 0.98), share, real(0.02, 0.98), share, share), ([x1, y1, x2, y2, u]) => {
        // The other one interpolates a table, so it is only good to a few parts in a million.
        expect(evaluateEase({ kind: "curve", x1, y1, x2, y2 }, u)).toBeCloseTo(bezier(x1, y1, x2, y2)(u), 4);
      }),
    );
  });

  test("curves that stand still in time at a point are solved too", () => {
    expect(evaluateEase({ kind: "curve", x1: 1, y1: 0, x2: 0, y2: 1 }, 0.5)).toBeCloseTo(0.5, 6);
  });
});
