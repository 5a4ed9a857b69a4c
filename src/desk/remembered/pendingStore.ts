import type { AssemblyIndex } from "../../core/assembly/assembly";
import type { Target } from "../../core/document/sequence";

/** A pose that waits to be kept: absolute channel values at a time. */
export interface PendingPose {
  target: Target;
  /** Sequence time it was made at, ticks. */
  at: number;
  values: Record<string, number>;
  orientation?: [number, number, number, number];
}

const storageKey = (sequence: string) => `plextan-pending-${sequence}`;

/** Remembers the pending poses of a sequence in this browser, so that a reload does not lose them. */
export function storePending(sequence: string, pending: Record<string, PendingPose>): void {
  try {
    if (Object.keys(pending).length === 0) localStorage.removeItem(storageKey(sequence));
    else localStorage.setItem(storageKey(sequence), JSON.stringify(pending));
  } catch {
    // Without storage a pending pose lives as long as the page.
  }
}

/** The pending poses of an earlier visit to a sequence whose parts and groups are still there. */
export function loadPending(
  sequence: string,
  index: AssemblyIndex,
  groups: Readonly<Record<string, unknown>>,
): Record<string, PendingPose> {
  const there = ({ target }: PendingPose) =>
    target.type === "node" ? index.indexOf.has(target.key) : target.type === "group" && target.id in groups;
  try {
    const stored = JSON.parse(localStorage.getItem(storageKey(sequence)) ?? "{}") as Record<string, PendingPose>;
    return Object.fromEntries(Object.entries(stored).filter(([, p]) => there(p) && Number.isFinite(p.at)));
  } catch {
    return {};
  }
}
