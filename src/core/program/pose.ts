import { EASE_STRIDE, easeAt } from "../ease/ease";
import { multiplyAffine } from "../math/mat4";
import { axisRotation3, multiply3, quaternionRotation3, slerp } from "../math/rotation";
import { type NodeTracks, OPACITY, type Program, SIZE, SLIDE, TINT, TURN, VISIBLE } from "./program";
import type { TrackTable } from "./tracks";

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
  version: number;
  /** Whether the last pose laid overrides over resting channels, which must be put back. */
  overridden: boolean;
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
    version: -1,
    overridden: false,
  };
  fitPose(program, out);
  return out;
}

/** Resets a buffer after the program changed. Allocates only when channels were added. */
function fitPose(program: Program, out: Pose): void {
  if (out.structure !== program.structure || out.values.length !== program.scalars.channels) {
    out.values = new Float64Array(program.scalars.channels);
    out.orientations = new Float64Array(4 * program.orientations.channels);
    out.world.set(program.index.homeWorld);
    out.opacity.fill(1);
    out.tint.fill(0);
    out.structure = program.structure;
  }
  rest(program, out);
  out.version = program.scalars.version + program.orientations.version;
}

/** Puts every channel to rest; sampling then writes those that are keyed. */
function rest(program: Program, out: Pose): void {
  out.values.set(program.scalars.rest.subarray(0, out.values.length));
  out.orientations.set(program.orientations.rest.subarray(0, out.orientations.length));
  out.overridden = false;
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
  if (out.structure !== program.structure || out.version !== program.scalars.version + program.orientations.version) fitPose(program, out);
  if (out.overridden) rest(program, out);
  const step = stepAt(program, ticks);
  const t = step < 0 ? 0 : ticks - (program.steps.action[step] as number);
  sampleScalars(program.scalars, program.easeTable, step, t, out.values);
  sampleOrientations(program.orientations, program.easeTable, step, t, out.orientations);
}

function sampleScalars(table: TrackTable, eases: Float64Array, step: number, t: number, out: Float64Array): void {
  const { groups, offset, count, width, memberAt, valueAt, members, v0, v1, t1, t0, step: stepOf, ease, rest } = table;
  for (let g = 0; g < groups; g++) {
    if (count[g] === 0) continue;
    const w = width[g] as number;
    const m = memberAt[g] as number;
    const i = table.find(g, step, t);
    if (i < 0) {
      for (let k = 0; k < w; k++) {
        const c = members[m + k] as number;
        out[c] = rest[c] as number;
      }
      continue;
    }
    const row = (offset[g] as number) + i;
    const at = (valueAt[g] as number) + i * w;
    const end = t1[row] as number;
    if ((stepOf[row] as number) < step || t >= end) {
      for (let k = 0; k < w; k++) out[members[m + k] as number] = v1[at + k] as number;
      continue;
    }
    const begin = t0[row] as number;
    const u = easeAt(eases, (ease[row] as number) * EASE_STRIDE, (t - begin) / (end - begin));
    for (let k = 0; k < w; k++) {
      const from = v0[at + k] as number;
      out[members[m + k] as number] = from + ((v1[at + k] as number) - from) * u;
    }
  }
}

function sampleOrientations(table: TrackTable, eases: Float64Array, step: number, t: number, out: Float64Array): void {
  for (let g = 0; g < table.groups; g++) {
    if (table.count[g] === 0) continue;
    const o = 4 * (table.members[table.memberAt[g] as number] as number);
    const i = table.find(g, step, t);
    if (i < 0) {
      for (let k = 0; k < 4; k++) out[o + k] = table.rest[o + k] as number;
      continue;
    }
    const row = (table.offset[g] as number) + i;
    const at = (table.valueAt[g] as number) + 4 * i;
    const end = table.t1[row] as number;
    if ((table.step[row] as number) < step || t >= end) {
      for (let k = 0; k < 4; k++) out[o + k] = table.v1[at + k] as number;
      continue;
    }
    const begin = table.t0[row] as number;
    slerp(out, o, table.v0, at, table.v1, at, easeAt(eases, (table.ease[row] as number) * EASE_STRIDE, (t - begin) / (end - begin)));
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
    out.overridden = true;
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
  const sx = values[first + SIZE] as number,
    sy = values[first + SIZE + 1] as number,
    sz = values[first + SIZE + 2] as number;
  const a = (_r[0] as number) * sx,
    b = (_r[1] as number) * sx,
    c = (_r[2] as number) * sx;
  const d = (_r[3] as number) * sy,
    e = (_r[4] as number) * sy,
    f = (_r[5] as number) * sy;
  const g = (_r[6] as number) * sz,
    h = (_r[7] as number) * sz,
    i = (_r[8] as number) * sz;
  out[0] = a;
  out[1] = b;
  out[2] = c;
  out[3] = 0;
  out[4] = d;
  out[5] = e;
  out[6] = f;
  out[7] = 0;
  out[8] = g;
  out[9] = h;
  out[10] = i;
  out[11] = 0;
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
