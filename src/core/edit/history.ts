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

/** What changed in a history: the entry numbered `at` and what follows it was replaced by one, how many are done, or all. */
export type HistoryChange =
  | { kind: "entry"; at: number; entry: HistoryEntry; first: number }
  | { kind: "done"; done: number }
  | { kind: "all" };

/**
 * Undo and redo over several documents: a pure list of what was done, and how much of it still is; no documents inside.
 * `undo` and `redo` give the patches to apply; the caller applies and saves them like any other edit. Entries are
 * numbered on and on, so that a copy of the list elsewhere can follow it.
 */
export class History {
  /** Number of the first entry that is kept. */
  private first = 0;
  static readonly LIMIT = 500;

  /** @param entries what was done, oldest first @param done how many of them still are: the others can be redone */
  constructor(
    private entries: HistoryEntry[] = [],
    private done = entries.length,
    private readonly onChange: (change: HistoryChange) => void = () => {},
  ) {}

  get undoLabel(): string | null {
    return this.entries[this.done - 1]?.label ?? null;
  }
  get redoLabel(): string | null {
    return this.entries[this.done]?.label ?? null;
  }
  /** What was done, oldest first, how many of them still are, and the number of the first. */
  get all(): { entries: readonly HistoryEntry[]; done: number; first: number } {
    return { entries: this.entries, done: this.done, first: this.first };
  }

  /** Records what was just done. */
  push(entry: HistoryEntry): void {
    this.entries.length = this.done;
    const last = this.entries.at(-1);
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
    } else {
      this.entries.push(entry);
      if (this.entries.length > History.LIMIT) {
        this.entries.shift();
        this.first++;
      }
    }
    this.done = this.entries.length;
    const at = this.first + this.done - 1;
    this.onChange({ kind: "entry", at, entry: this.entries[this.done - 1] as HistoryEntry, first: this.first });
  }

  /** Ends merging, so that the next entry stands alone (the pointer was released). */
  seal(): void {
    const last = this.entries[this.done - 1];
    if (last) last.merge = null;
  }

  undo(): HistoryStep | null {
    const entry = this.entries[this.done - 1];
    if (!entry) return null;
    this.done--;
    this.onChange({ kind: "done", done: this.first + this.done });
    return {
      label: entry.label,
      parts: entry.parts.map((p) => ({ document: p.document, patches: p.inverse })).reverse(),
      ...(entry.outside ? { outside: entry.outside.undo } : {}),
    };
  }

  redo(): HistoryStep | null {
    const entry = this.entries[this.done];
    if (!entry) return null;
    entry.merge = null;
    this.done++;
    this.onChange({ kind: "done", done: this.first + this.done });
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
    // Those that would be taken back, or done again, first come first: what such a one blocks lies behind it.
    const left = (entries: readonly HistoryEntry[]) => {
      const blocked = [...foreign];
      return entries.filter((entry) => {
        const own = entry.parts.filter((p) => p.document === document).flatMap((p) => [...p.patches, ...p.inverse]);
        if (!meet(blocked, own)) return true;
        blocked.push(...own);
        return false;
      });
    };
    const past = left(this.entries.slice(0, this.done).toReversed()).toReversed();
    this.entries = [...past, ...left(this.entries.slice(this.done))];
    this.done = past.length;
    this.onChange({ kind: "all" });
  }

  /** Forgets what can no longer be taken back, after another's edit changed the ground. */
  clear(): void {
    this.entries = [];
    this.done = 0;
    this.onChange({ kind: "all" });
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
