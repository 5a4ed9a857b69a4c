import { type Actor, endSessions, type From } from "../access/actor";
import { type Role, refusalOf } from "../access/matrix";
import { type Database, type Row, type Sql, throughDoor, transaction } from "../database/pool";
import { audited, named } from "./accounts";
import { PeopleError } from "./problem";

export interface Person {
  id: string;
  name: string;
  email: string | null;
  role: Role;
}

/** Everybody in a workspace, owners first. */
export async function listPeople(sql: Sql, actor: Pick<Actor, "workspaceId">): Promise<Person[]> {
  const [rows] = await sql.query<Row[]>(
    "SELECT id, name, email, role FROM users WHERE workspace_id = ? AND removed_at IS NULL ORDER BY role, created_at, name LIMIT 500",
    [actor.workspaceId],
  );
  return rows.map((r) => ({ id: r.id, name: r.name, email: r.email, role: r.role }));
}

export const LAST_OWNER = "A workspace needs an owner. Make somebody else one first.";

/**
 * The one way in which what people are changes: the workspace is locked, so that two owners who act on each other do so
 * one after the other, and the second finds what the first has done.
 * @throws PeopleError 403, 404 or 409
 */
async function withOwners<T>(
  pool: Database,
  actor: Actor,
  id: string,
  /** Whether the person is an owner no longer after this. */
  steps: boolean,
  work: (sql: Sql, person: Person) => Promise<T>,
): Promise<T> {
  return transaction(pool, async (sql) => {
    // Two owners who make each other animators at once must see each other, or nobody is one afterwards.
    await throughDoor(sql, `people ${actor.workspaceId}`);
    const people = await listPeople(sql, actor);
    const me = people.find((p) => p.id === actor.userId);
    if (me?.role !== "owner") throw new PeopleError(403, refusalOf(me?.role ?? "reviewer", "people.manage"));
    const person = people.find((p) => p.id === id);
    if (!person) throw new PeopleError(404, "This person does not exist, or you may not see them.");
    if (steps && person.role === "owner" && people.filter((p) => p.role === "owner").length === 1)
      throw new PeopleError(409, LAST_OWNER);
    return work(sql, person);
  });
}

/** Changes what somebody is. The last owner stays one. @throws PeopleError */
export function changeRole(pool: Database, actor: Actor, id: string, role: Role, from: From): Promise<void> {
  return withOwners(pool, actor, id, role !== "owner", async (sql, person) => {
    if (person.role === role) return;
    await sql.query("UPDATE users SET role = ? WHERE id = ? AND workspace_id = ?", [role, id, actor.workspaceId]);
    await audited(sql, actor, "role-changed", from, `${named(person.name, person.email)}: ${person.role} to ${role}`);
  });
}

/**
 * Removes somebody: sessions end at once, invitations they made are withdrawn, what they made stays. The last owner
 * stays. @throws PeopleError
 */
export function removePerson(pool: Database, actor: Actor, id: string, from: From): Promise<void> {
  return withOwners(pool, actor, id, true, async (sql, person) => {
    await audited(sql, actor, "removed", from, named(person.name, person.email));
    await sql.query(
      "UPDATE users SET removed_at = UTC_TIMESTAMP(3), email_key = NULL, password_hash = NULL WHERE id = ? AND workspace_id = ?",
      [id, actor.workspaceId],
    );
    await endSessions(sql, id, "removed");
    await sql.query("DELETE FROM reset_tokens WHERE user_id = ?", [id]);
    await sql.query("DELETE FROM project_people WHERE user_id = ?", [id]);
    await sql.query(
      "UPDATE invitations SET withdrawn_at = UTC_TIMESTAMP(3) WHERE invited_by = ? AND accepted_at IS NULL AND withdrawn_at IS NULL",
      [id],
    );
  });
}
