import { EASE_STRIDE, easeAt } from "../ease/ease";
import { multiplyAffine } from "../math/mat4";
import { axisRotation3, multiply3, quaternionRotation3, slerp } from "../math/rotation";
import { type NodeTracks, OPACITY, type Program, SIZE, SLIDE, TINT, TURN, VISIBLE } from "./program";
import type { SegmentTable } from "./segments";

/** What `pose` writes. Made once by {@link createPose} and used again for every frame. */
export interface Pose {
  /** Channel values by channel number. */
  values: Float64Array;
  /** Orientations, 4 numbers each. */
  orientations: Float64Array;
  /** World matrices, 16 doubles a node, column-major, mm. */
  world: Float64Array;
  opacity: Float64Array;
  tint: Float64Array;
  visible: Uint8Array;
  /** The picture's camera, in the order of CAMERA_CHANNELS. */
  camera: Float64Array;
  structure: number;
}

/** Values to use instead of the compiled ones, by channel number: a pending pose, a handle being dragged. */
export interface Overrides {
  channels: Map<number, number>;
  orientations: Map<number, readonly number[]>;
}

/** A buffer for {@link pose}, at home. */
export function createPose(program: Program): Pose {
  const n = program.index.assembly.nodes.length;
  const out: Pose = {
    values: new Float64Array(0),
    orientations: new Float64Array(0),
    world: new Float64Array(16 * n),
    opacity: new Float64Array(n),
    tint: new Float64Array(n),
    visible: new Uint8Array(n),
    camera: new Float64Array(8),
    structure: -1,
  };
  fitPose(program, out);
  return out;
}

/** Resets a buffer after the program's structure changed. The one place of the path that may allocate. */
function fitPose(program: Program, out: Pose): void {
  out.values = new Float64Array(program.scalars.channels);
  out.orientations = new Float64Array(4 * program.orientations.channels);
  out.world.set(program.index.homeWorld);
  out.opacity.fill(1);
  out.tint.fill(0);
  out.structure = program.structure;
}

/** Position of the step that holds a time (the last one from its start on; before all, the first; -1 for none). */
export function stepAt(program: Program, ticks: number): number {
  const { start } = program.steps;
  let lo = 0;
  let hi = start.length;
  while (lo < hi) {
    const mid = (lo + hi) >> 1;
    if ((start[mid] as number) <= ticks) lo = mid + 1;
    else hi = mid;
  }
  return Math.max(0, lo - 1) - (start.length === 0 ? 1 : 0);
}

/** Samples every channel at a time (ticks; any real number, in any order). Allocates nothing. */
export function sample(program: Program, ticks: number, out: Pose): void {
  if (out.structure !== program.structure) fitPose(program, out);
  const step = stepAt(program, ticks);
  const rel = step < 0 ? 0 : ticks - (program.steps.action[step] as number);
  sampleTable(program.scalars, program.easeTable, step, rel, out.values);
  const table = program.orientations;
  for (let c = 0; c < table.channels; c++) {
    const row = table.find(c, step, rel);
    if (row < 0) {
      for (let k = 0; k < 4; k++) out.orientations[4 * c + k] = table.rest[4 * c + k] as number;
      continue;
    }
    const t0 = table.t0[row] as number;
    const t1 = table.t1[row] as number;
    if ((table.step[row] as number) < step || rel >= t1) {
      for (let k = 0; k < 4; k++) out.orientations[4 * c + k] = table.v1[4 * row + k] as number;
      continue;
    }
    const u = easeAt(program.easeTable, (table.ease[row] as number) * EASE_STRIDE, (rel - t0) / (t1 - t0));
    slerp(out.orientations, 4 * c, table.v0, 4 * row, table.v1, 4 * row, u);
  }
}

function sampleTable(table: SegmentTable, eases: Float64Array, step: number, rel: number, out: Float64Array): void {
  const { channels, count, rest, v0, v1, t0, t1, step: stepOf, ease } = table;
  for (let c = 0; c < channels; c++) {
    if (count[c] === 0) {
      out[c] = rest[c] as number;
      continue;
    }
    const row = table.find(c, step, rel);
    if (row < 0) {
      out[c] = rest[c] as number;
      continue;
    }
    const end = t1[row] as number;
    if ((stepOf[row] as number) < step || rel >= end) {
      out[c] = v1[row] as number;
      continue;
    }
    const from = v0[row] as number;
    const begin = t0[row] as number;
    out[c] = from + ((v1[row] as number) - from) * easeAt(eases, (ease[row] as number) * EASE_STRIDE, (rel - begin) / (end - begin));
  }
}

const _local = new Float64Array(16);
const _r = new Float64Array(9);
const _axis = new Float64Array(9);

/**
 * Poses the whole assembly at a time: samples, lays overrides over the values, and writes world matrices, opacity,
 * visibility and the camera. The same numbers whatever was asked before; allocates nothing.
 */
export function pose(program: Program, ticks: number, out: Pose, overrides?: Overrides): void {
  sample(program, ticks, out);
  if (overrides) {
    for (const [channel, value] of overrides.channels) if (channel < out.values.length) out.values[channel] = value;
    for (const [c, q] of overrides.orientations) for (let k = 0; k < 4; k++) out.orientations[4 * c + k] = q[k] as number;
  }
  const { nodes } = program.index.assembly;
  const { moving, movingTracks, hidden } = program;
  for (let i = 0; i < hidden.length; i++) out.visible[i] = hidden[i] ? 0 : 1;
  for (let i = 0; i < moving.length; i++) {
    const node = moving[i] as number;
    const entry = nodes[node] as (typeof nodes)[number];
    const tracks = movingTracks[i] as NodeTracks | null;
    const parent = entry.parent;
    let opacity = parent < 0 ? 1 : (out.opacity[parent] as number);
    let tint = parent < 0 ? 0 : (out.tint[parent] as number);
    if (parent >= 0 && !out.visible[parent]) out.visible[node] = 0;
    if (tracks) {
      const first = tracks.first;
      opacity *= Math.min(1, Math.max(0, out.values[first + OPACITY] as number));
      tint = Math.max(tint, out.values[first + TINT] as number);
      if ((out.values[first + VISIBLE] as number) < 0.5) out.visible[node] = 0;
      departure(tracks, out, _local);
      multiplyAffine(_local, 0, _local, 0, entry.home, 0);
      if (parent < 0) out.world.set(_local, 16 * node);
      else multiplyAffine(out.world, 16 * node, out.world, 16 * parent, _local, 0);
    } else {
      multiplyAffine(out.world, 16 * node, out.world, 16 * parent, entry.home, 0);
    }
    out.opacity[node] = opacity;
    out.tint[node] = tint;
  }
  const camera = program.cameras.get(program.sequence.camera);
  if (camera) for (let k = 0; k < 8; k++) out.camera[k] = out.values[camera.first + k] as number;
}

/**
 * The departure from home in the parent's frame: slide, then about the pivot the free orientation, the turns (later
 * axes of the stored order applied after earlier ones), the size. Column vectors, so the rightmost acts first:
 * T(slide) T(pivot) Q Rn..R1 S T(-pivot).
 */
export function departure(tracks: NodeTracks, pose: Pose, out: Float64Array): void {
  const { values } = pose;
  const first = tracks.first;
  const [px, py, pz] = tracks.pivot;
  rotationOf(tracks, pose, _r, tracks.axes.length);
  const sx = values[first + SIZE] as number, sy = values[first + SIZE + 1] as number, sz = values[first + SIZE + 2] as number;
  const a = (_r[0] as number) * sx, b = (_r[1] as number) * sx, c = (_r[2] as number) * sx;
  const d = (_r[3] as number) * sy, e = (_r[4] as number) * sy, f = (_r[5] as number) * sy;
  const g = (_r[6] as number) * sz, h = (_r[7] as number) * sz, i = (_r[8] as number) * sz;
  out[0] = a; out[1] = b; out[2] = c; out[3] = 0;
  out[4] = d; out[5] = e; out[6] = f; out[7] = 0;
  out[8] = g; out[9] = h; out[10] = i; out[11] = 0;
  // With nothing turned or resized the pivot must cancel exactly, so that home is home bit for bit.
  const still = a === 1 && e === 1 && i === 1 && b === 0 && c === 0 && d === 0 && f === 0 && g === 0 && h === 0;
  out[12] = (values[first + SLIDE] as number) + (still ? 0 : px - (a * px + d * py + g * pz));
  out[13] = (values[first + SLIDE + 1] as number) + (still ? 0 : py - (b * px + e * py + h * pz));
  out[14] = (values[first + SLIDE + 2] as number) + (still ? 0 : pz - (c * px + f * py + i * pz));
  out[15] = 1;
}

/**
 * Rotation of a node from its turn axes `from`.. and its free orientation, 3x3. `upTo` = number of axes means all;
 * with `from` > 0 it is the frame in which that axis now stands (what a handle for it must show).
 */
export function rotationOf(tracks: NodeTracks, pose: Pose, out: Float64Array, upTo: number, from = 0): void {
  for (let k = 0; k < 9; k++) out[k] = k % 4 === 0 ? 1 : 0;
  for (let k = from; k < upTo; k++) {
    const deg = pose.values[tracks.first + TURN + k] as number;
    if (deg === 0) continue;
    const [x, y, z] = (tracks.axes[k] as NodeTracks["axes"][number]).direction;
    axisRotation3(_axis, x, y, z, deg);
    multiply3(out, _axis, out);
  }
  const q = 4 * tracks.orientation;
  const o = pose.orientations;
  if (o[q + 3] !== 1) {
    quaternionRotation3(_axis, o[q] as number, o[q + 1] as number, o[q + 2] as number, o[q + 3] as number);
    multiply3(out, _axis, out);
  }
}
