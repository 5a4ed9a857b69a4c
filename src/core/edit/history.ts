import { produceWithPatches } from "immer";
import type { Patch } from "./patches";
import { meet, patched } from "./patches";

/** What was done to one document, with what takes it back. */
export interface HistoryPart {
  document: string;
  patches: Patch[];
  inverse: Patch[];
}

/** One thing that was done, to one document or to several at once. */
export interface HistoryEntry {
  label: string;
  parts: HistoryPart[];
  /** Entries with the same merge key that follow one another count as one (a drag, a typed word). */
  merge: string | null;
  /** Something beside the documents that was changed and must be changed back: applied by the caller. */
  outside?: { undo: unknown; redo: unknown };
}

/** What undo or redo asks the caller to do. */
export interface HistoryStep {
  label: string;
  parts: { document: string; patches: Patch[] }[];
  outside?: unknown;
}

/**
 * Undo and redo over several documents: pure lists, no documents inside. `undo` and `redo` give the patches to apply;
 * the caller applies and saves them like any other edit.
 */
export class History {
  private past: HistoryEntry[] = [];
  private future: HistoryEntry[] = [];
  static readonly LIMIT = 500;

  get undoLabel(): string | null {
    return this.past.at(-1)?.label ?? null;
  }
  get redoLabel(): string | null {
    return this.future.at(-1)?.label ?? null;
  }

  /** Records what was just done. */
  push(entry: HistoryEntry): void {
    const last = this.past.at(-1);
    this.future = [];
    const [a, b] = [last?.parts[0], entry.parts[0]];
    if (
      entry.merge !== null &&
      last &&
      last.merge === entry.merge &&
      last.parts.length === 1 &&
      entry.parts.length === 1 &&
      a &&
      b &&
      a.document === b.document
    ) {
      a.patches = [...a.patches, ...b.patches];
      a.inverse = [...b.inverse, ...a.inverse];
      return;
    }
    this.past.push(entry);
    if (this.past.length > History.LIMIT) this.past.shift();
  }

  /** Ends merging, so that the next entry stands alone (the pointer was released). */
  seal(): void {
    const last = this.past.at(-1);
    if (last) last.merge = null;
  }

  undo(): HistoryStep | null {
    const entry = this.past.pop();
    if (!entry) return null;
    this.future.push(entry);
    return {
      label: entry.label,
      parts: entry.parts.map((p) => ({ document: p.document, patches: p.inverse })).reverse(),
      ...(entry.outside ? { outside: entry.outside.undo } : {}),
    };
  }

  redo(): HistoryStep | null {
    const entry = this.future.pop();
    if (!entry) return null;
    entry.merge = null;
    this.past.push(entry);
    return {
      label: entry.label,
      parts: entry.parts.map((p) => ({ document: p.document, patches: p.patches })),
      ...(entry.outside ? { outside: entry.outside.redo } : {}),
    };
  }

  /**
   * Others' edits of a document came in: what meets them can no longer be taken back or done again, nor can what it
   * stands on; the rest can.
   */
  rebase(document: string, foreign: readonly Patch[]): void {
    const left = (entries: HistoryEntry[]) => {
      const blocked = [...foreign];
      const kept: HistoryEntry[] = [];
      // The newest would be taken back first, so what it blocks lies before it.
      for (const entry of entries.toReversed()) {
        const own = entry.parts.filter((p) => p.document === document).flatMap((p) => [...p.patches, ...p.inverse]);
        if (meet(blocked, own)) blocked.push(...own);
        else kept.push(entry);
      }
      return kept.reverse();
    };
    this.past = left(this.past);
    this.future = left(this.future);
  }

  /** Forgets what can no longer be taken back, after another's edit changed the ground. */
  clear(): void {
    this.past = [];
    this.future = [];
  }
}

/** Runs a command on a document. @returns the new document and the patches; the same document when nothing changed. */
export function runCommand<T extends object>(
  document: T,
  command: (draft: T) => void,
): { document: T; patches: Patch[]; inverse: Patch[] } {
  const [next, patches, inverse] = produceWithPatches(document, (draft) => {
    command(draft as T);
  });
  return { document: next as T, patches, inverse };
}

/** Applies an undo or redo. */
export function applyHistory<T extends object>(document: T, patches: Patch[]): T {
  return patched(document, patches);
}
