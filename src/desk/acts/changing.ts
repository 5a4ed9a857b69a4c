import type { PartTarget } from "../../core/document/parts";
import type { Joint, Pivot } from "../../core/document/preparation";
import { targetId } from "../../core/document/sequence";
import { runCommand } from "../../core/edit/history";
import { beyondLimits, jointKeys, keepNamedPoses, keepPoses, readingFor, sameAxis } from "../../core/edit/jointChanges";
import { keepPosesOverPivot, pivotShift, turnedArrivals } from "../../core/edit/pivotChanges";
import { putJoint, setPivot } from "../../core/edit/preparationCommands";
import { together } from "../../core/edit/together";
import { nth } from "../../core/math/packed";
import type { NodeTracks } from "../../core/program/layout";
import { createPose, sample } from "../../core/program/sampling";
import { formatNumber } from "../../core/units/units";
import { targetName } from "../names";
import type { Desk } from "../port";
import type { PendingPose } from "../remembered/pendingStore";
import { setPending } from "./pending";

type Command = { document: string; command: (draft: never) => void };

/** Arrivals of a joint whose reading lies beyond its limits, as lines for a list. */
export function keysBeyond(
  desk: Desk,
  joint: Joint,
): { text: string; sequence: string; step: string; move: string; key: string }[] {
  return desk.state.sequences.flatMap((s) =>
    jointKeys(s.body, joint.id)
      .filter((k) => beyondLimits(joint, k.value))
      .map((k) => ({
        text: `${formatNumber(k.value, 2)} in "${s.body.steps[k.step]?.title ?? ""}"${desk.state.sequences.length > 1 ? ` of "${s.body.name}"` : ""}`,
        sequence: s.id,
        step: k.step,
        move: k.move,
        key: k.key,
      })),
  );
}

/**
 * Changes a joint. When its readings are keyed and the change would move those poses, it is asked whether values or
 * poses stay; a pending pose stays where it stands either way. @returns false when it was refused.
 */
export function changeJoint(desk: Desk, before: Joint, after: Joint, label: string): boolean {
  const preparation = desk.state.preparation;
  const moves = !sameAxis(before, after) || before.zero !== after.zero || before.flipped !== after.flipped;
  const counts = desk.state.sequences
    .map((s) => ({ name: s.body.name, n: jointKeys(s.body, before.id).length }))
    .filter((c) => c.n > 0);
  const named = Object.values(preparation.body.poses).filter((p) => `joint.${before.id}` in p.values);
  const apply = (keep: "values" | "poses") => {
    const commands: Command[] = [];
    if (keep === "poses")
      for (const s of desk.state.sequences)
        commands.push({
          document: s.id,
          command: keepPoses(desk.index, preparation.body, s.body, before, after) as (d: never) => void,
        });
    commands.push({
      document: preparation.id,
      command: keep === "poses" ? together([putJoint(after), keepNamedPoses(before, after)]) : putJoint(after),
    });
    const done = desk.editTogether(label, commands);
    if (done && sameAxis(before, after)) shiftPending(desk, before, after);
    return done;
  };
  if (!moves || (counts.length === 0 && named.length === 0)) return apply("values");
  const beyond = keysBeyond(desk, after);
  desk.set({
    asking: {
      title: `"${before.name}" is keyed already`,
      text: sameAxis(before, after)
        ? "With another zero or sense the same values mean other poses. What shall stay?"
        : "About another axis the same values mean other poses. What shall stay? Poses are kept exactly at each arrival, as free moves.",
      lines: [
        ...counts.map((c) => `${c.n} arrival${c.n === 1 ? "" : "s"} in "${c.name}"`),
        ...(named.length > 0
          ? [`named pose${named.length === 1 ? "" : "s"}: ${named.map((p) => p.name).join(", ")}`]
          : []),
        ...(beyond.length > 0
          ? [`with the values kept, beyond the limits: ${beyond.map((b) => b.text).join("; ")}`]
          : []),
      ],
      keepValues: () => apply("values"),
      keepPoses: () => apply("poses"),
    },
  });
  return true;
}

/** The pending poses of a target, at whatever time. */
const poses = (desk: Desk, target: PartTarget): [string, PendingPose][] =>
  Object.entries(desk.state.pending).filter(([, p]) => targetId(p.target) === targetId(target));

/** A pending reading that follows a change of zero or sense, so that the part stays where it was dragged. */
function shiftPending(desk: Desk, before: Joint, after: Joint): void {
  const channel = `joint.${before.id}`;
  const next = { ...desk.state.pending };
  for (const [id, known] of poses(desk, before.target)) {
    const value = known.values[channel];
    if (value !== undefined)
      next[id] = { ...known, values: { ...known.values, [channel]: readingFor(before, after, value) } };
  }
  setPending(desk, next);
}

/**
 * Puts a pivot elsewhere without moving the part: what is pending makes up for it with its slide, and where arrivals
 * are turned it is asked whether their values or their poses stay.
 */
export function changePivot(desk: Desk, target: PartTarget, pivot: Pivot | null): void {
  const { preparation, sequences } = desk.state;
  const label = pivot
    ? `Pivot of ${targetName(desk, target)}`
    : `Pivot of ${targetName(desk, target)} back to the middle`;
  const change = setPivot(target, pivot);
  const turned = sequences
    .map((s) => ({ name: s.body.name, n: turnedArrivals(desk.index, preparation.body, s.body, target) }))
    .filter((c) => c.n > 0);
  const apply = (keep: "values" | "poses") => {
    const before = desk.program.trackPart(target)?.pivot;
    const commands: Command[] = [{ document: preparation.id, command: change as (d: never) => void }];
    if (keep === "poses") {
      const after = runCommand(preparation.body, change).document;
      for (const s of sequences)
        commands.push({
          document: s.id,
          command: keepPosesOverPivot(desk.index, preparation.body, after, s.body, target) as (d: never) => void,
        });
    }
    if (desk.editTogether(label, commands) && before) settlePending(desk, target, before);
  };
  if (turned.length === 0) {
    apply("values");
    return;
  }
  desk.set({
    asking: {
      title: `${targetName(desk, target)} is keyed while turned`,
      text: "About another pivot the same turns end at other places. What shall stay?",
      lines: turned.map((c) => `${c.n} turned arrival${c.n === 1 ? "" : "s"} in "${c.name}"`),
      keepValues: () => apply("values"),
      keepPoses: () => apply("poses"),
    },
  });
}

function settlePending(desk: Desk, target: PartTarget, before: readonly number[]): void {
  const tracks = desk.program.trackPart(target);
  if (!tracks) return;
  for (const [id, known] of poses(desk, target)) settleOne(desk, tracks, id, known, before);
}

function settleOne(desk: Desk, tracks: NodeTracks, id: string, known: PendingPose, before: readonly number[]): void {
  const pose = createPose(desk.program);
  const channels = new Map<number, number>();
  for (const [name, value] of Object.entries(known.values)) {
    const c = tracks.channels.get(name);
    if (c !== undefined) channels.set(c, value);
  }
  const orientations = new Map<number, readonly number[]>(
    known.orientation ? [[tracks.orientation, known.orientation]] : [],
  );
  sample(desk.program, known.at, pose, { channels, orientations });
  const shift = pivotShift(tracks, pose, before, tracks.pivot);
  if (shift.every((v) => Math.abs(v) < 1e-9)) return;
  const values = { ...known.values };
  ["slide.x", "slide.y", "slide.z"].forEach((name, k) => {
    values[name] = nth(pose.values, tracks.first + k) + nth(shift, k);
  });
  setPending(desk, { ...desk.state.pending, [id]: { ...known, values } });
}
