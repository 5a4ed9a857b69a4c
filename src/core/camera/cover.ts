import { BufferAttribute, BufferGeometry, DoubleSide, Matrix4, Ray, Vector3 } from "three";
import { MeshBVH } from "three-mesh-bvh";
import type { Geometry } from "../geometry/geometry";
import type { Pose } from "../program/pose";
import type { Program } from "../program/program";

/**
 * Finds what a line of sight meets: bounding boxes first, then a bounding-volume hierarchy of each geometry. Parts one
 * can look through are given by `seeThrough`, those that are not seen at the moment are left out too.
 */
export class Cover {
  private readonly trees = new Map<number, MeshBVH>();
  private readonly ray = new Ray();
  private readonly local = new Ray();
  private readonly m = new Matrix4();
  private readonly point = new Vector3();

  constructor(
    private readonly program: Program,
    private readonly geometries: readonly Geometry[],
    private readonly seeThrough: (node: number) => boolean,
  ) {}

  /** The first node between two points (world mm) other than `except`, or -1. */
  first(at: Pose, from: readonly number[], to: readonly number[], except: number): number {
    const { nodes } = this.program.index.assembly;
    this.ray.origin.fromArray(from as number[]);
    this.ray.direction.fromArray(to as number[]).sub(this.ray.origin);
    // A touch short of the point, so that a neighbour lying against it does not cover it.
    let nearest = this.ray.direction.length() * (1 - 1e-3);
    if (nearest === 0) return -1;
    this.ray.direction.normalize();
    let found = -1;
    for (let n = 0; n < nodes.length; n++) {
      const geometry = nodes[n]?.geometry ?? -1;
      if (n === except || geometry < 0 || this.program.hidden[n] || !at.visible[n] || (at.opacity[n] as number) < 0.6 || this.seeThrough(n)) continue;
      this.m.fromArray(at.world, 16 * n).invert();
      this.local.copy(this.ray).applyMatrix4(this.m);
      const hit = this.treeOf(geometry).raycastFirst(this.local, DoubleSide);
      if (!hit) continue;
      const away = this.point.copy(hit.point).applyMatrix4(this.m.invert()).distanceTo(this.ray.origin);
      if (away < nearest) {
        nearest = away;
        found = n;
      }
    }
    return found;
  }

  private treeOf(geometry: number): MeshBVH {
    let tree = this.trees.get(geometry);
    if (!tree) {
      const g = this.geometries[geometry] as Geometry;
      const shape = new BufferGeometry();
      shape.setAttribute("position", new BufferAttribute(g.positions, 3));
      // The tree sorts the triangles of its own copy.
      shape.setIndex(new BufferAttribute(g.indices.slice(), 1));
      tree = new MeshBVH(shape);
      this.trees.set(geometry, tree);
    }
    return tree;
  }
}
