import type { PartTarget } from "../../core/document/parts";
import type { NamedPose } from "../../core/document/preparation";
import { type Target, targetId } from "../../core/document/sequence";
import { withinHardLimits } from "../../core/edit/jointChanges";
import type { JointTracks } from "../../core/program/layout";
import { driveBack, linkedBy } from "../../core/program/linking";
import { formatNumber } from "../../core/units/units";
import { nameOf, targetName } from "../names";
import type { Desk } from "../port";
import type { PendingPose } from "../remembered/pendingStore";
import { pendingHere, pendingName, setPending } from "./pending";

/** What keeps a target from being posed, by name: itself, an owner, its group or a member. null when nothing does. */
export function lockOn(desk: Desk, target: Target): string | null {
  const { groups } = desk.state.preparation.body;
  if (target.type === "group") {
    const group = groups[target.id];
    if (group?.locked) return group.name;
    for (const member of group?.members ?? []) {
      const lock = nodeLock(desk, member);
      if (lock !== null) return lock;
    }
    return null;
  }
  return target.type === "node" ? nodeLock(desk, target.key, true) : null;
}

/** The lock on a node or above it; with `grouped` that of its group counts too. */
function nodeLock(desk: Desk, nodeKey: string, grouped = false): string | null {
  const { nodes, groups } = desk.state.preparation.body;
  for (let i = desk.index.indexOf.get(nodeKey) ?? -1; i >= 0; i = desk.index.assembly.nodes[i]?.parent ?? -1) {
    const key = desk.index.assembly.nodes[i]?.key ?? "";
    if (nodes[key]?.locked) return nameOf(desk, i);
    const group = grouped ? Object.values(groups).find((g) => g.locked && g.members.includes(key)) : undefined;
    if (group) return group.name;
  }
  return null;
}

/** Why a change of a target's channels cannot be made by hand, in words; null when it can. */
export function refusal(desk: Desk, target: Target, channels: readonly string[]): string | null {
  const lock = lockOn(desk, target);
  if (lock !== null) return `"${lock}" is locked. Unlock it to move ${targetName(desk, target)}.`;
  if (target.type !== "node" && target.type !== "group") return null;
  const tracks = desk.program.trackPart(target);
  if (!tracks) return `${targetName(desk, target)} is not in this revision of the assembly.`;
  for (const channel of channels) {
    const driver = linkedBy(tracks, channel);
    if (driver)
      return `${targetName(desk, target)} follows "${driver.joint.name}" of ${targetName(desk, driver.joint.target)}. Move that instead, or remove the link.`;
  }
  return null;
}

/**
 * Changes the pending pose of a target at the playhead; at another time than one that waits already it begins a second.
 * A joint that a link drives is solved back to its driver; locks and hard limits are respected and said.
 */
export function pend(
  desk: Desk,
  target: Target,
  values: Record<string, number>,
  orientation?: PendingPose["orientation"],
): boolean {
  for (const [channel, value] of Object.entries(values)) {
    const joint = channel.startsWith("joint.") ? desk.program.jointTracks(channel.slice(6)) : null;
    if (joint?.driver) return pendDriver(desk, joint, value);
  }
  const next = changed(desk, target, values, orientation);
  if (!next) return false;
  setPending(desk, { ...desk.state.pending, [next.id]: next.pose });
  return true;
}

/** The same for several at once, shown and remembered once. @returns those that it was refused for, and said why */
export function pendAll(
  desk: Desk,
  wanted: readonly { target: Target; values: Record<string, number> }[],
): (typeof wanted)[number][] {
  const added: Record<string, PendingPose> = {};
  const refused: (typeof wanted)[number][] = [];
  const take = () => {
    if (Object.keys(added).length === 0) return;
    setPending(desk, { ...desk.state.pending, ...added });
    for (const id of Object.keys(added)) delete added[id];
  };
  for (const w of wanted) {
    if (Object.keys(w.values).some((c) => c.startsWith("joint."))) {
      // What is linked is solved from how the others stand by then.
      take();
      if (!pend(desk, w.target, w.values)) refused.push(w);
      continue;
    }
    const next = changed(desk, w.target, w.values);
    if (next) added[next.id] = next.pose;
    else refused.push(w);
  }
  take();
  return refused;
}

/** The pending pose that a change makes of what waits; null when it is refused, which is said. */
function changed(
  desk: Desk,
  target: Target,
  values: Record<string, number>,
  orientation?: PendingPose["orientation"],
): { id: string; pose: PendingPose } | null {
  const change: Record<string, number> = {};
  for (const [channel, value] of Object.entries(values)) {
    const joint = channel.startsWith("joint.") ? desk.program.jointTracks(channel.slice(6)) : null;
    change[channel] = joint ? withinHardLimits(joint.joint, value) : value;
    if (joint && change[channel] !== value)
      desk.notify(
        "info",
        `"${joint.joint.name}" ends at ${formatNumber(change[channel] as number, 2)} there; its limits are hard.`,
      );
  }
  const refused = refusal(desk, target, [...Object.keys(change), ...(orientation ? ["orientation"] : [])]);
  if (refused !== null) {
    desk.notify("problem", refused);
    return null;
  }
  const here = pendingHere(desk, target);
  const known = here?.pose;
  // It stops at a frame, and that is where the pose waits.
  desk.pause();
  const free = orientation ?? known?.orientation;
  return {
    id: here?.id ?? pendingName(desk, target),
    pose: {
      target,
      at: known?.at ?? desk.state.ticks,
      values: { ...known?.values, ...change },
      ...(free ? { orientation: free } : {}),
    },
  };
}

/** Sets the driver of a linked joint so that the joint comes to a reading. */
function pendDriver(desk: Desk, joint: JointTracks, reading: number): boolean {
  const solved = driveBack(joint, reading, (j) => desk.valueOf(j.joint.target, `joint.${j.joint.id}`));
  if (!solved) {
    desk.notify(
      "problem",
      `"${joint.joint.name}" follows "${joint.driver?.driver.joint.name}", which can bring it nowhere near ${formatNumber(reading, 2)}.`,
    );
    return false;
  }
  return pend(desk, solved.joint.joint.target, {
    [`joint.${solved.joint.joint.id}`]: Number(solved.reading.toFixed(9)),
  });
}

/** Puts a named pose on its target as a pending pose. */
export function pendNamed(desk: Desk, poseId: string): boolean {
  const pose = desk.state.preparation.body.poses[poseId];
  return pose ? pend(desk, pose.target, { ...pose.values }, pose.orientation) : false;
}

/** Same part or group. */
export function sameTarget(a: PartTarget, b: PartTarget): boolean {
  return targetId(a) === targetId(b);
}

/**
 * What a named pose of a target holds when saved now: every channel that departs from rest or is pending, and its
 * joints' readings whatever they are. Channels that a link decides are left to their driver.
 */
export function poseNow(desk: Desk, target: PartTarget): Pick<NamedPose, "values" | "orientation"> {
  const tracks = desk.program.trackPart(target);
  const pending = pendingHere(desk, target)?.pose;
  const values: Record<string, number> = {};
  for (const channel of tracks?.channels.keys() ?? []) {
    if (!tracks || linkedBy(tracks, channel)) continue;
    const value = desk.valueOf(target, channel);
    const rest = channel.startsWith("size.") || channel === "opacity" || channel === "visible" ? 1 : 0;
    const here = pending !== undefined && channel in pending.values;
    if (value !== rest || here || channel.startsWith("joint.")) values[channel] = value;
  }
  const orientation = pending?.orientation;
  return { values, ...(orientation ? { orientation } : {}) };
}
