import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { boxGeometry } from "../../../tests/support/boxes";
import { featureEdges } from "../geometry/featureEdges";
import { boundsOf, type Geometry } from "../geometry/geometry";
import { nth } from "../math/packed";
import { chained, lineLength } from "./chains";
import { LineMaker, type Solid } from "./lines";
import { Projection } from "./projection";
import { sidesOf } from "./sides";

function mesh(quads: { corners: number[][]; normals: number[][] }[]): Geometry {
  const positions = Float32Array.from(quads.flatMap((q) => q.corners.flat()));
  const normals = Float32Array.from(quads.flatMap((q) => q.normals.flat()));
  const indices = Uint32Array.from(quads.flatMap((_, i) => [0, 1, 2, 0, 2, 3].map((k) => 4 * i + k)));
  const faces = Float64Array.from(quads.flatMap((_, i) => [2 * i, 2, ...Array(10).fill(0)] as number[]));
  const edges = featureEdges(positions, normals, indices, faces);
  return { id: "g", positions, normals, indices, faces, edges, bounds: boundsOf(positions) };
}

/** A round bar along z, open at its ends but for its border. */
function bar(radius: number, long: number, around: number): Geometry {
  const at = (i: number) => (2 * Math.PI * i) / around;
  const quads = Array.from({ length: around }, (_, i) => {
    const [a, b] = [at(i), at(i + 1)];
    const p = (t: number, z: number) => [radius * Math.cos(t), radius * Math.sin(t), z];
    return {
      corners: [p(a, -long / 2), p(b, -long / 2), p(b, long / 2), p(a, long / 2)],
      normals: [a, b, b, a].map((t) => [Math.cos(t), Math.sin(t), 0]),
    };
  });
  const g = mesh(quads);
  // One face: its creases are told by the angle.
  const faces = Float64Array.from([0, g.indices.length / 3, ...Array(10).fill(0)]);
  return { ...g, faces, edges: featureEdges(g.positions, g.normals, g.indices, faces) };
}

const placed = (geometry: number, at: readonly number[] = [0, 0, 0], more: Partial<Solid> = {}): Solid => ({
  geometry,
  world: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, ...at, 1],
  clear: false,
  acts: false,
  ...more,
});
const PICTURE = { width: 1000, height: 800 };
/** From the front and a little to the right and above. */
const VIEW = new Projection([0, 0, 0, 30, 25, 400, 0, 50], "z", PICTURE);

const inked = (strokes: readonly { lines: readonly Float64Array[] }[]) =>
  strokes.reduce((sum, s) => sum + s.lines.reduce((n, l) => n + lineLength(l), 0), 0);

/** Length in the drawing of a line between two places. */
function apart(a: readonly [number, number, number], b: readonly [number, number, number]): number {
  const [p, q] = [VIEW.place(a), VIEW.place(b)];
  return p && q ? Math.hypot(p[0] - q[0], p[1] - q[1]) : Number.NaN;
}

describe("line drawings", () => {
  test("of a box: the nine edges that are seen, whole, and the three behind it not", () => {
    const strokes = new LineMaker([boxGeometry("g", [100, 80, 60])]).draw([placed(0)], VIEW);
    const [x, y, z] = [50, 40, 30];
    let seen = 0;
    // From the front right and above: the corner at -x, +y, -z is hidden with its three edges.
    const corners = [-1, 1].flatMap((a) => [-1, 1].flatMap((b) => [-1, 1].map((c) => [a, b, c] as const)));
    for (const a of corners)
      for (const b of corners) {
        const differ = a.filter((v, k) => v !== b[k]).length;
        const hidden = [a, b].some((c) => c[0] === -1 && c[1] === 1 && c[2] === -1);
        if (differ !== 1 || hidden || a.join() > b.join()) continue;
        seen += apart([a[0] * x, a[1] * y, a[2] * z], [b[0] * x, b[1] * y, b[2] * z]);
      }
    expect(inked(strokes)).toBeCloseTo(seen, 0);
    // The contour is closed, the three inner edges meet in the nearest corner.
    const outline = strokes.filter((s) => s.outline).flatMap((s) => s.lines);
    expect(outline).toHaveLength(1);
    expect(outline[0]?.slice(0, 2)).toEqual(outline[0]?.slice(-2));
    expect(outline[0]?.length).toBe(14);
  });

  test("a box before another hides what lies behind it, up to its outline to a tenth of a unit", () => {
    const maker = new LineMaker([boxGeometry("g", [400, 10, 10]), boxGeometry("g", [100, 10, 200])]);
    const front = new Projection([0, 0, 0, 0, 0, 600, 0, 50], "z", PICTURE);
    const strokes = maker.draw([placed(0, [0, 60, 0], { acts: true }), placed(1, [0, -60, 0])], front);
    const bars = strokes.filter((s) => s.acts).flatMap((s) => s.lines);
    const edge = front.place([50, -65, 0]) as [number, number];
    // The bar goes on to both sides of the plate: nothing of it within, and its lines reach up to it.
    const xs = bars.flatMap((l) => [...l].filter((_, i) => i % 2 === 0).map((v) => Math.abs(v - 500)));
    expect(Math.min(...xs)).toBeGreaterThan(edge[0] - 500 - 0.1);
    expect(Math.min(...xs)).toBeLessThan(edge[0] - 500 + 0.1);
  });

  test("what one can look through hides nothing and is drawn faintly", () => {
    const maker = new LineMaker([boxGeometry("g", [400, 10, 10]), boxGeometry("g", [100, 10, 200])]);
    const front = new Projection([0, 0, 0, 0, 0, 600, 0, 50], "z", PICTURE);
    const alone = inked(maker.draw([placed(0, [0, 60, 0])], front));
    const both = maker.draw([placed(0, [0, 60, 0]), placed(1, [0, -60, 0], { clear: true })], front);
    expect(inked(both.filter((s) => !s.faint))).toBeCloseTo(alone, 3);
    expect(both.some((s) => s.faint)).toBe(true);
  });

  test("a round bar has two straight sides that belong to no feature edge, and the near half of each border", () => {
    const g = bar(30, 200, 48);
    const sides = sidesOf(g);
    expect(sides.feature.reduce((a, b) => a + b, 0)).toBe(96);
    const level = new Projection([0, 0, 0, 0, 0, 600, 0, 50], "z", PICTURE);
    const long = new LineMaker([g]).draw([placed(0)], level).flatMap((s) => s.lines);
    // Upright sides at the width of the bar as it is seen: where the line of sight touches it.
    const touch = 30 * Math.sqrt(1 - (30 / 600) ** 2);
    const wide = level.place([touch, -(30 * 30) / 600, 0]) as [number, number];
    const uprights = long.flatMap((l) => {
      const out: number[] = [];
      for (let i = 2; i < l.length; i += 2)
        if (Math.abs(nth(l, i + 1) - nth(l, i - 1)) > 100) out.push((nth(l, i) + nth(l, i - 2)) / 2 - 500);
      return out;
    });
    expect(uprights).toHaveLength(2);
    for (const u of uprights) expect(Math.abs(u)).toBeCloseTo(wide[0] - 500, 0);
  });

  test("nothing is drawn outside the picture, nor of what is behind the camera", () => {
    const maker = new LineMaker([boxGeometry("g", [2000, 2000, 20])]);
    for (const el of [5, 40, 85]) {
      const view = new Projection([0, 0, 60, 20, el, 300, 0, 24], "z", PICTURE);
      for (const s of maker.draw([placed(0)], view))
        for (const l of s.lines)
          for (let i = 0; i < l.length; i += 2) {
            expect(nth(l, i)).toBeGreaterThan(-0.2);
            expect(nth(l, i)).toBeLessThan(1000.2);
            expect(nth(l, i + 1)).toBeGreaterThan(-0.2);
            expect(nth(l, i + 1)).toBeLessThan(800.2);
          }
    }
  });

  test("what is seen of boxes is what rays against each of them say", () => {
    const boxes = fc.array(
      fc.record({
        at: fc.tuple(
          fc.integer({ min: -90, max: 90 }),
          fc.integer({ min: -90, max: 90 }),
          fc.integer({ min: -60, max: 60 }),
        ),
        size: fc.tuple(
          fc.integer({ min: 20, max: 90 }),
          fc.integer({ min: 20, max: 90 }),
          fc.integer({ min: 20, max: 90 }),
        ),
      }),
      { minLength: 1, maxLength: 4 },
    );
    fc.assert(
      fc.property(boxes, (list) => {
        const solids = list.map((b, i) => placed(i, b.at));
        const strokes = new LineMaker(list.map((b) => boxGeometry("g", b.size))).draw(solids, VIEW);
        // An independent opinion: slabs (Kay and Kajiya 1986) for places along each edge of each box.
        const hidden = (p: readonly number[]): boolean => {
          const eye = VIEW.eye;
          return list.some(({ at, size }) => {
            let [near, far] = [0, 1 - 2.2e-4];
            for (let k = 0; k < 3; k++) {
              const d = nth(p, k) - nth(eye, k);
              const [lo, hi] = [-1, 1].map(
                (s) => (nth(at, k) + (s * nth(size, k)) / 2 - nth(eye, k)) / (d || 1e-12),
              ) as [number, number];
              near = Math.max(near, Math.min(lo, hi));
              far = Math.min(far, Math.max(lo, hi));
            }
            return near < far - 1e-9;
          });
        };
        let length = 0;
        for (const { at, size } of list) {
          for (let k = 0; k < 3; k++)
            for (const [s, t] of [
              [-1, -1],
              [-1, 1],
              [1, -1],
              [1, 1],
            ] as const) {
              const end = (u: number) =>
                [0, 1, 2].map((i) => nth(at, i) + (nth(size, i) / 2) * (i === k ? u : i === (k + 1) % 3 ? s : t)) as [
                  number,
                  number,
                  number,
                ];
              const N = 200;
              for (let n = 0; n < N; n++) {
                const [a, b] = [end(-1 + (2 * n) / N), end(-1 + (2 * (n + 1)) / N)];
                const middle = end(-1 + (2 * n + 1) / N);
                const [x, y] = VIEW.place(middle) ?? [-1, -1];
                const out = x < 0 || y < 0 || x > 1000 || y > 800;
                if (!out && !hidden(middle)) length += apart(a, b);
              }
            }
        }
        // Edges that two boxes share are inked once or twice; splinters are left out.
        expect(Math.abs(inked(strokes) - length)).toBeLessThan(Math.max(15, 0.02 * length));
      }),
      { numRuns: 25, seed: 7 },
    );
  });
});

describe("joining", () => {
  test("a square in four pieces and any order is one line of four corners; a cross is two", () => {
    const square = chained([0, 0, 10, 0, 10, 10, 0, 10, 10, 0, 10, 10, 0, 10, 0, 0]);
    expect(square).toHaveLength(1);
    expect(square[0]?.length).toBe(10);
    const cross = chained([0, 5, 5, 5, 5, 5, 10, 5, 5, 0, 5, 5, 5, 5, 5, 10]);
    expect(cross.map((l) => [...l])).toEqual([
      [0, 5, 10, 5],
      [5, 0, 5, 10],
    ]);
  });
});
