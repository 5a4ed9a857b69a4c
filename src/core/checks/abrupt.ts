import { cameraMatrix } from "../camera/camera";
import { nth } from "../math/packed";
import { liveCamera } from "../program/pose";
import type { Program } from "../program/program";
import { createPose, type Pose, sample } from "../program/sampling";
import { TICKS_PER_SECOND } from "../time/time";

/** A moment at which the picture's motion changes from one frame to the next. */
export interface AbruptPlace {
  /** Time in the sequence, ticks. */
  ticks: number;
  /**
   * Change of motion, degrees a second of what is seen: of the standpoint as seen from the aim, the view's direction,
   * the tilt and the angle of view together.
   */
  jump: number;
  /** Motion just before and just after, in the same measure. */
  before: number;
  after: number;
  /** Angle between the two motions, degrees; nil where one of them is standing still. */
  turn: number;
}

export interface AbruptOptions {
  /** Least change that is told, degrees a second. */
  least: number;
}
export const ABRUPT_DEFAULTS: Required<AbruptOptions> = { least: 4 };

/** Half the interval that speeds are measured over, ticks: a thousandth of a second. */
const STEP = Math.round(TICKS_PER_SECOND / 1000);
const SIZE = 8;
/** Where a reading keeps the camera's distance, behind what is compared. */
const DISTANCE = SIZE;

/**
 * Lists the moments at which the live camera's motion jumps in direction or speed, worst first. Cuts are meant to jump
 * and are left out. Speeds are one-sided differences over a millisecond, so a jump is told to within what the camera
 * gains in speed in that time.
 */
export function abruptPlaces(program: Program, options: Partial<AbruptOptions> = {}): AbruptPlace[] {
  const least = options.least ?? ABRUPT_DEFAULTS.least;
  const moments = new Set<number>();
  for (const id of program.cameras.keys()) {
    for (const t of program.transitions({ type: "camera", id })) {
      const action = program.steps.action[t.step] ?? 0;
      moments.add(action + t.t0);
      moments.add(action + t.t1);
    }
  }
  const at = createPose(program);
  const [p0, p1, p2] = [new Float64Array(SIZE + 1), new Float64Array(SIZE + 1), new Float64Array(SIZE + 1)];
  const out: AbruptPlace[] = [];
  for (const ticks of moments) {
    if (ticks < STEP || ticks > program.steps.length - STEP) continue;
    const camera = reading(program, ticks, at, p1);
    if (reading(program, ticks - STEP, at, p0) !== camera || reading(program, ticks + STEP, at, p2) !== camera)
      continue;
    // The standpoint over its distance: the same scale for all three readings, so that it does not matter where the
    // world has its origin.
    const distance = Math.max(1, nth(p1, DISTANCE));
    let jump = 0;
    let before = 0;
    let after = 0;
    let dot = 0;
    for (let k = 0; k < SIZE; k++) {
      const scale = k < 3 ? distance : 1;
      const b = (nth(p1, k) - nth(p0, k)) / scale;
      const a = (nth(p2, k) - nth(p1, k)) / scale;
      jump += (a - b) ** 2;
      before += b * b;
      after += a * a;
      dot += a * b;
    }
    const perSecond = (TICKS_PER_SECOND / STEP) * (180 / Math.PI);
    const measured = Math.sqrt(jump) * perSecond;
    if (measured < least) continue;
    const both = Math.sqrt(before * after);
    const moves = Math.sqrt(Math.min(before, after)) * perSecond > 0.5;
    out.push({
      ticks,
      jump: measured,
      before: Math.sqrt(before) * perSecond,
      after: Math.sqrt(after) * perSecond,
      turn: moves ? (Math.acos(Math.max(-1, Math.min(1, dot / both))) * 180) / Math.PI : 0,
    });
  }
  return out.sort((a, b) => b.jump - a.jump || a.ticks - b.ticks);
}

const _m = new Float64Array(16);

/**
 * What the eye takes from a camera: standpoint (3, mm), direction of view (3), tilt (radians), and the logarithm of the
 * focal length; then its distance (mm). @returns which camera is live, by its first channel
 */
function reading(program: Program, ticks: number, at: Pose, out: Float64Array): number {
  sample(program, ticks, at);
  const tracks = liveCamera(program, at);
  if (!tracks) return -1;
  const v = (k: number) => nth(at.values, tracks.first + k);
  cameraMatrix(_m, at.values, tracks.first, program.index.assembly.up);
  out[DISTANCE] = v(5);
  for (let k = 0; k < 3; k++) {
    out[k] = nth(_m, 12 + k);
    out[3 + k] = nth(_m, 8 + k);
  }
  out[6] = (v(6) * Math.PI) / 180;
  out[7] = Math.log(Math.max(1e-3, v(7)));
  return tracks.first;
}
