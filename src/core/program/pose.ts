import { type AssemblyIndex, emptyBounds, growByBox } from "../assembly/assembly";
import { advance, turns } from "../kinematics/jointKinds";
import { multiplyAffine, multiplyShift, setIdentity } from "../math/mat4";
import { axisRotation3, multiply3, quaternionRotation3 } from "../math/rotation";
import { parentHome } from "./groups";
import {
  type CameraTracks,
  type JointTracks,
  type NodeTracks,
  OPACITY,
  SIZE,
  SLIDE,
  TINT,
  TINT_COLOUR,
  TURN,
  VISIBLE,
} from "./layout";
import type { MovingNodes, Program } from "./program";
import { GROUP_MARK, type Overrides, type Pose, type Sampled, sample } from "./sampling";

const _local = new Float64Array(16);
const _group = new Float64Array(16);
const _joint = new Float64Array(16);
const _r = new Float64Array(9);
const _axis = new Float64Array(9);

/**
 * Poses the whole assembly at a time: samples, lays overrides over the values, and writes world matrices, opacity,
 * visibility and the camera. The same numbers whatever was asked before; allocates nothing.
 */
export function pose(program: Program, ticks: number, out: Pose, overrides?: Overrides): void {
  sample(program, ticks, out, overrides);
  const { lookHidden } = program;
  let { hidden } = program;
  poseGroups(program, out);
  // Dimming reaches parts that never move, which are otherwise left alone.
  if (program.dims.length > 0) out.opacity.fill(1);
  for (let i = 0; i < lookHidden.length; i++) {
    const look = lookHidden[i] as Program["lookHidden"][number];
    if ((out.values[look.channel] as number) >= 0.5) hidden = look.hidden;
  }
  for (let i = 0; i < hidden.length; i++) out.visible[i] = hidden[i] ? 0 : 1;
  poseNodes(program, out, program.listed);
  if (program.dims.length > 0) dim(program, out);
  poseCamera(program, out);
}

/**
 * Poses some nodes and the camera alone, where what is asked is where they stand: their world matrices are those that
 * {@link pose} gives, all else in `out` stays as it was. `along` holds with each node those above it, see
 * {@link chainOf}. Allocates nothing.
 */
export function poseAlong(program: Program, ticks: number, out: Pose, along: Chain): void {
  sample(program, ticks, out, undefined, along.sampled);
  poseGroups(program, out);
  poseNodes(program, out, along);
  poseCamera(program, out);
}

/** Nodes that are posed alone, with the channels that where they and the camera stand may hang on. */
export interface Chain extends MovingNodes {
  sampled: Sampled;
}

/** A node and what owns it, parents first, as far as they may depart from home. */
export function chainOf(program: Program, node: number): Chain {
  const { moving, movingTracks, movingGroup } = program.listed;
  const above = new Set<number>();
  for (let n = node; n >= 0; n = program.index.parent[n] as number) above.add(n);
  const at = [...moving.keys()].filter((i) => above.has(moving[i] as number));
  // What other nodes do by themselves; but what drives a link may move these.
  const { scalars, orientations } = program;
  const [others, turns] = [new Uint8Array(scalars.channels), new Uint8Array(orientations.channels)];
  for (const [i, tracks] of movingTracks.entries()) {
    if (!tracks || above.has(moving[i] as number)) continue;
    for (const channel of tracks.channels.values()) others[channel] = 1;
    turns[tracks.orientation] = 1;
  }
  for (const { driver } of program.links) others[driver.channel] = 0;
  return {
    sampled: { scalars: scalars.groupsBut(others), orientations: orientations.groupsBut(turns) },
    moving: Int32Array.from(at, (i) => moving[i] as number),
    movingTracks: at.map((i) => movingTracks[i] ?? null),
    movingGroup: Int32Array.from(at, (i) => movingGroup[i] as number),
  };
}

/** Works out nodes that may depart from home, parents first, from what was sampled. */
function poseNodes(program: Program, out: Pose, { moving, movingTracks, movingGroup }: MovingNodes): void {
  const { parent: parents, homeLocal, homeShifts } = program.index;
  const { world } = out;
  for (let i = 0; i < moving.length; i++) {
    const node = moving[i] as number;
    const tracks = movingTracks[i] as NodeTracks | null;
    const group = movingGroup[i] as number;
    const parent = parents[node] as number;
    let opacity = parent < 0 ? 1 : (out.opacity[parent] as number);
    let tint = parent < 0 ? 0 : (out.tint[parent] as number);
    let colour = parent < 0 ? 0 : (out.tintColour[parent] as number);
    if (parent >= 0 && !out.visible[parent]) out.visible[node] = 0;
    if (tracks || group >= 0) {
      if (!tracks) setIdentity(_local);
      else {
        const first = tracks.first;
        opacity *= Math.min(1, Math.max(0, out.values[first + OPACITY] as number));
        const own = out.values[first + TINT] as number;
        if (own > tint) {
          tint = own;
          colour = out.values[first + TINT_COLOUR] as number;
        }
        if ((out.values[first + VISIBLE] as number) < 0.5) out.visible[node] = 0;
        if (
          group < 0 &&
          tracks.joints.length === 0 &&
          tracks.solver < 0 &&
          homeShifts[node] &&
          (parent < 0 || isIdentity(world, 16 * parent))
        ) {
          // Most frames of CAD files stand where their owner's do, and most homes only shift: a shorter way for them.
          departure(tracks, out, world, 16 * node);
          multiplyShift(world, 16 * node, homeLocal, 16 * node);
          out.opacity[node] = opacity;
          out.tint[node] = tint;
          out.tintColour[node] = colour;
          continue;
        }
        wholeDeparture(tracks, out, _local);
      }
      const solved = tracks !== null && tracks.solver >= 0 && !isIdentity(out.solved, 16 * tracks.solver);
      const grouped = group >= 0 && !isIdentity(out.groups, 16 * group);
      // Left out where nothing moves, so that home is home bit for bit.
      if (solved || grouped) {
        // What a group or linkage does is told in the assembly's frame at home; the parent carries it along.
        const { home, back } = parentHome(program.index, node);
        multiplyAffine(_local, 0, home, 0, _local, 0);
        if (solved) multiplyAffine(_local, 0, out.solved, 16 * tracks.solver, _local, 0);
        if (grouped) multiplyAffine(_local, 0, out.groups, 16 * group, _local, 0);
        multiplyAffine(_local, 0, back, 0, _local, 0);
      }
      if (group >= 0) {
        const mark = GROUP_MARK.stride * group;
        opacity *= out.groupMarks[mark + GROUP_MARK.opacity] as number;
        const shared = out.groupMarks[mark + GROUP_MARK.tint] as number;
        if (shared > tint) {
          tint = shared;
          colour = out.groupMarks[mark + GROUP_MARK.colour] as number;
        }
        if ((out.groupMarks[mark + GROUP_MARK.visible] as number) < 0.5) out.visible[node] = 0;
      }
      multiplyAffine(_local, 0, _local, 0, homeLocal, 16 * node);
      if (parent < 0) for (let k = 0; k < 16; k++) world[16 * node + k] = _local[k] as number;
      else multiplyAffine(world, 16 * node, world, 16 * parent, _local, 0);
    } else {
      multiplyAffine(world, 16 * node, world, 16 * parent, homeLocal, 16 * node);
    }
    out.opacity[node] = opacity;
    out.tint[node] = tint;
    out.tintColour[node] = colour;
  }
}

function poseCamera(program: Program, out: Pose): void {
  const camera = liveCamera(program, out);
  if (camera) for (let k = 0; k < 8; k++) out.camera[k] = out.values[camera.first + k] as number;
}

/** The tracks of the camera that the picture is seen through in a sampled pose. */
export function liveCamera(program: Program, out: Pose): CameraTracks | undefined {
  if (program.live < 0) return program.cameras.get(program.sequence.camera);
  // Cameras are tracked in the order of the sequence's list.
  return (
    program.cameraList[Math.round(out.values[program.live] as number)] ?? program.cameras.get(program.sequence.camera)
  );
}

/** Lets everything but what is looked at step back. */
function dim(program: Program, out: Pose): void {
  const { dims } = program;
  for (let d = 0; d < dims.length; d++) {
    const { channel, dim: depth, keep } = dims[d] as Program["dims"][number];
    const left = 1 - depth * (out.values[channel] as number);
    if (left === 1) continue;
    for (let i = 0; i < keep.length; i++) if (!keep[i]) out.opacity[i] = (out.opacity[i] as number) * left;
  }
}

function isIdentity(m: Float64Array, o: number): boolean {
  // The translation first: where it is not nil the rest need not be looked at.
  if (m[o + 12] !== 0 || m[o + 13] !== 0 || m[o + 14] !== 0) return false;
  if (m[o] !== 1 || m[o + 5] !== 1 || m[o + 10] !== 1) return false;
  return m[o + 1] === 0 && m[o + 2] === 0 && m[o + 4] === 0 && m[o + 6] === 0 && m[o + 8] === 0 && m[o + 9] === 0;
}

/** Works out the groups that move. */
function poseGroups(program: Program, out: Pose): void {
  const { groupList, groupTracks } = program;
  if (groupTracks.size === 0) return;
  for (let g = 0; g < groupList.length; g++) {
    const tracks = groupTracks.get((groupList[g] as Program["groupList"][number]).id);
    if (!tracks) continue;
    const first = tracks.first;
    const mark = GROUP_MARK.stride * g;
    out.groupMarks[mark + GROUP_MARK.opacity] = Math.min(1, Math.max(0, out.values[first + OPACITY] as number));
    out.groupMarks[mark + GROUP_MARK.tint] = out.values[first + TINT] as number;
    out.groupMarks[mark + GROUP_MARK.visible] = out.values[first + VISIBLE] as number;
    out.groupMarks[mark + GROUP_MARK.colour] = out.values[first + TINT_COLOUR] as number;
    wholeDeparture(tracks, out, _group);
    if (tracks.solver >= 0) multiplyAffine(_group, 0, out.solved, 16 * tracks.solver, _group, 0);
    out.groups.set(_group, 16 * g);
  }
}

/** The whole departure of a part or group in a sampled pose, joints included, as a 4x4 in the frame it departs in. */
export function departureNow(tracks: NodeTracks, out: Pose, target: Float64Array): void {
  wholeDeparture(tracks, out, target);
}

/**
 * What carries a joint's axis (number `at` in the part's list): the free departure and the joints after it, as a 4x4
 * in the frame the part departs in. The axis stands at this times the joint's own point and direction.
 */
export function jointCarrier(tracks: NodeTracks, at: number, out: Pose, target: Float64Array): void {
  departure(tracks, out, target);
  for (let i = tracks.joints.length - 1; i > at; i--) {
    const joint = tracks.joints[i] as JointTracks;
    jointMotion(joint, joint.sense * ((out.values[joint.channel] as number) - joint.joint.zero), _joint);
    multiplyAffine(target, 0, target, 0, _joint, 0);
  }
}

/** Free departure and joints together: the joints act first, those earlier in the list before later ones. */
function wholeDeparture(tracks: NodeTracks, out: Pose, target: Float64Array): void {
  departure(tracks, out, target);
  for (let i = tracks.joints.length - 1; i >= 0; i--) {
    const joint = tracks.joints[i] as JointTracks;
    const value = joint.sense * ((out.values[joint.channel] as number) - joint.joint.zero);
    if (value === 0) continue;
    jointMotion(joint, value, _joint);
    multiplyAffine(target, 0, target, 0, _joint, 0);
  }
}

/**
 * The motion of a joint for a departure (degrees about, or mm along, its stored axis), in the frame its part departs
 * in.
 */
export function jointMotion(
  tracks: Pick<JointTracks, "joint" | "point" | "direction">,
  departed: number,
  out: Float64Array,
): void {
  const [x, y, z] = tracks.direction;
  setIdentity(out);
  const along = advance(tracks.joint, departed);
  if (turns(tracks.joint)) {
    const [px, py, pz] = tracks.point;
    axisRotation3(_axis, x, y, z, departed);
    for (let c = 0; c < 3; c++) for (let r = 0; r < 3; r++) out[4 * c + r] = _axis[3 * c + r] as number;
    out[12] = px - ((_axis[0] as number) * px + (_axis[3] as number) * py + (_axis[6] as number) * pz);
    out[13] = py - ((_axis[1] as number) * px + (_axis[4] as number) * py + (_axis[7] as number) * pz);
    out[14] = pz - ((_axis[2] as number) * px + (_axis[5] as number) * py + (_axis[8] as number) * pz);
  }
  if (along !== 0) {
    out[12] = (out[12] as number) + along * x;
    out[13] = (out[13] as number) + along * y;
    out[14] = (out[14] as number) + along * z;
  }
}

/**
 * The departure from home in the parent's frame: slide, then about the pivot the free orientation, the turns (later
 * axes of the stored order applied after earlier ones), the size. Column vectors, so the rightmost acts first:
 * T(slide) T(pivot) Q Rn..R1 S T(-pivot).
 */
export function departure(tracks: NodeTracks, pose: Pose, out: Float64Array, o = 0): void {
  const { values } = pose;
  const first = tracks.first;
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
  out[o] = a;
  out[o + 1] = b;
  out[o + 2] = c;
  out[o + 3] = 0;
  out[o + 4] = d;
  out[o + 5] = e;
  out[o + 6] = f;
  out[o + 7] = 0;
  out[o + 8] = g;
  out[o + 9] = h;
  out[o + 10] = i;
  out[o + 11] = 0;
  let x = values[first + SLIDE] as number;
  let y = values[first + SLIDE + 1] as number;
  let z = values[first + SLIDE + 2] as number;
  // With nothing turned or resized the pivot must cancel exactly, so that home is home bit for bit.
  if (a !== 1 || e !== 1 || i !== 1 || b !== 0 || c !== 0 || d !== 0 || f !== 0 || g !== 0 || h !== 0) {
    const { pivot } = tracks;
    const px = pivot[0];
    const py = pivot[1];
    const pz = pivot[2];
    x += px - (a * px + d * py + g * pz);
    y += py - (b * px + e * py + h * pz);
    z += pz - (c * px + f * py + i * pz);
  }
  out[o + 12] = x;
  out[o + 13] = y;
  out[o + 14] = z;
  out[o + 15] = 1;
}

/**
 * Rotation of a node from its turn axes `from`.. and its free orientation, 3x3. `upTo` = number of axes means all;
 * with `from` > 0 it is the frame in which that axis now stands (what a handle for it must show).
 */
export function rotationOf(tracks: NodeTracks, pose: Pose, out: Float64Array, upTo: number, from = 0): void {
  let turned = false;
  for (let k = from; k < upTo; k++) {
    const deg = pose.values[tracks.first + TURN + k] as number;
    if (deg === 0) continue;
    const d = (tracks.axes[k] as NodeTracks["axes"][number]).direction;
    if (turned) {
      axisRotation3(_axis, d[0], d[1], d[2], deg);
      multiply3(out, _axis, out);
    } else axisRotation3(out, d[0], d[1], d[2], deg);
    turned = true;
  }
  if (!turned) {
    for (let k = 1; k < 8; k++) out[k] = 0;
    out[0] = 1;
    out[4] = 1;
    out[8] = 1;
  }
  const q = 4 * tracks.orientation;
  const o = pose.orientations;
  if (o[q + 3] !== 1) {
    quaternionRotation3(_axis, o[q] as number, o[q + 1] as number, o[q + 2] as number, o[q + 3] as number);
    multiply3(out, _axis, out);
  }
}

/**
 * Bounds of nodes with all that is below them as they are posed: world, mm, least corner first. Infinite the wrong
 * way round when there is nothing.
 */
export function posedBounds(index: AssemblyIndex, roots: readonly number[], at: Pose): Float64Array {
  const box = new Float64Array(6);
  emptyBounds(box);
  for (const root of roots) {
    for (let i = root; i < (index.end[root] as number); i++) {
      const geometry = index.assembly.geometries[index.assembly.nodes[i]?.geometry ?? -1];
      if (geometry) growByBox(box, 0, geometry.bounds, at.world, 16 * i);
    }
  }
  return box;
}
