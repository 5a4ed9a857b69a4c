import { expect, test } from "vitest";
import { short, told } from "../../../tests/support/recorded";
import { box, disc, gear, mesh, prism } from "../../../tests/support/shapes";
import { seeded } from "../../cli/measure/random";
import { nth } from "../math/packed";
import { rigidBetween } from "./congruent";
import { featureEdges } from "./featureEdges";
import { edgeFeatures, FEATURE_KINDS, featureAt, nearestSegment, smoothPatch, surfaceFeature } from "./features";
import { fitCircle, fitSurface, straightness } from "./fit";
import { boundsOf, type Geometry } from "./geometry";
import { surfacePoints } from "./surfacePoints";
import { middleOf, secondMoments } from "./symmetry";

/** A shape with normals of its faces and with its edges. */
function drawn(g: Geometry): Geometry {
  const { positions: p, indices } = g;
  const positions = Float32Array.from(
    Array.from(indices).flatMap((v) => [nth(p, 3 * v), nth(p, 3 * v + 1), nth(p, 3 * v + 2)]),
  );
  const normals = new Float32Array(positions.length);
  for (let t = 0; t < positions.length; t += 9) {
    const [u, v] = [3, 6].map((o) => [0, 1, 2].map((k) => nth(positions, t + o + k) - nth(positions, t + k)));
    const n = [0, 1, 2].map(
      (k) =>
        nth(u as number[], (k + 1) % 3) * nth(v as number[], (k + 2) % 3) -
        nth(u as number[], (k + 2) % 3) * nth(v as number[], (k + 1) % 3),
    );
    const long = Math.hypot(...n) || 1;
    for (let c = 0; c < 3; c++) for (let k = 0; k < 3; k++) normals[t + 3 * c + k] = nth(n, k) / long;
  }
  const flat = Uint32Array.from({ length: positions.length / 3 }, (_, i) => i);
  const edges = featureEdges(positions, normals, flat, new Float64Array(0));
  return { ...g, positions, normals, indices: flat, edges, bounds: boundsOf(positions) };
}

/** A shape turned about a slanting axis and shifted. */
function laid(g: Geometry, degrees: number, by: readonly number[]): Geometry {
  const [c, s] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)];
  const turned = (a: Float32Array, shift: readonly number[]) => {
    const out = new Float32Array(a.length);
    for (let i = 0; i < a.length; i += 3) {
      const [x, y, z] = [nth(a, i), nth(a, i + 1), nth(a, i + 2)];
      const [u, v] = [c * x - s * y, s * x + c * y];
      out.set([u + nth(shift, 0), c * v - s * z + nth(shift, 1), s * v + c * z + nth(shift, 2)], i);
    }
    return out;
  };
  const positions = turned(g.positions, by);
  return { ...g, positions, normals: turned(g.normals, [0, 0, 0]), bounds: boundsOf(positions) };
}

const bracket = mesh(
  "bracket",
  [0, 0, 0, 30, 0, 0, 30, 20, 0, 0, 20, 0, 0, 0, 6, 30, 0, 6, 30, 20, 14, 0, 20, 6],
  [0, 2, 1, 0, 3, 2, 4, 5, 6, 4, 6, 7, 0, 1, 5, 0, 5, 4, 1, 2, 6, 1, 6, 5, 2, 3, 7, 2, 7, 6, 3, 0, 4, 3, 4, 7],
);
const cone = prism(
  "cone",
  Array.from({ length: 24 }, (_, i) => [10 * Math.cos((i * Math.PI) / 12), 10 * Math.sin((i * Math.PI) / 12)] as const),
  14,
);
for (let i = 24; i < 48; i++) for (const k of [0, 1]) cone.positions[3 * i + k] = nth(cone.positions, 3 * i + k) * 0.4;
const SHAPES = [box("block", 30, 18, 7), disc(12, 9, 24), gear(9), gear(9, true), bracket, cone].map(drawn);

test("features, edges and patches of shapes are found as recorded, wherever they lie", async () => {
  const lines: string[] = [];
  for (const [i, plain] of SHAPES.entries())
    for (const g of [plain, laid(plain, 37, [100, -40, 7])]) {
      lines.push(`== ${i} ${plain.id} ${told(middleOf(g))} ${told(secondMoments(g))} edges ${g.edges.length / 6}`);
      for (let t = 0; t < g.indices.length / 3; t += 5)
        lines.push(`triangle ${t}: ${smoothPatch(g, t).length} ${told(surfaceFeature(g, t))}`);
      for (let e = 0; e < g.edges.length / 6; e += 4) lines.push(`edge ${e}: ${told(edgeFeatures(g, e))}`);
      for (let t = 0; t < g.indices.length / 3; t += 7) {
        const at = [0, 1, 2].map((k) => 0.8 * nth(g.positions, 9 * t + k) + 0.2 * nth(g.positions, 9 * t + 3 + k)) as [
          number,
          number,
          number,
        ];
        lines.push(
          `near ${t}: ${told(nearestSegment(g, at, 6))} ${told(featureAt(g, t, at, 3))} ${told(featureAt(g, t, at, 3, FEATURE_KINDS.slice(2)))}`,
        );
      }
      const points = surfacePoints(g.positions, g.indices, g.bounds.min, g.bounds.max);
      lines.push(`points ${points.length / 3} ${short(points.reduce((sum, v, k) => sum + v * (1 + (k % 7)), 0))}`);
    }
  await expect(lines.join("\n")).toMatchFileSnapshot("record-features.txt");
});

test("which shapes are the same, and how one is laid on the other, is told as recorded", async () => {
  const lines: string[] = [];
  const all = SHAPES.flatMap((g) => [g, laid(g, 68, [-3, 55, 20])]);
  for (const [i, a] of all.entries())
    for (const [j, b] of all.entries()) if (i <= j) lines.push(`${i} ${j} ${told(rigidBetween(a, b))}`);
  // The same triangles in another order.
  for (const g of SHAPES) {
    const n = g.indices.length / 3;
    const order = Array.from({ length: n }, (_, t) => (t * 5 + 3) % n);
    if (new Set(order).size < n) continue;
    const shuffled = (a: Float32Array) =>
      Float32Array.from(order.flatMap((t) => Array.from(a.subarray(9 * t, 9 * t + 9))));
    const other = { ...g, positions: shuffled(g.positions), normals: shuffled(g.normals) };
    lines.push(`shuffled ${g.id} ${told(rigidBetween(g, laid(other, 23, [1, 2, 3])))}`);
  }
  await expect(lines.join("\n")).toMatchFileSnapshot("record-congruent.txt");
});

test("surfaces and circles are fitted to places on them as recorded", async () => {
  const random = seeded(11);
  const noise = (size: number) => (random() - 0.5) * size;
  const lines: string[] = [];
  const surfaces: Record<string, (u: number, v: number) => [number[], number[]]> = {
    plane: (u, v) => [
      [20 * u, 10 * v, 3 * u - v],
      [-3 / 20, 1 / 10, 1],
    ],
    cylinder: (u, v) => [
      [5 * Math.cos(3 * u), 5 * Math.sin(3 * u), 12 * v],
      [Math.cos(3 * u), Math.sin(3 * u), 0],
    ],
    cone: (u, v) => {
      const r = 4 + 3 * v;
      return [
        [r * Math.cos(4 * u), r * Math.sin(4 * u), 6 * v],
        [Math.cos(4 * u), Math.sin(4 * u), -0.5],
      ];
    },
    sphere: (u, v) => {
      const n = [Math.cos(2 * u) * Math.cos(v), Math.sin(2 * u) * Math.cos(v), Math.sin(v)];
      return [n.map((x) => 7 * x + 2), n];
    },
    torus: (u, v) => {
      const n = [Math.cos(3 * u) * Math.cos(5 * v), Math.sin(3 * u) * Math.cos(5 * v), Math.sin(5 * v)];
      return [
        [(9 + 2 * Math.cos(5 * v)) * Math.cos(3 * u), (9 + 2 * Math.cos(5 * v)) * Math.sin(3 * u), 2 * Math.sin(5 * v)],
        n,
      ];
    },
    nothing: (u, v) => [
      [10 * u, 8 * v, 3 * Math.sin(6 * u) * Math.cos(5 * v)],
      [0, 0, 1],
    ],
  };
  for (const [name, at] of Object.entries(surfaces))
    for (const rough of [0, 0.01]) {
      const places = Array.from({ length: 60 }, () => at(random(), random()));
      const positions = places.flatMap(([p]) => p.map((v) => v + noise(rough)));
      const normals = places.flatMap(([, n]) => n.map((v) => v / Math.hypot(...n)));
      lines.push(`${name} ${rough}: ${told(fitSurface({ positions, normals }))}`);
    }
  for (const turn of [0.4, 2, 6.2])
    for (const rough of [0, 0.02]) {
      const points = Array.from({ length: 20 }, (_, i) => (i / 19) * turn).flatMap((a) => [
        3 + 8 * Math.cos(a) + noise(rough),
        8 * Math.sin(a) * 0.6 + noise(rough),
        8 * Math.sin(a) * 0.8 + noise(rough),
      ]);
      lines.push(`arc of ${turn} ${rough}: ${told(fitCircle(points))} ${short(straightness(points))}`);
    }
  await expect(lines.join("\n")).toMatchFileSnapshot("record-fits.txt");
});
