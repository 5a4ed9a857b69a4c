import type { AssemblyIndex } from "../assembly/assembly";
import type { Joint, Preparation } from "../document/preparation";
import type { Key, Sequence } from "../document/sequence";
import { hand, keysOf, scaleHandles, timedSteps } from "../document/sequence";
import { transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import { quaternionFromMatrix } from "../math/rotation";
import { compile } from "../program/compile";
import { departureNow } from "../program/pose";
import { createPose, sample } from "../program/sampling";
import type { PreparationCommand } from "./preparationCommands";
import type { SequenceCommand } from "./sequenceCommands";
import { inEveryTiming } from "./timing/versions";

/** One arrival that sets a joint. */
export interface JointKey {
  step: string;
  move: string;
  key: string;
  value: number;
}

/** Every arrival of a sequence that sets a joint, in the order of the steps. */
export function jointKeys(sequence: Sequence, joint: string): JointKey[] {
  const channel = `joint.${joint}`;
  const out: JointKey[] = [];
  for (const step of sequence.stepOrder) {
    for (const move of Object.values(sequence.steps[step]?.moves ?? {})) {
      for (const key of keysOf(move).sort((a, b) => a.at - b.at)) {
        const value = key.values[channel];
        if (value !== undefined) out.push({ step, move: move.id, key: key.id, value });
      }
    }
  }
  return out;
}

/** True when a reading lies beyond a joint's limits. */
export function beyondLimits(joint: Pick<Joint, "limits">, reading: number): boolean {
  const { limits } = joint;
  return (
    limits !== null && ((limits.min !== null && reading < limits.min) || (limits.max !== null && reading > limits.max))
  );
}

/** The reading within hard limits; others are only warned about and stay. */
export function withinHardLimits(joint: Pick<Joint, "limits">, reading: number): number {
  const { limits } = joint;
  if (!limits?.hard) return reading;
  return Math.min(limits.max ?? Number.POSITIVE_INFINITY, Math.max(limits.min ?? Number.NEGATIVE_INFINITY, reading));
}

/** True when two states of a joint move the part along the very same line or about the very same axis. */
export function sameAxis(a: Joint, b: Joint): boolean {
  if (a.kind !== b.kind || a.pitch !== b.pitch) return false;
  return a.point.every((v, k) => v === b.point[k]) && a.direction.every((v, k) => v === b.direction[k]);
}

/** The reading that leaves the part where it was when zero and sense change. */
export function readingFor(before: Joint, after: Joint, reading: number): number {
  const departure = (before.flipped ? -1 : 1) * (reading - before.zero);
  return after.zero + (after.flipped ? -1 : 1) * departure;
}

/**
 * Keeps what is keyed where it was after a joint changed. Where only zero and sense changed every reading is written
 * anew, exactly. Where the axis changed the arrivals become free moves: slide and orientation that put the part just
 * where it stood at each arrival (between arrivals the way is that of a free move), the joint back at home.
 */
export function keepPoses(
  index: AssemblyIndex,
  preparation: Preparation,
  sequence: Sequence,
  before: Joint,
  after: Joint,
): SequenceCommand {
  const channel = `joint.${before.id}`;
  if (sameAxis(before, after)) {
    return (draft) => {
      for (const step of timedSteps(draft)) {
        for (const move of Object.values(step.moves)) {
          for (const key of keysOf(move)) {
            const value = key.values[channel];
            if (value === undefined) continue;
            key.values[channel] = readingFor(before, after, value);
            if (before.flipped !== after.flipped) scaleHandles(key, channel, -1);
          }
        }
      }
    };
  }
  return inEveryTiming(sequence, (as) => freed(index, preparation, as, before, after));
}

/** Makes free moves of the arrivals that set a joint whose axis changed. */
function freed(
  index: AssemblyIndex,
  preparation: Preparation,
  sequence: Sequence,
  before: Joint,
  after: Joint,
): SequenceCommand {
  const keys = jointKeys(sequence, before.id);
  const channel = `joint.${before.id}`;
  const program = compile(index, preparation, sequence);
  const tracks = program.trackPart(before.target);
  const pose = createPose(program);
  const m = new Float64Array(16);
  const found: { at: JointKey; values: Record<string, number>; orientation: Key["orientation"] }[] = [];
  for (const k of keys) {
    const position = program.steps.position.get(k.step);
    const key = hand(sequence.steps[k.step]?.moves[k.move])?.keys[k.key];
    if (!tracks || position === undefined || !key) continue;
    sample(program, nth(program.steps.action, position) + key.at, pose);
    departureNow(tracks, pose, m);
    const moved = transformPoint(m, tracks.pivot);
    const values: Record<string, number> = {
      "slide.x": moved[0] - tracks.pivot[0],
      "slide.y": moved[1] - tracks.pivot[1],
      "slide.z": moved[2] - tracks.pivot[2],
    };
    for (const axis of tracks.axes) values[`turn.${axis.id}`] = 0;
    for (const j of tracks.joints) values[`joint.${j.joint.id}`] = j.joint.id === after.id ? after.zero : j.joint.zero;
    found.push({ at: k, values, orientation: quaternionFromMatrix(m) });
  }
  return (draft) => {
    for (const f of found) {
      const key = hand(draft.steps[f.at.step]?.moves[f.at.move])?.keys[f.at.key];
      if (!key) continue;
      Object.assign(key.values, f.values);
      if (f.orientation) key.orientation = f.orientation;
      // The joint is at home now; a curve of its own has nothing left to shape.
      if (key.shapes) delete key.shapes[channel];
    }
  };
}

/** The zero that makes a joint read `wanted` where it now reads `reading`, without moving the part. */
export function zeroFor(joint: Pick<Joint, "zero">, reading: number, wanted: number): number {
  return joint.zero + wanted - reading;
}

/**
 * Named poses that hold a joint's value, in the joint's new values: the same poses. About another axis they stay as
 * they are.
 */
export function keepNamedPoses(before: Joint, after: Joint): PreparationCommand {
  return (draft) => {
    if (!sameAxis(before, after)) return;
    const channel = `joint.${before.id}`;
    for (const { values } of Object.values(draft.poses)) {
      const value = values[channel];
      if (value !== undefined) values[channel] = readingFor(before, after, value);
    }
  };
}
