import { FACE_STRIDE, type Geometry } from "../geometry/geometry";
import { nth } from "../math/packed";
import type { Bounds } from "./assembly";
import type { AssemblyPackage } from "./package";

/** Numbers of a face row that are lengths: the point, and both sizes (a cone's second is an angle). */
const LENGTHS = [3, 4, 5, 9];

/** Makes everything in a package larger by a factor: for files whose unit was not what they said. */
export function rescale(pkg: AssemblyPackage, factor: number): AssemblyPackage {
  if (factor === 1) return pkg;
  const grow = (a: Float32Array) => Float32Array.from(a, (v) => v * factor);
  const box = (b: Bounds): Bounds => ({
    min: b.min.map((v) => v * factor) as Bounds["min"],
    max: b.max.map((v) => v * factor) as Bounds["max"],
  });
  const geometries = pkg.geometries.map((g): Geometry => {
    const faces = g.faces.slice();
    for (let f = 0; f < faces.length; f += FACE_STRIDE) {
      for (const k of LENGTHS) faces[f + k] = nth(faces, f + k) * factor;
      // Kind 4 is a torus, whose second number is its minor radius.
      if (faces[f + 2] === 4) faces[f + 10] = nth(faces, f + 10) * factor;
    }
    return { ...g, positions: grow(g.positions), edges: grow(g.edges), faces, bounds: box(g.bounds) };
  });
  const { assembly } = pkg;
  return {
    geometries,
    assembly: {
      ...assembly,
      nodes: assembly.nodes.map((n) => ({ ...n, home: n.home.map((v, i) => (i >= 12 && i < 15 ? v * factor : v)) })),
      geometries: assembly.geometries.map((g) => ({ ...g, bounds: box(g.bounds) })),
    },
  };
}
