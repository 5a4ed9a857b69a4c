import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { real } from "../../../tests/support/real";
import { nth } from "../math/packed";
import { Mask } from "./mask";
import { WIDE } from "./projection";

const HIGH = 560;
const at = fc.tuple(real(20, WIDE - 20), real(20, HIGH - 20));
const CELL = 2.5;

describe("where a drawing must not be covered", () => {
  test("a line marks all that it runs over, to its width and not much beyond", () => {
    fc.assert(
      fc.property(fc.array(at, { minLength: 2, maxLength: 4 }), real(1, 24), (points, width) => {
        const mask = new Mask({ high: HIGH });
        mask.line(points.flat(), width);
        for (let i = 1; i < points.length; i++)
          for (let k = 0; k <= 40; k++) {
            const [a, b] = [points[i - 1] as [number, number], points[i] as [number, number]];
            expect(mask.covers(a[0] + ((b[0] - a[0]) * k) / 40, a[1] + ((b[1] - a[1]) * k) / 40)).toBe(true);
          }
        // Beside a stretch, nothing is marked that lies farther off than half the width and the corner of a cell.
        const reach = (Math.ceil(width / 2 / CELL) + 1) * CELL * Math.SQRT2 + 1e-9;
        for (let x = 1; x < WIDE; x += 37)
          for (let y = 1; y < HIGH; y += 41) {
            const off = Math.min(...points.slice(1).map((b, i) => away([x, y], points[i] as [number, number], b)));
            if (off > reach) expect(mask.covers(x, y)).toBe(false);
            // The distance is told to the nearest cell.
            expect(mask.distance(x, y)).toBeLessThanOrEqual(off + 1e-6);
            expect(mask.distance(x, y)).toBeGreaterThanOrEqual(off - reach - 2 * CELL);
          }
      }),
      { numRuns: 25 },
    );
  });

  test("outside the picture nothing is covered, and a line that leaves it does no harm", () => {
    const mask = new Mask({ high: HIGH });
    mask.line([-50, -50, 30, 30, WIDE + 80, 30], 4);
    expect(mask.covers(-10, -10)).toBe(false);
    expect(mask.covers(WIDE + 20, 30)).toBe(false);
    expect([mask.covers(20, 20), mask.covers(WIDE - 5, 30)]).toEqual([true, true]);
    expect(mask.covers(20, 200)).toBe(false);
  });
});

/** How far a place is from a stretch. */
function away(p: readonly number[], a: readonly number[], b: readonly number[]): number {
  const [dx, dy] = [nth(b, 0) - nth(a, 0), nth(b, 1) - nth(a, 1)];
  const t = ((nth(p, 0) - nth(a, 0)) * dx + (nth(p, 1) - nth(a, 1)) * dy) / (dx * dx + dy * dy || 1);
  const u = Math.max(0, Math.min(1, t));
  return Math.hypot(nth(p, 0) - nth(a, 0) - u * dx, nth(p, 1) - nth(a, 1) - u * dy);
}
