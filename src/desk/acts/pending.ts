import { type Target, targetId } from "../../core/document/sequence";
import { ticksPerFrame } from "../../core/time/time";
import type { Desk } from "../port";
import { type PendingPose, storePending } from "../remembered/pendingStore";

/** Whether a pending pose belongs to the frame at the playhead. */
export function isHere(desk: Desk, p: PendingPose): boolean {
  return Math.abs(p.at - desk.state.ticks) < ticksPerFrame(desk.sequence.rate) / 2;
}

/** The pending pose of a target at the playhead, with the name it goes by; one target may wait at several times. */
export function pendingHere(desk: Desk, target: Target): { id: string; pose: PendingPose } | undefined {
  const wanted = targetId(target);
  for (const [id, pose] of Object.entries(desk.state.pending))
    if (targetId(pose.target) === wanted && isHere(desk, pose)) return { id, pose };
  return undefined;
}

/** A name for another pending pose of a target at the playhead. */
export function pendingName(desk: Desk, target: Target): string {
  const id = targetId(target);
  return id in desk.state.pending ? `${id}@${desk.state.ticks}` : id;
}

/** Puts other pending poses in place of the present ones, and remembers them. */
export function setPending(desk: Desk, pending: Record<string, PendingPose>): void {
  desk.set({ pending });
  storePending(desk.state.sequenceId, pending);
  desk.show();
}

export function dropPending(desk: Desk): void {
  setPending(desk, {});
}

/** Moves all pending poses to the playhead; of one target that waits at several times the later ones count. */
export function bringHere(desk: Desk): void {
  const out: Record<string, PendingPose> = {};
  for (const p of Object.values(desk.state.pending).sort((a, b) => a.at - b.at)) {
    const id = targetId(p.target);
    const known = out[id];
    out[id] = { ...known, ...p, at: desk.state.ticks, values: { ...known?.values, ...p.values } };
  }
  setPending(desk, out);
}
