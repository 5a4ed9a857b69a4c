import type { Actor, From } from "../access/actor";
import { type Database, type Row, type Sql, throughDoor, transaction } from "../database/pool";
import { audited } from "./accounts";
import { listPeople } from "./people";
import { PeopleError } from "./problem";

/** Who sees a project. */
export interface ProjectPeople {
  limited: boolean;
  /** Ids of those who see it beside the owners, while it is limited. */
  people: string[];
}

/** @returns null when the workspace has no such project */
export async function projectPeople(sql: Sql, actor: Actor, project: string): Promise<ProjectPeople | null> {
  const [rows] = await sql.query<Row[]>("SELECT limited FROM projects WHERE id = ? AND workspace_id = ?", [
    project,
    actor.workspaceId,
  ]);
  if (!rows[0]) return null;
  const [people] = await sql.query<Row[]>("SELECT user_id FROM project_people WHERE project_id = ? ORDER BY user_id", [
    project,
  ]);
  return { limited: Boolean(rows[0].limited), people: people.map((p) => p.user_id as string) };
}

/** Limits a project to some people, or opens it to all again. @throws PeopleError 404 or 422 */
export async function limitProject(
  pool: Database,
  actor: Actor,
  project: string,
  { limited, people }: ProjectPeople,
  from: From,
): Promise<void> {
  await transaction(pool, async (sql) => {
    await throughDoor(sql, `limits ${project}`);
    const [rows] = await sql.query<Row[]>("SELECT name FROM projects WHERE id = ? AND workspace_id = ? FOR UPDATE", [
      project,
      actor.workspaceId,
    ]);
    if (!rows[0]) throw new PeopleError(404, "This project does not exist, or you may not see it.");
    const known = new Map((await listPeople(sql, actor)).map((p) => [p.id, p.name]));
    const chosen = [...new Set(people)];
    if (chosen.some((id) => !known.has(id)))
      throw new PeopleError(422, "Somebody chosen here is no longer in the workspace. Open the list again.");
    await sql.query("UPDATE projects SET limited = ?, updated_at = updated_at WHERE id = ?", [
      limited ? 1 : 0,
      project,
    ]);
    await sql.query("DELETE FROM project_people WHERE project_id = ?", [project]);
    if (limited && chosen.length > 0)
      await sql.query("INSERT INTO project_people (project_id, user_id) VALUES ?", [chosen.map((id) => [project, id])]);
    const whom = limited ? `owners${chosen.map((id) => `, ${known.get(id)}`).join("")}` : "everybody here";
    await audited(sql, actor, "project-limited", from, `"${rows[0].name}": ${whom}`);
  });
}
