import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { box } from "../../../tests/support/shapes";
import { FACE_STRIDE, type Geometry, SURFACE_KINDS } from "../geometry/geometry";
import { multiplied, transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import { flattenTree, type RawNode } from "./build";
import { folded } from "./fold";

const at = (x: number, y = 0, z = 0) => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, x, y, z, 1];
const quarter = (x: number) => [0, 1, 0, 0, -1, 0, 0, 0, 0, 0, 1, 0, x, 0, 0, 1];
const node = (name: string, home: number[], children: RawNode[] = [], geometry = -1): RawNode => ({
  ...{ name, home, geometry, color: null, children },
});
const part = (name: string, home: number[], geometry: number, color: RawNode["color"] = null): RawNode => ({
  ...{ name, home, geometry, color, children: [] },
});
const BIG = box("big", 100, 100, 100);
const PIN = box("pin", 1, 1, 8);
const DOT = box("dot", 0.5, 0.5, 0.5);
const shapes = (): Geometry[] => [BIG, PIN, DOT];

/** Corners of all that is drawn, where they are in the world, sorted. */
function corners(roots: readonly RawNode[], geometries: readonly Geometry[]): string[] {
  const out: string[] = [];
  const walk = (n: RawNode, above: readonly number[]) => {
    const m = multiplied(above, n.home);
    const g = geometries[n.geometry];
    for (let i = 0; g && i < g.indices.length; i++) {
      const v = 3 * nth(g.indices, i);
      const p = transformPoint(m, [nth(g.positions, v), nth(g.positions, v + 1), nth(g.positions, v + 2)]);
      out.push(p.map((x) => (Math.round(x * 100) / 100 + 0).toFixed(2)).join());
    }
    for (const c of n.children) walk(c, m);
  };
  for (const r of roots) walk(r, at(0));
  return out.sort();
}
/** A plug with pins, in a row of plugs beside a big part. */
const plug = (name: string, home: number[], pins: number) =>
  node(name, home, [
    ...Array.from({ length: pins }, (_, i) => part(`Pin ${i}`, at(2 * i), 1, [0.8, 0.6, 0.1, 1])),
    part("Shell", quarter(5), 1, [0.1, 0.1, 0.1, 1]),
  ]);
const board = (plugs: number, pins: number) => [
  node("Board", at(0), [
    part("Base", at(0, 0, -50), 0),
    node(
      "Row",
      at(0, 30),
      Array.from({ length: plugs }, (_, i) => plug(`Plug ${i}`, quarter(20 * i), pins)),
    ),
  ]),
];

describe("more than can be shown one by one", () => {
  test("what is within the limit stays as it is, without a word", () => {
    const [roots, geometries, warnings]: [RawNode[], Geometry[], string[]] = [board(3, 4), shapes(), []];
    const out = folded(roots, geometries, warnings, { nodes: 21 });
    expect([out.roots, out.geometries, warnings]).toEqual([roots, geometries, []]);
    expect(out.roots).toBe(roots);
  });

  test("the smallest sub-assemblies become a part each, shared as they were, and everything stays where it is", () => {
    const warnings: string[] = [];
    const roots = board(10, 8);
    const before = corners(roots, shapes());
    const out = folded(roots, shapes(), warnings, { nodes: 20 });
    const nodes = flattenTree(out.roots, []);
    expect(nodes.map((n) => n.name)).toEqual([
      "Board",
      "Base",
      "Row",
      ...Array.from({ length: 10 }, (_, i) => `Plug ${i}`),
    ]);
    expect(nodes.slice(3).every((n) => n.kind === "part" && n.geometry === nodes[3]?.geometry)).toBe(true);
    expect(corners(out.roots, out.geometries)).toEqual(before);
    expect(out.geometries.map((g) => g.id)).toEqual(["g0", "g1"]);
    expect(warnings).toEqual([
      "The file places 103 parts and sub-assemblies; up to 20 can be shown one by one. 10 sub-assemblies were taken as one part each, the smallest first: Plug 0. To move what is in them, split the assembly.",
    ]);
  });

  test("of what is folded, faces keep their kinds, axes and colours; the largest piece gives the part its own", () => {
    const faced = { ...PIN, faces: new Float64Array(FACE_STRIDE) };
    // A cylinder along z through (0.2, 0, 0), in a colour of its own.
    faced.faces.set([0, 12, SURFACE_KINDS.indexOf("cylinder"), 0.2, 0, 0, 0, 0, 1, 3, 0, 0x112233]);
    const tilted = [0, 0, -1, 0, 0, 1, 0, 0, 1, 0, 0, 0, 7, 0, 0, 1];
    const roots = [
      node("All", at(0), [
        node("Unit", at(50), [
          part("Block", at(0), 0, [0.5, 0.5, 0.5, 1]),
          part("Pin", tilted, 1, [0.5, 0.5, 0.5, 1]),
          part("Dot", at(9), 2, [1, 0, 0, 1]),
        ]),
      ]),
    ];
    const { roots: out, geometries } = folded(roots, [BIG, faced, DOT], [], { nodes: 2 });
    const unit = out[0]?.children[0];
    expect(unit).toMatchObject({ name: "Unit", color: [0.5, 0.5, 0.5, 1], children: [], home: at(50) });
    const { faces, indices } = geometries[unit?.geometry ?? -1] as Geometry;
    const rows = [0, 1, 2].map((f) => Array.from(faces.subarray(f * FACE_STRIDE, (f + 1) * FACE_STRIDE)));
    expect(rows.map((r) => [r[0], r[1], r[11]])).toEqual([
      [0, 12, -1],
      [12, 12, 0x112233],
      [24, 12, 0xff0000],
    ]);
    expect(rows[1]?.slice(2, 10).map((v) => Math.round(v * 1e6) / 1e6 + 0)).toEqual([
      ...[SURFACE_KINDS.indexOf("cylinder"), 7, 0, -0.2, 1, 0, 0, 3],
    ]);
    expect(indices).toHaveLength(3 * 36);
  });

  test("pieces without a colour stay without, and of glass beside metal it is said that it is one or the other", () => {
    const unit = (colors: RawNode["color"][]) => {
      const warnings: string[] = [];
      const pieces = colors.map((c, i) => part(`P${i}`, at(i), i, c));
      const out = folded([node("All", at(0), [node("Unit", at(0), pieces)])], shapes(), warnings, { nodes: 2 });
      const one = out.roots[0]?.children[0];
      const faces = out.geometries[one?.geometry ?? -1]?.faces ?? new Float64Array();
      return { color: one?.color, faces: [11, 23, 35].slice(0, colors.length).map((i) => faces[i]), warnings };
    };
    expect(unit([[1, 0, 0, 1], null])).toMatchObject({ color: null, faces: [0xff0000, -1] });
    const glass = unit([
      [0, 1, 0, 0.4],
      [1, 0, 0, 1],
    ]);
    expect(glass).toMatchObject({ color: [0, 1, 0, 0.4], faces: [-1, 0xff0000] });
    expect(glass.warnings[1]).toMatch(/^In 1 of them some pieces could be looked through/);
    expect(
      unit([
        [0, 1, 0, 0.4],
        [1, 0, 0, 0.4],
      ]).warnings,
    ).toHaveLength(1);
  });

  test("a piece that is mirrored keeps its outside outside", () => {
    const mirrored = [-1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
    const one = (home: number[]) => {
      const roots = [node("All", at(0), [node("Unit", at(0), [part("B", home, 0), part("D", at(0), 2)])])];
      const { roots: out, geometries } = folded(roots, shapes(), [], { nodes: 2 });
      const g = geometries[out[0]?.children[0]?.geometry ?? -1] as Geometry;
      let volume = 0;
      for (let t = 0; t < 36; t += 3) {
        const [p, q, r] = [0, 1, 2].map((k) =>
          Array.from(g.positions.subarray(3 * nth(g.indices, t + k), 3 * nth(g.indices, t + k) + 3)),
        ) as [Triple, Triple, Triple];
        volume +=
          p[0] * (q[1] * r[2] - q[2] * r[1]) + p[1] * (q[2] * r[0] - q[0] * r[2]) + p[2] * (q[0] * r[1] - q[1] * r[0]);
      }
      return volume / 6;
    };
    expect(one(at(0))).toBeCloseTo(1e6, 0);
    expect(one(mirrored)).toBeCloseTo(1e6, 0);
  });

  test("a tree without levels loses its smallest parts, and no more of them than it must", () => {
    const warnings: string[] = [];
    const flat = [
      node("Flat", at(0), [
        ...Array.from({ length: 30 }, (_, i) => part(`Dot ${i}`, at(i), 2)),
        ...Array.from({ length: 10 }, (_, i) => part(`Pin ${i}`, at(i, 5), 1)),
        part("Base", at(0), 0),
        node("Only dots", at(0), [part("Dot", at(3), 2)]),
      ]),
    ];
    const nodes = flattenTree(folded(flat, shapes(), warnings, { nodes: 8 }).roots, []);
    expect(nodes.map((n) => n.name)).toEqual([
      "Flat",
      "Pin 5",
      "Pin 6",
      "Pin 7",
      "Pin 8",
      "Pin 9",
      "Base",
      "Only dots",
    ]);
    expect(warnings[0]).toBe(
      "The file places 44 parts and sub-assemblies; up to 8 can be shown one by one. A sub-assembly was taken as one part: Only dots. To move what is in it, split the assembly.",
    );
    expect(warnings).toHaveLength(2);
    expect(warnings[1]).toBe("35 of the smallest parts, up to 8.1 mm across, were left out.");
  });

  test("what is drawn in all is bounded, each occurrence counted, and what is beside counts too", () => {
    const warnings: string[] = [];
    // 4 plugs of 21 pieces and the base, of 12 triangles each.
    const all = 12 * (4 * 21 + 1);
    const out = folded(board(4, 20), shapes(), warnings, { nodes: 8, drawn: all / 2 });
    const drawn = corners(out.roots, out.geometries).length / 3;
    expect(drawn).toBeLessThanOrEqual(all / 2);
    // As much as fits: one piece more in each would be too many.
    expect(drawn).toBeGreaterThan(all / 2 - 4 * 12 - 1);
    expect(warnings.join(" ")).toContain(`${(all - drawn) / 12} of the smallest pieces within them are not drawn`);
    const least = folded(board(4, 20), shapes(), [], { nodes: 8, drawn: 1 });
    // Nothing that is there vanishes altogether.
    expect(corners(least.roots, least.geometries)).toHaveLength(3 * 12 * 5);
  });

  test("more triangles than can be drawn lose their smallest pieces, which is said", () => {
    const warnings: string[] = [];
    const out = folded(board(4, 20), shapes(), warnings, { nodes: 8, triangles: 12 * 15 });
    const [plugged] = out.geometries.filter((g) => g.indices.length > 36);
    expect((plugged?.indices.length ?? 0) / 36).toBeLessThanOrEqual(15);
    expect(warnings[1]).toMatch(/^24 of the smallest pieces within them are not drawn/);
  });

  test("whatever the tree: within the limit after, the same names above, nothing moved, and nothing lost unsaid", () => {
    const leaf = fc.record({ shape: fc.integer({ min: 0, max: 2 }), x: fc.integer({ min: -50, max: 50 }) });
    const branch = (depth: number): fc.Arbitrary<RawNode> =>
      fc
        .record({
          x: fc.integer({ min: -50, max: 50 }),
          leaves: fc.array(leaf, { maxLength: 4 }),
          inner: depth > 0 ? fc.array(branch(depth - 1), { maxLength: 3 }) : fc.constant([]),
        })
        .map(({ x, leaves, inner }) =>
          node(`A${depth}`, quarter(x), [...inner, ...leaves.map((l, i) => part(`P${i}`, at(l.x), l.shape))]),
        );
    fc.assert(
      fc.property(fc.array(branch(3), { minLength: 1, maxLength: 3 }), fc.integer({ min: 2, max: 60 }), (all, most) => {
        const roots = [node("Root", at(0), all)];
        const warnings: string[] = [];
        const count = flattenTree(roots, []).length;
        const out = folded(roots, shapes(), warnings, { nodes: most });
        const nodes = flattenTree(out.roots, []);
        expect(nodes.length).toBeLessThanOrEqual(Math.max(most, 1 + all.length));
        expect(warnings.length > 0).toBe(count > most && nodes.length < count);
        for (const n of nodes) expect(n.geometry).toBeLessThan(out.geometries.length);
        const [is, was] = [corners(out.roots, out.geometries), corners(roots, shapes())];
        if (!warnings.some((w) => /left out|not drawn/.test(w))) expect(is).toEqual(was);
        else expect(new Set(was)).toEqual(new Set([...was, ...is]));
      }),
      { numRuns: 60 },
    );
  });
});
