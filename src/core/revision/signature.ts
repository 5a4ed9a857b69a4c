import type { AssemblyIndex } from "../assembly/assembly";
import type { AssemblyPackage } from "../assembly/package";
import { FACE_STRIDE, type Geometry } from "../geometry/geometry";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";

/** Numbers of a shape that do not change when it is placed elsewhere: for telling shapes apart and alike. */
export interface ShapeSignature {
  /** mm^2, mm^3 (signed by the mesh's sense; 0 for open ones is possible). */
  area: number;
  volume: number;
  /** Sides of its own box, sorted, mm. */
  size: Triple;
  faces: number;
}

/** Area, volume, size and number of faces of a shape. */
export function shapeSignature(g: Geometry): ShapeSignature {
  let area = 0;
  let volume = 0;
  const p = g.positions;
  for (let i = 0; i < g.indices.length; i += 3) {
    const a = 3 * nth(g.indices, i);
    const b = 3 * nth(g.indices, i + 1);
    const c = 3 * nth(g.indices, i + 2);
    const ax = nth(p, a);
    const ay = nth(p, a + 1);
    const az = nth(p, a + 2);
    const ux = nth(p, b) - ax;
    const uy = nth(p, b + 1) - ay;
    const uz = nth(p, b + 2) - az;
    const vx = nth(p, c) - ax;
    const vy = nth(p, c + 1) - ay;
    const vz = nth(p, c + 2) - az;
    const nx = uy * vz - uz * vy;
    const ny = uz * vx - ux * vz;
    const nz = ux * vy - uy * vx;
    area += Math.hypot(nx, ny, nz) / 2;
    volume += (ax * nx + ay * ny + az * nz) / 6;
  }
  const size = [0, 1, 2].map((k) => nth(g.bounds.max, k) - nth(g.bounds.min, k)).sort((x, y) => x - y) as Triple;
  return { area, volume: Math.abs(volume), size, faces: g.faces.length / FACE_STRIDE };
}

/**
 * How alike two shapes are, 0 to 1. Within the difference that another mesh quality makes they count as the same (1).
 */
export function shapeLikeness(a: ShapeSignature, b: ShapeSignature): number {
  const near = (x: number, y: number, loose: number) => {
    const scale = Math.max(Math.abs(x), Math.abs(y));
    if (scale < 1e-9) return 1;
    const d = Math.abs(x - y) / scale;
    return d <= loose ? 1 : Math.max(0, 1 - (d - loose) * 3);
  };
  const box = Math.min(...a.size.map((v, k) => near(v, nth(b.size, k), 2e-3)));
  const area = near(a.area, b.area, 4e-3);
  const volume = near(a.volume, b.volume, 6e-3);
  const faces = a.faces === b.faces ? 1 : 0.9;
  return Math.min(box, area, volume) * faces;
}

/** What is known of a node for matching. World frame at home, mm. */
export interface NodeSignature {
  node: number;
  key: string;
  name: string;
  parent: number;
  kind: "assembly" | "part";
  shape: ShapeSignature | null;
  /** Middle of its bounds and their diagonal. */
  middle: Triple;
  diagonal: number;
  /** Number of parts below and in it. */
  parts: number;
}

/** Signatures of all nodes; shapes shared by instances are measured once. */
export function signatures(index: AssemblyIndex, pkg: Pick<AssemblyPackage, "geometries">): NodeSignature[] {
  const shapes = pkg.geometries.map(shapeSignature);
  return index.assembly.nodes.map((node, i) => {
    const b = index.worldBounds.subarray(6 * i, 6 * i + 6);
    const some = nth(b, 0) <= nth(b, 3);
    let parts = 0;
    for (let j = i; j < nth(index.end, i); j++) if (index.assembly.nodes[j]?.kind === "part") parts++;
    return {
      node: i,
      key: node.key,
      name: node.name,
      parent: node.parent,
      kind: node.kind,
      shape: shapes[node.geometry] ?? null,
      middle: some
        ? ([0, 1, 2].map((k) => (nth(b, k) + nth(b, 3 + k)) / 2) as Triple)
        : (Array.from(index.homeWorld.subarray(16 * i + 12, 16 * i + 15)) as Triple),
      diagonal: some ? Math.hypot(nth(b, 3) - nth(b, 0), nth(b, 4) - nth(b, 1), nth(b, 5) - nth(b, 2)) : 0,
      parts,
    };
  });
}
