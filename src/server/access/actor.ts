import type { Row, Sql, Statement } from "../database/pool";
import { newId } from "../ids";
import type { Role } from "./matrix";
import { seenIn } from "./scope";
import { freshSecret, hashOfSecret } from "./secret";

/** Who is asking. Every repository takes one and scopes its queries by the workspace. */
export interface Actor {
  userId: string;
  userName: string;
  workspaceId: string;
  role: Role;
}

/** Days after which a session ends whatever is done in it. */
export const SESSION_DAYS = 30;
/** Hours after which a session ends in which nothing was asked for. */
export const IDLE_HOURS = 12;
/** When a session was used is written down at most so often, s. */
const SEEN_EVERY_S = 60;

/** Why a session ended before its time. */
export type Ended = "signed-out" | "ended" | "removed" | "password";

/** What a token stands for. */
export type Standing =
  | { kind: "actor"; actor: Actor; session: string; sees: boolean }
  /** It stood for somebody once. */
  | { kind: "over"; why: Ended }
  | { kind: "unknown" };

const NAMED = `SELECT u.id, u.name, u.workspace_id, u.role`;

/** Whether somebody sees a round: asked along with who they are, which costs nothing more. */
const SEES_ROUND = `EXISTS (SELECT 1 FROM rounds r JOIN projects p ON p.id = r.project_id
  WHERE r.id = ? AND ${seenIn("u.workspace_id", "u.role = 'owner'", "u.id")})`;

/**
 * Who comes with a session's token. Notes now and then that the session is in use.
 * @param round of which it is told whether they see it
 */
export async function standingOf(sql: Sql, token: string | undefined, round = ""): Promise<Standing> {
  if (!token || token.length > 200) return { kind: "unknown" };
  const hash = hashOfSecret(token);
  const [rows] = await sql.query<Row[]>(
    `${NAMED}, u.removed_at, s.id AS session, s.ended,
       s.expires_at > UTC_TIMESTAMP(3) AND s.seen_at > UTC_TIMESTAMP(3) - INTERVAL ? HOUR AS stands,
       s.seen_at < UTC_TIMESTAMP(3) - INTERVAL ? SECOND AS stale,
       ${round === "" ? "?" : SEES_ROUND} AS sees
     FROM sessions s JOIN users u ON u.id = s.user_id WHERE s.token_hash = ?`,
    [IDLE_HOURS, SEEN_EVERY_S, round, hash],
  );
  const row = rows[0];
  if (!row) return { kind: "unknown" };
  if (row.removed_at !== null) return { kind: "over", why: "removed" };
  if (row.ended !== null) return { kind: "over", why: row.ended };
  if (!row.stands) return { kind: "unknown" };
  if (row.stale) await sql.query("UPDATE sessions SET seen_at = UTC_TIMESTAMP(3) WHERE token_hash = ?", [hash]);
  return { kind: "actor", actor: actorFrom(row), session: row.session, sees: row.sees === 1 };
}

/**
 * A condition that holds while a session's token stands for the same person with the same role, who sees a round: for
 * who was judged a moment ago, and is asked about again in the very statement that does something in their name.
 */
export const stillStands = (token: string, actor: Actor, round: string): Statement => ({
  sql: `EXISTS (SELECT 1 FROM sessions s JOIN users u ON u.id = s.user_id WHERE s.token_hash = ? AND s.ended IS NULL
    AND s.expires_at > UTC_TIMESTAMP(3) AND s.seen_at > UTC_TIMESTAMP(3) - INTERVAL ? HOUR AND u.removed_at IS NULL
    AND u.id = ? AND u.name = ? AND u.workspace_id = ? AND u.role = ? AND ${SEES_ROUND})`,
  values: [...[hashOfSecret(token), IDLE_HOURS, actor.userId, actor.userName, actor.workspaceId, actor.role], round],
});

/** What somebody is told whose session has ended. */
export const ENDED_WORDS: Readonly<Record<Ended, string>> = {
  "signed-out": "You are signed out.",
  ended: "This session was ended from another browser. Sign in again.",
  removed: "You no longer belong to this workspace. Ask an owner if that is a mistake.",
  password: "The password was changed, so this session ended. Sign in with the new one.",
};

export const actorFrom = (row: Row): Actor => ({
  userId: row.id,
  userName: row.name,
  workspaceId: row.workspace_id,
  role: row.role,
});

/** From where a request comes, as far as is known. */
export interface From {
  /** Network address; "" when unknown. */
  address: string;
  /** What the browser calls itself. */
  agent: string;
}

/** Starts a session and gives its token, which is kept nowhere else. Sweeps out sessions that are over. */
export async function startSession(
  sql: Sql,
  userId: string,
  from: From = { address: "", agent: "" },
): Promise<{ token: string; maxAgeSeconds: number }> {
  await sql.query("DELETE FROM sessions WHERE expires_at < UTC_TIMESTAMP(3) LIMIT 1000");
  const token = freshSecret();
  await sql.query(
    `INSERT INTO sessions (token_hash, id, user_id, created_at, seen_at, expires_at, agent, address)
     VALUES (?, ?, ?, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3), UTC_TIMESTAMP(3) + INTERVAL ? DAY, ?, ?)`,
    [hashOfSecret(token), newId(), userId, SESSION_DAYS, from.agent.slice(0, 200), from.address.slice(0, 64)],
  );
  return { token, maxAgeSeconds: SESSION_DAYS * 86_400 };
}

/** Ends the session of a token. */
export async function endSession(sql: Sql, token: string | undefined): Promise<void> {
  if (token && token.length <= 200)
    await sql.query("UPDATE sessions SET ended = 'signed-out' WHERE token_hash = ? AND ended IS NULL", [
      hashOfSecret(token),
    ]);
}

/** Ends all sessions of somebody, or all but one. @returns how many */
export async function endSessions(sql: Sql, userId: string, why: Ended, except = ""): Promise<number> {
  const [done] = await sql.query(
    "UPDATE sessions SET ended = ? WHERE user_id = ? AND ended IS NULL AND id <> ? AND expires_at > UTC_TIMESTAMP(3)",
    [why, userId, except],
  );
  return (done as { affectedRows: number }).affectedRows;
}
