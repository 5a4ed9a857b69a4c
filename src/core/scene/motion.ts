import { cameraMatrix, verticalAngleOfView } from "../camera/camera";
import { invertedAffine, multiplyAffine } from "../math/mat4";
import { nth } from "../math/packed";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose, type Pose } from "../program/sampling";
import { TICKS_PER_SECOND } from "../time/time";
import { between, type Fitted, fitKeys, type Signal, turnedBetween } from "./signal";

/** What of a node moves, each with its keys; times in s from the step's beginning. */
export interface NodeMotion {
  translation: Fitted;
  rotation: Fitted;
  scale: Fitted;
  /** 1 where it is shown, and how opaque it is. */
  visible: Fitted;
  opacity: Fitted;
}

/** The picture's camera: where it stands and looks (as glTF cameras do, along -Z), and its angle of view upward, radians. */
export interface CameraMotion {
  translation: Fitted;
  rotation: Fitted;
  view: Fitted;
}

/** One step's motion, or the part of it that is in the range. Ticks of the sequence. */
export interface StepMotion {
  step: string;
  from: number;
  to: number;
  nodes: Map<number, NodeMotion>;
  camera: CameraMotion;
  /** Parts that are stretched across the axes they are turned about, which no place, turn and size can say; mm off. */
  sheared: Map<number, number>;
}

export interface MotionOptions {
  /** How far a node may be from where it should be, mm, and turned, degrees. */
  place: number;
  turn: number;
  /** What is not shown is made so small that it cannot be seen, for readers that know nothing of visibility. */
  shrink: boolean;
}
export const MOTION_DEFAULTS: MotionOptions = { place: 0.01, turn: 0.01, shrink: false };
/** How small that is. */
const SHRUNK = 1e-5;

/** Samples a second and at least so many a stretch: between them eases are as good as parabolas. */
const RATE = 240;
const LEAST = 12;
const MOST_MOMENTS = 20_000;

/** A matrix as place, turn and size. The turn is a quaternion x y z w; a mirrored matrix has a size below 0. */
export function decomposed(m: ArrayLike<number>, o: number, out: Float64Array, p: number): void {
  for (let k = 0; k < 3; k++) out[p + k] = nth(m, o + 12 + k);
  const sizes = [0, 1, 2].map((c) => Math.hypot(nth(m, o + 4 * c), nth(m, o + 4 * c + 1), nth(m, o + 4 * c + 2)));
  const e = (r: number, c: number) => nth(m, o + 4 * c + r);
  const det =
    e(0, 0) * (e(1, 1) * e(2, 2) - e(1, 2) * e(2, 1)) -
    e(0, 1) * (e(1, 0) * e(2, 2) - e(1, 2) * e(2, 0)) +
    e(0, 2) * (e(1, 0) * e(2, 1) - e(1, 1) * e(2, 0));
  if (det < 0) sizes[0] = -(sizes[0] as number);
  const [sx, sy, sz] = sizes.map((s) => s || 1e-12) as [number, number, number];
  const [a, b, c] = [e(0, 0) / sx, e(1, 0) / sx, e(2, 0) / sx];
  const [d, f, g] = [e(0, 1) / sy, e(1, 1) / sy, e(2, 1) / sy];
  const [h, i, j] = [e(0, 2) / sz, e(1, 2) / sz, e(2, 2) / sz];
  // The largest of the four first, which keeps the numbers (Shepperd 1978).
  const squares = [1 + a - f - j, 1 - a + f - j, 1 - a - f + j, 1 + a + f + j];
  const k = squares.indexOf(Math.max(...squares));
  const s = 2 * Math.sqrt(squares[k] as number);
  const q =
    k === 3
      ? [(g - i) / s, (h - c) / s, (b - d) / s, s / 4]
      : k === 0
        ? [s / 4, (b + d) / s, (h + c) / s, (g - i) / s]
        : k === 1
          ? [(b + d) / s, s / 4, (g + i) / s, (h - c) / s]
          : [(h + c) / s, (g + i) / s, s / 4, (b - d) / s];
  for (let n = 0; n < 4; n++) out[p + 3 + n] = q[n] as number;
  for (let n = 0; n < 3; n++) out[p + 7 + n] = sizes[n] as number;
}

/** Moments between which all that moves is smooth, ticks from the sequence's beginning: where something sets off or arrives. */
function moments(program: Program, from: number, to: number): number[] {
  const out = new Set<number>([from, to]);
  const put = (t: number) => {
    if (t > from && t < to && out.size < MOST_MOMENTS) out.add(Math.round(t));
  };
  for (const rows of program.placed.values())
    for (const r of rows) {
      const action = nth(program.steps.action, r.position);
      put(action + r.t0);
      put(action + r.t1);
      // What goes on in rounds sets off anew in each.
      const round = r.span ? r.span[1] - r.span[0] : 0;
      if (!r.after || round <= 0) continue;
      // Within a round its own arrivals come again.
      const same = rows.filter((o) => o.position === r.position && o.channel === r.channel);
      for (let n = 1; n < MOST_MOMENTS; n++) {
        const start = action + r.t1 + (n - 1) * round;
        if (start > to) break;
        put(start);
        for (const o of same) for (const t of [o.t0, o.t1]) put(start + t - (r.span?.[0] ?? 0));
      }
    }
  return [...out].sort((a, b) => a - b);
}

/** A moment before another, ticks: what is there is the value from the left. */
const EARLIER = 1;

/**
 * The motion of all parts through a range of a sequence, step by step, as keys: everywhere between them within a
 * tolerance of the film. Turns count by how far the part reaches, so that no corner is farther off than the place may
 * be. Yields the share done.
 */
export function* motionOf(
  program: Program,
  range: { from: number; to: number },
  reach: ArrayLike<number>,
  options: Partial<MotionOptions> = {},
): Generator<number, StepMotion[]> {
  const { place, turn, shrink } = { ...MOTION_DEFAULTS, ...options };
  const { steps } = program;
  const at = createPose(program);
  const nodes = [...program.moving];
  const out: StepMotion[] = [];
  for (const [position, step] of steps.ids.entries()) {
    const from = Math.max(range.from, nth(steps.start, position));
    const to = Math.min(range.to, nth(steps.end, position));
    if (to <= from) continue;
    const sheared = new Map<number, number>();
    const samples = yield* sampled(program, at, nodes, { from, to, range, reach, sheared, shrink });
    const motions = new Map<number, NodeMotion>();
    for (const [i, node] of nodes.entries()) {
      const part = (offset: number, size: number): Signal => ({
        size,
        stretches: samples.map(({ times, values }) => ({
          times,
          values: picked(values, nodes.length * WIDTH, i * WIDTH + offset, size),
        })),
      });
      // A share for each of what a matrix is made of, and for those above it in the tree.
      const share = place / 3;
      const far = Math.max(1, nth(reach, node));
      const degrees = Math.min(turn, (0.8 * share * 180) / Math.PI / far);
      motions.set(node, {
        translation: fitKeys(part(0, 3), between, share),
        rotation: fitKeys(signed(part(3, 4)), turnedBetween, degrees),
        scale: fitKeys(part(7, 3), between, share / far),
        visible: fitKeys(part(10, 1), apart, 0.5),
        opacity: fitKeys(part(11, 1), apart, 1 / 512),
      });
    }
    const seen = (offset: number, size: number): Signal => ({
      size,
      stretches: samples.map(({ times, camera }) => ({ times, values: picked(camera, EYE, offset, size) })),
    });
    const camera = {
      translation: fitKeys(seen(0, 3), between, place),
      rotation: fitKeys(signed(seen(3, 4)), turnedBetween, turn),
      view: fitKeys(seen(7, 1), apart, 1e-5),
    };
    for (const [node, off] of sheared) if (off < 0.1 * place) sheared.delete(node);
    out.push({ step, from, to, nodes: motions, camera, sheared });
    yield (to - range.from) / (range.to - range.from);
  }
  return out;
}

const apart = (a: ArrayLike<number>, i: number, b: ArrayLike<number>) => Math.abs(nth(a, i) - nth(b, 0));

/** Numbers of a node in a row of samples. */
const WIDTH = 12;
/** Numbers of the camera in one. */
const EYE = 8;

/** Some numbers of each row of samples. */
function picked(values: Float64Array, width: number, offset: number, size: number): Float64Array {
  const rows = values.length / width;
  const out = new Float64Array(rows * size);
  for (let r = 0; r < rows; r++)
    for (let k = 0; k < size; k++) out[r * size + k] = values[r * width + offset + k] as number;
  return out;
}

/** A rotation of one sign all through: it and its opposite are the same. */
function signed(signal: Signal): Signal {
  let last: number[] | null = null;
  for (const { values } of signal.stretches)
    for (let o = 0; o < values.length; o += 4) {
      let dot = 0;
      if (last) for (let k = 0; k < 4; k++) dot += (last[k] as number) * (values[o + k] as number);
      if (dot < 0) for (let k = 0; k < 4; k++) values[o + k] = -(values[o + k] as number);
      last = [...values.subarray(o, o + 4)];
    }
  return signal;
}

interface Sampled {
  times: Float64Array;
  values: Float64Array;
  camera: Float64Array;
}

function* sampled(
  program: Program,
  at: Pose,
  nodes: readonly number[],
  {
    from,
    to,
    range,
    reach,
    sheared,
    shrink,
  }: {
    from: number;
    to: number;
    range: { from: number; to: number };
    reach: ArrayLike<number>;
    sheared: Map<number, number>;
    shrink: boolean;
  },
): Generator<number, Sampled[]> {
  const { parent } = program.index;
  const out: Sampled[] = [];
  const eye = new Float64Array(16);
  const seen = new Float64Array(10);
  const { width, height } = program.sequence.picture;
  const list = moments(program, from, to);
  const local = new Float64Array(16);
  for (let m = 0; m + 1 < list.length; m++) {
    const [a, b] = [nth(list, m), nth(list, m + 1)];
    const pieces = Math.max(LEAST, Math.ceil(((b - a) / TICKS_PER_SECOND) * RATE));
    const times = new Float64Array(pieces + 1);
    const values = new Float64Array((pieces + 1) * nodes.length * WIDTH);
    const camera = new Float64Array((pieces + 1) * EYE);
    for (let s = 0; s <= pieces; s++) {
      const ticks = s === pieces ? b - EARLIER : a + ((b - a) * s) / pieces;
      times[s] = ((s === pieces ? b : ticks) - from) / TICKS_PER_SECOND;
      pose(program, ticks, at);
      cameraMatrix(eye, at.camera, 0, program.index.assembly.up);
      decomposed(eye, 0, seen, 0);
      camera.set(seen.subarray(0, 7), s * EYE);
      camera[s * EYE + 7] = (verticalAngleOfView(nth(at.camera, 7), width / height) * Math.PI) / 180;
      for (const [i, node] of nodes.entries()) {
        const o = (s * nodes.length + i) * WIDTH;
        const above = nth(parent, node);
        if (above < 0) local.set(at.world.subarray(16 * node, 16 * node + 16));
        else multiplyAffine(local, 0, Float64Array.from(invertedAffine(at.world, 16 * above)), 0, at.world, 16 * node);
        decomposed(local, 0, values, o);
        if (shrink && !at.visible[node]) for (let k = 7; k < 10; k++) values[o + k] = SHRUNK * nth(values, o + k);
        const off = skew(local) * nth(reach, node);
        if (off > (sheared.get(node) ?? 0)) sheared.set(node, off);
        values[o + 10] = nth(at.visible, node);
        values[o + 11] = nth(at.opacity, node);
      }
      if (s % 32 === 31) yield (a + ((b - a) * s) / pieces - range.from) / (range.to - range.from);
    }
    out.push({ times, values, camera });
  }
  return out;
}

/** How far a matrix's axes are from square to one another, as a share of their length. */
function skew(m: Float64Array): number {
  let most = 0;
  for (const [a, b] of [
    [0, 4],
    [0, 8],
    [4, 8],
  ] as const) {
    let dot = 0;
    let p = 0;
    let q = 0;
    for (let r = 0; r < 3; r++) {
      dot += nth(m, a + r) * nth(m, b + r);
      p += nth(m, a + r) ** 2;
      q += nth(m, b + r) ** 2;
    }
    most = Math.max(most, Math.abs(dot) / Math.sqrt(p * q || 1));
  }
  return most;
}
