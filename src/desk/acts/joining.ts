import type { AssemblyIndex } from "../../core/assembly/assembly";
import type { PartTarget } from "../../core/document/parts";
import { type Joint, jointsOf } from "../../core/document/preparation";
import { targetId } from "../../core/document/sequence";
import { freshId } from "../../core/edit/id";
import { putJoint } from "../../core/edit/preparationCommands";
import { together } from "../../core/edit/together";
import { sameLine } from "../../core/explode/bodies";
import { ownAxis } from "../../core/geometry/ownAxis";
import { axisFor, mirroredAxis, type Plane, planeBetween } from "../../core/kinematics/jointFrom";
import { hasPitch, JOINT_KINDS, type JointKind, turns } from "../../core/kinematics/jointKinds";
import type { Axis } from "../../core/kinematics/planar";
import { tripleAt } from "../../core/math/packed";
import { plus, type Triple, times } from "../../core/math/triple";
import { jointAxis } from "../../core/program/jointFrame";
import { problemOf } from "../../core/text/problem";
import { Refusal } from "../../core/text/refusal";
import { targetName } from "../names";
import type { Desk } from "../port";
import { atHome } from "../selection/pickedFrame";
import { setJoint } from "../selection/selecting";
import { pick } from "../showing/picking";

type Placed = Pick<Joint, "point" | "direction">;

/** A joint of a target with a name of its own; `more` is what it has of another one. */
function newJoint(desk: Desk, target: PartTarget, kind: JointKind, at: Placed, more: Partial<Joint> = {}): Joint {
  const taken = new Set(Object.values(desk.state.preparation.body.joints).map((j) => j.name));
  const base = `${targetName(desk, target)} ${kind}`.slice(0, 180);
  let name = base;
  for (let n = 2; taken.has(name); n++) name = `${base} ${n}`;
  return {
    zero: 0,
    flipped: false,
    pitch: hasPitch({ kind }) ? 1 : 0,
    limits: null,
    ...more,
    ...{ id: freshId(), name, target, kind, point: at.point, direction: at.direction },
  };
}

/** Makes a joint on a target and shows it. */
export function addJoint(desk: Desk, target: PartTarget, kind: JointKind, at: Placed, more: Partial<Joint> = {}): void {
  const joint = newJoint(desk, target, kind, at, more);
  if (desk.prepare(`${JOINT_KINDS[kind].title} on ${targetName(desk, target)}`, putJoint(joint)))
    setJoint(desk, joint.id);
}

/** A joint whose axis is typed: through the target's pivot, in the frame its joints are kept in. */
export function addJointAlong(desk: Desk, target: PartTarget, kind: JointKind, direction: Triple): void {
  const tracks = desk.program.trackPart(target);
  const node = target.type === "node" ? (desk.index.indexOf.get(target.key) ?? -1) : -1;
  const parent = node < 0 ? -1 : (desk.index.parent[node] ?? -1);
  const pivot = tracks?.pivot ?? [0, 0, 0];
  // The pivot is told in the owner's frame at home, which is the assembly's for what has none.
  const { point } = axisFor(desk.index, target, { point: inAssembly(desk, parent, pivot), direction: [0, 0, 1] });
  addJoint(desk, target, kind, { point, direction });
}

function inAssembly(desk: Desk, parent: number, [x, y, z]: readonly [number, number, number]): Triple {
  if (parent < 0) return [x, y, z];
  const column = (k: number) => tripleAt(desk.index.homeWorld, 16 * parent + 4 * k);
  return plus(plus(plus(times(column(0), x), times(column(1), y)), times(column(2), z)), column(3));
}

/** Own axes by assembly and target: worked out from all their faces, asked for whenever details are shown. */
const known = new WeakMap<AssemblyIndex, Map<string, Axis | null>>();

/** The axis a target is round about; its largest component is positive. null where it has none. */
function axisOf(desk: Desk, target: PartTarget): Axis | null {
  const own = known.get(desk.index) ?? new Map<string, Axis | null>();
  known.set(desk.index, own);
  const id = targetId(target);
  const before = own.get(id);
  if (before !== undefined && target.type === "node") return before;
  const found = ownAxis(desk.index, desk.pkg.geometries, desk.program.nodesOf(target));
  const most = found?.direction.reduce((a, b) => (Math.abs(b) > Math.abs(a) ? b : a)) ?? 0;
  const axis = found && most < 0 ? { ...found, direction: times(found.direction, -1) } : found;
  own.set(id, axis);
  return axis;
}

function axisOrRefuse(desk: Desk, target: PartTarget): Axis {
  const axis = axisOf(desk, target);
  if (!axis) throw new Refusal("no-own-axis", { name: targetName(desk, target) });
  return axis;
}

/** The hinge of a target about its own axis, if it has one already. */
function ownHinge(desk: Desk, target: PartTarget, axis: Axis): Joint | undefined {
  return jointsOf(desk.state.preparation.body, target).find(
    (j) => turns(j) && !hasPitch(j) && sameLine(jointAxis(desk.index, j), axis),
  );
}

/** Whether a target has an axis of its own that nothing turns it about yet. */
export function mayOwnAxis(desk: Desk, target: PartTarget): boolean {
  const axis = axisOf(desk, target);
  return axis !== null && !ownHinge(desk, target, axis);
}

/** Makes a joint about or along a target's own axis, as its round faces tell it. */
export function addOwnJoint(desk: Desk, target: PartTarget, kind: JointKind): void {
  try {
    addJoint(desk, target, kind, axisFor(desk.index, target, axisOrRefuse(desk, target)));
  } catch (error) {
    desk.notify("problem", problemOf(error));
  }
}

/**
 * The hinges of targets about their own axes; those that are missing are made, as one act.
 * @returns their ids @throws Refusal for a target that has no axis of its own
 */
export function ownHinges(desk: Desk, targets: readonly PartTarget[]): string[] {
  const made: Joint[] = [];
  const ids = targets.map((target) => {
    const axis = axisOrRefuse(desk, target);
    const there = ownHinge(desk, target, axis);
    if (there) return there.id;
    const joint = newJoint(desk, target, "hinge", axisFor(desk.index, target, axis), {});
    joint.name = `${targetName(desk, target)} own axis`.slice(0, 200);
    made.push(joint);
    return joint.id;
  });
  const what = made.length === 1 ? targetName(desk, made[0]?.target as PartTarget) : `${made.length} parts`;
  if (made.length > 0) desk.prepare(`Own axis of ${what}`, together(made.map(putJoint)));
  return ids;
}

/** Gives a target a value for turning about its own axis. */
export function turnOwn(desk: Desk, target: PartTarget): void {
  try {
    ownHinges(desk, [target]);
  } catch (error) {
    desk.notify("problem", problemOf(error));
  }
}

/** Joints of other things, those of the same kind of thing first, that a new one may be made after. */
export function jointsToFollow(desk: Desk, target: PartTarget): Joint[] {
  const name = (t: PartTarget) => targetName(desk, t).replace(/\d+/g, "");
  const alike = (j: Joint) => (name(j.target) === name(target) ? 0 : 1);
  return Object.values(desk.state.preparation.body.joints)
    .filter((j) => targetId(j.target) !== targetId(target))
    .sort((a, b) => alike(a) - alike(b) || a.name.localeCompare(b.name));
}

/** What a joint made after another has of it. */
const like = ({ zero, flipped, pitch, limits }: Joint): Partial<Joint> => ({ zero, flipped, pitch, limits });

/** Makes a joint about the very same axis as another one, with its pitch, zero, sense and limits. */
export function addSameJoint(desk: Desk, target: PartTarget, of: Joint): void {
  addJoint(desk, target, of.kind, axisFor(desk.index, target, jointAxis(desk.index, of)), like(of));
}

/** Middle of a target at home, assembly's frame, mm. */
function middleOf(desk: Desk, target: PartTarget): Triple {
  const [min, max]: [Triple, Triple] = [
    [Infinity, Infinity, Infinity],
    [-Infinity, -Infinity, -Infinity],
  ];
  for (const node of desk.program.nodesOf(target)) {
    const low = tripleAt(desk.index.worldBounds, 6 * node);
    const high = tripleAt(desk.index.worldBounds, 6 * node + 3);
    for (const k of [0, 1, 2] as const) {
      min[k] = Math.min(min[k], low[k]);
      max[k] = Math.max(max[k], high[k]);
    }
  }
  return times(plus(min, max), 0.5);
}

/**
 * Makes the mirror image of another joint, so that equal readings of both mirror one another: about a plane, or the one
 * halfway between the two things.
 */
export function addMirroredJoint(desk: Desk, target: PartTarget, of: Joint, plane: Plane | null = null): void {
  const mirror = plane ?? planeBetween(middleOf(desk, of.target), middleOf(desk, target));
  if (!mirror) {
    desk.notify(
      "problem",
      `${targetName(desk, target)} and ${targetName(desk, of.target)} have the same middle, so no plane lies between them. Mirror about a face instead.`,
    );
    return;
  }
  const { pitch, ...axis } = mirroredAxis(of, jointAxis(desk.index, of), mirror);
  addJoint(desk, target, of.kind, axisFor(desk.index, target, axis), { ...like(of), pitch });
}

/** Asks for a flat face to mirror another joint about. */
export function mirrorAboutFace(desk: Desk, target: PartTarget, of: Joint): void {
  pick(desk, `Mirror of ${of.name}: point at a face in the plane between the two`, {
    kinds: ["face"],
    needsDirection: true,
    onDone: (picked) => {
      const at = picked && atHome(desk, picked);
      if (at?.direction) addMirroredJoint(desk, target, of, { point: at.point, normal: at.direction });
    },
  });
}
