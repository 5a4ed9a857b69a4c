import { type Actor, actorFrom } from "../access/actor";
import type { Role } from "../access/matrix";
import { type Database, type Row, type Sql, throughDoor, transaction } from "../database/pool";
import { newId } from "../ids";
import { emailKey } from "./email";

/** The people of the demo, all made up. The second is signed in by itself; none of them has a password. */
const DEMO_PEOPLE: readonly { name: string; email: string; role: Role }[] = [
  { name: "Tarik Brandt", email: "tarik@rill.example", role: "owner" },
  { name: "Ines Maro", email: "ines@rill.example", role: "animator" },
  { name: "Jun Odell", email: "jun@rill.example", role: "animator" },
  { name: "Petra Lindqvist", email: "petra@rill.example", role: "reviewer" },
];
const DEMO_NAME = "Ines Maro";

/** Whether this start is the demo's. */
export const isDemo = (): boolean => process.env.PLEXTAN_DEMO === "1";

/** The demo's made-up animator; she and the others are made on first use. */
export async function demoActor(pool: Database): Promise<Actor> {
  const there = await animator(pool);
  // Who was removed stays so: only a demo without its animator, or from before people had addresses, is filled.
  if (there?.email_key) return actorFrom(there);
  return transaction(pool, async (sql) => {
    // Of several that ask at once, one makes them.
    await throughDoor(sql, "demo");
    const known = await animator(sql);
    if (known?.email_key) return actorFrom(known);
    const workspaceId: string = known?.workspace_id ?? newId();
    if (!known) await sql.query("INSERT INTO workspaces (id, name) VALUES (?, 'Rill Works')", [workspaceId]);
    for (const { name, email, role } of DEMO_PEOPLE) {
      await sql.query(
        "UPDATE users SET email = ?, email_key = ? WHERE workspace_id = ? AND name = ? AND email_key IS NULL AND removed_at IS NULL",
        [email, emailKey(email), workspaceId, name],
      );
      await sql.query(
        "INSERT IGNORE INTO users (id, workspace_id, name, role, email, email_key) VALUES (?, ?, ?, ?, ?, ?)",
        [newId(), workspaceId, name, role, email, emailKey(email)],
      );
    }
    return actorFrom((await animator(sql)) as Row);
  });
}

async function animator(sql: Sql): Promise<Row | undefined> {
  const [rows] = await sql.query<Row[]>(
    "SELECT id, name, workspace_id, role, email_key FROM users WHERE name = ? AND removed_at IS NULL ORDER BY created_at LIMIT 1",
    [DEMO_NAME],
  );
  return rows[0];
}

/** Somebody of the demo's workspace without a password, to be signed in as; null for anybody else. */
export async function demoPerson(sql: Sql, workspaceId: string, id: string): Promise<Actor | null> {
  const [rows] = await sql.query<Row[]>(
    "SELECT id, name, workspace_id, role FROM users WHERE id = ? AND workspace_id = ? AND removed_at IS NULL AND password_hash IS NULL",
    [id, workspaceId],
  );
  return rows[0] ? actorFrom(rows[0]) : null;
}

/** Whom of the demo one can be signed in as: its people, not those who were invited and have a password. */
export async function demoPeople(sql: Sql, workspaceId: string): Promise<{ id: string; name: string; role: Role }[]> {
  const [rows] = await sql.query<Row[]>(
    "SELECT id, name, role FROM users WHERE workspace_id = ? AND removed_at IS NULL AND password_hash IS NULL ORDER BY role, created_at, name LIMIT 200",
    [workspaceId],
  );
  return rows.map((r) => ({ id: r.id, name: r.name, role: r.role }));
}
