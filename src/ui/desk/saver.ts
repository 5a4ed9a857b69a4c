import { type DBSchema, type IDBPDatabase, openDB } from "idb";
import type { Edit, Patch } from "../../core/edit/patches";
import { meet, patched } from "../../core/edit/patches";
import { ApiError, json } from "../common/api";

export type SaveState = "saved" | "saving" | "offline";

interface OutboxSchema extends DBSchema {
  edits: { key: string; value: { id: string; document: string; base: number; order: number; edit: Edit }; indexes: { document: string } };
}

let outbox: Promise<IDBPDatabase<OutboxSchema>> | null = null;
// Async, so that a browser without IndexedDB gives a rejection that is caught where it is used, not an exception.
const openOutbox = async () => {
  outbox ??= openDB<OutboxSchema>("plextan-outbox", 1, {
    upgrade(db) {
      db.createObjectStore("edits", { keyPath: "id" }).createIndex("document", "document");
    },
  });
  return outbox;
};

interface Tracked {
  /** Newest revision the server has confirmed to us. */
  base: number;
  /** The document at that revision. */
  acked: object;
  queue: Edit[];
  sending: boolean;
}

export interface SaverEvents {
  onState(state: SaveState, waiting: number): void;
  /** Others' edits came in between and ours were laid over them: show this instead. */
  onRebased(document: string, body: object): void;
  /** Ours and theirs meet: the server's stays, ours was kept as a new document. */
  onKeptCopy(document: string, serverBody: object, copyOf: object): Promise<void>;
  onRefused(message: string): void;
}

/**
 * Sends edits to the server in order, one batch at a time a document. What is not acknowledged yet also lies in
 * IndexedDB, so neither a crash here nor there loses it; ids make sending twice harmless.
 */
export class Saver {
  private readonly documents = new Map<string, Tracked>();
  private order = Date.now();
  private retryMs = 500;
  private timer: ReturnType<typeof setTimeout> | null = null;

  constructor(private readonly events: SaverEvents) {}

  /** Starts keeping a document that was just loaded. */
  track(id: string, revision: number, body: object): void {
    this.documents.set(id, { base: revision, acked: body, queue: [], sending: false });
  }

  /** Takes an edit that was applied locally. */
  add(document: string, edit: Edit): void {
    const t = this.documents.get(document);
    if (!t) return;
    t.queue.push(edit);
    void openOutbox()
      .then((db) => db.put("edits", { id: edit.id, document, base: t.base, order: this.order++, edit }))
      .catch(() => {});
    this.tell("saving");
    this.schedule(60);
  }

  get waiting(): number {
    let n = 0;
    for (const t of this.documents.values()) n += t.queue.length;
    return n;
  }

  private tell(state: SaveState): void {
    this.events.onState(state, this.waiting);
  }

  private schedule(ms: number): void {
    if (this.timer) return;
    this.timer = setTimeout(() => {
      this.timer = null;
      for (const [id, t] of this.documents) if (t.queue.length > 0 && !t.sending) void this.send(id, t);
    }, ms);
  }

  private async send(id: string, t: Tracked): Promise<void> {
    t.sending = true;
    const batch = t.queue.slice(0, 200);
    try {
      const { revision } = await json<{ revision: number }>(`/api/documents/${id}/edits`, { body: { base: t.base, edits: batch } });
      for (const e of batch) t.acked = patched(t.acked, e.patches);
      t.base = revision;
      t.queue = t.queue.slice(batch.length);
      this.retryMs = 500;
      await forget(batch);
      this.tell(this.waiting > 0 ? "saving" : "saved");
      if (t.queue.length > 0) this.schedule(0);
    } catch (error) {
      await this.failed(id, t, batch, error);
    } finally {
      t.sending = false;
    }
  }

  private async failed(id: string, t: Tracked, batch: Edit[], error: unknown): Promise<void> {
    if (error instanceof ApiError && error.status === 409) {
      const { revision, edits } = error.body as { revision: number; edits: Edit[] };
      await this.resolve(id, t, revision, edits);
      return;
    }
    if (error instanceof ApiError && error.status >= 400 && error.status < 500 && error.status !== 401 && error.status !== 408 && error.status !== 429) {
      // Refused for good: the server will never take this batch. Go back to what it has.
      t.queue = [];
      await forget(batch);
      this.events.onRebased(id, t.acked);
      this.events.onRefused(error.message);
      this.tell("saved");
      return;
    }
    this.tell("offline");
    this.retryMs = Math.min(8000, this.retryMs * 1.7);
    this.schedule(this.retryMs);
  }

  /** Someone else was faster: lay ours over theirs where they do not meet, else keep both. */
  private async resolve(id: string, t: Tracked, revision: number, theirs: Edit[]): Promise<void> {
    const mine = new Set(t.queue.map((e) => e.id));
    const foreign = theirs.filter((e) => !mine.has(e.id));
    const known = new Set(theirs.map((e) => e.id));
    const local = t.queue.reduce<object>((body, e) => patched(body, e.patches), t.acked);
    const server = theirs.reduce<object>((body, e) => patched(body, e.patches), t.acked);
    const rest = t.queue.filter((e) => !known.has(e.id));
    const clash = meet(
      foreign.flatMap((e) => e.patches),
      rest.flatMap((e) => e.patches),
    );
    t.acked = server;
    t.base = revision;
    if (!clash) {
      t.queue = rest;
      this.events.onRebased(
        id,
        rest.reduce<object>((body, e) => patched(body, e.patches), server),
      );
      this.schedule(0);
      return;
    }
    t.queue = [];
    await forget(rest);
    await this.events.onKeptCopy(id, server, local);
    this.tell("saved");
  }

  /**
   * Sends what an earlier session of this browser could not, before the documents are loaded.
   * @returns how many edits were brought in, and those that meet others' and were left aside.
   */
  static async recover(documentIds: readonly string[]): Promise<{ sent: number; left: number }> {
    const db = await openOutbox().catch(() => null);
    if (!db) return { sent: 0, left: 0 };
    let sent = 0;
    let left = 0;
    for (const id of documentIds) {
      const rows = (await db.getAllFromIndex("edits", "document", id)).sort((a, b) => a.order - b.order);
      const first = rows[0];
      if (!first) continue;
      const edits = rows.map((r) => r.edit);
      try {
        await json(`/api/documents/${id}/edits`, { body: { base: first.base, edits } });
        sent += edits.length;
      } catch (error) {
        if (!(error instanceof ApiError)) throw error;
        if (error.status === 409) {
          const { revision, edits: theirs } = error.body as { revision: number; edits: { id: string; patches: Patch[] }[] };
          const known = new Set(theirs.map((e) => e.id));
          const rest = edits.filter((e) => !known.has(e.id));
          const foreign = theirs.filter((e) => !edits.some((m) => m.id === e.id));
          if (
            meet(
              foreign.flatMap((e) => e.patches),
              rest.flatMap((e) => e.patches),
            )
          )
            left += rest.length;
          else if (rest.length > 0) {
            await json(`/api/documents/${id}/edits`, { body: { base: revision, edits: rest } }).then(
              () => {
                sent += rest.length;
              },
              () => {
                left += rest.length;
              },
            );
          }
        } else if (error.status === 0 || error.status >= 500) throw error;
        else left += edits.length;
      }
      await forget(edits);
    }
    return { sent, left };
  }
}

async function forget(edits: readonly { id: string }[]): Promise<void> {
  try {
    const db = await openOutbox();
    const tx = db.transaction("edits", "readwrite");
    await Promise.all(edits.map((e) => tx.store.delete(e.id)));
    await tx.done;
  } catch {
    // Without IndexedDB (private windows) there is nothing to forget.
  }
}
