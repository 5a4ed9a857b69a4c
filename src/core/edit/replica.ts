import { type Edit, editBytes, meet, type Patch, patched } from "./patches";

/** One line of a document's log, as the server tells it: null for patches that the asker sent itself. */
export interface LogLine {
  revision: number;
  id: string;
  patches: Patch[] | null;
}

/** What the server says to a batch of edits: its revision now, and every edit after the one the batch was made on. */
export interface LogAnswer {
  revision: number;
  log: LogLine[];
}

/** Most edits and bytes of one batch; one edit always goes, whatever its size. */
export const BATCH_MAX_EDITS = 200;
export const BATCH_MAX_BYTES = 2 * 1024 * 1024;

/** What came of an answer. `body` is what to show now. */
export type Taken<T> =
  /** Nobody else did anything: what is shown stays. */
  | { kind: "plain" }
  /** Others' edits came in, and what is not sent yet was laid over them. */
  | { kind: "rebased"; body: T; foreign: Patch[] }
  /** What is not sent yet meets others' edits, or the server could not lay it over them. `mine` is what was shown. */
  | { kind: "clash"; body: T; foreign: Patch[]; mine: T; rest: Edit[] }
  /** The server has an older state than the one this copy stands on. */
  | { kind: "behind"; rest: Edit[] };

/**
 * One client's copy of a document: what the server has confirmed, and edits made since, in order. Pure; who owns it
 * sends {@link batch} with {@link base} and gives every answer to {@link take}. Answers bring *every* edit after the
 * base, so a copy never steps over an edit that it has not seen.
 */
export class Replica<T extends object> {
  constructor(
    /** Newest revision that the server has confirmed. */
    public base: number,
    /** The document at that revision. */
    public acked: T,
    /** Edits that the server has not confirmed, oldest first. */
    public queue: Edit[] = [],
  ) {}

  /** Lays edits over a document. */
  protected over(body: T, edits: readonly Edit[]): T {
    return edits.reduce<T>((b, e) => patched(b, e.patches), body);
  }

  /** The document with everything that was done here. */
  get body(): T {
    return this.over(this.acked, this.queue);
  }

  /** What to send next: the oldest edits, within bounds of count and bytes. */
  batch(most = BATCH_MAX_EDITS, mostBytes = BATCH_MAX_BYTES): Edit[] {
    const out: Edit[] = [];
    let bytes = 0;
    for (const edit of this.queue) {
      bytes += editBytes(edit);
      if (out.length > 0 && (out.length >= most || bytes > mostBytes)) break;
      out.push(edit);
    }
    return out;
  }

  /**
   * Takes an answer in. With `clash` the server refused to lay the rest over the log. Afterwards the queue holds only
   * what is still to be sent; after a clash it is empty, and `rest` is the caller's to keep.
   */
  take(answer: LogAnswer, clash = false): Taken<T> {
    if (answer.revision < this.base) {
      const rest = this.queue;
      this.queue = [];
      return { kind: "behind", rest };
    }
    const own = new Map(this.queue.map((e) => [e.id, e]));
    const mine = this.acked;
    const queue = this.queue;
    const foreign: Patch[] = [];
    const known = new Set<string>();
    let acked = this.acked;
    for (const line of answer.log) {
      const sent = own.get(line.id);
      const patches = sent?.patches ?? line.patches;
      if (!patches) throw new Error(`The log names an edit that was not sent (${line.id}).`);
      if (sent) known.add(line.id);
      else for (const p of patches) foreign.push(p as Patch);
      acked = this.over(acked, [{ id: line.id, label: "", patches: patches as Edit["patches"] }]);
    }
    const rest = queue.filter((e) => !known.has(e.id));
    this.base = answer.revision;
    this.acked = acked;
    this.queue = rest;
    const met =
      rest.length > 0 &&
      (clash ||
        meet(
          foreign,
          rest.flatMap((e) => e.patches),
        ));
    if (met) {
      this.queue = [];
      return { kind: "clash", body: acked, foreign, mine: this.over(mine, queue), rest };
    }
    return foreign.length === 0 ? { kind: "plain" } : { kind: "rebased", body: this.body, foreign };
  }

  /**
   * Leaves out an edit that the server will never take, and those behind it that cannot stand without it.
   * @returns what was left out, oldest first
   */
  leaveOut(id: string): Edit[] {
    const out: Edit[] = [];
    const kept: Edit[] = [];
    let body = this.acked;
    for (const edit of this.queue) {
      if (edit.id !== id) {
        try {
          body = this.over(body, [edit]);
          kept.push(edit);
          continue;
        } catch {
          // It was made on what is left out.
        }
      }
      out.push(edit);
    }
    this.queue = kept;
    return out;
  }
}

/** A copy that is not looked at: edits that wait to be sent, without the document they belong to. */
export class LogOnly extends Replica<object> {
  constructor(base: number, queue: Edit[]) {
    super(base, {}, queue);
  }
  protected override over(): object {
    return {};
  }
}
