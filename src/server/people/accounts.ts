import { type Actor, actorFrom, endSessions, type From, IDLE_HOURS } from "../access/actor";
import { freshSecret, hashOfSecret } from "../access/secret";
import { type Database, type Row, type Sql, transaction } from "../database/pool";
import { log } from "../log";
import { mayTry, RESET_LIMITS, SECRET_LIMITS, SIGN_IN_LIMITS, TOO_MANY, wasRight } from "./attempts";
import { writeAudit } from "./audit";
import { emailKey } from "./email";
import { post } from "./mail/sender";
import { faultOfPassword, hashPassword, isPassword } from "./passwords";
import { PeopleError } from "./problem";

/** Somebody as they are written down: names may be alike, addresses are not. */
export const named = (name: string, email: string | null): string => (email ? `${name} <${email}>` : name);

export interface Account {
  name: string;
  email: string | null;
  hasPassword: boolean;
}

/** What somebody sees of their own account. */
export async function ownAccount(sql: Sql, actor: Actor): Promise<Account> {
  const [rows] = await sql.query<Row[]>(
    "SELECT name, email, password_hash IS NOT NULL AS has_password FROM users WHERE id = ? AND workspace_id = ?",
    [actor.userId, actor.workspaceId],
  );
  const r = rows[0];
  return { name: r?.name ?? actor.userName, email: r?.email ?? null, hasPassword: Boolean(r?.has_password) };
}

/** Writes down what an actor did, under name and address. */
export async function audited(
  sql: Sql,
  actor: Actor,
  what: Parameters<typeof writeAudit>[1]["what"],
  from: From,
  detail = "",
): Promise<void> {
  const { name, email } = await ownAccount(sql, actor);
  await writeAudit(sql, {
    workspaceId: actor.workspaceId,
    who: named(name, email),
    what,
    detail,
    address: from.address,
  });
}

/** Renames the actor. */
export async function renameOwn(sql: Sql, actor: Actor, name: string, from: From): Promise<void> {
  await audited(sql, actor, "name-changed", from, `to ${name}`);
  await sql.query("UPDATE users SET name = ? WHERE id = ? AND workspace_id = ?", [
    name,
    actor.userId,
    actor.workspaceId,
  ]);
}

/**
 * Who has this address and password.
 * @throws PeopleError 401 in the same words and after the same work whether the address, the password or both are wrong;
 * 429 when there were too many attempts
 */
export async function signInBy(sql: Sql, email: string, password: string, from: From): Promise<Actor> {
  const key = emailKey(email);
  const [rows] = await sql.query<Row[]>(
    "SELECT id, name, workspace_id, role, email, password_hash FROM users WHERE email_key = ? AND removed_at IS NULL",
    [key],
  );
  const row = rows[0];
  // Once a window: trying without end does not fill the list.
  const note = async () => {
    if (!row) return;
    const who = named(row.name, row.email);
    await writeAudit(sql, { workspaceId: row.workspace_id, who, what: "sign-in-limited", address: from.address });
  };
  if (!(await mayTry(sql, "sign-in", key, from.address, SIGN_IN_LIMITS, note))) throw new PeopleError(429, TOO_MANY);
  if (!(await isPassword(password, row?.password_hash ?? null)) || !row)
    throw new PeopleError(401, "This address and this password do not belong together.");
  await wasRight(sql, "sign-in", key, from.address);
  return actorFrom(row);
}

/**
 * Changes the own password; every other session ends.
 * @param session the session that goes on
 * @throws PeopleError
 */
export async function changePassword(
  pool: Database,
  actor: Actor,
  session: string,
  present: string,
  next: string,
  from: From,
): Promise<number> {
  const [rows] = await pool.query<Row[]>("SELECT name, email, email_key, password_hash FROM users WHERE id = ?", [
    actor.userId,
  ]);
  const me = rows[0];
  if (!me?.email_key) throw new PeopleError(409, "The made-up people of the demo have no passwords.");
  if (!(await mayTry(pool, "sign-in", me.email_key, from.address, SIGN_IN_LIMITS)))
    throw new PeopleError(429, TOO_MANY);
  if (!(await isPassword(present, me.password_hash))) throw new PeopleError(422, "The present password is not right.");
  await wasRight(pool, "sign-in", me.email_key, from.address);
  const hash = await newPassword(next, [me.name, me.email]);
  const ended = await transaction(pool, async (sql) => {
    await sql.query("UPDATE users SET password_hash = ? WHERE id = ? AND removed_at IS NULL", [hash, actor.userId]);
    await sql.query("DELETE FROM reset_tokens WHERE user_id = ?", [actor.userId]);
    const n = await endSessions(sql, actor.userId, "password", session);
    await audited(sql, actor, "password-changed", from);
    return n;
  });
  tellChanged(actor.workspaceId, me.email);
  return ended;
}

/** Tells the owner of an account that its password is another: whoever did not do that learns of it. */
function tellChanged(workspaceId: string, email: string): void {
  post(workspaceId, {
    to: email,
    subject: "The password of your Plextan account was changed",
    text: `The password of ${email} was changed just now, and its other sessions ended.\n\nIf it was not you, ask for a new one at once, and tell an owner of the workspace.\n`,
  });
}

/** Judges a chosen password and gives what is kept of it. @throws PeopleError 422 */
export async function newPassword(password: string, names: readonly string[]): Promise<string> {
  const fault = faultOfPassword(password, names);
  if (fault) throw new PeopleError(422, fault);
  return hashPassword(password);
}

/** Minutes for which the link to choose a new password is good. */
const RESET_MINUTES = 60;

/**
 * Sends a link for a new password, if there is such an account. Answers the same, and as soon, if there is none.
 * @throws PeopleError 429
 */
export async function askReset(sql: Sql, email: string, origin: string, from: From): Promise<void> {
  const key = emailKey(email);
  if (!(await mayTry(sql, "reset", key, from.address, RESET_LIMITS))) throw new PeopleError(429, TOO_MANY);
  // What only happens for an account that exists happens after the answer.
  void sendReset(sql, key, origin, from).catch((error: unknown) => log().error({ err: error }, "reset"));
}

async function sendReset(sql: Sql, key: string, origin: string, from: From): Promise<void> {
  const [rows] = await sql.query<Row[]>(
    "SELECT id, name, email, workspace_id FROM users WHERE email_key = ? AND removed_at IS NULL",
    [key],
  );
  const row = rows[0];
  if (!row) return;
  const secret = freshSecret();
  await sql.query("DELETE FROM reset_tokens WHERE expires_at < UTC_TIMESTAMP(3) LIMIT 1000");
  await sql.query(
    "INSERT INTO reset_tokens (token_hash, user_id, expires_at) VALUES (?, ?, UTC_TIMESTAMP(3) + INTERVAL ? MINUTE)",
    [hashOfSecret(secret), row.id, RESET_MINUTES],
  );
  await writeAudit(sql, {
    workspaceId: row.workspace_id,
    who: named(row.name, row.email),
    what: "reset-asked",
    address: from.address,
  });
  post(row.workspace_id, {
    to: row.email,
    subject: "A new password for Plextan",
    text: `Somebody, probably you, asked for a new password for ${row.email}.\n\nChoose it here within ${RESET_MINUTES} minutes:\n${origin}/reset#${secret}\n\nIf it was not you, leave this be: nothing changes.\n`,
  });
}

/**
 * Chooses a new password with a secret that was sent; all sessions end. The secret is good once.
 * @throws PeopleError
 */
export async function reset(pool: Database, secret: string, password: string, from: From): Promise<Actor> {
  if (!(await mayTry(pool, "reset-secret", "", from.address, SECRET_LIMITS))) throw new PeopleError(429, TOO_MANY);
  const gone = () => new PeopleError(410, "This link was used already, or is older than an hour. Ask for a new one.");
  const find = async (sql: Sql, lock: string) => {
    const [rows] = await sql.query<Row[]>(
      `SELECT u.id, u.name, u.email, u.workspace_id, u.role FROM reset_tokens t JOIN users u ON u.id = t.user_id
       WHERE t.token_hash = ? AND t.expires_at > UTC_TIMESTAMP(3) AND u.removed_at IS NULL ${lock}`,
      [hashOfSecret(secret)],
    );
    return rows[0];
  };
  const first = await find(pool, "");
  if (!first) throw gone();
  const hash = await newPassword(password, [first.name, first.email]);
  const done = await transaction(pool, async (sql) => {
    const row = await find(sql, "FOR UPDATE");
    if (!row) throw gone();
    await sql.query("UPDATE users SET password_hash = ? WHERE id = ?", [hash, row.id]);
    await sql.query("DELETE FROM reset_tokens WHERE user_id = ?", [row.id]);
    await endSessions(sql, row.id, "password");
    const actor = actorFrom(row);
    await audited(sql, actor, "password-reset", from);
    return actor;
  });
  tellChanged(done.workspaceId, first.email);
  return done;
}

export interface SessionLine {
  id: string;
  began: string;
  seen: string;
  agent: string;
  address: string;
  own: boolean;
}

/** The actor's sessions that stand, last used first. */
export async function ownSessions(sql: Sql, actor: Actor, session: string): Promise<SessionLine[]> {
  const [rows] = await sql.query<Row[]>(
    `SELECT id, created_at, seen_at, agent, address FROM sessions WHERE user_id = ? AND ended IS NULL
     AND expires_at > UTC_TIMESTAMP(3) AND seen_at > UTC_TIMESTAMP(3) - INTERVAL ? HOUR ORDER BY seen_at DESC LIMIT 100`,
    [actor.userId, IDLE_HOURS],
  );
  return rows.map((r) => ({
    id: r.id,
    began: (r.created_at as Date).toISOString(),
    seen: (r.seen_at as Date).toISOString(),
    agent: r.agent,
    address: r.address,
    own: r.id === session,
  }));
}

/** Ends one of the actor's sessions. @returns false when there is no such one */
export async function endOwnSession(sql: Sql, actor: Actor, id: string, from: From): Promise<boolean> {
  const [done] = await sql.query(
    "UPDATE sessions SET ended = 'ended' WHERE id = ? AND user_id = ? AND ended IS NULL AND id <> ''",
    [id, actor.userId],
  );
  const ok = (done as { affectedRows: number }).affectedRows > 0;
  if (ok) await audited(sql, actor, "session-ended", from);
  return ok;
}
