import type { Actor, From } from "../access/actor";
import type { Role } from "../access/matrix";
import { freshSecret, hashOfSecret } from "../access/secret";
import { type Database, type Row, type Sql, throughDoor, transaction } from "../database/pool";
import { newId } from "../ids";
import { audited, named, newPassword } from "./accounts";
import { mayTry, SECRET_LIMITS, TOO_MANY } from "./attempts";
import { emailKey } from "./email";
import { post } from "./mail/sender";
import { PeopleError } from "./problem";

/** Days for which an invitation is good. */
const DAYS = 7;

export interface Invitation {
  id: string;
  email: string;
  role: Role;
  at: string;
  expires: string;
  expired: boolean;
}

/** Invitations that wait, newest first. */
export async function listInvitations(sql: Sql, actor: Actor): Promise<Invitation[]> {
  const [rows] = await sql.query<Row[]>(
    `SELECT id, email, role, created_at, expires_at, expires_at < UTC_TIMESTAMP(3) AS expired FROM invitations
     WHERE workspace_id = ? AND accepted_at IS NULL AND withdrawn_at IS NULL ORDER BY created_at DESC LIMIT 200`,
    [actor.workspaceId],
  );
  return rows.map((r) => ({
    id: r.id,
    email: r.email,
    role: r.role,
    at: (r.created_at as Date).toISOString(),
    expires: (r.expires_at as Date).toISOString(),
    expired: Boolean(r.expired),
  }));
}

/**
 * Invites somebody by mail. One invitation an address: an earlier one is withdrawn.
 * @returns the link, for whoever would rather hand it over
 * @throws PeopleError 409 when somebody of the workspace has the address
 */
export async function invite(
  pool: Database,
  actor: Actor,
  { email, role }: { email: string; role: Role },
  origin: string,
  from: From,
): Promise<{ id: string; link: string }> {
  const key = emailKey(email);
  const secret = freshSecret();
  const id = newId();
  const workspace = await transaction(pool, async (sql) => {
    await throughDoor(sql, `people ${actor.workspaceId}`);
    const [spaces] = await sql.query<Row[]>("SELECT name FROM workspaces WHERE id = ?", [actor.workspaceId]);
    const [there] = await sql.query<Row[]>("SELECT name FROM users WHERE workspace_id = ? AND email_key = ?", [
      actor.workspaceId,
      key,
    ]);
    if (there[0]) throw new PeopleError(409, `${there[0].name} is here already with this address.`);
    await sql.query(
      "UPDATE invitations SET withdrawn_at = UTC_TIMESTAMP(3) WHERE workspace_id = ? AND email_key = ? AND accepted_at IS NULL AND withdrawn_at IS NULL",
      [actor.workspaceId, key],
    );
    await sql.query(
      `INSERT INTO invitations (id, workspace_id, email, email_key, role, token_hash, invited_by, created_at, expires_at)
       VALUES (?, ?, ?, ?, ?, ?, ?, UTC_TIMESTAMP(3), UTC_TIMESTAMP(3) + INTERVAL ? DAY)`,
      [id, actor.workspaceId, email, key, role, hashOfSecret(secret), actor.userId, DAYS],
    );
    await audited(sql, actor, "invited", from, `${email} as ${role}`);
    return spaces[0]?.name as string;
  });
  const link = `${origin}/invited#${secret}`;
  post(actor.workspaceId, {
    to: email,
    subject: `${actor.userName} invites you to ${workspace} in Plextan`,
    text: `${actor.userName} invites you to work in "${workspace}" as ${role}.\n\nAccept within ${DAYS} days:\n${link}\n\nIf you do not know what this is about, leave it be.\n`,
  });
  return { id, link };
}

/** Withdraws an invitation that waits. @returns false when there is no such one */
export async function withdraw(sql: Sql, actor: Actor, id: string, from: From): Promise<boolean> {
  const [rows] = await sql.query<Row[]>("SELECT email FROM invitations WHERE id = ? AND workspace_id = ?", [
    id,
    actor.workspaceId,
  ]);
  const [done] = await sql.query(
    "UPDATE invitations SET withdrawn_at = UTC_TIMESTAMP(3) WHERE id = ? AND workspace_id = ? AND accepted_at IS NULL AND withdrawn_at IS NULL",
    [id, actor.workspaceId],
  );
  const ok = (done as { affectedRows: number }).affectedRows > 0;
  if (ok) await audited(sql, actor, "invitation-withdrawn", from, rows[0]?.email);
  return ok;
}

interface Found {
  id: string;
  workspaceId: string;
  workspace: string;
  email: string;
  key: string;
  role: Role;
  by: string;
}

/** @throws PeopleError 404 or 410, saying what became of the invitation */
async function find(sql: Sql, secret: string, lock = ""): Promise<Found> {
  const [rows] = await sql.query<Row[]>(
    `SELECT i.*, w.name AS workspace, u.name AS by_name, u.email AS by_email, i.expires_at < UTC_TIMESTAMP(3) AS expired
     FROM invitations i JOIN workspaces w ON w.id = i.workspace_id JOIN users u ON u.id = i.invited_by
     WHERE i.token_hash = ? ${lock}`,
    [hashOfSecret(secret)],
  );
  const r = rows[0];
  if (!r)
    throw new PeopleError(
      404,
      "This link belongs to no invitation. Open it as it stands in the mail, to its last letter.",
    );
  if (r.accepted_at !== null)
    throw new PeopleError(410, "This invitation was accepted already. Sign in with the password that was chosen then.");
  if (r.withdrawn_at !== null)
    throw new PeopleError(410, "This invitation was withdrawn. Ask whoever invited you for another.");
  if (r.expired) throw new PeopleError(410, `This invitation is older than ${DAYS} days. Ask for another.`);
  return {
    id: r.id,
    workspaceId: r.workspace_id,
    workspace: r.workspace,
    email: r.email,
    key: r.email_key,
    role: r.role,
    by: named(r.by_name, r.by_email),
  };
}

/** What an invitation says to whoever has its secret. @throws PeopleError */
export async function lookAtInvitation(
  sql: Sql,
  secret: string,
  from: From,
): Promise<{ workspace: string; email: string; role: Role; by: string }> {
  if (!(await mayTry(sql, "invitation", "", from.address, SECRET_LIMITS))) throw new PeopleError(429, TOO_MANY);
  const { workspace, email, role, by } = await find(sql, secret);
  return { workspace, email, role, by };
}

/** Accepts an invitation, once: makes the account of its address. @throws PeopleError */
export async function accept(
  pool: Database,
  secret: string,
  { name, password }: { name: string; password: string },
  from: From,
): Promise<Actor> {
  if (!(await mayTry(pool, "invitation", "", from.address, SECRET_LIMITS))) throw new PeopleError(429, TOO_MANY);
  const seen = await find(pool, secret);
  const hash = await newPassword(password, [name, seen.email]);
  return transaction(pool, async (sql) => {
    const found = await find(sql, secret, "FOR UPDATE");
    const actor: Actor = { userId: newId(), userName: name, workspaceId: found.workspaceId, role: found.role };
    try {
      await sql.query(
        "INSERT INTO users (id, workspace_id, name, role, email, email_key, password_hash) VALUES (?, ?, ?, ?, ?, ?, ?)",
        [actor.userId, actor.workspaceId, name, found.role, found.email, found.key, hash],
      );
    } catch (error) {
      if ((error as { code?: string }).code === "ER_DUP_ENTRY")
        throw new PeopleError(409, `There is an account with ${found.email} already. Sign in with it.`);
      throw error;
    }
    await sql.query("UPDATE invitations SET accepted_at = UTC_TIMESTAMP(3) WHERE id = ?", [found.id]);
    await audited(sql, actor, "joined", from, `as ${found.role}, invited by ${found.by}`);
    return actor;
  });
}
