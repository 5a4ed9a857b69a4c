import { DoubleSide, Matrix4, Ray, Vector3 } from "three";
import type { MeshBVH } from "three-mesh-bvh";
import { cameraMatrix } from "../camera/camera";
import type { Geometry } from "../geometry/geometry";
import { meshTree } from "../geometry/meshTree";
import { transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose, type Pose } from "../program/sampling";

/**
 * Finds what a line of sight meets: bounding spheres first, then a bounding-volume hierarchy of each geometry. Parts
 * that one can look through are given by `seeThrough`; those that are not seen at the moment are left out too.
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
    /** Trees that are kept elsewhere, by geometry. */
    private readonly kept?: (geometry: number) => MeshBVH,
  ) {}

  /** The first node between two points (world mm) other than `except`, or -1. */
  first(at: Pose, from: readonly number[], to: readonly number[], except: number): number {
    let nearest = Number.POSITIVE_INFINITY;
    let found = -1;
    this.each(
      at,
      from,
      to,
      (n) => n === except,
      (n, away) => {
        if (away >= nearest) return;
        nearest = away;
        found = n;
      },
    );
    return found;
  }

  /** Tells every node between two points (world mm), but those that `but` says, with how far it is from the first. */
  each(
    at: Pose,
    from: readonly number[],
    to: readonly number[],
    but: (node: number) => boolean,
    tell: (node: number, away: number) => void,
  ): void {
    const { nodes } = this.program.index.assembly;
    this.ray.origin.fromArray(from as number[]);
    this.ray.direction.fromArray(to as number[]).sub(this.ray.origin);
    // A touch short of the point, so that a neighbour lying against it does not cover it.
    const far = this.ray.direction.length() * (1 - 1e-3);
    if (far === 0) return;
    this.ray.direction.normalize();
    for (let n = 0; n < nodes.length; n++) {
      const geometry = nodes[n]?.geometry ?? -1;
      if (
        geometry < 0 ||
        but(n) ||
        this.program.hidden[n] ||
        !at.visible[n] ||
        nth(at.opacity, n) < 0.6 ||
        this.seeThrough(n)
      )
        continue;
      if (!this.near(at, n, geometry, far)) continue;
      this.m.fromArray(at.world, 16 * n).invert();
      this.local.copy(this.ray).applyMatrix4(this.m);
      const hit = this.treeOf(geometry).raycastFirst(this.local, DoubleSide);
      if (!hit) continue;
      const away = this.point.copy(hit.point).applyMatrix4(this.m.invert()).distanceTo(this.ray.origin);
      if (away < far) tell(n, away);
    }
  }

  /** Whether the line of sight comes within a node's bounding sphere, whatever its size was scaled to. */
  private near(at: Pose, node: number, geometry: number, far: number): boolean {
    const bounds = this.program.index.assembly.geometries[geometry]?.bounds;
    if (!bounds) return false;
    const { min, max } = bounds;
    const w = at.world;
    const o = 16 * node;
    let along = 0;
    let away2 = 0;
    let scale2 = 0;
    const { origin, direction } = this.ray;
    for (let r = 0; r < 3; r++) {
      let c = nth(w, o + 12 + r) - origin.getComponent(r);
      for (let k = 0; k < 3; k++) c += (nth(w, o + 4 * k + r) * (nth(min, k) + nth(max, k))) / 2;
      along += c * direction.getComponent(r);
      away2 += c * c;
    }
    for (let k = 0; k < 12; k += 4)
      scale2 = Math.max(scale2, nth(w, o + k) ** 2 + nth(w, o + k + 1) ** 2 + nth(w, o + k + 2) ** 2);
    const radius2 = (scale2 * ((max[0] - min[0]) ** 2 + (max[1] - min[1]) ** 2 + (max[2] - min[2]) ** 2)) / 4;
    const nearest = Math.max(0, Math.min(far, along));
    return away2 - 2 * along * nearest + nearest * nearest <= radius2 * 1.0001;
  }

  private treeOf(geometry: number): MeshBVH {
    if (this.kept) return this.kept(geometry);
    let tree = this.trees.get(geometry);
    if (!tree) {
      tree = meshTree(this.geometries[geometry] as Geometry);
      this.trees.set(geometry, tree);
    }
    return tree;
  }
}

/** Moments of a span at which coverings are looked for. */
const MOMENTS = 5;
/** Points of each node that lines of sight are drawn to. */
const POINTS = 40;
/** What stands before fewer of the lines than this share is not worth seeing through. */
const LEAST = 0.08;

/**
 * The parts that stand between the live camera and nodes during a span of time (ticks of the sequence), those that
 * cover most first.
 */
export function coversOf(
  cover: Cover,
  program: Program,
  geometries: readonly Geometry[],
  nodes: readonly number[],
  t0: number,
  t1: number,
): number[] {
  const { index } = program;
  const own = new Set<number>();
  for (const root of nodes) for (let n = root; n < nth(index.end, root); n++) own.add(n);
  const at = createPose(program);
  const m = new Float64Array(16);
  const counts = new Map<number, number>();
  let lines = 0;
  for (let k = 0; k < MOMENTS; k++) {
    pose(program, t0 + ((t1 - t0) * k) / (MOMENTS - 1), at);
    cameraMatrix(m, at.camera, 0, index.assembly.up);
    const eye = [nth(m, 12), nth(m, 13), nth(m, 14)];
    for (const node of own) {
      const points = geometries[index.assembly.nodes[node]?.geometry ?? -1]?.positions;
      if (!points || program.hidden[node] || !at.visible[node]) continue;
      const every = 3 * Math.max(1, Math.floor(points.length / 3 / POINTS));
      for (let i = 0; i + 2 < points.length; i += every) {
        lines++;
        const to = transformPoint(at.world, [nth(points, i), nth(points, i + 1), nth(points, i + 2)], 16 * node);
        cover.each(
          at,
          eye,
          to,
          (n) => own.has(n),
          (n) => counts.set(n, (counts.get(n) ?? 0) + 1),
        );
      }
    }
  }
  return [...counts.entries()]
    .filter(([, c]) => c >= LEAST * lines)
    .sort((a, b) => b[1] - a[1] || a[0] - b[0])
    .map(([n]) => n);
}
