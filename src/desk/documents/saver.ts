import { freshId } from "../../core/edit/id";
import { checkEdit, EDIT_MAX_BYTES, type Edit, EditError, editBytes, type Patch } from "../../core/edit/patches";
import { type LogAnswer, Replica, type Taken } from "../../core/edit/replica";
import { problemOf } from "../../core/text/problem";
import { exchange, type Send } from "./exchange";
import type { Aside, AsideReason, Outbox, QueuedEdits } from "./outbox";

/** How saving goes. */
export interface SaveStatus {
  state: "saved" | "saving" | "offline";
  /** Edits that the server has not confirmed. */
  waiting: number;
  /** Of these, how many the browser could not store: they are in this page alone. */
  onlyHere: number;
}

export const SAVED: SaveStatus = { state: "saved", waiting: 0, onlyHere: 0 };

export interface SaverEvents {
  onStatus(status: SaveStatus): void;
  /** Others' edits came in between and ours were laid over them: show this instead. */
  onRebased(document: string, body: object, foreign: Patch[]): void;
  /**
   * Ours meet theirs: the server's version is shown. Stores ours beside it. @returns false when that was not possible;
   * then the edits are set aside.
   */
  onClash(document: string, serverBody: object, mine: object): Promise<boolean>;
  /** Edits were taken out of what is shown: `body` is what remains. */
  onAside(aside: Aside, body: object | null): void;
}

export interface SaverOptions {
  project: string;
  send: Send;
  outbox: Outbox;
  /** Tells pages of one browser apart; see recover.ts. */
  session: string;
  /** What a document is called. */
  nameOf(document: string): string;
  /** Sends by itself, soon after an edit; off, the owner calls {@link Saver.sendOnce}. */
  auto?: boolean;
}

interface Tracked {
  replica: Replica<object>;
  sending: boolean;
  /** What was to be taken in while something was on its way: whose answer may have been made before. */
  asked: Ask | null;
}
/** Every edit after a revision. */
type Ask = (base: number) => Promise<LogAnswer>;

const SOON_MS = 60;
const RETRY_FIRST_MS = 500;
const RETRY_MOST_MS = 8000;

/**
 * Sends edits to the server in order, one batch at a time a document. What is not confirmed also lies in the outbox
 * and leaves it only when it is in the server's log, in a stored copy, or among what is set aside.
 */
export class Saver {
  private readonly documents = new Map<string, Tracked>();
  /** Ids of edits that the outbox does not hold (yet). */
  private readonly unstored = new Set<string>();
  private storageFailed = false;
  private reached = true;
  private order = Date.now();
  private retryMs = RETRY_FIRST_MS;
  private timer: ReturnType<typeof setTimeout> | null = null;

  constructor(
    private readonly events: SaverEvents,
    private readonly options: SaverOptions,
  ) {}

  /** Starts keeping a document that was just loaded. */
  track(id: string, revision: number, body: object): void {
    this.documents.set(id, { replica: new Replica(revision, body), sending: false, asked: null });
  }

  /**
   * Says whether an edit can be queued at all; ask before it is applied.
   * @throws EditError when the server could never take it
   */
  static check(edit: Edit): void {
    checkEdit(edit);
    if (editBytes(edit) > EDIT_MAX_BYTES)
      throw new EditError(
        `The change is larger than ${EDIT_MAX_BYTES / 1048576} MB. Make it in smaller parts.`,
        "size",
      );
  }

  /** Takes an edit that was applied locally. */
  add(document: string, edit: Edit): void {
    const t = this.documents.get(document);
    if (!t) return;
    t.replica.queue.push(edit);
    this.unstored.add(edit.id);
    this.store([{ document, edits: [edit] }]);
    this.tell();
    this.schedule(SOON_MS);
  }

  /** Everything that the server has not confirmed, to be saved to a file. */
  waiting(): QueuedEdits {
    return [...this.documents].flatMap(([document, { replica }]) =>
      replica.queue.length > 0 ? [{ document, base: replica.base, edits: [...replica.queue] }] : [],
    );
  }

  /** Up to where each document's log is known, and the edits after that which are this page's own. */
  marks(): Record<string, { base: number; own: string[] }> {
    return Object.fromEntries(
      [...this.documents].map(([id, { replica }]) => [id, { base: replica.base, own: replica.queue.map((e) => e.id) }]),
    );
  }

  get status(): SaveStatus {
    let waiting = 0;
    for (const { replica } of this.documents.values()) waiting += replica.queue.length;
    return {
      state: waiting === 0 ? "saved" : this.reached ? "saving" : "offline",
      waiting,
      onlyHere: this.storageFailed ? this.unstored.size : 0,
    };
  }

  private tell(): void {
    this.events.onStatus(this.status);
  }

  private store(groups: readonly { document: string; edits: readonly Edit[] }[]): void {
    const rows = groups.flatMap(({ document, edits }) => {
      const base = this.documents.get(document)?.replica.base ?? 0;
      return edits.map((edit) => ({
        id: edit.id,
        document,
        base,
        order: this.order++,
        session: this.options.session,
        edit,
      }));
    });
    if (rows.length === 0) return;
    this.options.outbox.put(rows).then(
      () => {
        const failed = this.storageFailed;
        this.storageFailed = false;
        for (const r of rows) this.unstored.delete(r.id);
        if (failed) this.tell();
      },
      () => {
        this.storageFailed = true;
        this.tell();
      },
    );
  }

  /** Tries again to store what the browser could not store. */
  private storeAgain(): void {
    if (!this.storageFailed) return;
    this.store(
      [...this.documents].map(([document, { replica }]) => ({
        document,
        edits: replica.queue.filter((e) => this.unstored.has(e.id)),
      })),
    );
  }

  private schedule(ms: number): void {
    if (this.options.auto === false || this.timer) return;
    this.timer = setTimeout(() => {
      this.timer = null;
      for (const [id, t] of this.documents) if (t.replica.queue.length > 0 && !t.sending) void this.sendOnce(id);
    }, ms);
  }

  /** Sends a document's oldest edits now and takes in what comes of it. @returns true when something was settled */
  async sendOnce(id: string): Promise<boolean> {
    const t = this.documents.get(id);
    if (!t || t.sending) return false;
    t.sending = true;
    try {
      const out = await exchange(id, t.replica, this.options.send);
      if (out.kind === "idle") return false;
      if (out.kind === "later") {
        this.reached = false;
        this.storeAgain();
        this.retryMs = Math.min(RETRY_MOST_MS, this.retryMs * 1.7);
        this.schedule(this.retryMs);
        return false;
      }
      this.reached = true;
      this.retryMs = RETRY_FIRST_MS;
      if (out.kind === "refused") await this.putAside(id, out.edits, out.reason, out.message, t.replica.body);
      else await this.settle(id, t, out.taken, out.confirmed);
      return true;
    } catch (error) {
      // What the server says does not fit what this page has: nothing is dropped, and the page is told.
      const edits = t.replica.queue;
      t.replica.queue = [];
      await this.putAside(id, edits, "behind", problemOf(error), null);
      return true;
    } finally {
      this.arrived(id, t);
    }
  }

  /**
   * Takes in what others did meanwhile, without anything of one's own to send.
   * @param ask every edit after a revision
   */
  async pull(id: string, ask: Ask): Promise<void> {
    const t = this.documents.get(id);
    if (!t) return;
    if (t.sending) {
      t.asked = ask;
      return;
    }
    t.sending = true;
    try {
      const { base } = t.replica;
      const answer = await ask(base);
      // A document that a page has further than the server is seen to when something is sent.
      if (answer.revision <= base) return;
      const before = new Set(t.replica.queue.map((e) => e.id));
      const taken = t.replica.take(answer);
      await this.settle(
        id,
        t,
        taken,
        answer.log.filter((l) => before.has(l.id)).map((l) => l.id),
      );
    } catch {
      // Not reached: the next news, or the next edit, asks again.
    } finally {
      this.arrived(id, t);
    }
  }

  /** Something on its way has come back: what waited for that goes on. */
  private arrived(id: string, t: Tracked): void {
    t.sending = false;
    this.tell();
    const { asked } = t;
    t.asked = null;
    if (asked) void this.pull(id, asked);
    else if (this.reached && t.replica.queue.length > 0) this.schedule(0);
  }

  private async settle(id: string, t: Tracked, taken: Taken<object>, confirmed: string[]): Promise<void> {
    await this.acknowledge(id, t, confirmed);
    if (taken.kind === "rebased") this.events.onRebased(id, taken.body, taken.foreign);
    else if (taken.kind === "behind")
      await this.putAside(id, taken.rest, "behind", "The server has an older state of this than the page.", null);
    else if (taken.kind === "clash") {
      // The edits stay in the outbox until the copy is stored: whatever dies meanwhile, they are somewhere.
      const stored = await this.events.onClash(id, taken.body, taken.mine);
      if (stored)
        await this.acknowledge(
          id,
          t,
          taken.rest.map((e) => e.id),
        );
      else await this.putAside(id, taken.rest, "conflict", "Someone else changed the same meanwhile.", taken.body);
    }
  }

  private async acknowledge(id: string, t: Tracked, ids: readonly string[]): Promise<void> {
    for (const e of ids) this.unstored.delete(e);
    // Without storage there is nothing to take out; with it, a row left over is known to the server by its id.
    await this.options.outbox.acknowledge(id, this.options.session, ids, t.replica.base).catch(() => {});
  }

  private async putAside(
    document: string,
    edits: Edit[],
    reason: AsideReason,
    message: string,
    body: object | null,
  ): Promise<void> {
    const aside: Aside = {
      id: freshId(),
      project: this.options.project,
      document,
      name: this.options.nameOf(document),
      reason,
      message,
      at: Date.now(),
      edits,
    };
    for (const e of edits) this.unstored.delete(e.id);
    await this.options.outbox.setAside(aside).catch(() => {
      for (const e of edits) this.unstored.add(e.id);
      this.storageFailed = true;
    });
    this.events.onAside(aside, body);
  }
}
