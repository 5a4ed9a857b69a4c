import { type DocumentBody, DocumentError, type DocumentKind, parseDocument } from "../../core/document/parse";
import { checkEdit, type Edit, EditError, meet, type Patch, patched } from "../../core/edit/patches";
import type { LogAnswer, LogLine } from "../../core/edit/replica";
import type { Actor } from "../access/actor";
import { type Scope, SEEN, seenBy } from "../access/scope";
import {
  briefTransaction,
  consistentRead,
  type Database,
  type Row,
  type Sql,
  type Statement,
  throughDoor,
  transaction,
} from "../database/pool";
import { type DocumentPlace, KnownBodies, type KnownBody } from "./bodies";
import { insertDocument, seeingProject } from "./projects";

/** Edits between two snapshots. */
const SNAPSHOT_EVERY = 40;
/** Largest document, as JSON. */
export const DOCUMENT_MAX_BYTES = 24 * 1024 * 1024;
/** A project's date of change is written again after so long. */
const TOUCH_MS = 5000;

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
  /** Appended, laid over others' edits where there were any. */
  | ({ ok: true /** Of which project. */; project: string } & LogAnswer)
  /** Meets others' edits that the sender has not seen; nothing was appended. */
  | ({ ok: false; reason: "conflict" } & LogAnswer)
  /** This edit can never be taken; nothing was appended. */
  | { ok: false; reason: "refused"; edit: string; message: string }
  | { ok: false; reason: "gone" };

const known = new KnownBodies();
const touched = new Map<string, number>();

/** Forgets what this process remembers of documents, as a restart would. For tests. */
export function forgetBodies(): void {
  known.clear();
}

const SELECT = `SELECT d.id, d.kind, d.revision, d.snapshot_revision, d.snapshot FROM documents d
  JOIN projects p ON p.id = d.project_id WHERE ${SEEN}`;

/** All documents of a project, in order, as of one moment. */
export async function listDocuments(pool: Database, actor: Scope, projectId: string): Promise<StoredDocument[]> {
  return consistentRead(pool, (sql) => readDocuments(sql, actor, projectId));
}

/** The same within a read that sees one moment only. */
export async function readDocuments(sql: Sql, actor: Scope, projectId: string): Promise<StoredDocument[]> {
  const [rows] = await sql.query<Row[]>(`${SELECT} AND p.id = ? ORDER BY d.position, d.id`, [
    ...seenBy(actor),
    projectId,
  ]);
  const out: StoredDocument[] = [];
  for (const row of rows) {
    const { body } = await materialise(sql, row);
    out.push({ id: row.id, kind: row.kind, revision: row.revision, body: parseDocument(row.kind as "sequence", body) });
  }
  return out;
}

/** A document as snapshot and log say, without a check. */
async function materialise(sql: Sql, row: Row): Promise<{ body: object; bytes: number; edit: string }> {
  let body = JSON.parse(row.snapshot) as object;
  let edit = "";
  const edits = await editsSince(sql, row.id, row.snapshot_revision - 1);
  for (const e of edits) {
    if (e.revision > row.revision) break;
    if (e.revision > row.snapshot_revision) body = patched(body, e.patches);
    edit = e.id;
  }
  return { body, bytes: row.snapshot.length, edit };
}

/** Edits after a revision, oldest first. The caller has checked that the actor may see the document. */
async function editsSince(sql: Sql, documentId: string, revision: number): Promise<LoggedEdit[]> {
  const [rows] = await sql.query<Row[]>(
    "SELECT revision, edit_id, label, patches FROM edit_log WHERE document_id = ? AND revision > ? ORDER BY revision",
    [documentId, revision],
  );
  return rows.map((r) => ({ revision: r.revision, id: r.edit_id, label: r.label, patches: JSON.parse(r.patches) }));
}

async function placeOf(sql: Sql, documentId: string): Promise<DocumentPlace | null> {
  const cached = known.placeOf(documentId);
  if (cached) return cached;
  const [rows] = await sql.query<Row[]>(
    "SELECT p.workspace_id, p.id, d.kind FROM documents d JOIN projects p ON p.id = d.project_id WHERE d.id = ?",
    [documentId],
  );
  const row = rows[0];
  if (!row) return null;
  const place = { workspaceId: row.workspace_id, projectId: row.id, kind: row.kind };
  known.setPlace(documentId, place);
  return place;
}

/**
 * Appends edits made on revision `base`, all or nothing, in one transaction. The document is locked; edits already in
 * the log are left out, so sending again is harmless. Edits by others after `base` are always in the answer; the
 * fresh ones are laid over them where they do not meet, and refused as a conflict where they do.
 */
export async function appendEdits(
  pool: Database,
  actor: Actor,
  documentId: string,
  base: number,
  edits: readonly Edit[],
): Promise<AppendResult> {
  const fault = faultIn(edits);
  if (fault) return fault;
  const place = await placeOf(pool, documentId);
  if (!place || place.workspaceId !== actor.workspaceId) return { ok: false, reason: "gone" };
  let committed: KnownBody | null = null;
  let result: AppendResult;
  try {
    const before = known.get(documentId);
    // What a remembered document is compared with, and what the sender has not seen.
    const from = Math.min(base + 1, before?.revision ?? base + 1);
    const opening = [
      { sql: "SELECT id, revision, snapshot_revision FROM documents WHERE id = ? FOR UPDATE", values: [documentId] },
      // Who sees a project changes while documents are remembered, so it is asked each time.
      seeingProject(actor, place.projectId),
      {
        sql: "SELECT revision, edit_id, patches FROM edit_log WHERE document_id = ? AND revision >= ? ORDER BY revision",
        values: [documentId, from],
      },
      {
        sql: "SELECT edit_id FROM edit_log WHERE document_id = ? AND edit_id IN (?)",
        values: [documentId, edits.map((e) => e.id)],
      },
    ];
    result = await briefTransaction<AppendResult>(pool, opening, async (found, sql) => {
      committed = null;
      const [[row] = [], seesIt = [], logged = [], past = []] = found;
      if (!row || seesIt.length === 0) return nothing({ ok: false, reason: "gone" });
      // Somebody else's change may have been remembered meanwhile.
      const latest = known.get(documentId);
      const cached = latest && latest.revision >= from && latest.revision <= row.revision ? latest : before;
      const already = new Set(past.map((k) => k.edit_id as string));
      const fresh = edits.filter((e) => !already.has(e.id));
      const sent = new Set(edits.map((e) => e.id));
      const after = logged.filter((l) => l.revision > base);
      const log = after.map(
        (l): LogLine => ({
          revision: l.revision,
          id: l.edit_id,
          patches: sent.has(l.edit_id) ? null : (JSON.parse(l.patches) as Patch[]),
        }),
      );
      const seen: LogAnswer = { revision: row.revision, log };
      if (fresh.length === 0) return nothing({ ok: true, project: place.projectId, ...seen });
      // A base that does not exist yet was made on a state that this database never had, or has lost.
      if (base > row.revision) return nothing({ ok: false, reason: "conflict", ...seen });
      const foreign = log.flatMap((l) => l.patches ?? []);
      if (
        meet(
          foreign,
          fresh.flatMap((e) => e.patches),
        )
      )
        return nothing({ ok: false, reason: "conflict", ...seen });
      const current = await bodyAt(sql, documentId, row, logged, place.kind, cached);
      const made = applied(place.kind, current, fresh);
      if ("refused" in made) {
        // What others did may be why it is not valid any longer: then the sender looks at both.
        return nothing(
          foreign.length > 0
            ? { ok: false, reason: "conflict", ...seen }
            : { ok: false, reason: "refused", edit: made.refused, message: made.message },
        );
      }
      const first = (row.revision as number) + 1;
      const revision = first + fresh.length - 1;
      const changes: Statement[] = [
        {
          sql: "INSERT INTO edit_log (document_id, revision, edit_id, user_id, label, patches) VALUES ?",
          values: [
            fresh.map((e, i) => [documentId, first + i, e.id, actor.userId, e.label, JSON.stringify(e.patches)]),
          ],
        },
        current.upgraded || revision - row.snapshot_revision >= SNAPSHOT_EVERY
          ? snapshot(
              documentId,
              revision,
              made.body,
              current.upgraded ? { revision: row.revision, body: current.body } : null,
            )
          : { sql: "UPDATE documents SET revision = ? WHERE id = ?", values: [revision, documentId] },
      ];
      committed = { revision, edit: fresh.at(-1)?.id ?? "", body: made.body, bytes: made.bytes };
      const appended: AppendResult = {
        ok: true,
        project: place.projectId,
        revision,
        log: [...log, ...fresh.map((e, i): LogLine => ({ revision: first + i, id: e.id, patches: null }))],
      };
      return { changes, result: () => appended };
    });
  } catch (error) {
    known.forget(documentId);
    throw error;
  }
  if (committed) {
    known.set(documentId, committed);
    void touch(pool, place.projectId);
  }
  return result;
}

/** A document's revision and every edit after `base`. @returns null when there is no such document of the actor's */
export async function logSince(
  pool: Database,
  actor: Actor,
  documentId: string,
  base: number,
): Promise<LogAnswer | null> {
  return consistentRead(pool, async (sql) => {
    const [rows] = await sql.query<Row[]>(
      `SELECT d.revision FROM documents d JOIN projects p ON p.id = d.project_id WHERE ${SEEN} AND d.id = ?`,
      [...seenBy(actor), documentId],
    );
    if (!rows[0]) return null;
    const log = await editsSince(sql, documentId, base);
    return {
      revision: rows[0].revision,
      log: log.map(({ revision, id, patches }) => ({ revision, id, patches: patches as Patch[] })),
    };
  });
}

/** Nothing is changed, and this is the answer. */
const nothing = (answer: AppendResult) => ({ changes: [], result: () => answer });

/** What is wrong with edits by themselves. */
function faultIn(edits: readonly Edit[]): Extract<AppendResult, { reason: "refused" }> | null {
  const ids = new Set<string>();
  for (const e of edits) {
    if (ids.has(e.id))
      return { ok: false, reason: "refused", edit: e.id, message: "Two changes in one request have the same id." };
    ids.add(e.id);
    try {
      checkEdit(e);
    } catch (error) {
      if (!(error instanceof EditError)) throw error;
      return { ok: false, reason: "refused", edit: e.id, message: error.message };
    }
  }
  return null;
}

interface Current {
  body: DocumentBody;
  bytes: number;
  /** Stored by an older version of the program: what edits are made on is not what is stored. */
  upgraded: boolean;
}

/**
 * The locked document's body: from memory where revision and edit id agree with the log, else from snapshot and log.
 */
async function bodyAt(
  sql: Sql,
  documentId: string,
  row: Row,
  logged: readonly Row[],
  kind: string,
  cached: KnownBody | undefined,
): Promise<Current> {
  const at = cached && cached.revision <= row.revision ? logged.find((l) => l.revision === cached.revision) : undefined;
  if (cached && (at ? at.edit_id === cached.edit : cached.revision === 0 && cached.edit === "")) {
    let { body, bytes } = cached;
    for (const l of logged) {
      if (l.revision <= cached.revision) continue;
      body = patched(body, JSON.parse(l.patches) as Patch[]);
      bytes += l.patches.length;
    }
    return { body, bytes, upgraded: false };
  }
  const [rows] = await sql.query<Row[]>("SELECT snapshot FROM documents WHERE id = ?", [documentId]);
  const { body, bytes } = await materialise(sql, { ...row, snapshot: rows[0]?.snapshot } as Row);
  const valid = parseDocument(kind as "sequence", body);
  const upgraded = (body as { version?: number }).version !== valid.version;
  return { body: upgraded ? valid : (body as DocumentBody), bytes, upgraded };
}

/** Lays edits over a document and checks the result; names the first edit that cannot be taken. */
function applied(
  kind: string,
  current: Current,
  fresh: readonly Edit[],
): { body: DocumentBody; bytes: number } | { refused: string; message: string } {
  let body = current.body;
  const states: DocumentBody[] = [];
  for (const e of fresh) {
    try {
      body = patched(body, e.patches);
    } catch (error) {
      if (error instanceof EditError) return { refused: e.id, message: error.message };
      throw error;
    }
    states.push(body);
  }
  if (faultOf(kind, body) !== null) {
    // Halving: what came before `low` was still valid, what is made by `high` is not. So one of them is named in few
    // looks.
    let low = -1;
    let high = fresh.length - 1;
    while (high - low > 1) {
      const middle = (low + high) >> 1;
      if (faultOf(kind, states[middle] as DocumentBody) === null) low = middle;
      else high = middle;
    }
    return { refused: fresh[high]?.id as string, message: faultOf(kind, states[high] as DocumentBody) ?? "" };
  }
  let bytes = current.bytes + fresh.reduce((n, e) => n + JSON.stringify(e.patches).length, 0);
  if (bytes > DOCUMENT_MAX_BYTES) {
    bytes = JSON.stringify(body).length;
    if (bytes > DOCUMENT_MAX_BYTES)
      return {
        refused: fresh.at(-1)?.id as string,
        message: `The ${kind} would become larger than ${DOCUMENT_MAX_BYTES / 1048576} MB. Split the sequence into two.`,
      };
  }
  return { body, bytes };
}

function faultOf(kind: string, body: DocumentBody): string | null {
  try {
    parseDocument(kind as "sequence", body);
    return null;
  } catch (error) {
    if (error instanceof DocumentError) return error.message;
    throw error;
  }
}

/**
 * Stores a document whole; the snapshot before stays as the older one. Edits are made on the document as this version
 * of the program reads it: one that was stored by an older version is stored anew before its log goes on, or the log
 * could not be played again.
 */
function snapshot(
  documentId: string,
  revision: number,
  body: DocumentBody,
  upgraded: { revision: number; body: DocumentBody } | null,
): Statement {
  return {
    sql: `UPDATE documents SET older_revision = ${upgraded ? "?" : "snapshot_revision"}, older_snapshot = ${upgraded ? "?" : "snapshot"}, revision = ?, snapshot_revision = ?, snapshot = ? WHERE id = ?`,
    values: [
      ...(upgraded ? [upgraded.revision, JSON.stringify(upgraded.body)] : []),
      revision,
      revision,
      JSON.stringify(body),
      documentId,
    ],
  };
}

/** Notes that a project was changed, now and then: its row is everybody's, and a save must not wait for it. */
async function touch(pool: Database, projectId: string): Promise<void> {
  const now = Date.now();
  if (now - (touched.get(projectId) ?? 0) < TOUCH_MS) return;
  if (touched.size > 5000) touched.clear();
  touched.set(projectId, now);
  await pool.query("UPDATE projects SET updated_at = UTC_TIMESTAMP(3) WHERE id = ?", [projectId]).catch(() => {});
}

/**
 * A document as it once was, and the edits that led from there to revision `until`, oldest first: what every state in
 * between can be made of. As far back as a snapshot is kept, which is some forty edits at least.
 * @returns null when there is no such document of the actor's
 */
export async function editsUntil(
  pool: Database,
  actor: Actor,
  documentId: string,
  until: number,
): Promise<{ body: DocumentBody; edits: LoggedEdit[] } | null> {
  return consistentRead(pool, async (sql) => {
    const [rows] = await sql.query<Row[]>(
      `SELECT d.kind, d.snapshot_revision, d.snapshot, d.older_revision, d.older_snapshot FROM documents d
       JOIN projects p ON p.id = d.project_id WHERE ${SEEN} AND d.id = ?`,
      [...seenBy(actor), documentId],
    );
    const row = rows[0];
    if (!row) return null;
    const [from, text] =
      row.older_snapshot === null ? [row.snapshot_revision, row.snapshot] : [row.older_revision, row.older_snapshot];
    const edits = await editsSince(sql, documentId, from);
    return {
      body: parseDocument(row.kind as "sequence", JSON.parse(text)),
      edits: edits.filter((e) => e.revision <= until),
    };
  });
}

/** Adds a document to a project of the actor's. @returns null when there is no such project. */
export async function addDocument(
  pool: Database,
  actor: Actor,
  projectId: string,
  kind: DocumentKind,
  body: unknown,
): Promise<string | null> {
  const valid = parseDocument(kind as "sequence", body);
  return transaction(pool, async (sql) => {
    await throughDoor(sql, `documents ${projectId}`);
    const [rows] = await sql.query<Row[]>(`SELECT p.id FROM projects p WHERE ${SEEN} AND p.id = ? FOR UPDATE`, [
      ...seenBy(actor),
      projectId,
    ]);
    if (rows.length === 0) return null;
    const [last] = await sql.query<Row[]>(
      "SELECT COALESCE(MAX(position), -1) + 1 AS n FROM documents WHERE project_id = ?",
      [projectId],
    );
    return insertDocument(sql, projectId, kind, Number(last[0]?.n), valid);
  });
}
