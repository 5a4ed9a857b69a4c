import type { Actor } from "../access/actor";
import type { Row, Sql } from "../database/pool";

/** Somebody at a project's desk. */
export interface Present {
  tab: string;
  name: string;
  sequence: string;
  step: string;
}

/** What is told of a project while desks are open on it. */
export interface ProjectNews {
  /** Revisions of its documents, by id. */
  documents: Record<string, number>;
  /** The newest revision of the CAD file; 0 before there is one. */
  assembly: number;
  people: Present[];
}

/** Who has said nothing for so long is not there any longer, s. */
const GONE_S = 12;

/** Notes that somebody is at a step. The caller has checked the project. */
export async function bePresent(
  sql: Sql,
  actor: Actor,
  project: string,
  at: { tab: string; sequence: string; step: string },
): Promise<void> {
  await sql.query("DELETE FROM presence WHERE seen_at < UTC_TIMESTAMP(3) - INTERVAL 1 HOUR LIMIT 100");
  await sql.query(
    `INSERT INTO presence (tab, project_id, user_id, sequence_id, step, seen_at) VALUES (?, ?, ?, ?, ?, UTC_TIMESTAMP(3))
     ON DUPLICATE KEY UPDATE
       sequence_id = IF(user_id = VALUES(user_id), VALUES(sequence_id), sequence_id),
       step = IF(user_id = VALUES(user_id), VALUES(step), step),
       project_id = IF(user_id = VALUES(user_id), VALUES(project_id), project_id),
       seen_at = IF(user_id = VALUES(user_id), VALUES(seen_at), seen_at)`,
    [at.tab, project, actor.userId, at.sequence, at.step],
  );
}

/** Somebody's page is closed. */
export async function leave(sql: Sql, actor: Actor, tab: string): Promise<void> {
  await sql.query("DELETE FROM presence WHERE tab = ? AND user_id = ?", [tab, actor.userId]);
}

/** What there is to tell of a project now. The caller has checked that it may be told. */
export async function projectNews(sql: Sql, project: string): Promise<ProjectNews> {
  const [documents] = await sql.query<Row[]>("SELECT id, revision FROM documents WHERE project_id = ? ORDER BY id", [
    project,
  ]);
  const [assembly] = await sql.query<Row[]>(
    "SELECT COALESCE(MAX(number), 0) AS n FROM assembly_revisions WHERE project_id = ?",
    [project],
  );
  const [people] = await sql.query<Row[]>(
    `SELECT x.tab, u.name, x.sequence_id, x.step FROM presence x JOIN users u ON u.id = x.user_id
     WHERE x.project_id = ? AND x.seen_at > UTC_TIMESTAMP(3) - INTERVAL ? SECOND AND u.removed_at IS NULL
     ORDER BY u.name, x.tab LIMIT 100`,
    [project, GONE_S],
  );
  return {
    documents: Object.fromEntries(documents.map((d) => [d.id, d.revision])),
    assembly: Number(assembly[0]?.n ?? 0),
    people: people.map((p) => ({ tab: p.tab, name: p.name, sequence: p.sequence_id, step: p.step })),
  };
}
