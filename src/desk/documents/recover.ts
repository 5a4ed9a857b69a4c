import { freshId } from "../../core/edit/id";
import type { Edit } from "../../core/edit/patches";
import { LogOnly } from "../../core/edit/replica";
import { exchange, type Send } from "./exchange";
import type { Aside, AsideReason, Outbox, OutboxRow } from "./outbox";

export interface Recovered {
  /** Edits that are in the server's log now. */
  sent: number;
  /** What did not fit and was set aside. */
  asides: Aside[];
}

export interface RecoverOptions {
  project: string;
  documents: readonly { id: string; name: string }[];
  outbox: Outbox;
  send: Send;
  /** Pages of this browser that are open: their edits are theirs to send. */
  living(): Promise<ReadonlySet<string>>;
  /** How long to wait for a page that is just closing to be gone, or for an open one to send what it has, ms. */
  patienceMs?: number;
}

const PATIENCE_MS = 1500;
const LOOK_AGAIN_MS = 100;

/**
 * Sends what earlier pages of this browser could not, before the documents are loaded: in slices, each session's edits
 * for themselves. A row leaves the outbox only when its edit is in the log or was set aside.
 * @throws ApiError when the server cannot be reached; everything not confirmed is still in the outbox then
 */
export async function recover({
  project,
  documents,
  outbox,
  send,
  living,
  patienceMs = PATIENCE_MS,
}: RecoverOptions): Promise<Recovered> {
  const out: Recovered = { sent: 0, asides: [] };
  for (const { id, name } of documents) {
    let rows: OutboxRow[];
    for (let waited = 0; ; waited += LOOK_AGAIN_MS) {
      const open = await living();
      const all = await outbox.rows(id).catch(() => []);
      rows = all.filter((r) => !open.has(r.session));
      // A page that is reloaded may seem to be open for a moment still.
      if (rows.length === all.length || waited >= patienceMs) break;
      await new Promise((r) => setTimeout(r, LOOK_AGAIN_MS));
    }
    const sessions = new Map<string, OutboxRow[]>();
    for (const row of rows) sessions.set(row.session, [...(sessions.get(row.session) ?? []), row]);
    for (const [session, own] of sessions) {
      const aside = async (edits: Edit[], reason: AsideReason, message: string) => {
        if (edits.length === 0) return;
        const made: Aside = { id: freshId(), project, document: id, name, reason, message, at: Date.now(), edits };
        await outbox.setAside(made);
        out.asides.push(made);
      };
      out.sent += await sendRows(id, session, own, outbox, send, aside);
    }
  }
  return out;
}

async function sendRows(
  document: string,
  session: string,
  rows: readonly OutboxRow[],
  outbox: Outbox,
  send: Send,
  aside: (edits: Edit[], reason: AsideReason, message: string) => Promise<void>,
): Promise<number> {
  let sent = 0;
  const log = new LogOnly(
    Math.min(...rows.map((r) => r.base)),
    rows.map((r) => r.edit),
  );
  for (;;) {
    const made = await exchange(document, log, send);
    if (made.kind === "idle") return sent;
    if (made.kind === "later") throw made.error;
    if (made.kind === "refused") {
      await aside(made.edits, made.reason, made.message);
      continue;
    }
    sent += made.confirmed.length;
    await outbox.acknowledge(document, session, made.confirmed, log.base);
    if (made.taken.kind === "clash")
      await aside(made.taken.rest, "conflict", "Someone else changed the same meanwhile.");
    if (made.taken.kind === "behind")
      await aside(made.taken.rest, "behind", "The server has an older state of this than the page had.");
  }
}
