import { createHash, randomBytes } from "node:crypto";
import type { Row, Sql } from "../database/pool";
import { newId } from "../ids";

/** Who is asking. Every repository takes one and scopes its queries by the workspace. */
export interface Actor {
  userId: string;
  userName: string;
  workspaceId: string;
}

export const SESSION_COOKIE = "plextan_session";
const SESSION_DAYS = 30;

const hash = (token: string) => createHash("sha256").update(token).digest();

/** The actor of a session token, or null when it is unknown or has run out. */
export async function actorOf(sql: Sql, token: string | undefined): Promise<Actor | null> {
  if (!token || token.length > 200) return null;
  const [rows] = await sql.query<Row[]>(
    "SELECT u.id, u.name, u.workspace_id FROM sessions s JOIN users u ON u.id = s.user_id WHERE s.token_hash = ? AND s.expires_at > UTC_TIMESTAMP(3)",
    [hash(token)],
  );
  const row = rows[0];
  return row ? { userId: row.id, userName: row.name, workspaceId: row.workspace_id } : null;
}

/** Starts a session and gives its token, which is kept nowhere else. Sweeps out sessions that have run out. */
export async function startSession(sql: Sql, userId: string): Promise<{ token: string; maxAgeSeconds: number }> {
  await sql.query("DELETE FROM sessions WHERE expires_at < UTC_TIMESTAMP(3) LIMIT 1000");
  const token = randomBytes(32).toString("base64url");
  await sql.query(
    "INSERT INTO sessions (token_hash, user_id, expires_at) VALUES (?, ?, UTC_TIMESTAMP(3) + INTERVAL ? DAY)",
    [hash(token), userId, SESSION_DAYS],
  );
  return { token, maxAgeSeconds: SESSION_DAYS * 86_400 };
}

/** Ends a session. */
export async function endSession(sql: Sql, token: string | undefined): Promise<void> {
  if (token && token.length <= 200) await sql.query("DELETE FROM sessions WHERE token_hash = ?", [hash(token)]);
}

/** The demo's made-up animator, made on first use. */
export async function demoActor(sql: Sql): Promise<Actor> {
  const [rows] = await sql.query<Row[]>(
    "SELECT id, name, workspace_id FROM users WHERE name = ? ORDER BY created_at LIMIT 1",
    [DEMO_NAME],
  );
  const row = rows[0];
  if (row) return { userId: row.id, userName: row.name, workspaceId: row.workspace_id };
  const workspaceId = newId();
  const userId = newId();
  await sql.query("INSERT INTO workspaces (id, name) VALUES (?, ?)", [workspaceId, "Rill Works"]);
  await sql.query("INSERT INTO users (id, workspace_id, name) VALUES (?, ?, ?)", [userId, workspaceId, DEMO_NAME]);
  return { userId, userName: DEMO_NAME, workspaceId };
}
const DEMO_NAME = "Ines Maro";
