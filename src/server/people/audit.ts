import type { Actor } from "../access/actor";
import type { Row, Sql } from "../database/pool";

/** What is written down, and in which words it is shown. */
export const AUDITED = {
  "signed-in": "signed in",
  "sign-in-limited": "too many attempts to sign in",
  "signed-out": "signed out",
  "signed-out-everywhere": "signed out everywhere",
  "session-ended": "ended a session",
  "password-changed": "changed the password",
  "password-reset": "chose a new password by mail",
  "reset-asked": "asked for a new password",
  "name-changed": "changed the own name",
  invited: "invited",
  "invitation-withdrawn": "withdrew an invitation",
  joined: "joined",
  "role-changed": "changed what somebody is",
  removed: "removed",
  "workspace-made": "made the workspace",
  "round-sent": "sent for review",
  "link-made": "made a link for review",
  "link-withdrawn": "withdrew a link for review",
  "project-limited": "chose who sees a project",
  "project-made": "made a project",
  "project-removed": "removed a project",
} as const;
export type Audited = keyof typeof AUDITED;

export interface AuditLine {
  id: number;
  at: string;
  who: string;
  what: Audited;
  words: string;
  detail: string;
  address: string;
}

/** Writes down that somebody did something. `who` as it is to be read later: name and address. */
export async function writeAudit(
  sql: Sql,
  line: { workspaceId: string; who: string; what: Audited; detail?: string; address: string },
): Promise<void> {
  await sql.query(
    "INSERT INTO audit (workspace_id, at, who, what, detail, address) VALUES (?, UTC_TIMESTAMP(3), ?, ?, ?, ?)",
    [
      line.workspaceId,
      line.who.slice(0, 600),
      line.what,
      (line.detail ?? "").slice(0, 1000),
      line.address.slice(0, 64),
    ],
  );
}

/** The workspace's list, newest first, `most` lines from before `before` on. */
export async function readAudit(sql: Sql, actor: Actor, before: number | null, most = 100): Promise<AuditLine[]> {
  const [rows] = await sql.query<Row[]>(
    "SELECT id, at, who, what, detail, address FROM audit WHERE workspace_id = ? AND id < ? ORDER BY id DESC LIMIT ?",
    [actor.workspaceId, before ?? Number.MAX_SAFE_INTEGER, most],
  );
  return rows.map((r) => ({
    id: Number(r.id),
    at: (r.at as Date).toISOString(),
    who: r.who,
    what: r.what,
    words: AUDITED[r.what as Audited] ?? r.what,
    detail: r.detail,
    address: r.address,
  }));
}
