import type { AssemblyIndex } from "../assembly/assembly";
import { cameraMatrix } from "../camera/camera";
import { invertedAffine, transformPoint } from "../math/mat4";
import { frameToTicks, ticksPerFrame } from "../time/time";
import { createPose, pose } from "./pose";
import type { Program } from "./program";

/** Middle of a node's bounds at home, in its own frame, mm; not finite where nothing is drawn below it. */
export function localMiddle(index: AssemblyIndex, node: number): [number, number, number] {
  const { worldBounds, homeWorld } = index;
  const middle = [0, 1, 2].map((k) => ((worldBounds[6 * node + k] as number) + (worldBounds[6 * node + 3 + k] as number)) / 2);
  return transformPoint(invertedAffine(homeWorld, 16 * node), middle);
}

/** The frames of a step, and how many frames apart they are listed: no more than `most`. */
export function stepFrames(program: Program, step: string, most: number): number[] {
  const at = program.steps.position.get(step);
  if (at === undefined) return [];
  const per = ticksPerFrame(program.sequence.rate);
  const first = Math.ceil((program.steps.start[at] as number) / per);
  const last = Math.floor((program.steps.end[at] as number) / per);
  const every = Math.max(1, Math.ceil((last - first + 1) / most));
  const out: number[] = [];
  for (let f = first; f <= last; f += every) out.push(frameToTicks(f, program.sequence.rate));
  return out;
}

/** Where the middle of a node is at times, world mm, xyz for each. */
export function nodePath(program: Program, node: number, times: readonly number[]): Float32Array {
  const middle = localMiddle(program.index, node);
  const at = createPose(program);
  const out = new Float32Array(3 * times.length);
  times.forEach((t, i) => {
    pose(program, t, at);
    out.set(transformPoint(at.world, middle, 16 * node), 3 * i);
  });
  return out;
}

/** Where the live camera stands at times, world mm, xyz for each. */
export function cameraPath(program: Program, times: readonly number[]): Float32Array {
  const at = createPose(program);
  const m = new Float64Array(16);
  const out = new Float32Array(3 * times.length);
  times.forEach((t, i) => {
    pose(program, t, at);
    cameraMatrix(m, at.camera, 0, program.index.assembly.up);
    out.set(m.subarray(12, 15), 3 * i);
  });
  return out;
}
