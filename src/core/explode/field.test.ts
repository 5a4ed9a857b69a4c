import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { body, box, ring } from "../../../tests/support/bodies";
import { real } from "../../../tests/support/real";
import type { Triple } from "../math/triple";
import type { Body } from "./bodies";
import { WayField } from "./field";

/** A block on whole numbers: its low corner and its high one. */
type Block = readonly [Triple, Triple];

const NEAR = 3;
const overlap = (a: Block, b: Block, k: number): boolean =>
  (a[0][k] ?? 0) < (b[1][k] ?? 0) && (b[0][k] ?? 0) < (a[1][k] ?? 0);

/** Up to eight blocks on whole numbers, none in another. */
const heap = fc
  .array(fc.tuple(...[8, 8, 8, 3, 3, 3].map((n) => fc.integer({ min: n === 3 ? 1 : 0, max: n }))), {
    minLength: 2,
    maxLength: 8,
  })
  .map((drawn) => {
    const kept: Block[] = [];
    for (const [x = 0, y = 0, z = 0, w = 1, d = 1, h = 1] of drawn) {
      const block: Block = [
        [x, y, z],
        [x + w, y + d, z + h],
      ];
      if (!kept.some((k) => [0, 1, 2].every((axis) => overlap(k, block, axis)))) kept.push(block);
    }
    return kept;
  });

/** What lies over (sense 0) or under (1) block `a`, with the gap, by intervals alone. */
function over(blocks: readonly Block[], a: number, sense: 0 | 1, gone: ReadonlySet<number>): Map<number, number> {
  const out = new Map<number, number>();
  const own = blocks[a] as Block;
  blocks.forEach((b, k) => {
    if (k === a || gone.has(k) || !overlap(own, b, 0) || !overlap(own, b, 1)) return;
    const gap = sense === 0 ? b[0][2] - own[1][2] : own[0][2] - b[1][2];
    if (gap >= 0) out.set(k, gap);
  });
  return out;
}

/** Whether block `k` is the first that some unit square of `a` meets. */
function seenFrom(blocks: readonly Block[], a: number, k: number, sense: 0 | 1, gone: ReadonlySet<number>): boolean {
  const own = blocks[a] as Block;
  for (let x = own[0][0]; x < own[1][0]; x++)
    for (let y = own[0][1]; y < own[1][1]; y++) {
      const here: Block = [
        [x, y, own[0][2]],
        [x + 1, y + 1, own[1][2]],
      ];
      const met = over(blocks.with(a, here), a, sense, gone);
      const first = [...met].sort((p, q) => p[1] - q[1])[0];
      if (first?.[0] === k) return true;
    }
  return false;
}

/** The heap turned by `angle` about an axis, and the line that was its z. */
function turned(blocks: readonly Block[], axis: Triple, angle: number): { bodies: Body[]; line: Triple } {
  const n = Math.hypot(...axis);
  const [x, y, z] = axis.map((c) => c / n) as Triple;
  const [c, s] = [Math.cos(angle), Math.sin(angle)];
  const turn = (p: Triple): Triple => {
    const along = (p[0] * x + p[1] * y + p[2] * z) * (1 - c);
    return [
      p[0] * c + (y * p[2] - z * p[1]) * s + x * along,
      p[1] * c + (z * p[0] - x * p[2]) * s + y * along,
      p[2] * c + (x * p[1] - y * p[0]) * s + z * along,
    ];
  };
  const bodies = blocks.map(([low, high], i) => {
    const b = body(String(i), box(low, high));
    const min: Triple = [Infinity, Infinity, Infinity];
    const max: Triple = [-Infinity, -Infinity, -Infinity];
    for (let p = 0; p < b.positions.length; p += 3) {
      const t = turn([b.positions[p] as number, b.positions[p + 1] as number, b.positions[p + 2] as number]);
      for (const k of [0, 1, 2] as const) {
        b.positions[p + k] = t[k];
        min[k] = Math.min(min[k], t[k]);
        max[k] = Math.max(max[k], t[k]);
      }
    }
    return { ...b, min, max };
  });
  return { bodies, line: turn([0, 0, 1]) };
}

function agree(field: WayField, blocks: readonly Block[], gone: ReadonlySet<number>, fixed = -1): void {
  blocks.forEach((_, a) => {
    if (gone.has(a) || a === fixed) return;
    for (const sense of [0, 1] as const) {
      const met = over(blocks, a, sense, gone);
      const least = Math.min(Infinity, ...met.values());
      expect(field.isFree(a, sense)).toBe(met.size === 0);
      const first = [...met.keys()].filter((k) => seenFrom(blocks, a, k, sense, gone)).sort();
      const told = field.blockers(a, sense);
      expect(told.map((t) => t.body).sort()).toEqual(first);
      for (let i = 1; i < told.length; i++) expect(told[i]?.columns).toBeLessThanOrEqual(told[i - 1]?.columns ?? 0);
      if (met.size === 0) {
        expect(field.nearest(a, sense)).toBe(-1);
        expect(field.travel(a, sense)).toBe(Infinity);
      } else {
        expect(met.get(field.nearest(a, sense))).toBe(least);
        expect(field.travel(a, sense)).toBeCloseTo(least, 5);
      }
      const reaches = field.reaches(a, sense);
      expect(reaches.has(a)).toBe(false);
      for (const k of met.keys()) {
        const own = blocks[a] as Block;
        const other = blocks[k] as Block;
        expect(reaches.get(k)).toBeCloseTo(sense === 0 ? other[1][2] - own[0][2] : own[1][2] - other[0][2], 5);
      }
      for (const k of gone) expect(reaches.has(k)).toBe(false);
    }
  });
}

describe("the field of ways along a line", () => {
  test("tells of heaps of blocks, lying as they like, what intervals tell", () => {
    fc.assert(
      fc.property(
        heap,
        fc.tuple(fc.integer({ min: -3, max: 3 }), fc.integer({ min: -3, max: 3 }), fc.integer({ min: 1, max: 3 })),
        real(-NEAR, NEAR),
        fc.array(fc.nat(7), { maxLength: 4 }),
        (blocks, axis, angle, out) => {
          const { bodies, line } = turned(blocks, axis, angle);
          const field = new WayField(bodies, line, { contact: 0.01 }, 12_000);
          const gone = new Set<number>();
          const told = () => blocks.map((_, a) => [field.blockers(a, 0), field.blockers(a, 1)]);
          const atFirst = told();
          agree(field, blocks, gone);
          for (const pick of out) {
            const b = pick % blocks.length;
            if (gone.has(b)) continue;
            const before = blocks.map((_, a) =>
              ([0, 1] as const).map((s) => field.blockers(a, s).some((t) => t.body === b)),
            );
            const touched = field.remove(b);
            expect([...touched].sort()).toEqual(
              before.flatMap((s, a) => (s.includes(true) && a !== b && !gone.has(a) ? [a] : [])).sort(),
            );
            gone.add(b);
            agree(field, blocks, gone);
          }
          field.reset();
          expect(told()).toEqual(atFirst);
          agree(field, blocks, new Set());
        },
      ),
      { numRuns: 40 },
    );
  });

  test("tells the same of all others when one of them is said to stay for good", () => {
    fc.assert(
      fc.property(
        heap,
        fc.tuple(fc.integer({ min: -3, max: 3 }), fc.integer({ min: -3, max: 3 }), fc.integer({ min: 1, max: 3 })),
        real(-NEAR, NEAR),
        fc.nat(7),
        fc.array(fc.nat(7), { maxLength: 3 }),
        (blocks, axis, angle, stays, out) => {
          fc.pre(blocks.length > 1);
          const fixed = stays % blocks.length;
          const { bodies, line } = turned(blocks, axis, angle);
          const field = new WayField(bodies, line, { contact: 0.01 }, 12_000, fixed);
          const gone = new Set<number>();
          agree(field, blocks, gone, fixed);
          for (const pick of out) {
            const b = pick % blocks.length;
            if (gone.has(b) || b === fixed) continue;
            field.remove(b);
            gone.add(b);
            agree(field, blocks, gone, fixed);
          }
          field.reset();
          agree(field, blocks, new Set(), fixed);
        },
      ),
      { numRuns: 40 },
    );
  });

  test("what stays for good is looked at only where others are", () => {
    const ground = body("ground", box([-500, -500, -10], [500, 500, 0]));
    const pin = body("pin", box([0, 0, 0], [4, 4, 20]));
    const field = new WayField([pin, ground], [0, 0, 1], { contact: 0.01 }, 20_000, 1);
    expect(field.size(1)).toBeLessThan(2 * field.size(0));
    expect(field.blockers(0, 1).map((b) => b.body)).toEqual([1]);
    expect(field.isFree(0, 0)).toBe(true);
  });

  test("small bodies far apart do not make a lattice as large as the way between them", () => {
    const near = body("near", box([0, 0, 0], [3, 3, 3]));
    const lid = body("lid", box([0, 0, 5], [3, 3, 8]));
    const far = body("far", box([40_000, 40_000, 0], [40_003, 40_003, 3]));
    const field = new WayField([near, far, lid], [0, 0, 1], { contact: 0.01 });
    expect(field.cells).toBeLessThan(1e6);
    expect(field.size(0)).toBeGreaterThan(10_000);
    expect(field.blockers(0, 0).map((b) => b.body)).toEqual([2]);
    expect(field.travel(0, 0)).toBeCloseTo(2, 9);
    expect(field.isFree(1, 0) && field.isFree(1, 1)).toBe(true);
    // Nor is what lies far away taken for the wall of the hole that something sits in.
    expect([...field.reaches(0, 0).keys()]).toEqual([2]);
    expect([...field.reaches(1, 0).keys()]).toEqual([]);
  });

  test("a body that blocks as soon as it is met counts by the columns that it covers", () => {
    const bodies = [
      body("plate", box([0, 0, 0], [10, 10, 1])),
      body("wide", box([0, 0, 2], [10, 6, 3])),
      body("narrow", box([0, 7, 5], [10, 9, 6])),
    ];
    const field = new WayField(bodies, [0, 0, 1], { contact: 0.01 }, 20_000);
    const [wide, narrow] = field.blockers(0, 0);
    expect([wide?.body, narrow?.body]).toEqual([1, 2]);
    expect((wide?.columns ?? 0) / (narrow?.columns ?? 1)).toBeCloseTo(3, 1);
    expect(field.size(0) * field.cell ** 2).toBeCloseTo(100, -0.5);
  });

  test("facets of a shaft and of its bore, turned against one another, do not hold it", () => {
    const shaft = body("shaft", ring("z", [0, 0, 0], 0, 10, 0, 20, 16, 0.5));
    const hub = body("hub", ring("z", [0, 0, 0], 10, 20, 16, 60, 16));
    const field = new WayField([shaft, hub], [0, 0, 1], { contact: 0.01 }, 20_000);
    expect(field.isFree(0, 0)).toBe(true);
    expect(field.isFree(0, 1)).toBe(true);
    const collar = body("collar", ring("z", [0, 0, 0], 0, 12, 61, 65));
    const held = new WayField([shaft, hub, collar], [0, 0, 1], { contact: 0.01 }, 20_000);
    expect(held.blockers(2, 1).map((b) => b.body)).toEqual([0, 1]);
    expect(held.travel(2, 1)).toBeCloseTo(1, 6);
  });
});
