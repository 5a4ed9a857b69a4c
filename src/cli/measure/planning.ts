import type { Body } from "../../core/explode/bodies";
import { planChecked } from "../../core/explode/plan";
import { nth } from "../../core/math/packed";
import { type Triple, unit } from "../../core/math/triple";
import { type Measurement, median } from "./measurement";

const SIZES = [50, 100, 200, 400];
const RUNS = 3;

/** A made-up machine of `count` parts: a plate with posts on a square grid, each with five rings and a cap. */
export function postsOnPlate(count: number, segments = 24): Body[] {
  const posts = Math.ceil((count - 1) / 6);
  const side = Math.ceil(Math.sqrt(posts));
  const bodies: Body[] = [prism("plate", 4, [(side - 1) * 15, (side - 1) * 15], 0, side * 24, -8, 0)];
  for (let p = 0; bodies.length < count; p++) {
    const at: [number, number] = [(p % side) * 30, Math.floor(p / side) * 30];
    let z = 0;
    for (let k = 0; k < 6 && bodies.length < count; k++) {
      const h = 2 + ((p + k) % 4);
      bodies.push(prism(`${p}.${k}`, segments, at, k === 5 ? 0 : 3, 7 + ((p + 2 * k) % 5), z, z + h));
      z += h;
    }
  }
  return bodies;
}

/** An upright prism with a round hole (or none) about a place. */
function prism(
  id: string,
  segments: number,
  [x, y]: readonly [number, number],
  inner: number,
  outer: number,
  low: number,
  high: number,
): Body {
  const positions: number[] = [];
  const indices: number[] = [];
  for (let i = 0; i < segments; i++) {
    const a = ((i + 0.5) / segments) * 2 * Math.PI;
    for (const [r, z] of [
      [inner, low],
      [outer, low],
      [outer, high],
      [inner, high],
    ] as const)
      positions.push(x + r * Math.cos(a), y + r * Math.sin(a), z);
  }
  for (let i = 0; i < segments; i++) {
    const a = 4 * i;
    const b = 4 * ((i + 1) % segments);
    for (const [p, q] of [
      [0, 1],
      [1, 2],
      [2, 3],
      [3, 0],
    ] as const)
      indices.push(a + p, b + p, b + q, a + p, b + q, a + q);
  }
  const r = outer;
  return {
    id,
    positions: Float64Array.from(positions),
    indices: Uint32Array.from(indices),
    min: [x - r, y - r, low],
    max: [x + r, y + r, high],
    axes: [{ point: [x, y, 0], direction: unit([0, 0, 1]), weight: r * (high - low) }],
  };
}

/** Planning an exploded view, checks of the way included: how it grows, and what it takes to mind the rest. */
export async function measureExplode(): Promise<Measurement[]> {
  return [...exponent(), ...withRest()];
}

/** Every eighth post of a machine with fine facets is taken apart, 50 parts of 60,000 triangles; the rest is minded. */
function withRest(): Measurement[] {
  const all = postsOnPlate(400, 150);
  const goes = (i: number) => i > 0 && Math.floor((i - 1) / 6) % 8 === 0;
  const moving = all.filter((_, i) => goes(i)).slice(0, 50);
  const rest = joined(all.filter((b) => !moving.includes(b)));
  const alone: number[] = [];
  const minded: number[] = [];
  for (let run = 0; run < RUNS; run++) {
    let t = performance.now();
    planChecked(moving, { gap: 8, stagger: 0.3 });
    alone.push(performance.now() - t);
    t = performance.now();
    planChecked([...moving, rest], { gap: 8, stagger: 0.3, base: moving.length, rest: true });
    minded.push(performance.now() - t);
  }
  const triangles = (list: readonly Body[]) => list.reduce((n, b) => n + b.indices.length / 3, 0);
  return [
    {
      name: "explode-rest",
      ours: median(minded),
      reference: median(alone),
      ratio: median(minded) / median(alone),
      unit: "ms",
      note: `${moving.length} parts of ${triangles(moving)} triangles, with a rest of ${triangles([rest])} minded against without`,
    },
  ];
}

/** Bodies as one. */
function joined(bodies: readonly Body[]): Body {
  const positions: number[] = [];
  const indices: number[] = [];
  for (const b of bodies) {
    const first = positions.length / 3;
    for (const i of b.indices) indices.push(first + i);
    for (const v of b.positions) positions.push(v);
  }
  const of = (pick: (...v: number[]) => number, side: "min" | "max") =>
    [0, 1, 2].map((k) => pick(...bodies.map((b) => nth(b[side], k)))) as Triple;
  return {
    id: "rest",
    positions: Float64Array.from(positions),
    indices: Uint32Array.from(indices),
    min: of(Math.min, "min"),
    max: of(Math.max, "max"),
    axes: bodies.flatMap((b) => b.axes),
  };
}

/**
 * Planning an exploded view, checks of the way included, for 50, 100, 200 and 400 parts of one kind of machine. The
 * ratio is the exponent with which the time grows with the number of parts (least squares over all sizes).
 */
function exponent(): Measurement[] {
  const times = SIZES.map((n) => {
    const bodies = postsOnPlate(n);
    const runs = Array.from({ length: RUNS }, () => {
      const t = performance.now();
      planChecked(bodies, { gap: 8, stagger: 0.3 });
      return performance.now() - t;
    });
    return median(runs);
  });
  const x = SIZES.map(Math.log);
  const y = times.map(Math.log);
  const mean = (v: number[]) => v.reduce((a, b) => a + b, 0) / v.length;
  const [mx, my] = [mean(x), mean(y)];
  const grows = x.reduce((s, v, i) => s + (v - mx) * (nth(y, i) - my), 0) / x.reduce((s, v) => s + (v - mx) ** 2, 0);
  return [
    {
      name: "explode",
      ours: grows,
      reference: 1,
      ratio: grows,
      unit: "exponent of growth",
      note: SIZES.map((n, i) => `${n} parts ${Math.round(nth(times, i))} ms`).join(", "),
    },
  ];
}
