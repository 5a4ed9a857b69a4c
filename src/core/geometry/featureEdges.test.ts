import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { featureEdges } from "./featureEdges";
import { FACE_STRIDE } from "./geometry";

/**
 * A closed cylinder as a CAD kernel meshes it: one mantle face with a seam, two caps, each with vertices of its own.
 */
function cylinder(segments: number, mantles = 1) {
  const positions: number[] = [];
  const normals: number[] = [];
  const indices: number[] = [];
  const faces: number[] = [];
  const at = (i: number) => [Math.cos((2 * Math.PI * i) / segments), Math.sin((2 * Math.PI * i) / segments)] as const;
  const face = (build: () => void) => {
    const first = indices.length / 3;
    build();
    faces.push(first, indices.length / 3 - first, ...new Array(FACE_STRIDE - 2).fill(0));
  };
  for (let m = 0; m < mantles; m++) {
    face(() => {
      const from = (segments / mantles) * m;
      const base = positions.length / 3;
      for (let i = from; i <= from + segments / mantles; i++) {
        const [x, y] = at(i);
        for (const z of [0, 3]) {
          positions.push(10 * x, 10 * y, z);
          normals.push(x, y, 0);
        }
      }
      for (let i = 0; i < segments / mantles; i++) {
        const a = base + 2 * i;
        indices.push(a, a + 2, a + 1, a + 1, a + 2, a + 3);
      }
    });
  }
  for (const z of [0, 3]) {
    face(() => {
      const base = positions.length / 3;
      for (let i = 0; i < segments; i++) {
        const [x, y] = at(i);
        positions.push(10 * x, 10 * y, z);
        normals.push(0, 0, z === 0 ? -1 : 1);
      }
      for (let i = 1; i < segments - 1; i++) indices.push(base, base + i, base + i + 1);
    });
  }
  return featureEdges(
    Float32Array.from(positions),
    Float32Array.from(normals),
    Uint32Array.from(indices),
    Float64Array.from(faces),
  );
}
const heights = (edges: Float32Array) => {
  let rims = 0;
  let upright = 0;
  for (let i = 0; i < edges.length; i += 6) (edges[i + 2] === edges[i + 5] ? () => rims++ : () => upright++)();
  return { rims, upright };
};

describe("feature edges", () => {
  test("of a cylinder are its two rims; the seam is not drawn", () =>
    expect(heights(cylinder(24))).toEqual({ rims: 48, upright: 0 }));
  test("a tangent join of two half mantles is not drawn either", () =>
    expect(heights(cylinder(24, 2))).toEqual({ rims: 48, upright: 0 }));
  test("few facets are still one smooth face", () => expect(heights(cylinder(8)).upright).toBe(0));
});

describe("what remains of any mesh", () => {
  /** Plainly: every side of every triangle, those that agree across left out, each once. */
  function plainly(positions: number[], normals: number[], indices: number[], sharpDeg: number): Set<string> {
    const at = (v: number) => positions.slice(3 * v, 3 * v + 3).join();
    const uses = new Map<string, [number, number][]>();
    for (let t = 0; t < indices.length; t += 3)
      for (const [a, b] of [
        [0, 1],
        [1, 2],
        [2, 0],
      ] as const) {
        const ends: [number, number] = [indices[t + a] as number, indices[t + b] as number];
        if (at(ends[0]) === at(ends[1])) continue;
        if (at(ends[0]) > at(ends[1])) ends.reverse();
        const key = ends.map(at).join(" ");
        uses.set(key, [...(uses.get(key) ?? []), ends]);
      }
    const turn = (a: number, b: number) =>
      normals.slice(3 * a, 3 * a + 3).reduce((s, v, k) => s + v * (normals[3 * b + k] as number), 0) >=
      Math.cos((sharpDeg * Math.PI) / 180);
    return new Set(
      [...uses].flatMap(([key, [first, ...more]]) => {
        const [a, b] = first as [number, number];
        return more.some(([c, d]) => (a === c && b === d) || (turn(a, c) && turn(b, d))) ? [] : [key];
      }),
    );
  }

  test("is what looking at each side by itself leaves, whatever the faces", () => {
    const place = fc.tuple(
      fc.integer({ min: 0, max: 3 }),
      fc.integer({ min: -2, max: 2 }),
      fc.integer({ min: 5, max: 7 }),
    );
    const normal = fc.constantFrom(
      [0, 0, 1],
      [0, 1, 0],
      [0, Math.sin(0.15), Math.cos(0.15)],
      [0.6, 0, 0.8],
      [0, 0, -1],
    );
    const triangle = fc.array(fc.tuple(place, normal), { minLength: 3, maxLength: 3 });
    fc.assert(
      fc.property(fc.array(triangle, { minLength: 1, maxLength: 14 }), fc.integer({ min: 1, max: 5 }), (soup, per) => {
        const vertices = soup.flat();
        const positions = vertices.flatMap(([p]) => p);
        const normals = vertices.flatMap(([, n]) => n);
        const indices = vertices.map((_, i) => i);
        const faces: number[] = [];
        for (let t = 0; t < soup.length; t += per)
          faces.push(t, Math.min(per, soup.length - t), ...new Array(FACE_STRIDE - 2).fill(0));
        const out = featureEdges(
          Float32Array.from(positions),
          Float32Array.from(normals),
          Uint32Array.from(indices),
          Float64Array.from(faces),
        );
        const got = Array.from({ length: out.length / 6 }, (_, i) =>
          [out.slice(6 * i, 6 * i + 3).join(), out.slice(6 * i + 3, 6 * i + 6).join()].sort().join(" "),
        );
        expect(new Set(got)).toEqual(plainly(positions, normals, indices, 12));
        expect(got).toHaveLength(new Set(got).size);
      }),
    );
  });
});
