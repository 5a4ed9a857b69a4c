import { cameraMatrix, SENSOR_WIDTH_MM } from "../camera/camera";
import { nth } from "../math/packed";
import { dot, type Triple } from "../math/triple";
import { liveCamera } from "../program/pose";
import type { Program } from "../program/program";
import type { Pose } from "../program/sampling";

/**
 * Places whose way from frame to frame is measured, round what the camera looks at: its middle, near the edges of the
 * picture, and before and behind, in half pictures.
 */
const PLACES: readonly (readonly [number, number, number])[] = [
  [0, 0, 0],
  [0.8, 0, 0],
  [-0.8, 0, 0],
  [0, 0.7, 0],
  [0, -0.7, 0],
  [0, 0, 0.7],
  [0, 0, -0.7],
];

/** A camera's eye at a frame, kept while the next is looked at. */
export class Eye {
  readonly m = new Float64Array(16);
  readonly aim: Triple = [0, 0, 0];
  tan = 1;
  distance = 1;
  live = -1;

  look(program: Program, at: Pose): void {
    const { camera } = at;
    cameraMatrix(this.m, camera, 0, program.index.assembly.up);
    for (let k = 0; k < 3; k++) this.aim[k] = nth(camera, k);
    this.tan = SENSOR_WIDTH_MM / 2 / nth(camera, 7);
    this.distance = nth(camera, 5);
    this.live = liveCamera(program, at)?.first ?? -1;
  }
}

/**
 * How far what stands round the aim moves in the picture from one eye to the next: the most of a few places, in
 * picture widths.
 */
export function travelled(was: Eye, now: Eye): number {
  let most = 0;
  for (let i = 0; i < PLACES.length; i++) {
    const [u, v, d] = PLACES[i] as readonly [number, number, number];
    // Nearer or farther it stands elsewhere in the first picture as well.
    const near = 1 - d * was.tan;
    let x = 0;
    let y = 0;
    let z = 0;
    for (let k = 0; k < 3; k++) {
      // A place round the aim, as the first eye has it, from where the second stands.
      const p =
        nth(was.m, 12 + k) -
        nth(now.m, 12 + k) +
        was.distance * (u * was.tan * nth(was.m, k) + v * was.tan * nth(was.m, 4 + k) - near * nth(was.m, 8 + k));
      x += p * nth(now.m, k);
      y += p * nth(now.m, 4 + k);
      z -= p * nth(now.m, 8 + k);
    }
    // Behind the camera it has left the picture altogether.
    if (z <= 1e-9) return 1;
    most = Math.max(most, Math.hypot(x / z / now.tan - u / near, y / z / now.tan - v / near) / 2);
  }
  return most;
}

/** Angle between the ways from which two eyes look, degrees. */
export const turnedRound = (a: Eye, b: Eye): number =>
  (Math.acos(
    Math.max(-1, Math.min(1, dot([nth(a.m, 8), nth(a.m, 9), nth(a.m, 10)], [nth(b.m, 8), nth(b.m, 9), nth(b.m, 10)]))),
  ) *
    180) /
  Math.PI;
