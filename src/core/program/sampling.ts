import { EASE_STRIDE, easeAt } from "../ease/ease";
import { slerp } from "../math/rotation";
import { sampleBeyond } from "./beyond";
import { stepAt } from "./layout";
import type { Program } from "./program";
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
  /** Colour of the tint, index into MOVE_COLOURS. */
  tintColour: Uint8Array;
  visible: Uint8Array;
  /** Motion of each linkage's middle piece and of each group, 16 doubles, assembly frame. */
  solved: Float64Array;
  groups: Float64Array;
  /** Marks of each group, as {@link GROUP_MARK} lays them out. */
  groupMarks: Float64Array;
  /** The picture's camera, in the order of CAMERA_CHANNELS. */
  camera: Float64Array;
  structure: number;
  version: number;
  /** Whether the last pose laid overrides over resting channels, which must be put back. */
  overridden: boolean;
}

/** Where a group's marks lie in {@link Pose.groupMarks}: one row of `stride` numbers a group. */
export const GROUP_MARK = { stride: 4, opacity: 0, tint: 1, visible: 2, colour: 3 } as const;

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
    tintColour: new Uint8Array(n),
    visible: new Uint8Array(n),
    solved: new Float64Array(0),
    groups: new Float64Array(0),
    groupMarks: new Float64Array(0),
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
    out.solved = new Float64Array(16 * program.solvers);
    out.groups = new Float64Array(16 * program.groupList.length);
    out.groupMarks = new Float64Array(GROUP_MARK.stride * program.groupList.length);
    out.world.set(program.index.homeWorld);
    out.opacity.fill(1);
    out.tint.fill(0);
    out.tintColour.fill(0);
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

/** Groups of channels, by their numbers in the tables of a program. */
export interface Sampled {
  scalars: Int32Array;
  orientations: Int32Array;
}

/**
 * Samples every channel at a time (ticks; any real number, in any order), lays overrides over the values and works
 * out what links drive. Allocates nothing.
 * @param only groups to sample; the channels of others stay as they are. All when left out
 */
export function sample(program: Program, ticks: number, out: Pose, overrides?: Overrides, only?: Sampled): void {
  if (out.structure !== program.structure || out.version !== program.scalars.version + program.orientations.version)
    fitPose(program, out);
  if (out.overridden) rest(program, out);
  const step = stepAt(program.steps, ticks);
  const t = step < 0 ? 0 : ticks - (program.steps.action[step] as number);
  sampleScalars(
    program.scalars,
    program.easeTable,
    step,
    t,
    out.values,
    program.steps.action,
    ticks,
    program.blocked,
    only?.scalars,
  );
  sampleOrientations(
    program.orientations,
    program.easeTable,
    step,
    t,
    out.orientations,
    program.blocked,
    only?.orientations,
  );
  if (overrides) {
    out.overridden = true;
    _out = out;
    overrides.channels.forEach(setValue);
    overrides.orientations.forEach(setOrientation);
  }
  followLinks(program, out);
}

// Handed over by name: an iterator over a map, or a function made here, would be an allocation a frame.
let _out: Pose;
const setValue = (value: number, channel: number): void => {
  if (channel < _out.values.length) _out.values[channel] = value;
};
const setOrientation = (q: readonly number[], c: number): void => {
  for (let k = 0; k < 4; k++) if (4 * c + k < _out.orientations.length) _out.orientations[4 * c + k] = q[k] as number;
};

/** Writes the readings that links decide, drivers first, and the motion of the pieces between. */
function followLinks(program: Program, out: Pose): void {
  const { links } = program;
  for (let i = 0; i < links.length; i++) {
    const { driver, follower, map, solver } = links[i] as Program["links"][number];
    const departure = driver.sense * ((out.values[driver.channel] as number) - driver.joint.zero);
    out.values[follower.channel] = follower.joint.zero + follower.sense * map.follower(departure);
    if (solver >= 0 && map.middle) map.middle(departure, out.solved, 16 * solver);
  }
}

function sampleScalars(
  table: TrackTable,
  eases: Float64Array,
  step: number,
  t: number,
  out: Float64Array,
  actions: Float64Array,
  ticks: number,
  blocked: boolean,
  only: Int32Array | undefined,
): void {
  const {
    groups,
    offset,
    count,
    width,
    memberAt,
    valueAt,
    members,
    v0,
    v1,
    t1,
    t0,
    step: stepOf,
    ease,
    rest,
    open,
  } = table;
  const end = only ? only.length : groups;
  for (let n = 0; n < end; n++) {
    const g = only ? (only[n] as number) : n;
    if (count[g] === 0) continue;
    const w = width[g] as number;
    const m = memberAt[g] as number;
    const i = table.find(g, step, t);
    if (i < 0) {
      if (open[g] && sampleBeyond(table, eases, actions, g, i, ticks, out)) continue;
      for (let k = 0; k < w; k++) {
        const c = members[m + k] as number;
        out[c] = rest[c] as number;
      }
      continue;
    }
    const row = (offset[g] as number) + i;
    const at = (valueAt[g] as number) + i * w;
    const arrived = t1[row] as number;
    if ((stepOf[row] as number) < step || t >= arrived) {
      if (open[g] && sampleBeyond(table, eases, actions, g, i, ticks, out)) continue;
      for (let k = 0; k < w; k++) out[members[m + k] as number] = v1[at + k] as number;
      continue;
    }
    const begin = t0[row] as number;
    const u = blocked ? 0 : easeAt(eases, (ease[row] as number) * EASE_STRIDE, (t - begin) / (arrived - begin));
    for (let k = 0; k < w; k++) {
      const from = v0[at + k] as number;
      out[members[m + k] as number] = from + ((v1[at + k] as number) - from) * u;
    }
  }
}

function sampleOrientations(
  table: TrackTable,
  eases: Float64Array,
  step: number,
  t: number,
  out: Float64Array,
  blocked: boolean,
  only: Int32Array | undefined,
): void {
  const groups = only ? only.length : table.groups;
  for (let n = 0; n < groups; n++) {
    const g = only ? (only[n] as number) : n;
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
    slerp(
      out,
      o,
      table.v0,
      at,
      table.v1,
      at,
      blocked ? 0 : easeAt(eases, (table.ease[row] as number) * EASE_STRIDE, (t - begin) / (end - begin)),
    );
  }
}
