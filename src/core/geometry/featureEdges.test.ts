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
