import { type Target, targetId } from "../../core/document/sequence";
import { ticksPerFrame } from "../../core/time/time";
import type { Desk } from "../port";
import { type PendingPose, storePending } from "../remembered/pendingStore";

/** Whether a pending pose belongs to the frame at the playhead. */
export function isHere(desk: Desk, p: PendingPose): boolean {
  return Math.abs(p.at - desk.state.ticks) < ticksPerFrame(desk.sequence.rate) / 2;
}

type Named = { id: string; pose: PendingPose };
/** Pending poses by target, made once for each state of them: with many selected each is asked for many times. */
const byTarget = new WeakMap<Record<string, PendingPose>, Map<string, Named[]>>();

/** The pending pose of a target at the playhead, with the name it goes by; one target may wait at several times. */
export function pendingHere(desk: Desk, target: Target): Named | undefined {
  const { pending } = desk.state;
  let index = byTarget.get(pending);
  if (!index) {
    index = new Map();
    for (const [id, pose] of Object.entries(pending)) {
      const key = targetId(pose.target);
      const known = index.get(key);
      if (known) known.push({ id, pose });
      else index.set(key, [{ id, pose }]);
    }
    byTarget.set(pending, index);
  }
  if (index.size === 0) return undefined;
  return index.get(targetId(target))?.find(({ pose }) => isHere(desk, pose));
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
