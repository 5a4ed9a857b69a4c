import { produceWithPatches } from "immer";
import type { Patch } from "./patches";
import { patched } from "./patches";

/** One thing that was done, with what takes it back. */
export interface HistoryEntry {
  document: string;
  label: string;
  patches: Patch[];
  inverse: Patch[];
  /** Entries with the same merge key that follow one another count as one (a drag, a typed word). */
  merge: string | null;
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
    if (entry.merge !== null && last && last.merge === entry.merge && last.document === entry.document) {
      last.patches = [...last.patches, ...entry.patches];
      last.inverse = [...entry.inverse, ...last.inverse];
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

  undo(): { document: string; label: string; patches: Patch[] } | null {
    const entry = this.past.pop();
    if (!entry) return null;
    this.future.push(entry);
    return { document: entry.document, label: entry.label, patches: entry.inverse };
  }

  redo(): { document: string; label: string; patches: Patch[] } | null {
    const entry = this.future.pop();
    if (!entry) return null;
    entry.merge = null;
    this.past.push(entry);
    return { document: entry.document, label: entry.label, patches: entry.patches };
  }

  /** Forgets what can no longer be taken back, after another's edit changed the ground. */
  clear(): void {
    this.past = [];
    this.future = [];
  }
}

/** Runs a command on a document. @returns the new document and the patches; the same document when nothing changed. */
export function runCommand<T extends object>(document: T, command: (draft: T) => void): { document: T; patches: Patch[]; inverse: Patch[] } {
  const [next, patches, inverse] = produceWithPatches(document, (draft) => {
    command(draft as T);
  });
  return { document: next as T, patches, inverse };
}

/** Applies an undo or redo. */
export function applyHistory<T extends object>(document: T, patches: Patch[]): T {
  return patched(document, patches);
}
