import { type DBSchema, type IDBPDatabase, openDB } from "idb";
import { History, type HistoryChange, type HistoryEntry } from "../../core/edit/history";
import { freshId } from "../../core/edit/id";
import type { Edit } from "../../core/edit/patches";
import { json } from "../api";

/** Up to where a document's log was known when a history was last written, and which edits after that are its own. */
export interface Mark {
  base: number;
  own: string[];
}

/** An edit as the server's log has it. */
type LoggedEdit = Edit & { revision: number };

/** A history as it outlasts the page. */
export interface KeptHistory {
  entries: HistoryEntry[];
  done: number;
  marks: Record<string, Mark>;
}

interface Head {
  id: string;
  first: number;
  done: number;
  marks: Record<string, Mark>;
  /** ms since the epoch, when last written */
  at: number;
}

interface Schema extends DBSchema {
  heads: { key: string; value: Head };
  entries: { key: [string, number]; value: { history: string; at: number; entry: HistoryEntry } };
}

/** Histories that nobody has written to for so long are forgotten, ms. */
const FORGET_MS = 14 * 24 * 3600 * 1000;

/** What can be undone and redone in one tab of a browser, kept in IndexedDB entry by entry. */
export class UndoStore {
  private opened: Promise<IDBPDatabase<Schema>> | null = null;
  private turn: Promise<unknown> = Promise.resolve();

  constructor(private readonly id: string) {}

  private database(): Promise<IDBPDatabase<Schema>> {
    this.opened ??= openDB<Schema>("plextan-undo", 1, {
      upgrade(db) {
        db.createObjectStore("heads", { keyPath: "id" });
        db.createObjectStore("entries", { keyPath: ["history", "at"] });
      },
    });
    return this.opened;
  }

  private range(from: number, to = Number.POSITIVE_INFINITY, toOpen = false): IDBKeyRange {
    return IDBKeyRange.bound([this.id, from], [this.id, to], false, toOpen);
  }

  /** Writes what changed. Losing it loses undo, never work; so nothing is said where there is no storage. */
  write(change: HistoryChange, history: History, marks: Record<string, Mark>): void {
    const { done, first, entries } = history.all;
    const head: Head = { id: this.id, first, done: first + done, marks, at: Date.now() };
    const all = change.kind === "all" ? [...entries] : [];
    this.turn = this.turn
      .then(async () => {
        const tx = (await this.database()).transaction(["heads", "entries"], "readwrite");
        const rows = tx.objectStore("entries");
        const put = (entry: HistoryEntry, at: number) => rows.put({ history: this.id, at, entry });
        if (change.kind === "entry") {
          void rows.delete(this.range(change.at));
          // A range from a key up to but without itself is none, and refused.
          if (first > 0) void rows.delete(this.range(0, first, true));
          void put(change.entry, change.at);
        } else if (change.kind === "all") {
          void rows.delete(this.range(0));
          all.forEach((e, i) => void put(e, first + i));
        }
        void tx.objectStore("heads").put(head);
        await tx.done;
      })
      .catch(() => {});
  }

  /** What was kept for this tab; null where there is nothing. Forgets what is old of others. */
  async load(): Promise<KeptHistory | null> {
    const db = await this.database();
    for (const head of await db.getAll("heads")) {
      if (Date.now() - head.at < FORGET_MS || head.id === this.id) continue;
      await db.delete("entries", IDBKeyRange.bound([head.id, 0], [head.id, Number.POSITIVE_INFINITY]));
      await db.delete("heads", head.id);
    }
    const head = await db.get("heads", this.id);
    if (!head) return null;
    const rows = await db.getAll("entries", this.range(head.first));
    return { entries: rows.map((r) => r.entry), done: head.done - head.first, marks: head.marks };
  }
}

/** A name for this tab that outlasts a reload. */
export function tabName(): string {
  const KEY = "plextan-tab";
  try {
    const known = sessionStorage.getItem(KEY);
    if (known) return known;
    const made = freshId();
    sessionStorage.setItem(KEY, made);
    return made;
  } catch {
    return freshId();
  }
}

/** The log of a document up to a revision, as far back as the server has it. */
export const logUntil = async (document: string, until: number): Promise<LoggedEdit[]> =>
  (await json<{ edits: LoggedEdit[] }>(`/api/documents/${document}/edits?until=${until}`)).edits;

/**
 * Brings a kept history to the documents as they are now: what others did meanwhile, as their log tells, takes away
 * what meets it. @returns null when the log no longer reaches back to where it was written, or a document is gone
 */
export async function caughtUp(
  kept: KeptHistory,
  documents: readonly { id: string; revision: number }[],
  log: typeof logUntil = logUntil,
): Promise<{ entries: HistoryEntry[]; done: number } | null> {
  const now = new Map(documents.map((d) => [d.id, d.revision]));
  if (!kept.entries.every((e) => e.parts.every((p) => now.has(p.document)))) return null;
  const history = new History(kept.entries, kept.done);
  for (const [document, { base, own }] of Object.entries(kept.marks)) {
    const revision = now.get(document);
    if (revision === undefined || revision === base) continue;
    if (revision < base) return null;
    const edits = (await log(document, revision)).filter((e) => e.revision > base);
    if (edits[0]?.revision !== base + 1) return null;
    const known = new Set(own);
    // An own edit that never came to be took its patches along: what stands on it cannot be told any longer.
    if (!own.every((id) => edits.some((e) => e.id === id))) return null;
    const foreign = edits.filter((e) => !known.has(e.id)).flatMap((e) => e.patches);
    if (foreign.length > 0) history.rebase(document, foreign);
  }
  for (const [document, { base, own }] of Object.entries(kept.marks))
    if (own.length > 0 && now.get(document) === base) return null;
  const { entries, done } = history.all;
  return { entries: [...entries], done };
}

/** What of a kept history can no longer be undone or done again, as a sentence; null where all of it still can. */
export function lostOf(kept: KeptHistory, caught: { entries: readonly HistoryEntry[] } | null): string | null {
  const n = kept.entries.length - (caught?.entries.length ?? 0);
  if (n === 0) return null;
  const acts = n === 1 ? "One act" : `${n} acts`;
  const why = caught ? "someone else changed the same meanwhile" : "not all that happened to it meanwhile is known";
  return `${acts} from before this page was left can no longer be undone: ${why}. The work itself is all there.`;
}
