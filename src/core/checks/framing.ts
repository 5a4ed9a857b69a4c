import { cameraMatrix, SENSOR_WIDTH_MM } from "../camera/camera";
import { hullPoints } from "../camera/hull";
import type { Geometry } from "../geometry/geometry";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose, type Pose } from "../program/sampling";
import { actsOn, isOn } from "../program/spans";
import { frameToTicks, ticksPerFrame } from "../time/time";

/** A run of frames in which something that acts is not wholly in the picture. */
export interface OutsideSpan {
  /** First and last frame's time, ticks of the sequence. */
  t0: number;
  t1: number;
  /**
   * How far out at the worst frame: 1 is the picture's edge, 2 a half picture beyond it; infinite behind the camera.
   */
  worst: number;
  /** Nodes that leave the picture in it. */
  nodes: number[];
}

/** A part that acts but can hardly be seen at a moment, because others stand before it. */
export interface Covered {
  node: number;
  ticks: number;
  /** Share of its sample points that can be seen, 0..1. */
  seen: number;
  /** What covers it most. */
  by: number;
}

export interface StepFraming {
  step: string;
  /** Nodes that act in the step. */
  acting: number[];
  outside: OutsideSpan[];
  /**
   * Smallest and largest share of the picture's width or height, whichever is more, that what acts takes in the step.
   */
  least: number;
  most: number;
  covered: Covered[];
}

export interface FramingOptions {
  /** Called now and then with the share done; return false to stop. */
  progress?: (share: number) => boolean;
  /** Finds what a ray meets first, or -1; without it nothing is said about covering. Points in world mm. */
  cast?: (at: Pose, from: readonly number[], to: readonly number[], except: number) => number;
}

/** Below this share of points a part counts as covered. */
const HARDLY = 0.15;
/** Moments of a step at which covering is looked at, as shares of its action. */
const LOOKS = [0, 0.25, 0.5, 0.75, 1];
const MOST_SAMPLES = 24;

/**
 * Checks for every step whether all that acts in it is inside the picture at every frame of it, and how large. Exact
 * for the corners of each part's convex hull, with parts and camera as they stand at each frame; parts that cannot be
 * seen at a frame do not count in it.
 */
export function checkFraming(
  program: Program,
  geometries: readonly Geometry[],
  options: FramingOptions = {},
): StepFraming[] {
  const { index, sequence, steps } = program;
  const aspect = sequence.picture.width / sequence.picture.height;
  const hulls = new Map<number, Float64Array>();
  const hullOf = (geometry: number) => {
    let hull = hulls.get(geometry);
    if (!hull) {
      hull = hullPoints(geometries[geometry]?.positions ?? []);
      hulls.set(geometry, hull);
    }
    return hull;
  };
  const at = createPose(program);
  const eye = new Eye(aspect, index.assembly.up);
  const out: StepFraming[] = [];
  const per = ticksPerFrame(sequence.rate);
  for (const [position, id] of steps.ids.entries()) {
    const acting = actingNodes(program, id);
    const told: StepFraming = { step: id, acting, outside: [], least: Number.POSITIVE_INFINITY, most: 0, covered: [] };
    out.push(told);
    if (options.progress && options.progress(position / steps.ids.length) === false) return out;
    if (acting.length === 0) {
      told.least = 0;
      continue;
    }
    const first = Math.ceil(nth(steps.start, position) / per);
    const last = Math.max(first, Math.ceil(nth(steps.end, position) / per) - 1);
    let open: OutsideSpan | null = null;
    for (let f = first; f <= last; f++) {
      const ticks = frameToTicks(f, sequence.rate);
      pose(program, ticks, at);
      eye.look(at.camera);
      let anyOut = 0;
      const nodes: number[] = [];
      for (const node of acting) {
        if (!seenAt(program, at, node)) continue;
        const reach = eye.reach(hullOf(index.assembly.nodes[node]?.geometry as number), at.world, 16 * node);
        if (reach > 1 + 1e-9) {
          nodes.push(node);
          anyOut = Math.max(anyOut, reach);
        }
      }
      const size = eye.size();
      if (size > 0) {
        told.least = Math.min(told.least, size);
        told.most = Math.max(told.most, size);
      }
      if (anyOut > 0) {
        if (!open) {
          open = { t0: ticks, t1: ticks, worst: 0, nodes: [] };
          told.outside.push(open);
        }
        open.t1 = ticks;
        open.worst = Math.max(open.worst, anyOut);
        for (const n of nodes) if (!open.nodes.includes(n)) open.nodes.push(n);
      } else open = null;
    }
    if (!Number.isFinite(told.least)) told.least = 0;
    if (options.cast) told.covered = coveredIn(program, position, acting, hullOf, at, options.cast);
  }
  options.progress?.(1);
  return out;
}

/** Drawn nodes that a step moves, or draws attention to. */
export function actingNodes(program: Program, step: string): number[] {
  const { index, sequence } = program;
  const out = new Set<number>();
  const it = sequence.steps[step];
  for (const move of Object.values(it?.moves ?? {})) {
    if (!it || !isOn(it, move) || move.kind === "label" || move.kind === "dimension") continue;
    // What is only seen through so that another can be seen does not act.
    for (const target of move.kind === "attention" ? move.targets : actsOn(move, sequence)) {
      if (target.type !== "node" && target.type !== "group") continue;
      for (const root of program.nodesOf(target)) {
        for (let n = root; n < nth(index.end, root); n++)
          if ((index.assembly.nodes[n]?.geometry ?? -1) >= 0 && !program.hidden[n]) out.add(n);
      }
    }
  }
  return [...out].sort((a, b) => a - b);
}

const seenAt = (program: Program, at: Pose, node: number) =>
  at.visible[node] === 1 && nth(at.opacity, node) > 0.02 && !program.hidden[node];

/** Projects points and keeps the box round them, in shares of the half picture. */
class Eye {
  private readonly m = new Float64Array(16);
  private tan = 1;
  private left = 0;
  private right = 0;
  private bottom = 0;
  private top = 0;
  private any = false;
  constructor(
    private readonly aspect: number,
    private readonly up: "y" | "z",
  ) {}

  look(camera: ArrayLike<number>): void {
    cameraMatrix(this.m, camera, 0, this.up);
    this.tan = SENSOR_WIDTH_MM / 2 / nth(camera, 7);
    this.any = false;
  }

  /**
   * The farthest that points placed by a matrix lie from the middle of the picture: 1 is its edge, infinity behind
   * the camera.
   */
  reach(points: Float64Array, w: Float64Array, o: number): number {
    const m = this.m;
    let worst = 0;
    for (let i = 0; i < points.length; i += 3) {
      const px = nth(points, i);
      const py = nth(points, i + 1);
      const pz = nth(points, i + 2);
      const x = nth(w, o) * px + nth(w, o + 4) * py + nth(w, o + 8) * pz + nth(w, o + 12) - nth(m, 12);
      const y = nth(w, o + 1) * px + nth(w, o + 5) * py + nth(w, o + 9) * pz + nth(w, o + 13) - nth(m, 13);
      const z = nth(w, o + 2) * px + nth(w, o + 6) * py + nth(w, o + 10) * pz + nth(w, o + 14) - nth(m, 14);
      const ahead = -(x * nth(m, 8) + y * nth(m, 9) + z * nth(m, 10));
      if (ahead <= 1e-9) return Number.POSITIVE_INFINITY;
      const u = (x * nth(m, 0) + y * nth(m, 1) + z * nth(m, 2)) / ahead / this.tan;
      const v = ((x * nth(m, 4) + y * nth(m, 5) + z * nth(m, 6)) / ahead / this.tan) * this.aspect;
      if (!this.any) {
        this.left = this.right = u;
        this.bottom = this.top = v;
        this.any = true;
      }
      this.left = Math.min(this.left, u);
      this.right = Math.max(this.right, u);
      this.bottom = Math.min(this.bottom, v);
      this.top = Math.max(this.top, v);
      worst = Math.max(worst, Math.abs(u), Math.abs(v));
    }
    return worst;
  }

  /** Share of the picture's width or height, whichever is more, of all that was projected since `look`. */
  size(): number {
    return this.any ? Math.max(this.right - this.left, this.top - this.bottom) / 2 : 0;
  }

  get from(): Triple {
    return [nth(this.m, 12), nth(this.m, 13), nth(this.m, 14)];
  }
}

/** Parts that are hardly seen at any of a step's looks: one may well go behind another for a moment. */
function coveredIn(
  program: Program,
  position: number,
  acting: readonly number[],
  hullOf: (geometry: number) => Float64Array,
  at: Pose,
  cast: NonNullable<FramingOptions["cast"]>,
): Covered[] {
  const { index, sequence, steps } = program;
  const eye = new Eye(sequence.picture.width / sequence.picture.height, index.assembly.up);
  const acts = new Set(acting);
  const plain = new Set<number>();
  const worst = new Map<number, Covered>();
  const [action, still] = [nth(steps.action, position), nth(steps.still, position)];
  for (const share of LOOKS) {
    const ticks = Math.round(action + share * (still - action));
    pose(program, ticks, at);
    eye.look(at.camera);
    for (const node of acting) {
      if (plain.has(node) || !seenAt(program, at, node)) continue;
      const { seen, by } = seenShare(hullOf(index.assembly.nodes[node]?.geometry as number), 16 * node, at, (to) => {
        const hit = cast(at, eye.from, to, node);
        // Parts that act together may stand before one another: the step is about all of them.
        return hit < 0 || acts.has(hit) ? -1 : hit;
      });
      if (seen >= HARDLY) plain.add(node);
      else if (seen < (worst.get(node)?.seen ?? 1)) worst.set(node, { node, ticks, seen, by });
    }
  }
  return [...worst.values()].filter((c) => !plain.has(c.node)).sort((a, b) => a.seen - b.seen || a.node - b.node);
}

/** Share of sample points on a part that nothing stands before, and what stands before most of the others. */
function seenShare(
  hull: Float64Array,
  o: number,
  at: Pose,
  hit: (to: readonly number[]) => number,
): { seen: number; by: number } {
  const w = at.world;
  const every = 3 * Math.max(1, Math.floor(hull.length / 3 / MOST_SAMPLES));
  const by = new Map<number, number>();
  let points = 0;
  for (let i = 0; i < hull.length; i += every) {
    const along = (r: number) =>
      [0, 1, 2].reduce((sum, k) => sum + nth(w, o + 4 * k + r) * nth(hull, i + k), nth(w, o + 12 + r));
    const found = hit([along(0), along(1), along(2)]);
    points++;
    if (found >= 0) by.set(found, (by.get(found) ?? 0) + 1);
  }
  const covered = [...by.values()].reduce((a, b) => a + b, 0);
  const most = [...by.entries()].sort((a, b) => b[1] - a[1])[0];
  return { seen: points === 0 ? 1 : 1 - covered / points, by: most?.[0] ?? -1 };
}
