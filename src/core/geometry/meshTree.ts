import { BufferAttribute, BufferGeometry } from "three";
import { MeshBVH } from "three-mesh-bvh";
import { nth } from "../math/packed";
import type { Geometry } from "./geometry";

/** A bounding-volume hierarchy of a geometry's triangles, own frame. It sorts the triangles of its own copy. */
export function meshTree(g: Geometry): MeshBVH {
  const shape = new BufferGeometry();
  shape.setAttribute("position", new BufferAttribute(g.positions, 3));
  shape.setIndex(new BufferAttribute(g.indices.slice(), 1));
  return new MeshBVH(shape);
}

/** Places nearer than this are one corner, mm. */
const WELD = 1e-3;
/** Share of edges that the mesher may leave unmatched. */
const LOOSE = 0.02;

/** Whether a surface has borders, so that nothing is inside it: edges, by place, that an odd number of triangles have. */
export function isOpen(g: Geometry): boolean {
  const corners = new Map<string, number>();
  const corner = (i: number): number => {
    const name = [0, 1, 2].map((k) => Math.round(nth(g.positions, 3 * i + k) / WELD)).join();
    const known = corners.get(name) ?? corners.size;
    corners.set(name, known);
    return known;
  };
  const edges = new Map<string, number>();
  for (let t = 0; t + 2 < g.indices.length; t += 3) {
    const [a, b, c] = [0, 1, 2].map((k) => corner(nth(g.indices, t + k))) as [number, number, number];
    if (a === b || b === c || c === a) continue;
    for (const [p, q] of [
      [a, b],
      [b, c],
      [c, a],
    ] as const) {
      const name = p < q ? `${p} ${q}` : `${q} ${p}`;
      edges.set(name, (edges.get(name) ?? 0) + 1);
    }
  }
  let loose = 0;
  for (const times of edges.values()) if (times % 2 === 1) loose++;
  return loose > LOOSE * edges.size;
}
