import { type ImportSettings, ImportSettingsSchema } from "../../core/assembly/importSettings";
import type { DocumentKind } from "../../core/document/parse";
import type { Identities } from "../../core/revision/identity";
import type { Actor } from "../access/actor";
import { type Scope, SEEN, seenBy } from "../access/scope";
import { type Database, type Row, type Sql, type Statement, transaction } from "../database/pool";
import { newId } from "../ids";

export interface ProjectSummary {
  id: string;
  name: string;
  updatedAt: string;
  /** File name of the current assembly revision; null before the first import. */
  fileName: string | null;
  hasThumbnail: boolean;
  /** Only some of the workspace's people see it. */
  limited: boolean;
}

const SUMMARY = `SELECT p.id, p.name, p.updated_at, p.thumbnail IS NOT NULL AS has_thumbnail, p.limited,
  (SELECT file_name FROM assembly_revisions r WHERE r.project_id = p.id ORDER BY number DESC LIMIT 1) AS file_name
  FROM projects p WHERE ${SEEN}`;

const summary = (r: Row): ProjectSummary => ({
  id: r.id,
  name: r.name,
  updatedAt: (r.updated_at as Date).toISOString(),
  fileName: r.file_name,
  hasThumbnail: Boolean(r.has_thumbnail),
  limited: Boolean(r.limited),
});

export async function listProjects(sql: Sql, actor: Actor): Promise<ProjectSummary[]> {
  const [rows] = await sql.query<Row[]>(`${SUMMARY} ORDER BY p.updated_at DESC, p.id LIMIT 500`, seenBy(actor));
  return rows.map(summary);
}

export async function getProject(sql: Sql, actor: Actor, id: string): Promise<ProjectSummary | null> {
  const [rows] = await sql.query<Row[]>(`${SUMMARY} AND p.id = ?`, [...seenBy(actor), id]);
  return rows[0] ? summary(rows[0]) : null;
}

/** Whether somebody has such a project, as a question: it has an answer where they do. */
export const seeingProject = (actor: Scope, id: string): Statement => ({
  sql: `SELECT p.id FROM projects p WHERE ${SEEN} AND p.id = ?`,
  values: [...seenBy(actor), id],
});

/** Whether somebody has such a project. */
export async function seesProject(sql: Sql, actor: Scope, id: string): Promise<boolean> {
  const asked = seeingProject(actor, id);
  const [rows] = await sql.query<Row[]>(asked.sql, [...asked.values]);
  return rows.length > 0;
}

export async function createProject(sql: Sql, actor: Actor, name: string): Promise<string> {
  const id = newId();
  await sql.query("INSERT INTO projects (id, workspace_id, name) VALUES (?, ?, ?)", [id, actor.workspaceId, name]);
  return id;
}

/** @returns false when the actor has no such project. */
export async function renameProject(sql: Sql, actor: Actor, id: string, name: string): Promise<boolean> {
  if (!(await seesProject(sql, actor, id))) return false;
  await sql.query("UPDATE projects SET name = ? WHERE id = ? AND workspace_id = ?", [name, id, actor.workspaceId]);
  return true;
}

/** @returns false when the actor has no such project. */
export async function deleteProject(sql: Sql, actor: Actor, id: string): Promise<boolean> {
  if (!(await seesProject(sql, actor, id))) return false;
  const [result] = await sql.query("DELETE FROM projects WHERE id = ? AND workspace_id = ?", [id, actor.workspaceId]);
  return (result as { affectedRows: number }).affectedRows > 0;
}

/** @returns false when the actor has no such project. */
export async function setThumbnail(sql: Sql, actor: Actor, id: string, png: Uint8Array): Promise<boolean> {
  if (!(await seesProject(sql, actor, id))) return false;
  await sql.query("UPDATE projects SET thumbnail = ?, updated_at = updated_at WHERE id = ? AND workspace_id = ?", [
    Buffer.from(png),
    id,
    actor.workspaceId,
  ]);
  return true;
}

export async function getThumbnail(sql: Sql, actor: Actor, id: string): Promise<Buffer | null> {
  const [rows] = await sql.query<Row[]>(`SELECT p.thumbnail FROM projects p WHERE ${SEEN} AND p.id = ?`, [
    ...seenBy(actor),
    id,
  ]);
  return (rows[0]?.thumbnail as Buffer | undefined) ?? null;
}

export interface Revision {
  number: number;
  fileName: string;
  sourceSha256: string;
  packageSha256: string;
  settings: ImportSettings;
  /** What documents call the nodes, by own key, where it differs. */
  identities: Identities;
}

const revisionFrom = (r: Row): Revision => ({
  number: r.number,
  fileName: r.file_name,
  sourceSha256: (r.source as string).toLowerCase(),
  packageSha256: (r.package as string).toLowerCase(),
  settings: ImportSettingsSchema.parse(JSON.parse(r.settings)),
  identities: JSON.parse(r.identities) as Identities,
});

const REVISION = `SELECT r.number, r.file_name, HEX(r.source_sha256) AS source, HEX(r.package_sha256) AS package, r.settings, r.identities
  FROM assembly_revisions r JOIN projects p ON p.id = r.project_id WHERE ${SEEN} AND p.id = ?`;

/** Revisions of a project, newest first. */
export async function listRevisions(sql: Sql, actor: Actor, projectId: string, limit = 20): Promise<Revision[]> {
  const [rows] = await sql.query<Row[]>(`${REVISION} ORDER BY r.number DESC LIMIT ?`, [
    ...seenBy(actor),
    projectId,
    limit,
  ]);
  return rows.map(revisionFrom);
}

/**
 * Puts another revision in place, if `base` is still the newest. @returns its number, or null when someone else was
 * faster.
 */
export async function addRevision(
  pool: Database,
  actor: Scope,
  projectId: string,
  base: number,
  revision: Omit<Revision, "number">,
): Promise<number | null> {
  return transaction(pool, async (sql) => {
    const [project] = await sql.query<Row[]>(`SELECT p.id FROM projects p WHERE ${SEEN} AND p.id = ? FOR UPDATE`, [
      ...seenBy(actor),
      projectId,
    ]);
    if (project.length === 0) return null;
    const [last] = await sql.query<Row[]>(
      "SELECT COALESCE(MAX(number), 0) AS n FROM assembly_revisions WHERE project_id = ?",
      [projectId],
    );
    if (Number(last[0]?.n) !== base) return null;
    await insertRevision(sql, projectId, base + 1, revision);
    await sql.query("UPDATE projects SET updated_at = UTC_TIMESTAMP(3) WHERE id = ?", [projectId]);
    return base + 1;
  });
}

async function insertRevision(
  sql: Sql,
  projectId: string,
  number: number,
  revision: Omit<Revision, "number">,
): Promise<void> {
  await sql.query(
    "INSERT INTO assembly_revisions (id, project_id, number, file_name, source_sha256, package_sha256, settings, identities) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
    [
      newId(),
      projectId,
      number,
      revision.fileName.slice(0, 255),
      Buffer.from(revision.sourceSha256, "hex"),
      Buffer.from(revision.packageSha256, "hex"),
      JSON.stringify(revision.settings),
      JSON.stringify(revision.identities),
    ],
  );
}

/** The newest assembly revision of a project. */
export async function currentRevision(sql: Sql, actor: Actor, projectId: string): Promise<Revision | null> {
  return (await listRevisions(sql, actor, projectId, 1))[0] ?? null;
}

/** A project has an assembly already, and a first one cannot be put in its place. */
export class AlreadyThere extends Error {}

/**
 * Gives a project its first assembly and its first documents, within the caller's transaction.
 * @returns the documents' ids; none where it has some already
 * @throws AlreadyThere when it has an assembly: two uploads at once make one revision
 */
export async function attachFirst(
  sql: Sql,
  actor: Scope,
  projectId: string,
  revision: Omit<Revision, "number">,
  documents: { kind: DocumentKind; body: unknown }[],
): Promise<string[]> {
  const [project] = await sql.query<Row[]>(`SELECT p.id FROM projects p WHERE ${SEEN} AND p.id = ? FOR UPDATE`, [
    ...seenBy(actor),
    projectId,
  ]);
  if (project.length === 0) throw new Error("The project is gone.");
  const [last] = await sql.query<Row[]>("SELECT COUNT(*) AS n FROM assembly_revisions WHERE project_id = ?", [
    projectId,
  ]);
  if (Number(last[0]?.n) > 0) throw new AlreadyThere("The project has an assembly already.");
  await insertRevision(sql, projectId, 1, revision);
  const [known] = await sql.query<Row[]>("SELECT COUNT(*) AS n FROM documents WHERE project_id = ?", [projectId]);
  const ids: string[] = [];
  if (Number(known[0]?.n) === 0) {
    for (const [i, d] of documents.entries()) ids.push(await insertDocument(sql, projectId, d.kind, i, d.body));
  }
  await sql.query("UPDATE projects SET updated_at = UTC_TIMESTAMP(3) WHERE id = ?", [projectId]);
  return ids;
}

/** Adds a document to a project. @returns its id. */
export async function insertDocument(
  sql: Sql,
  projectId: string,
  kind: DocumentKind,
  position: number,
  body: unknown,
): Promise<string> {
  const id = newId();
  await sql.query(
    "INSERT INTO documents (id, project_id, kind, position, revision, snapshot_revision, snapshot) VALUES (?, ?, ?, ?, 0, 0, ?)",
    [id, projectId, kind, position, JSON.stringify(body)],
  );
  return id;
}
