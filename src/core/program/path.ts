import type { AssemblyIndex } from "../assembly/assembly";
import { cameraMatrix } from "../camera/camera";
import { invertedAffine, transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import { frameToTicks, ticksPerFrame } from "../time/time";
import { chainOf, poseAlong } from "./pose";
import type { Program } from "./program";
import { createPose, type Pose } from "./sampling";

/** Middle of a node's bounds at home, in its own frame, mm; not finite where nothing is drawn below it. */
export function localMiddle(index: AssemblyIndex, node: number): Triple {
  const { worldBounds, homeWorld } = index;
  const middle = [0, 1, 2].map((k) => (nth(worldBounds, 6 * node + k) + nth(worldBounds, 6 * node + 3 + k)) / 2);
  return transformPoint(invertedAffine(homeWorld, 16 * node), middle);
}

/** The frames of a step, and how many frames apart they are listed: no more than `most`. */
export function stepFrames(program: Program, step: string, most: number): number[] {
  const at = program.steps.position.get(step);
  if (at === undefined) return [];
  const per = ticksPerFrame(program.sequence.rate);
  const first = Math.ceil(nth(program.steps.start, at) / per);
  const last = Math.floor(nth(program.steps.end, at) / per);
  const every = Math.max(1, Math.ceil((last - first + 1) / most));
  const out: number[] = [];
  for (let f = first; f <= last; f += every) out.push(frameToTicks(f, program.sequence.rate));
  return out;
}

/** Where a point of a node, in its own frame (mm), is in a pose, world mm, into `out` at `o`. */
export function nodeAt(at: Pose, node: number, point: Triple, out: Float32Array, o: number): void {
  out.set(transformPoint(at.world, point, 16 * node), o);
}

/** Where the live camera stands in a pose, world mm, into `out` at `o`. */
export function cameraAt(program: Program, at: Pose, out: Float32Array, o: number): void {
  cameraMatrix(_camera, at.camera, 0, program.index.assembly.up);
  for (let k = 0; k < 3; k++) out[o + k] = nth(_camera, 12 + k);
}
const _camera = new Float64Array(16);

/** Where the middle of a node is at times, world mm, xyz for each. */
export function nodePath(program: Program, node: number, times: readonly number[]): Float32Array {
  const at = createPose(program);
  const out = new Float32Array(3 * times.length);
  const [along, middle] = [chainOf(program, node), localMiddle(program.index, node)];
  times.forEach((t, i) => {
    poseAlong(program, t, at, along);
    nodeAt(at, node, middle, out, 3 * i);
  });
  return out;
}
