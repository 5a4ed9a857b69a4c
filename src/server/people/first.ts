import { timingSafeEqual } from "node:crypto";
import type { Actor, From } from "../access/actor";
import { freshSecret, hashOfSecret } from "../access/secret";
import { type Database, type Row, type Sql, transaction } from "../database/pool";
import { newId } from "../ids";
import { audited, newPassword } from "./accounts";
import { mayTry, SECRET_LIMITS, TOO_MANY } from "./attempts";
import { emailKey } from "./email";
import { PeopleError } from "./problem";

/** Whether an installation still waits for its first owner: nobody has a password. */
export async function needsFirst(sql: Sql): Promise<boolean> {
  const [rows] = await sql.query<Row[]>(
    "SELECT 1 FROM users WHERE password_hash IS NOT NULL AND removed_at IS NULL LIMIT 1",
  );
  return rows.length === 0;
}

/**
 * A fresh token for whoever started the installation; earlier ones are good no longer. @returns null when there is an
 * owner already
 */
export async function firstToken(sql: Sql): Promise<string | null> {
  if (!(await needsFirst(sql))) return null;
  const token = freshSecret();
  await sql.query("UPDATE installation SET first_token = ? WHERE id = 1", [hashOfSecret(token)]);
  return token;
}

/** Makes workspace and first owner, once. @throws PeopleError */
export async function makeFirst(
  pool: Database,
  token: string,
  { workspace, name, email, password }: { workspace: string; name: string; email: string; password: string },
  from: From,
): Promise<Actor> {
  if (!(await mayTry(pool, "first", "", from.address, SECRET_LIMITS))) throw new PeopleError(429, TOO_MANY);
  const judge = async (sql: Sql, lock: string) => {
    const [rows] = await sql.query<Row[]>(`SELECT first_token FROM installation WHERE id = 1 ${lock}`);
    const kept = rows[0]?.first_token as Buffer | null | undefined;
    if (!(await needsFirst(sql))) throw new PeopleError(410, "This installation has its owner already. Sign in.");
    if (!kept || !timingSafeEqual(kept, hashOfSecret(token)))
      throw new PeopleError(403, "Open the address that the start command printed last, to its last letter.");
  };
  await judge(pool, "");
  const hash = await newPassword(password, [name, email, workspace]);
  return transaction(pool, async (sql) => {
    await judge(sql, "FOR UPDATE");
    const actor: Actor = { userId: newId(), userName: name, workspaceId: newId(), role: "owner" };
    await sql.query("INSERT INTO workspaces (id, name) VALUES (?, ?)", [actor.workspaceId, workspace]);
    await sql.query(
      "INSERT INTO users (id, workspace_id, name, role, email, email_key, password_hash) VALUES (?, ?, ?, 'owner', ?, ?, ?)",
      [actor.userId, actor.workspaceId, name, email, emailKey(email), hash],
    );
    await sql.query("UPDATE installation SET first_token = NULL WHERE id = 1");
    await audited(sql, actor, "workspace-made", from, workspace);
    return actor;
  });
}
