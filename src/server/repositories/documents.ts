import type { Pool } from "mysql2/promise";
import { type DocumentBody, type DocumentKind, parseDocument } from "../../core/document/documents";
import { type Edit, patched } from "../../core/edit/patches";
import type { Actor } from "../access/actor";
import { type Row, type Sql, transaction } from "../database/pool";
import { insertDocument } from "./projects";

/** Edits between two snapshots. */
const SNAPSHOT_EVERY = 40;

export interface StoredDocument {
  id: string;
  kind: DocumentKind;
  revision: number;
  body: DocumentBody;
}

export interface LoggedEdit extends Edit {
  revision: number;
}

export type AppendResult =
  | { ok: true; revision: number }
  /** Someone else was faster; `edits` is what the sender has not seen. */
  | { ok: false; reason: "conflict"; revision: number; edits: LoggedEdit[] }
  | { ok: false; reason: "gone" };

const SELECT = `SELECT d.id, d.kind, d.revision, d.snapshot_revision, d.snapshot FROM documents d
  JOIN projects p ON p.id = d.project_id WHERE p.workspace_id = ?`;

/** All documents of a project, in order. */
export async function listDocuments(sql: Sql, actor: Actor, projectId: string): Promise<StoredDocument[]> {
  const [rows] = await sql.query<Row[]>(`${SELECT} AND p.id = ? ORDER BY d.position, d.id`, [actor.workspaceId, projectId]);
  return Promise.all(
    rows.map(async (row) => {
      const { upgraded: _, ...document } = await materialise(sql, row);
      return document;
    }),
  );
}

async function materialise(sql: Sql, row: Row): Promise<StoredDocument & { upgraded: boolean }> {
  let body = JSON.parse(row.snapshot) as object;
  if (row.revision > row.snapshot_revision) {
    const edits = await editsSince(sql, row.id, row.snapshot_revision);
    for (const e of edits) body = patched(body, e.patches);
  }
  const valid: DocumentBody = parseDocument(row.kind as "sequence", body);
  return { id: row.id, kind: row.kind, revision: row.revision, body: valid, upgraded: (body as { version?: number }).version !== valid.version };
}

/** Edits after a revision, oldest first. The caller has checked that the actor may see the document. */
async function editsSince(sql: Sql, documentId: string, revision: number): Promise<LoggedEdit[]> {
  const [rows] = await sql.query<Row[]>("SELECT revision, edit_id, label, patches FROM edit_log WHERE document_id = ? AND revision > ? ORDER BY revision", [documentId, revision]);
  return rows.map((r) => ({ revision: r.revision, id: r.edit_id, label: r.label, patches: JSON.parse(r.patches) }));
}

/**
 * Appends edits made on revision `base`. All or nothing, in one transaction: the document is locked, edits already
 * logged are left out (so sending again is harmless), the result is validated, the log and the revision grow.
 * @throws DocumentError when the result is not a valid document.
 */
export async function appendEdits(pool: Pool, actor: Actor, documentId: string, base: number, edits: readonly Edit[]): Promise<AppendResult> {
  return transaction(pool, async (sql): Promise<AppendResult> => {
    const [rows] = await sql.query<Row[]>(`${SELECT} AND d.id = ? FOR UPDATE`, [actor.workspaceId, documentId]);
    const row = rows[0];
    if (!row) return { ok: false, reason: "gone" };
    const [known] = await sql.query<Row[]>("SELECT edit_id FROM edit_log WHERE document_id = ? AND edit_id IN (?)", [documentId, edits.map((e) => e.id)]);
    const seen = new Set(known.map((k) => k.edit_id as string));
    const fresh = edits.filter((e) => !seen.has(e.id));
    if (fresh.length === 0) return { ok: true, revision: row.revision };
    if (base + seen.size !== row.revision) return { ok: false, reason: "conflict", revision: row.revision, edits: await editsSince(sql, documentId, base) };
    const current = await materialise(sql, row);
    let body: DocumentBody = current.body;
    for (const e of fresh) body = patched(body, e.patches);
    const valid = parseDocument(current.kind as "sequence", body);
    let revision = row.revision as number;
    for (const e of fresh) {
      revision++;
      await sql.query("INSERT INTO edit_log (document_id, revision, edit_id, user_id, label, patches) VALUES (?, ?, ?, ?, ?, ?)", [
        documentId,
        revision,
        e.id,
        actor.userId,
        e.label,
        JSON.stringify(e.patches),
      ]);
    }
    // Edits are made on the document as this version of the program reads it: one that was stored by an older version
    // must be stored anew before its log goes on, or the log could not be played again.
    if (current.upgraded || revision - row.snapshot_revision >= SNAPSHOT_EVERY) {
      const [olderRevision, older] = current.upgraded ? [row.revision, JSON.stringify(current.body)] : [row.snapshot_revision, row.snapshot];
      await sql.query("UPDATE documents SET revision = ?, snapshot_revision = ?, snapshot = ?, older_revision = ?, older_snapshot = ? WHERE id = ?", [
        revision,
        revision,
        JSON.stringify(valid),
        olderRevision,
        older,
        documentId,
      ]);
    } else {
      await sql.query("UPDATE documents SET revision = ? WHERE id = ?", [revision, documentId]);
    }
    await sql.query("UPDATE projects p JOIN documents d ON d.project_id = p.id SET p.updated_at = UTC_TIMESTAMP(3) WHERE d.id = ?", [documentId]);
    return { ok: true, revision };
  });
}

/**
 * A document as it once was, and the edits that led from there to revision `until`, oldest first: what every state in
 * between can be made of. As far back as a snapshot is kept, which is some forty edits at least.
 * @returns null when there is no such document of the actor's
 */
export async function editsUntil(sql: Sql, actor: Actor, documentId: string, until: number): Promise<{ body: DocumentBody; edits: LoggedEdit[] } | null> {
  const [rows] = await sql.query<Row[]>(
    `SELECT d.kind, d.snapshot_revision, d.snapshot, d.older_revision, d.older_snapshot FROM documents d
     JOIN projects p ON p.id = d.project_id WHERE p.workspace_id = ? AND d.id = ?`,
    [actor.workspaceId, documentId],
  );
  const row = rows[0];
  if (!row) return null;
  const [from, text] = row.older_snapshot === null ? [row.snapshot_revision, row.snapshot] : [row.older_revision, row.older_snapshot];
  const edits = await editsSince(sql, documentId, from);
  return { body: parseDocument(row.kind as "sequence", JSON.parse(text)), edits: edits.filter((e) => e.revision <= until) };
}

/** Adds a document to a project of the actor's. @returns null when there is no such project. */
export async function addDocument(pool: Pool, actor: Actor, projectId: string, kind: DocumentKind, body: unknown): Promise<string | null> {
  const valid = parseDocument(kind as "sequence", body);
  return transaction(pool, async (sql) => {
    const [rows] = await sql.query<Row[]>("SELECT id FROM projects WHERE id = ? AND workspace_id = ? FOR UPDATE", [projectId, actor.workspaceId]);
    if (rows.length === 0) return null;
    const [last] = await sql.query<Row[]>("SELECT COALESCE(MAX(position), -1) + 1 AS n FROM documents WHERE project_id = ?", [projectId]);
    return insertDocument(sql, projectId, kind, Number(last[0]?.n), valid);
  });
}
