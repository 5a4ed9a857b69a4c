import { type DBSchema, type IDBPDatabase, openDB } from "idb";
import type { Edit } from "../../core/edit/patches";

/** An edit that the server has not confirmed yet. */
export interface OutboxRow {
  /** The edit's own id. */
  id: string;
  document: string;
  /** Revision that the session's edits of the document stand on. */
  base: number;
  order: number;
  /** The page that made it. */
  session: string;
  edit: Edit;
}

/** Why edits were set aside: refused as they are, made against others' edits, or their document or history is gone. */
export type AsideReason = "refused" | "conflict" | "gone" | "behind";

/** Edits that were not taken: kept until the user decides. */
export interface Aside {
  id: string;
  project: string;
  document: string;
  /** What the document was called. */
  name: string;
  reason: AsideReason;
  /** The server's words. */
  message: string;
  /** ms since the epoch */
  at: number;
  edits: Edit[];
}

/**
 * Where unconfirmed edits lie so that they outlast the page. Every method rejects when the browser has no storage or
 * it is full; what it says it did is on disk.
 */
export interface Outbox {
  put(rows: readonly OutboxRow[]): Promise<void>;
  /** Takes out what was confirmed; what is left of the session's edits of the document stands on `base` from now on. */
  acknowledge(document: string, session: string, ids: readonly string[], base: number): Promise<void>;
  /** A document's rows, oldest first. */
  rows(document: string): Promise<OutboxRow[]>;
  /** Moves edits from the rows to what is set aside, in one step. */
  setAside(aside: Aside): Promise<void>;
  asides(project: string): Promise<Aside[]>;
  /** Forgets what was set aside. */
  drop(aside: string): Promise<void>;
}

interface Schema extends DBSchema {
  edits: { key: string; value: OutboxRow; indexes: { document: string } };
  aside: { key: string; value: Aside; indexes: { project: string } };
}

/** The outbox in IndexedDB, shared by the pages of one browser. */
export class StoredOutbox implements Outbox {
  private opened: Promise<IDBPDatabase<Schema>> | null = null;

  private async database(): Promise<IDBPDatabase<Schema>> {
    this.opened ??= openDB<Schema>("plextan-outbox", 2, {
      upgrade(db, from) {
        if (from < 1) db.createObjectStore("edits", { keyPath: "id" }).createIndex("document", "document");
        if (from < 2) db.createObjectStore("aside", { keyPath: "id" }).createIndex("project", "project");
      },
      // A newer page wants to change the store: this one lets go and opens it again when it needs it.
      blocking: (_current, _blocked, event) => {
        (event.target as IDBDatabase).close();
        this.opened = null;
      },
      terminated: () => {
        this.opened = null;
      },
    });
    try {
      return await this.opened;
    } catch (error) {
      this.opened = null;
      throw error;
    }
  }

  async put(rows: readonly OutboxRow[]): Promise<void> {
    const tx = (await this.database()).transaction("edits", "readwrite");
    await Promise.all([...rows.map((r) => tx.store.put(r)), tx.done]);
  }

  async acknowledge(document: string, session: string, ids: readonly string[], base: number): Promise<void> {
    const tx = (await this.database()).transaction("edits", "readwrite");
    const gone = new Set(ids);
    for (let cursor = await tx.store.index("document").openCursor(document); cursor; cursor = await cursor.continue()) {
      if (gone.has(cursor.value.id)) await cursor.delete();
      else if (cursor.value.session === session && cursor.value.base !== base)
        await cursor.update({ ...cursor.value, base });
    }
    await tx.done;
  }

  async rows(document: string): Promise<OutboxRow[]> {
    return (await (await this.database()).getAllFromIndex("edits", "document", document)).sort(
      (a, b) => a.order - b.order,
    );
  }

  async setAside(aside: Aside): Promise<void> {
    const tx = (await this.database()).transaction(["edits", "aside"], "readwrite");
    await Promise.all([
      tx.objectStore("aside").put(aside),
      ...aside.edits.map((e) => tx.objectStore("edits").delete(e.id)),
      tx.done,
    ]);
  }

  async asides(project: string): Promise<Aside[]> {
    return (await (await this.database()).getAllFromIndex("aside", "project", project)).sort((a, b) => a.at - b.at);
  }

  async drop(aside: string): Promise<void> {
    await (await this.database()).delete("aside", aside);
  }
}

/** An outbox that lasts as long as its object: for tests, and to stand in where a browser has no storage. */
export class MemoryOutbox implements Outbox {
  readonly edits = new Map<string, OutboxRow>();
  readonly aside = new Map<string, Aside>();

  async put(rows: readonly OutboxRow[]): Promise<void> {
    for (const r of rows) this.edits.set(r.id, r);
  }
  async acknowledge(document: string, session: string, ids: readonly string[], base: number): Promise<void> {
    for (const id of ids) this.edits.delete(id);
    for (const [id, row] of this.edits)
      if (row.document === document && row.session === session) this.edits.set(id, { ...row, base });
  }
  async rows(document: string): Promise<OutboxRow[]> {
    return [...this.edits.values()].filter((r) => r.document === document).sort((a, b) => a.order - b.order);
  }
  async setAside(aside: Aside): Promise<void> {
    this.aside.set(aside.id, aside);
    for (const e of aside.edits) this.edits.delete(e.id);
  }
  async asides(project: string): Promise<Aside[]> {
    return [...this.aside.values()].filter((a) => a.project === project);
  }
  async drop(aside: string): Promise<void> {
    this.aside.delete(aside);
  }
}

/** Edits that the server has not confirmed, by document, with the revision they stand on. */
export type QueuedEdits = { document: string; base: number; edits: Edit[] }[];
