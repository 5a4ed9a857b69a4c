import type { Edit } from "../../core/edit/patches";
import { BATCH_MAX_EDITS, type LogAnswer, type Replica, type Taken } from "../../core/edit/replica";
import { ApiError } from "../api";
import type { AsideReason } from "./outbox";

/** Sends edits made on `base`. @throws ApiError */
export type Send = (document: string, base: number, edits: readonly Edit[]) => Promise<LogAnswer>;

/** What came of sending once. */
export type Exchanged<T> =
  | { kind: "idle" }
  /** Answered; `confirmed` are the ids that are in the log now. */
  | { kind: "taken"; taken: Taken<T>; confirmed: string[] }
  /** These will never be taken as they are; the rest of the queue goes on. */
  | { kind: "refused"; edits: Edit[]; reason: AsideReason; message: string }
  /** Not reached, or busy: the same again in a while. */
  | { kind: "later"; error: unknown };

/** Answers after which the same may be taken another time. */
const PASSING = new Set([401, 408, 421, 425, 429]);

/**
 * Sends the oldest edits of a copy once and takes the answer in. An edit that is refused for good comes out of the
 * queue; where the answer does not say which one it is, ever smaller batches find out.
 */
export async function exchange<T extends object>(
  document: string,
  replica: Replica<T>,
  send: Send,
): Promise<Exchanged<T>> {
  for (let most = BATCH_MAX_EDITS; ; ) {
    const batch = replica.batch(most);
    const first = batch[0];
    if (!first) return { kind: "idle" };
    try {
      return settle(replica, await send(document, replica.base, batch), false);
    } catch (error) {
      if (!(error instanceof ApiError) || error.status === 0 || error.status >= 500 || PASSING.has(error.status))
        return { kind: "later", error };
      if (error.status === 409) return settle(replica, error.body as LogAnswer, true);
      if (error.status === 404 || error.status === 403) {
        const edits = replica.queue;
        replica.queue = [];
        return { kind: "refused", edits, reason: error.status === 404 ? "gone" : "refused", message: error.message };
      }
      const named = (error.body as { edit?: unknown } | null)?.edit;
      const culprit = batch.find((e) => e.id === named) ?? (batch.length === 1 ? first : null);
      if (culprit)
        return { kind: "refused", edits: replica.leaveOut(culprit.id), reason: "refused", message: error.message };
      most = Math.max(1, Math.floor(batch.length / 2));
    }
  }
}

function settle<T extends object>(replica: Replica<T>, answer: LogAnswer, clash: boolean): Exchanged<T> {
  const before = new Set(replica.queue.map((e) => e.id));
  const taken = replica.take(answer, clash);
  return { kind: "taken", taken, confirmed: answer.log.filter((l) => before.has(l.id)).map((l) => l.id) };
}
