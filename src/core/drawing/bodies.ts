import { type AssemblyIndex, emptyBounds, growByBox, unionBounds } from "../assembly/assembly";
import { invertedAffine, multiplied } from "../math/mat4";
import { nth } from "../math/packed";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose } from "../program/sampling";

/** Moments at which a stretch of motion is looked at, its first and last among them. */
export const MOMENTS = 33;
/** What moves by less than this share of everything's size does not. */
const STILL = 1e-4;
/** Matrices that differ by less are one: turns and sizes as they are, places as shares of everything's size. */
const SAME = 1e-5;
/** Boxes this share of everything's size apart touch. */
const TOUCH = 0.01;
/** So many bodies that move alike are shown each with its own arrow; more, with one for all. */
const EACH = 6;

/** What moves as one. */
export interface Body {
  /** Nodes with geometry. */
  nodes: number[];
  /** The node that carries all of it; where several do, the first. */
  root: number;
  /** Its motion since the stretch began: 16 numbers a moment, assembly frame. */
  motion: readonly (readonly number[])[];
  /** Bounds when the stretch begins, world mm: min xyz, max xyz. */
  bounds: Float64Array;
}

/** What of an assembly moves within a stretch of time. */
export interface Bodies {
  bodies: Body[];
  /** Moments looked at, ticks. */
  ticks: number[];
  /** 1 for nodes with geometry that move or change their size. */
  moving: Uint8Array;
}

/**
 * What moves between two times (ticks), put together into bodies: nodes that make one motion and hang together in the
 * tree or touch. Where many bodies move alike they count as one. Worked out from poses, so that what links drive is
 * among them.
 */
export function movingBodies(program: Program, from: number, to: number): Bodies {
  const { index } = program;
  const { nodes } = index.assembly;
  const at = createPose(program);
  const ticks = Array.from({ length: MOMENTS }, (_, k) => from + ((to - from) * k) / (MOMENTS - 1));
  const world: Float64Array[] = [];
  const seen = new Uint8Array(nodes.length);
  for (const t of ticks) {
    pose(program, t, at);
    world.push(at.world.slice());
    for (let n = 0; n < nodes.length; n++) if (at.visible[n] && nth(at.opacity, n) > 0.05) seen[n] = 1;
  }
  const size = sizeOf(index);
  const moving = new Uint8Array(nodes.length);
  /** Number of each node's motion in the list; -1 where it stands, or changes its size. */
  const which = new Int32Array(nodes.length).fill(-1);
  const motions: number[][][] = [];
  for (let n = 0; n < nodes.length; n++) {
    if (equal(world, n, size * STILL)) continue;
    if ((nodes[n]?.geometry ?? -1) >= 0 && seen[n]) moving[n] = 1;
    const motion = motionOf(world, n);
    if (!motion?.every(isRigid)) continue;
    const known = motions.findIndex((m) => sameMotion(m, motion, size));
    which[n] = known >= 0 ? known : motions.push(motion) - 1;
  }
  const bodies: Body[] = [];
  motions.forEach((motion, m) => {
    const roots = new Map<number, Body>();
    for (let n = 0; n < nodes.length; n++) {
      if (which[n] !== m || !moving[n]) continue;
      let root = n;
      for (let up = nth(index.parent, root); up >= 0 && which[up] === m; up = nth(index.parent, root)) root = up;
      const body = roots.get(root) ?? { nodes: [], root, motion, bounds: emptied() };
      roots.set(root, body);
      body.nodes.push(n);
      const box = index.assembly.geometries[nodes[n]?.geometry ?? -1]?.bounds;
      if (box) growByBox(body.bounds, 0, box, world[0] as Float64Array, 16 * n);
    }
    const joined = touching([...roots.values()], TOUCH * size);
    bodies.push(...(joined.length > EACH ? [together(joined)] : joined));
  });
  return { bodies, ticks, moving };
}

const emptied = (): Float64Array => {
  const box = new Float64Array(6);
  emptyBounds(box);
  return box;
};

/** Diagonal of everything at home, mm. */
export function sizeOf(index: AssemblyIndex): number {
  const box = emptied();
  for (const root of index.roots) unionBounds(box, 0, index.worldBounds, 6 * root);
  const d = Math.hypot(...[0, 1, 2].map((k) => nth(box, 3 + k) - nth(box, k)));
  return Number.isFinite(d) && d > 0 ? d : 1;
}

/** Whether a node's matrices are all as the first. */
function equal(world: readonly Float64Array[], n: number, slack: number): boolean {
  const first = world[0] as Float64Array;
  for (const w of world)
    for (let k = 0; k < 15; k++)
      if (Math.abs(nth(w, 16 * n + k) - nth(first, 16 * n + k)) > (k < 12 ? STILL : slack)) return false;
  return true;
}

/** A node's motion since the first moment; null where it had no size then. */
function motionOf(world: readonly Float64Array[], n: number): number[][] | null {
  try {
    const back = invertedAffine(world[0] as Float64Array, 16 * n);
    return world.map((w) => multiplied(w.subarray(16 * n, 16 * n + 16), back));
  } catch {
    return null;
  }
}

const sameMotion = (a: readonly (readonly number[])[], b: readonly (readonly number[])[], size: number): boolean =>
  a.every((m, k) => m.every((v, i) => Math.abs(v - nth(b[k] ?? [], i)) < (i < 12 ? SAME : SAME * size)));

/** Whether a matrix only turns and shifts. */
function isRigid(m: readonly number[]): boolean {
  for (let a = 0; a < 3; a++)
    for (let b = a; b < 3; b++) {
      const dot =
        nth(m, 4 * a) * nth(m, 4 * b) + nth(m, 4 * a + 1) * nth(m, 4 * b + 1) + nth(m, 4 * a + 2) * nth(m, 4 * b + 2);
      if (Math.abs(dot - (a === b ? 1 : 0)) > 1e-4) return false;
    }
  return true;
}

/** Joins bodies whose boxes touch, until none do. */
function touching(bodies: readonly Body[], slack: number): Body[] {
  const out: Body[] = [];
  for (const body of bodies) {
    let joined = body;
    for (let i = out.length - 1; i >= 0; i--) {
      const other = out[i] as Body;
      const apart = [0, 1, 2].some(
        (k) =>
          nth(joined.bounds, k) > nth(other.bounds, 3 + k) + slack ||
          nth(other.bounds, k) > nth(joined.bounds, 3 + k) + slack,
      );
      if (apart) continue;
      joined = together([other, joined]);
      out.splice(i, 1);
      // It reaches farther now, and may touch what it did not.
      i = out.length;
    }
    out.push(joined);
  }
  return out;
}

function together(bodies: readonly Body[]): Body {
  const first = bodies[0] as Body;
  const bounds = emptied();
  for (const b of bodies) unionBounds(bounds, 0, b.bounds, 0);
  return { ...first, nodes: bodies.flatMap((b) => b.nodes), bounds };
}
