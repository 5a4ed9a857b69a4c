import { DoubleSide, Ray, Vector3 } from "three";
import type { MeshBVH } from "three-mesh-bvh";
import type { AssemblyIndex } from "../assembly/assembly";
import { hullPoints } from "../camera/hull";
import { DistanceCells } from "../geometry/distanceCells";
import type { Geometry } from "../geometry/geometry";
import { isOpen, meshTree } from "../geometry/meshTree";
import { type PointTree, pointTree } from "../geometry/pointTree";
import { surfacePoints } from "../geometry/surfacePoints";
import { isMainAxis, MOST_ORDER, middleOf, rotationalOrder, secondMoments } from "../geometry/symmetry";
import { invertedAffine, transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import type { ReadonlyTriple, Triple } from "../math/triple";

/** Meets no edge of what lies square to the axes. */
const ASKEW = new Vector3(0.5773, 0.5241, 0.6263).normalize();
const _ray = new Ray();
/** Axes of one shape whose order is looked for: a cube that tumbles has no end of them. */
const MOST_AXES = 16;

/** The meshes of an assembly, and what checks work out from them: each once, when it is first asked for. */
export class Shapes {
  private readonly hulls = new Map<number, Float64Array>();
  private readonly trees = new Map<number, MeshBVH>();
  private readonly opens = new Map<number, boolean>();
  private readonly tried = new Map<number, number>();
  private readonly moments = new Map<number, readonly number[]>();
  private readonly orders = new Map<string, number>();
  private readonly middles = new Map<number, Triple>();
  private readonly most = new Map<number, number>();
  private readonly cells = new Map<number, DistanceCells>();
  private readonly balls = new Map<number, PointTree>();
  /** What pairs of parts are in one another at home, for as long as the meshes stay. */
  readonly memory = new Map<string, unknown>();

  constructor(
    readonly index: AssemblyIndex,
    readonly geometries: readonly Geometry[],
  ) {}

  /** The geometry of a node, by its number; -1 where it has none, or an empty one. */
  geometryOf(node: number): number {
    const g = this.index.assembly.nodes[node]?.geometry ?? -1;
    return (this.geometries[g]?.indices.length ?? 0) > 0 ? g : -1;
  }

  /** Corners of a geometry's convex hull, in its own frame. */
  hullOf(geometry: number): Float64Array {
    let hull = this.hulls.get(geometry);
    if (!hull) {
      hull = hullPoints(this.geometries[geometry]?.positions ?? []);
      this.hulls.set(geometry, hull);
    }
    return hull;
  }

  /** Middle and radius of a sphere round a geometry's box, in its own frame. */
  sphereOf(geometry: number, out: { middle: Triple; radius: number }): void {
    const { min, max } = this.geometries[geometry]?.bounds ?? { min: [0, 0, 0], max: [0, 0, 0] };
    let r = 0;
    for (let k = 0; k < 3; k++) {
      out.middle[k] = (nth(min, k) + nth(max, k)) / 2;
      r += (nth(max, k) - nth(min, k)) ** 2;
    }
    out.radius = Math.sqrt(r) / 2;
  }

  /** How far a geometry reaches from its frame's origin, at most, mm. */
  reachOf(geometry: number): number {
    const { min, max } = this.geometries[geometry]?.bounds ?? { min: [0, 0, 0], max: [0, 0, 0] };
    return Math.hypot(...[0, 1, 2].map((k) => Math.max(Math.abs(nth(min, k)), Math.abs(nth(max, k)))));
  }

  /** Half the diagonal of a geometry's box, mm. */
  radiusOf(geometry: number): number {
    const { min, max } = this.geometries[geometry]?.bounds ?? { min: [0, 0, 0], max: [0, 0, 0] };
    return Math.hypot(...[0, 1, 2].map((k) => nth(max, k) - nth(min, k))) / 2;
  }

  /** The middle of a geometry's surface, own frame. */
  middleOf(geometry: number): Triple {
    let middle = this.middles.get(geometry);
    if (!middle) {
      middle = middleOf(this.geometries[geometry] as Geometry);
      this.middles.set(geometry, middle);
    }
    return middle;
  }

  /** Places on a geometry's surface, own frame, in a tree. */
  ballsOf(geometry: number): PointTree {
    let balls = this.balls.get(geometry);
    if (!balls) {
      const g = this.geometries[geometry] as Geometry;
      balls = pointTree(surfacePoints(g.positions, g.indices, g.bounds.min, g.bounds.max));
      this.balls.set(geometry, balls);
    }
    return balls;
  }

  /** Distances from a geometry, remembered. @param above depth that is asked for, mm */
  cellsOf(geometry: number, above: number): DistanceCells {
    let cells = this.cells.get(geometry);
    if (!cells) {
      const { bounds } = this.geometries[geometry] as Geometry;
      cells = new DistanceCells(this.treeOf(geometry), bounds, above);
      this.cells.set(geometry, cells);
    }
    return cells;
  }

  treeOf(geometry: number): MeshBVH {
    let tree = this.trees.get(geometry);
    if (!tree) {
      tree = meshTree(this.geometries[geometry] as Geometry);
      this.trees.set(geometry, tree);
    }
    return tree;
  }

  /** Whether a geometry's surface has borders: then nothing is inside it. */
  isOpen(geometry: number): boolean {
    let open = this.opens.get(geometry);
    if (open === undefined) {
      open = isOpen(this.geometries[geometry] as Geometry);
      this.opens.set(geometry, open);
    }
    return open;
  }

  /** Whether a place (world mm) lies inside a node's mesh; an open one has no inside. */
  contains(geometry: number, world: Float64Array, node: number, place: ReadonlyTriple): boolean {
    if (geometry < 0) return false;
    _ray.origin.set(...transformPoint(invertedAffine(world, 16 * node), place));
    _ray.direction.copy(ASKEW);
    return this.treeOf(geometry).raycast(_ray, DoubleSide).length % 2 === 1;
  }

  /**
   * The most equal parts that a turn can divide a geometry into, whatever the axis: what looks the same after a part
   * of a turn has a corner for each.
   */
  mostOrder(geometry: number): number {
    let most = this.most.get(geometry);
    if (most === undefined) {
      const { positions } = this.geometries[geometry] as Geometry;
      const corners = new Set<string>();
      for (let i = 0; i + 2 < positions.length && corners.size < MOST_ORDER; i += 3)
        corners.add(`${positions[i]} ${positions[i + 1]} ${positions[i + 2]}`);
      most = Math.max(2, corners.size);
      this.most.set(geometry, most);
    }
    return most;
  }

  private momentsOf(geometry: number): readonly number[] {
    let moments = this.moments.get(geometry);
    if (!moments) {
      moments = secondMoments(this.geometries[geometry] as Geometry);
      this.moments.set(geometry, moments);
    }
    return moments;
  }

  /**
   * Into how many equal parts a turn about an axis through a geometry's middle divides it: 1 where it has to go all
   * the way round to look the same, 0 where it looks the same at any angle.
   */
  orderOf(geometry: number, direction: Triple): number {
    const name = `${geometry} ${direction.map((v) => Math.round(Math.abs(v) * 200)).join(" ")}`;
    let order = this.orders.get(name);
    if (order === undefined) {
      // About an axis that is none of its main ones nothing looks the same; and of what has too many, few are tried.
      const tried = this.tried.get(geometry) ?? 0;
      if (tried >= MOST_AXES || !isMainAxis(this.momentsOf(geometry), direction)) return 1;
      this.tried.set(geometry, tried + 1);
      order = rotationalOrder(this.geometries[geometry] as Geometry, direction, this.treeOf(geometry));
      this.orders.set(name, order);
    }
    return order;
  }
}
