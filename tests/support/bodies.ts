import type { Body } from "../../src/core/explode/bodies";
import { nth } from "../../src/core/math/packed";
import type { Triple } from "../../src/core/math/triple";

/** Puts bodies together from shapes: each a list of closed shells. */
export function body(
  id: string,
  ...shells: { positions: number[]; indices: number[]; axis?: { point: Triple; direction: Triple } }[]
): Body {
  const positions: number[] = [];
  const indices: number[] = [];
  const axes: Body["axes"][number][] = [];
  for (const s of shells) {
    const first = positions.length / 3;
    positions.push(...s.positions);
    indices.push(...s.indices.map((i) => i + first));
    if (s.axis) axes.push({ ...s.axis, weight: 100 });
  }
  const of = (pick: (...v: number[]) => number) =>
    [0, 1, 2].map((k) => pick(...positions.filter((_, i) => i % 3 === k))) as Triple;
  return {
    id,
    positions: Float64Array.from(positions),
    indices: Uint32Array.from(indices),
    min: of(Math.min),
    max: of(Math.max),
    axes,
  };
}

/** A box from corner to corner. */
export function box(min: Triple, max: Triple) {
  const positions: number[] = [];
  for (let c = 0; c < 8; c++) positions.push((c & 1 ? max : min)[0], (c & 2 ? max : min)[1], (c & 4 ? max : min)[2]);
  const quads = [
    [0, 2, 3, 1],
    [4, 5, 7, 6],
    [0, 1, 5, 4],
    [2, 6, 7, 3],
    [0, 4, 6, 2],
    [1, 3, 7, 5],
  ];
  return { positions, indices: quads.flatMap(([a, b, c, d]) => [a, b, c, a, c, d] as number[]) };
}

/** A ring (inner radius 0: a disc) about an axis "x", "y" or "z" through a point, between two places along it. */
export function ring(
  axis: "x" | "y" | "z",
  at: Triple,
  inner: number,
  outer: number,
  from: number,
  to: number,
  segments = 24,
  start = 0,
) {
  const k = "xyz".indexOf(axis);
  const positions: number[] = [];
  const put = (r: number, i: number, w: number) => {
    const a = ((i + start) / segments) * 2 * Math.PI;
    const p = [...at];
    p[k] = w;
    p[(k + 1) % 3] = nth(p, (k + 1) % 3) + r * Math.cos(a);
    p[(k + 2) % 3] = nth(p, (k + 2) % 3) + r * Math.sin(a);
    positions.push(...p);
  };
  const indices: number[] = [];
  for (let i = 0; i < segments; i++) {
    put(inner, i, from);
    put(outer, i, from);
    put(outer, i, to);
    put(inner, i, to);
  }
  for (let i = 0; i < segments; i++) {
    const a = 4 * i;
    const b = 4 * ((i + 1) % segments);
    const quad = (p: number, q: number) => indices.push(a + p, b + p, b + q, a + p, b + q, a + q);
    quad(0, 3);
    quad(1, 0);
    quad(2, 1);
    quad(3, 2);
  }
  // quad() winds so that faces look inwards or outwards alike; turned here to look out.
  for (let i = 0; i < indices.length; i += 3)
    [indices[i + 1], indices[i + 2]] = [nth(indices, i + 2), nth(indices, i + 1)];
  const direction = [0, 0, 0] as Triple;
  direction[k] = 1;
  return { positions, indices, axis: { point: at, direction } };
}
