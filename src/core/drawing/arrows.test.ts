import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { joint, key, sequenceOf } from "../../../tests/support/assembly";
import { type BoxPart, boxPackage } from "../../../tests/support/boxes";
import { indexAssembly } from "../assembly/assembly";
import type { AssemblyPackage } from "../assembly/package";
import { plainMeasure } from "../captions/layout";
import { emptyPreparation, type Preparation } from "../document/preparation";
import { transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import { cross, dot, lengthOf, minus, type Triple } from "../math/triple";
import { compile } from "../program/compile";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose } from "../program/sampling";
import { SheetDrawer } from "../sheets/picture";
import { arrowShape } from "./arrowShape";
import { ARROW, type Arrow } from "./arrows";
import { movingBodies } from "./bodies";
import { Projection } from "./projection";

const BASE: BoxPart = { name: "base", at: [0, 0, -40], size: [160, 120, 12] };

function filmOf(
  parts: readonly BoxPart[],
  keys: Parameters<typeof sequenceOf>[0][number],
  camera: Partial<Record<"azimuth" | "elevation" | "distance", number>> = {},
  preparation: Preparation = emptyPreparation(),
): { program: Program; pkg: AssemblyPackage; end: number } {
  const pkg = boxPackage("kit", parts);
  const sequence = sequenceOf([keys]);
  Object.assign(sequence.cameras.main?.home ?? {}, camera);
  const program = compile(indexAssembly(pkg.assembly), preparation, sequence);
  return { program, pkg, end: nth(program.steps.still, 0) - 1 };
}

const drawn = ({ program, pkg }: { program: Program; pkg: AssemblyPackage }, ticks: number) =>
  new SheetDrawer(program, pkg.geometries, { nodes: {} }, { lines: false, arrows: true, measure: plainMeasure }).draw(
    0,
    ticks,
  );

const viewOf = (program: Program, ticks: number) => {
  const at = createPose(program);
  pose(program, ticks, at);
  return { at, view: new Projection(at.camera, program.index.assembly.up, program.sequence.picture) };
};

/** Where a part's middle is in the picture, at one time, seen by the camera of another. */
function middleAt(program: Program, partKey: string, ticks: number, seenAt: number): [number, number] {
  const { at } = viewOf(program, ticks);
  const node = program.index.indexOf.get(partKey) as number;
  return viewOf(program, seenAt).view.place(transformPoint(at.world, [0, 0, 0], 16 * node)) as [number, number];
}

/** Whether a place of the picture lies on a part: against the hull of each face, told without the drawing's own mask. */
function onPart(program: Program, pkg: AssemblyPackage, partKey: string, ticks: number, x: number, y: number): boolean {
  const { at, view } = viewOf(program, ticks);
  const node = program.index.indexOf.get(partKey) as number;
  const g = pkg.geometries[program.index.assembly.nodes[node]?.geometry ?? -1];
  if (!g) return false;
  for (let t = 0; t < g.indices.length; t += 3) {
    const p = [0, 1, 2].map((k) => {
      const v = 3 * nth(g.indices, t + k);
      return view.place(transformPoint(at.world, g.positions.subarray(v, v + 3), 16 * node)) as [number, number];
    });
    const side = (i: number) => {
      const [a, b] = [p[i] as [number, number], p[(i + 1) % 3] as [number, number]];
      return (b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0]);
    };
    const [s, u, v] = [side(0), side(1), side(2)];
    if ((s >= 0 && u >= 0 && v >= 0) || (s <= 0 && u <= 0 && v <= 0)) return true;
  }
  return false;
}

/** All that an arrow inks: places across its shaft and over its tips. */
function inkOf(arrow: Arrow): [number, number][] {
  const { shaft, tips } = arrowShape(arrow);
  const out: [number, number][] = [];
  for (let i = 2; i < shaft.length; i += 2) {
    const [ax, ay, bx, by] = [nth(shaft, i - 2), nth(shaft, i - 1), nth(shaft, i), nth(shaft, i + 1)];
    const long = Math.hypot(bx - ax, by - ay) || 1;
    for (let k = 0; k <= 8; k++)
      for (const w of [-0.5, 0, 0.5]) {
        const t = k / 8;
        out.push([
          ax + (bx - ax) * t - ((by - ay) / long) * w * ARROW.shaft,
          ay + (by - ay) * t + ((bx - ax) / long) * w * ARROW.shaft,
        ]);
      }
  }
  for (const t of tips) for (let i = 0; i < 6; i += 2) out.push([nth(t, i), nth(t, i + 1)]);
  return out;
}

const tail = (a: Arrow): [number, number] => [nth(a.points, 0), nth(a.points, 1)];
const tip = (a: Arrow): [number, number] => [nth(a.points, a.points.length - 2), nth(a.points, a.points.length - 1)];

function angleBetween(a: readonly number[], b: readonly number[]): number {
  const d = nth(a, 0) * nth(b, 0) + nth(a, 1) * nth(b, 1);
  return (Math.acos(Math.max(-1, Math.min(1, d / (Math.hypot(...a) * Math.hypot(...b))))) * 180) / Math.PI;
}

describe("arrows", () => {
  test("what slides has an arrow in its direction, before and after, that does not lie on it", () => {
    fc.assert(
      fc.property(
        fc.record({
          by: fc.tuple(
            fc.integer({ min: -70, max: 70 }),
            fc.integer({ min: -70, max: 70 }),
            fc.integer({ min: 10, max: 70 }),
          ),
          azimuth: fc.integer({ min: 0, max: 359 }),
          elevation: fc.integer({ min: -10, max: 60 }),
        }),
        ({ by: [x, y, z], azimuth, elevation }) => {
          const film = filmOf(
            [BASE, { name: "cap", at: [10, 5, 0], size: [40, 30, 20] }],
            { "kit/cap": [key("a", 2, 1.5, { "slide.x": x, "slide.y": y, "slide.z": z })] },
            { azimuth, elevation, distance: 700 },
          );
          for (const ticks of [nth(film.program.steps.action, 0), film.end]) {
            const [a, b] = [
              middleAt(film.program, "kit/cap", 0, ticks),
              middleAt(film.program, "kit/cap", film.end, ticks),
            ];
            const way = [b[0] - a[0], b[1] - a[1]];
            const { arrows, without } = drawn(film, ticks);
            // Towards the eye or away from it there is no direction in the picture.
            if (Math.hypot(...way) < 12) continue;
            expect(arrows).toHaveLength(1);
            expect(without).toBe(0);
            const [arrow] = arrows as [Arrow];
            const [p, q] = [tail(arrow), tip(arrow)];
            expect(angleBetween([q[0] - p[0], q[1] - p[1]], way)).toBeLessThan(0.5);
            for (const [px, py] of inkOf(arrow)) {
              expect(onPart(film.program, film.pkg, "kit/cap", ticks, px, py)).toBe(false);
              expect(px > 0 && py > 0 && px < 1000 && py < 562.5).toBe(true);
            }
          }
        },
      ),
      { numRuns: 40, seed: 11 },
    );
  });

  test("what turns has an arrow on a circle about its axis, in its sense, as far as it turns or less", () => {
    fc.assert(
      fc.property(
        fc.record({
          by: fc.oneof(fc.integer({ min: 20, max: 300 }), fc.integer({ min: -300, max: -20 })),
          azimuth: fc.integer({ min: 0, max: 359 }),
          elevation: fc.integer({ min: 15, max: 60 }),
        }),
        ({ by, azimuth, elevation }) => {
          const film = filmOf(
            [BASE, { name: "cap", at: [0, 0, 0], size: [40, 30, 20] }],
            { "kit/cap": [key("a", 2, 1.5, { "turn.z": by })] },
            { azimuth, elevation, distance: 700 },
          );
          const ticks = nth(film.program.steps.action, 0);
          const { view } = viewOf(film.program, ticks);
          const { arrows } = drawn(film, ticks);
          expect(arrows.map((a) => a.of)).toEqual(["turn"]);
          const [arrow] = arrows as [Arrow];
          // Back to the level of the axis' plane that it lies in: found by trying levels, where all points are one radius.
          const radii = (level: number) => onPlane(view, arrow, level).map((p) => Math.hypot(p[0], p[1]));
          const spread = (list: readonly number[]) => Math.max(...list) - Math.min(...list);
          const levels = Array.from({ length: 121 }, (_, i) => -30 + i * 0.5);
          const best = levels.reduce((l, m) => (spread(radii(m)) < spread(radii(l)) ? m : l));
          expect(spread(radii(best))).toBeLessThan(0.02 * Math.max(...radii(best)));
          const turned = sweepOf(onPlane(view, arrow, best));
          expect(Math.sign(turned)).toBe(Math.sign(by));
          expect(Math.abs(turned)).toBeLessThan(Math.max(25, Math.abs(by)) + 1);
          for (const [px, py] of inkOf(arrow))
            expect(onPart(film.program, film.pkg, "kit/cap", ticks, px, py)).toBe(false);
        },
      ),
      { numRuns: 40, seed: 12 },
    );
  });

  test("what is driven by a link has its arrow too; what stands has none", () => {
    const hinge = (id: string, part: string) => joint(id, { type: "node", key: part }, { name: id, point: [0, 0, 0] });
    const preparation = emptyPreparation();
    Object.assign(preparation.joints, {
      a: hinge("a", "kit/one"),
      b: hinge("b", "kit/two"),
    });
    Object.assign(preparation.links, {
      l: { id: "l", name: "Gears", driver: "a", follower: "b", kind: "ratio", num: -1, den: 1, offset: 0 },
    });
    const film = filmOf(
      [BASE, { name: "one", at: [-50, 0, 0], size: [40, 12, 10] }, { name: "two", at: [50, 0, 0], size: [40, 12, 10] }],
      { "kit/one": [key("a", 2, 1.5, { "joint.a": 60 })] },
      { azimuth: 0, elevation: 50, distance: 700 },
      preparation,
    );
    const { arrows } = drawn(film, 0);
    const { nodes } = film.program.index.assembly;
    const of = (a: Arrow) => nodes[a.body.root]?.name;
    expect(arrows.map(of).sort()).toEqual(["one", "two"]);
    // One turns to the left, the other to the right: seen from above the tips go opposite ways round.
    const { view } = viewOf(film.program, 0);
    const about = (a: Arrow, x: number) => sweepOf(onPlane(view, a, 0).map((p) => [p[0] - x, p[1], 0]));
    const [one, two] = [arrows.find((a) => of(a) === "one"), arrows.find((a) => of(a) === "two")] as [Arrow, Arrow];
    expect(about(one, -50)).toBeGreaterThan(0);
    expect(about(two, 50)).toBeLessThan(0);
  });

  test("there and back is one arrow with two tips; the carried part shows only what it does itself", () => {
    const back = filmOf(
      [BASE, { name: "cap", at: [0, 0, 0], size: [40, 30, 20] }],
      { "kit/cap": [key("a", 1, 0.9, { "slide.x": 90 }), key("b", 2, 0.9, { "slide.x": 0 })] },
      { azimuth: 20, elevation: 20, distance: 800 },
    );
    const { arrows } = drawn(back, 0);
    expect(arrows).toHaveLength(1);
    expect(arrows[0]?.both).toBe(true);
    expect(arrowShape(arrows[0] as Arrow).tips).toHaveLength(2);

    const carried = filmOf(
      [
        BASE,
        {
          name: "arm",
          at: [0, 0, 0],
          children: [
            { name: "bar", at: [0, 0, 0], size: [60, 12, 12] },
            { name: "knob", at: [40, 0, 0], size: [10, 18, 10] },
          ],
        },
      ],
      {
        "kit/arm": [key("a", 2, 1.5, { "slide.z": 60 })],
        "kit/arm/knob": [key("b", 2, 1.5, { "turn.x": 90 })],
      },
      { azimuth: 30, elevation: 20, distance: 700 },
    );
    const own = drawn(carried, 0).arrows.map((a) => [carried.program.index.assembly.nodes[a.body.root]?.name, a.of]);
    expect(own).toContainEqual(["arm", "slide"]);
    expect(own).toContainEqual(["knob", "turn"]);
    expect(own).not.toContainEqual(["knob", "slide"]);
  });

  test("many that move alike have one arrow, few have one each; what has no room is counted", () => {
    const row = (n: number) =>
      Array.from(
        { length: n },
        (_, i): BoxPart => ({ name: `s${i}`, at: [-75 + (150 * i) / n, 0, 0], size: [8, 8, 8] }),
      );
    const up = (n: number) =>
      Object.fromEntries(row(n).map((p) => [`kit/${p.name}`, [key(p.name, 2, 1.5, { "slide.z": 50 })]]));
    const bodies = (n: number) => {
      const { program, end } = filmOf([BASE, ...row(n)], up(n));
      return movingBodies(program, 0, end).bodies;
    };
    expect(bodies(4)).toHaveLength(4);
    expect(bodies(9)).toHaveLength(1);
    expect(bodies(9)[0]?.nodes).toHaveLength(9);
    // It fills the picture and more: nowhere is free.
    const near = filmOf(
      [{ name: "wall", at: [0, 0, 0], size: [400, 10, 400] }],
      { "kit/wall": [key("a", 2, 1.5, { "slide.x": 20 })] },
      { azimuth: 0, elevation: 0, distance: 150 },
    );
    expect(drawn(near, 0)).toMatchObject({ arrows: [], without: 1 });
  });
});

/** Points of an arrow on a level plane of the assembly. */
function onPlane(view: Projection, arrow: Arrow, level: number): Triple[] {
  const out: Triple[] = [];
  for (let i = 0; i < arrow.points.length; i += 2)
    out.push(backTo(view, nth(arrow.points, i), nth(arrow.points, i + 1), level));
  return out;
}

/** The place of a level plane that is seen at a place of the picture: by the projections of three of its places. */
function backTo(view: Projection, x: number, y: number, level: number): Triple {
  // Newton's method on two unknowns; the plane is seen well, so that a few steps are exact.
  let [u, v] = [0, 0];
  for (let i = 0; i < 12; i++) {
    const at = (a: number, b: number) => view.place([a, b, level]) as [number, number];
    const [p, pu, pv] = [at(u, v), at(u + 1e-3, v), at(u, v + 1e-3)];
    const [a, b, c, d] = [(pu[0] - p[0]) * 1e3, (pv[0] - p[0]) * 1e3, (pu[1] - p[1]) * 1e3, (pv[1] - p[1]) * 1e3];
    const det = a * d - b * c;
    const [ex, ey] = [x - p[0], y - p[1]];
    u += (ex * d - b * ey) / det;
    v += (a * ey - ex * c) / det;
  }
  return [u, v, level];
}

/** Degrees that a row of points goes round the z axis. */
function sweepOf(points: readonly Triple[]): number {
  let sum = 0;
  for (let i = 1; i < points.length; i++) {
    const [a, b] = [points[i - 1] as Triple, points[i] as Triple].map((p): Triple => [p[0], p[1], 0]) as [
      Triple,
      Triple,
    ];
    sum += (Math.atan2(cross(a, b)[2], dot(a, b)) * 180) / Math.PI;
  }
  expect(lengthOf(minus(points[0] as Triple, points[1] as Triple))).toBeGreaterThan(0);
  return sum;
}
