import { ticksPerFrame } from "../../core/time/time";
import type { Desk } from "../port";
import { type PendingPose, storePending } from "../remembered/pendingStore";

/** Whether a pending pose belongs to the frame at the playhead. */
export function isHere(desk: Desk, p: PendingPose): boolean {
  return Math.abs(p.at - desk.state.ticks) < ticksPerFrame(desk.sequence.rate) / 2;
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

/** Moves all pending poses to the playhead. */
export function bringHere(desk: Desk): void {
  setPending(
    desk,
    Object.fromEntries(Object.entries(desk.state.pending).map(([id, p]) => [id, { ...p, at: desk.state.ticks }])),
  );
}
