import { createHash, randomBytes } from "node:crypto";
import type { Row, Sql } from "../database/pool";
import { newId } from "../ids";
import type { Role } from "./matrix";

/** Who is asking. Every repository takes one and scopes its queries by the workspace. */
export interface Actor {
  userId: string;
  userName: string;
  workspaceId: string;
  role: Role;
}

export const SESSION_COOKIE = "plextan_session";
const SESSION_DAYS = 30;

const hash = (token: string) => createHash("sha256").update(token).digest();

/** The actor of a session token, or null when it is unknown or has run out. */
export async function actorOf(sql: Sql, token: string | undefined): Promise<Actor | null> {
  if (!token || token.length > 200) return null;
  const [rows] = await sql.query<Row[]>(
    "SELECT u.id, u.name, u.workspace_id, u.role FROM sessions s JOIN users u ON u.id = s.user_id WHERE s.token_hash = ? AND s.expires_at > UTC_TIMESTAMP(3)",
    [hash(token)],
  );
  const row = rows[0];
  return row ? actorFrom(row) : null;
}

const actorFrom = (row: Row): Actor => ({
  userId: row.id,
  userName: row.name,
  workspaceId: row.workspace_id,
  role: row.role,
});

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

/** The people of the demo, all made up. The second is signed in by itself. */
const DEMO_PEOPLE: readonly { name: string; role: Role }[] = [
  { name: "Tarik Brandt", role: "owner" },
  { name: "Ines Maro", role: "animator" },
  { name: "Jun Odell", role: "animator" },
  { name: "Petra Lindqvist", role: "reviewer" },
];
const DEMO_NAME = "Ines Maro";

/** The demo's made-up animator; she and the others are made on first use. */
export async function demoActor(sql: Sql): Promise<Actor> {
  const [rows] = await sql.query<Row[]>(
    "SELECT id, name, workspace_id, role FROM users WHERE name = ? ORDER BY created_at LIMIT 1",
    [DEMO_NAME],
  );
  const row = rows[0];
  const workspaceId: string = row?.workspace_id ?? newId();
  if (!row) await sql.query("INSERT INTO workspaces (id, name) VALUES (?, ?)", [workspaceId, "Rill Works"]);
  const actor = row ? actorFrom(row) : { userId: newId(), userName: DEMO_NAME, workspaceId, role: "animator" as const };
  const there = new Set((await demoPeople(sql, workspaceId)).map((p) => p.name));
  for (const { name, role } of DEMO_PEOPLE)
    if (!there.has(name))
      await sql.query("INSERT INTO users (id, workspace_id, name, role) VALUES (?, ?, ?, ?)", [
        name === DEMO_NAME ? actor.userId : newId(),
        workspaceId,
        name,
        role,
      ]);
  return actor;
}

export interface Person {
  id: string;
  name: string;
  role: Role;
}

/** Everybody in a workspace, owners first. */
export async function demoPeople(sql: Sql, workspaceId: string): Promise<Person[]> {
  const [rows] = await sql.query<Row[]>(
    "SELECT id, name, role FROM users WHERE workspace_id = ? ORDER BY role, created_at, name LIMIT 200",
    [workspaceId],
  );
  return rows.map((r) => ({ id: r.id, name: r.name, role: r.role }));
}

/** Somebody of the demo's workspace, to be signed in as; null for anybody else. */
export async function demoPerson(sql: Sql, workspaceId: string, id: string): Promise<Actor | null> {
  const [rows] = await sql.query<Row[]>(
    "SELECT id, name, workspace_id, role FROM users WHERE id = ? AND workspace_id = ?",
    [id, workspaceId],
  );
  return rows[0] ? actorFrom(rows[0]) : null;
}
