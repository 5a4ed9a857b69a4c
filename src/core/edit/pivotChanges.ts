import type { AssemblyIndex } from "../assembly/assembly";
import type { PartTarget } from "../document/parts";
import type { Preparation } from "../document/preparation";
import { hand, keysOf, type Sequence, targetId } from "../document/sequence";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import { compile, withPreparation } from "../program/compile";
import type { NodeTracks } from "../program/layout";
import { rotationOf } from "../program/pose";
import { createPose, type Pose, sample } from "../program/sampling";
import type { SequenceCommand } from "./sequenceCommands";
import { inEveryTiming } from "./timing/versions";

const AXES = ["slide.x", "slide.y", "slide.z"] as const;

/**
 * What a slide must grow by so that a part turned as it is stands where it stood after its pivot went from `a` to
 * `b`: (1 - R)(a - b).
 */
export function pivotShift(tracks: NodeTracks, pose: Pose, a: readonly number[], b: readonly number[]): Triple {
  const r = new Float64Array(9);
  rotationOf(tracks, pose, r, tracks.axes.length);
  const d = [0, 1, 2].map((k) => nth(a, k) - nth(b, k)) as Triple;
  return [0, 1, 2].map((k) => {
    const turned = nth(r, k) * d[0] + nth(r, 3 + k) * d[1] + nth(r, 6 + k) * d[2];
    return nth(d, k) - turned;
  }) as Triple;
}

/** Arrivals of a target that are made while it is turned, or turn it: those whose poses a new pivot would move. */
export function turnedArrivals(
  index: AssemblyIndex,
  preparation: Preparation,
  sequence: Sequence,
  target: PartTarget,
): number {
  return arrivals(index, preparation, sequence, target).filter((a) => a.turned).length;
}

interface At {
  step: string;
  move: string;
  key: string;
  time: number;
  turned: boolean;
}

function arrivals(index: AssemblyIndex, preparation: Preparation, sequence: Sequence, target: PartTarget): At[] {
  const id = targetId(target);
  const program = compile(index, preparation, sequence);
  const tracks = program.trackPart(target);
  const pose = createPose(program);
  const out: At[] = [];
  for (const step of sequence.stepOrder) {
    const position = program.steps.position.get(step);
    for (const move of Object.values(sequence.steps[step]?.moves ?? {})) {
      if (!tracks || position === undefined || move.kind !== "hand" || targetId(move.target) !== id) continue;
      for (const key of keysOf(move)) {
        const time = nth(program.steps.action, position) + key.at;
        sample(program, time, pose);
        const r = new Float64Array(9);
        rotationOf(tracks, pose, r, tracks.axes.length);
        out.push({
          step,
          move: move.id,
          key: key.id,
          time,
          turned: r.some((v, k) => Math.abs(v - (k % 4 === 0 ? 1 : 0)) > 1e-12),
        });
      }
    }
  }
  return out.sort((a, b) => a.time - b.time);
}

/**
 * Keeps every arrival's pose where it was after a pivot changed: slides make up for it, exactly at the arrivals. On
 * the way between them a part that turns goes round the new pivot.
 */
export function keepPosesOverPivot(
  index: AssemblyIndex,
  before: Preparation,
  after: Preparation,
  sequence: Sequence,
  target: PartTarget,
): SequenceCommand {
  return inEveryTiming(sequence, (as) => shifted(index, before, after, as, target));
}

function shifted(
  index: AssemblyIndex,
  before: Preparation,
  after: Preparation,
  sequence: Sequence,
  target: PartTarget,
): SequenceCommand {
  const program = compile(index, before, sequence);
  const tracks = program.trackPart(target);
  const next = withPreparation(compile(index, before, sequence), after).trackPart(target);
  const pose = createPose(program);
  const changes: { at: At; values: Record<string, number> }[] = [];
  if (tracks && next) {
    for (const at of arrivals(index, before, sequence, target)) {
      sample(program, at.time, pose);
      const shift = pivotShift(tracks, pose, tracks.pivot, next.pivot);
      const values: Record<string, number> = {};
      AXES.forEach((name, k) => {
        const value = nth(pose.values, tracks.first + k) + nth(shift, k);
        values[name] = Math.abs(value) < 1e-9 ? 0 : value;
      });
      changes.push({ at, values });
    }
  }
  // A part that never turns needs nothing; its slides are left as they are.
  const needed = changes.some((c) => c.at.turned);
  return (draft) => {
    for (const { at, values } of needed ? changes : []) {
      const key = hand(draft.steps[at.step]?.moves[at.move])?.keys[at.key];
      if (key) Object.assign(key.values, values);
    }
  };
}
