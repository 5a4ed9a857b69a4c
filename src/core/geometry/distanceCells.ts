import { DoubleSide, Ray, Vector3 } from "three";
import type { MeshBVH } from "three-mesh-bvh";
import type { Bounds } from "../assembly/assembly";
import { nth } from "../math/packed";

/** Meets no edge of what lies square to the axes. */
const ASKEW = new Vector3(0.5773, 0.5241, 0.6263).normalize();
/** Cells that are remembered, at most; then all is forgotten and begun anew. */
const MOST = 400_000;
/** Cells along the longest edge of a box: of the coarse cells, and at most of the fine ones. */
const COARSE = 20;
const FINEST = 1000;

const _p = new Vector3();
const _ray = new Ray();
const _hit = { point: new Vector3(), distance: 0, faceIndex: 0 };

/** How a place lies to a surface: outside or as good as on it, or inside by at least the depth that was asked for. */
export type Side = "free" | "deep" | "unknown";

/**
 * How far places lie from a mesh, remembered at the middles of small cells: whoever asks near by again is told without
 * the mesh being searched, as far as the distance between the two places leaves it certain. The mesh's own frame, mm.
 */
export class DistanceCells {
  private readonly coarse = new Map<number, number>();
  private readonly fine = new Map<number, number>();
  private readonly size: number;
  private readonly coarseEdge: number;
  private fineEdge: number;

  constructor(
    private readonly tree: MeshBVH,
    private readonly bounds: Bounds,
    /** Depth that is asked for most. */
    above: number,
  ) {
    this.size = Math.max(...[0, 1, 2].map((k) => nth(bounds.max, k) - nth(bounds.min, k)), 1e-6);
    this.coarseEdge = this.size / COARSE;
    this.fineEdge = Math.max(0.7 * above, this.size / FINEST);
  }

  /**
   * On which side all places within `radius` of a place are: "free" where none is deeper than `above`, "deep" where
   * all are inside, "unknown" where the cells do not tell.
   */
  sideOf(x: number, y: number, z: number, radius: number, above: number): Side {
    const first = this.settle(this.coarse, this.coarseEdge, x, y, z, radius, above);
    if (first !== "unknown" || radius > this.fineEdge) return first;
    return this.settle(this.fine, this.fineEdge, x, y, z, radius, above);
  }

  /** How deep a place lies inside, mm; 0 where it is outside or no deeper than `above`. */
  depthAt(x: number, y: number, z: number, above: number): number {
    _p.set(x, y, z);
    const near = this.tree.closestPointToPoint(_p, _hit, above, Number.POSITIVE_INFINITY);
    return near && near.distance > above && this.inside() ? near.distance : 0;
  }

  private settle(
    cells: Map<number, number>,
    edge: number,
    x: number,
    y: number,
    z: number,
    radius: number,
    above: number,
  ): Side {
    const { min } = this.bounds;
    const ix = Math.floor((x - min[0]) / edge) + 1;
    const iy = Math.floor((y - min[1]) / edge) + 1;
    const iz = Math.floor((z - min[2]) / edge) + 1;
    const along = Math.ceil(this.size / edge) + 3;
    // Beyond the box by more than a cell: only large balls have their middles there.
    if (ix < 0 || iy < 0 || iz < 0 || ix >= along || iy >= along || iz >= along) return "unknown";
    const cx = min[0] + (ix - 0.5) * edge;
    const cy = min[1] + (iy - 0.5) * edge;
    const cz = min[2] + (iz - 0.5) * edge;
    const name = (iz * along + iy) * along + ix;
    let signed = cells.get(name);
    if (signed === undefined) {
      if (cells.size > MOST) cells.clear();
      signed = this.signedAt(cx, cy, cz);
      cells.set(name, signed);
    }
    const off = radius + Math.sqrt((x - cx) ** 2 + (y - cy) ** 2 + (z - cz) ** 2);
    if (signed >= off) return "free";
    if (Math.abs(signed) + off <= above) return "free";
    return -signed - off > above ? "deep" : "unknown";
  }

  /** Distance from the surface, less than 0 inside. */
  private signedAt(x: number, y: number, z: number): number {
    _p.set(x, y, z);
    const near = this.tree.closestPointToPoint(_p, _hit, 0, Number.POSITIVE_INFINITY);
    if (!near) return Number.POSITIVE_INFINITY;
    return this.inside() ? -near.distance : near.distance;
  }

  /** Whether `_p` lies inside: a ray leaves through the surface an odd number of times. */
  private inside(): boolean {
    _ray.origin.copy(_p);
    _ray.direction.copy(ASKEW);
    return this.tree.raycast(_ray, DoubleSide).length % 2 === 1;
  }
}
