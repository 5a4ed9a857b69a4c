import fc from "fast-check";
import { expect, test } from "vitest";
import { cubePackage, key, preparation, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { cameraMatrix } from "../camera/camera";
import { transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import { cross, dot, minus, type Triple } from "../math/triple";
import { compile } from "../program/compile";
import { pose } from "../program/pose";
import { createPose, type Pose } from "../program/sampling";
import { Cover, coversOf } from "./cover";

const index = smallIndex();
const { geometries } = cubePackage();
const [cube] = geometries;
if (!cube) throw new Error("no cube");
const nodeOf = (k: string) => index.indexOf.get(k) as number;

/** A film in which parts are turned, drawn out and larger than they were, one of them along one axis alone. */
const s = sequenceOf([
  {
    "root/base": [key("a", 1.5, 1, { "slide.x": 30, "turn.y": 40, "size.x": 4 })],
    "root/arm/a": [key("b", 1.5, 1, { "turn.z": 25, "size.x": 1.5, "size.y": 1.5, "size.z": 6 })],
  },
]);
const program = compile(index, preparation(), s);

/** How far along a line, as a share of it, a part's triangles are met; the nearest, by the plain way. */
function met(at: Pose, node: number, from: Triple, to: Triple): number {
  const way = minus(to, from);
  let nearest = Number.POSITIVE_INFINITY;
  const corner = (i: number): Triple =>
    transformPoint(
      at.world,
      [0, 1, 2].map((k) => nth(cube?.positions ?? [], 3 * nth(cube?.indices ?? [], i) + k)),
      16 * node,
    );
  for (let i = 0; i < (cube?.indices.length ?? 0); i += 3) {
    const [a, b, c] = [corner(i), corner(i + 1), corner(i + 2)];
    const [u, v] = [minus(b, a), minus(c, a)];
    // T. Möller and B. Trumbore, "Fast, minimum storage ray/triangle intersection" (1997).
    const h = cross(way, v);
    const det = dot(u, h);
    if (Math.abs(det) < 1e-12) continue;
    const off = minus(from, a);
    const x = dot(off, h) / det;
    const q = cross(off, u);
    const y = dot(way, q) / det;
    const t = dot(v, q) / det;
    // One that begins on a surface is left to its caller.
    if (x >= 0 && y >= 0 && x + y <= 1 && t > -1e-4) nearest = Math.min(nearest, t);
  }
  return nearest;
}

test("what stands between two points is what the plain way finds, the nearest first", () => {
  const at = createPose(program);
  const parts = ["root/arm/a", "root/arm/b", "root/base"].map(nodeOf);
  const cover = new Cover(program, geometries, () => false);
  const place = fc.tuple(...[60, 60, 30].map((r) => fc.integer({ min: -10 * r, max: 10 * r }).map((v) => v / 10)));
  const around = (c: readonly number[], p: readonly number[]) => p.map((v, k) => v + nth(c, k)) as Triple;
  fc.assert(
    fc.property(
      place,
      place,
      fc.constantFrom(...parts),
      fc.integer({ min: 0, max: 2 }),
      fc.boolean(),
      (a, b, near, time, less) => {
        pose(program, seconds(time), at);
        const middle = [12, 13, 14].map((k) => nth(at.world, 16 * near + k));
        const from = around(middle, a);
        // Through the part's own neighbourhood, so that something is met often.
        const to = around(middle, less ? b.map((v) => v / 8) : b.map((v) => -v));
        const except = less ? near : -1;
        const found = parts
          .filter((n) => n !== except)
          .map((n) => ({ n, t: met(at, n, from, to) }))
          .sort((p, q) => p.t - q.t);
        const clear = found.every((f) => f.t > 1e-4 && Math.abs(f.t - (1 - 1e-3)) > 1e-6);
        const tie = (found[1]?.t ?? 9) - (found[0]?.t ?? 0) < 1e-6;
        if (!clear || tie) return;
        const first = found[0];
        expect(cover.first(at, from, to, except)).toBe(first && first.t < 1 - 1e-3 ? first.n : -1);
      },
    ),
    { numRuns: 400 },
  );
});

test("what is hidden, faded, or can be looked through covers nothing", () => {
  const at = createPose(program);
  pose(program, 0, at);
  const base = nodeOf("root/base");
  const [x, y, z] = [12, 13, 14].map((k) => nth(at.world, 16 * base + k)) as [number, number, number];
  const line = [
    [x, y, z + 50],
    [x, y, z - 50],
  ] as const;
  const seen = (through: boolean) => new Cover(program, geometries, () => through).first(at, ...line, -1);
  expect(seen(false)).toBe(base);
  expect(seen(true)).toBe(-1);
  expect(new Cover(program, geometries, () => false).first(at, ...line, base)).toBe(-1);
  expect(new Cover(program, geometries, () => false).first(at, [x, y, z + 50], [x, y, z + 50], -1)).toBe(-1);
  at.opacity[base] = 0.5;
  expect(seen(false)).toBe(-1);
  at.opacity[base] = 1;
  at.visible[base] = 0;
  expect(seen(false)).toBe(-1);
});

test("covers of a part are those before it as the camera sees it, and not what lies behind, nor its own", () => {
  const [base, b] = ["root/base", "root/arm/b"].map(nodeOf) as [number, number];
  const place = (at: ArrayLike<number>, node: number) => [12, 13, 14].map((k) => nth(at, 16 * node + k)) as Triple;
  const m = new Float64Array(16);
  const still = compile(index, preparation(), sequenceOf([{}]));
  const at = createPose(still);
  pose(still, 0, at);
  cameraMatrix(m, at.camera, 0, "z");
  const eye = place(m, 0);
  const front = place(at.world, b);
  /** A film in which the base stands on the line from the camera through the part, so far behind it or before it. */
  const onLine = (share: number) => {
    const to = front.map((v, k) => v + share * (v - nth(eye, k)));
    const [x, y, z] = minus(to as Triple, place(at.world, base));
    return compile(
      index,
      preparation(),
      sequenceOf([{ "root/base": [key("a", 0.1, 0.1, { "slide.x": x, "slide.y": y, "slide.z": z })] }]),
    );
  };
  const coversIn = (p: ReturnType<typeof onLine>, node: number) =>
    coversOf(new Cover(p, geometries, () => false), p, geometries, [node], seconds(1), seconds(1));
  expect(coversIn(onLine(0.2), base)).toEqual([b]);
  expect(coversIn(onLine(0.2), b)).toEqual([]);
  expect(coversIn(onLine(-0.2), b)).toEqual([base]);
  expect(coversIn(onLine(-0.2), base)).toEqual([]);
  // All below one root are its own.
  expect(coversIn(onLine(0.2), nodeOf("root"))).toEqual([]);
});
