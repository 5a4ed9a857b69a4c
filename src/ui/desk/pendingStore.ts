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

const storageKey = (project: string) => `plextan-pending-${project}`;

/** Remembers pending poses in this browser, so that a reload does not lose them. */
export function storePending(project: string, pending: Record<string, PendingPose>): void {
  try {
    if (Object.keys(pending).length === 0) localStorage.removeItem(storageKey(project));
    else localStorage.setItem(storageKey(project), JSON.stringify(pending));
  } catch {
    // Without storage a pending pose lives as long as the page.
  }
}

/** The pending poses of an earlier visit whose parts are still there. */
export function loadPending(project: string, index: AssemblyIndex): Record<string, PendingPose> {
  try {
    const stored = JSON.parse(localStorage.getItem(storageKey(project)) ?? "{}") as Record<string, PendingPose>;
    return Object.fromEntries(Object.entries(stored).filter(([, p]) => p.target.type === "node" && index.indexOf.has(p.target.key) && Number.isFinite(p.at)));
  } catch {
    return {};
  }
}
