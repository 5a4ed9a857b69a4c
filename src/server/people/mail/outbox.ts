import { appendFile } from "node:fs/promises";
import type { Actor } from "../../access/actor";
import type { Row, Sql } from "../../database/pool";
import type { Mail, MailSender } from "./port";

export interface OutboxMail extends Mail {
  id: number;
  at: string;
}

/**
 * The stand-in for a mail server: what would be sent lies in a box that owners can read, and, for other programs, as a
 * line of JSON in a file. It holds secrets of links as any mailbox does; where a mail server is set, nothing comes here.
 */
export const outbox = (sql: () => Sql, file: string | undefined): MailSender => ({
  async send(workspaceId, { to, subject, text }) {
    const at = new Date();
    await sql().query(
      "INSERT INTO outbox (workspace_id, at, recipient, subject, body) VALUES (?, UTC_TIMESTAMP(3), ?, ?, ?)",
      [workspaceId, to, subject.slice(0, 300), text],
    );
    if (file)
      await appendFile(file, `${JSON.stringify({ at: at.toISOString(), to, subject, text })}\n`, { mode: 0o600 });
  },
});

/** The workspace's mail, newest first. */
export async function readOutbox(sql: Sql, actor: Actor, most = 200): Promise<OutboxMail[]> {
  const [rows] = await sql.query<Row[]>(
    "SELECT id, at, recipient, subject, body FROM outbox WHERE workspace_id = ? ORDER BY id DESC LIMIT ?",
    [actor.workspaceId, most],
  );
  return rows.map((r) => ({
    id: Number(r.id),
    at: (r.at as Date).toISOString(),
    to: r.recipient,
    subject: r.subject,
    text: r.body,
  }));
}
