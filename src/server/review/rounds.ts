import { parseDocument } from "../../core/document/parse";
import type { Preparation } from "../../core/document/preparation";
import { published } from "../../core/document/published";
import type { Sequence } from "../../core/document/sequence";
import { changesSince, type StepPrint } from "../../core/review/prints";
import { CHANGE_MINUTES, type Comment, type Decision, type Round, type RoundLine } from "../../core/review/said";
import type { Identities } from "../../core/revision/identity";
import type { Actor, From } from "../access/actor";
import { SEEN, seenBy } from "../access/scope";
import { type Database, type Row, type Sql, transaction } from "../database/pool";
import { newId } from "../ids";
import { type Looked, nudge } from "../live/feed";
import { audited } from "../people/accounts";
import { PeopleError } from "../people/problem";
import { listDocuments } from "../repositories/documentStore";
import { currentRevision } from "../repositories/projects";
import type { Reviewer } from "./voices";

type Prints = [string, StepPrint][];

/** Rounds of a project, newest first. */
export async function listRounds(sql: Sql, actor: Actor, project: string): Promise<RoundLine[]> {
  const [rows] = await sql.query<Row[]>(
    `SELECT r.id, r.document_id, r.number, r.name, r.note, r.created_at,
       (SELECT COUNT(*) FROM comments c WHERE c.round_id = r.id AND c.answers IS NULL AND c.taken_back_at IS NULL) AS n,
       (SELECT COUNT(*) FROM comments c WHERE c.round_id = r.id AND c.answers IS NULL AND c.taken_back_at IS NULL
          AND c.settled_at IS NULL) AS open
     FROM rounds r JOIN projects p ON p.id = r.project_id WHERE ${SEEN} AND p.id = ?
     ORDER BY r.created_at DESC, r.number DESC LIMIT 200`,
    [...seenBy(actor), project],
  );
  return rows.map((r) => ({
    id: r.id,
    sequence: r.document_id,
    number: r.number,
    name: r.name,
    note: r.note,
    at: (r.created_at as Date).toISOString(),
    comments: Number(r.n),
    open: Number(r.open),
  }));
}

export interface NewRound {
  sequence: string;
  /** Revisions of sequence and preparation that the sender sees. */
  revisions: { sequence: number; preparation: number };
  note: string;
  prints: Prints;
  /** Links to the round before lead to this one from now on. */
  keepLinks: boolean;
}

/**
 * Makes a round of a sequence as it stands. Open comments and approvals of steps that come to the same are carried over.
 * @throws PeopleError 404, or 409 when what the sender sees is not what is stored
 */
export async function makeRound(
  pool: Database,
  actor: Actor,
  project: string,
  asked: NewRound,
  from: From,
): Promise<string> {
  const revision = await currentRevision(pool, actor, project);
  const documents = await listDocuments(pool, actor, project);
  const preparation = documents.find((d) => d.kind === "preparation");
  const sequence = documents.find((d) => d.id === asked.sequence && d.kind === "sequence");
  if (!revision || !preparation || !sequence)
    throw new PeopleError(404, "This sequence does not exist, or you may not see it.");
  if (sequence.revision !== asked.revisions.sequence || preparation.revision !== asked.revisions.preparation)
    throw new PeopleError(
      409,
      "The sequence was changed meanwhile. Wait until all is saved, look at it and send it again.",
    );
  const body = published(sequence.body as Sequence, true);
  const on = body.stepOrder.filter((s) => body.steps[s]?.on);
  if (on.length === 0) throw new PeopleError(422, "There is no step that is on. Add one before sending it.");
  if (JSON.stringify(asked.prints.map(([s]) => s)) !== JSON.stringify(on))
    throw new PeopleError(409, "The steps were changed meanwhile. Send it again.");
  const id = newId();
  let before: string | null = null;
  await transaction(pool, async (sql) => {
    await sql.query("SELECT id FROM documents WHERE id = ? FOR UPDATE", [sequence.id]);
    const [last] = await sql.query<Row[]>(
      "SELECT id, number, prints FROM rounds WHERE document_id = ? ORDER BY number DESC LIMIT 1",
      [sequence.id],
    );
    const number = Number(last[0]?.number ?? 0) + 1;
    await sql.query(
      `INSERT INTO rounds (id, project_id, document_id, number, note, name, file_name, package_sha256, identities,
         preparation, sequence, prints, made_by, created_at)
       VALUES (?, ?, ?, ?, ?, ?, ?, UNHEX(?), ?, ?, ?, ?, ?, UTC_TIMESTAMP(3))`,
      [
        ...[id, project, sequence.id, number, asked.note, body.name.slice(0, 300), revision.fileName],
        ...[revision.packageSha256, JSON.stringify(revision.identities), JSON.stringify(preparation.body)],
        ...[JSON.stringify(body), JSON.stringify(asked.prints), actor.userId],
      ],
    );
    if (!last[0]) return;
    before = last[0].id;
    const same = changesSince(JSON.parse(last[0].prints) as Prints, asked.prints)
      .steps.filter((s) => s.kind === "same")
      .map((s) => s.step);
    await carryOver(sql, last[0].id, Number(last[0].number), id, on, same);
    if (asked.keepLinks)
      await sql.query("UPDATE review_links SET round_id = ? WHERE round_id = ? AND withdrawn_at IS NULL", [
        id,
        last[0].id,
      ]);
    await sql.query("UPDATE rounds SET version = version + 1 WHERE id = ?", [last[0].id]);
  });
  if (before) nudge(`round ${before}`);
  await audited(pool, actor, "round-sent", from, body.name);
  return id;
}

/** Takes open comments of steps that are still there, with their answers, and the last "fine" of each voice of steps that are the same. */
async function carryOver(
  sql: Sql,
  old: string,
  number: number,
  next: string,
  steps: readonly string[],
  same: readonly string[],
): Promise<void> {
  const [open] = await sql.query<Row[]>(
    "SELECT * FROM comments WHERE round_id = ? AND taken_back_at IS NULL ORDER BY created_at, id",
    [old],
  );
  const there = new Set(steps);
  const ids = new Map<string, string>();
  for (const c of open) {
    const root = c.answers === null;
    if (root ? c.settled_at !== null || !there.has(c.step) : !ids.has(c.answers)) continue;
    const id = newId();
    ids.set(c.id, id);
    await sql.query(
      `INSERT INTO comments (id, round_id, answers, voice, voice_name, voice_guest, text, step, t_from, t_until, pin, seen,
         strokes, created_at, edited_at, carried_from) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
      [
        ...[id, next, root ? null : ids.get(c.answers), c.voice, c.voice_name, c.voice_guest, c.text, c.step],
        ...[c.t_from, c.t_until, c.pin, c.seen, c.strokes, c.created_at, c.edited_at, c.carried_from ?? number],
      ],
    );
    await sql.query(
      "INSERT INTO comment_pictures (comment_id, data) SELECT ?, data FROM comment_pictures WHERE comment_id = ?",
      [id, c.id],
    );
  }
  if (same.length === 0) return;
  await sql.query(
    `INSERT INTO decisions (round_id, step, verdict, voice, voice_name, voice_guest, created_at, carried_from)
     SELECT ?, d.step, d.verdict, d.voice, d.voice_name, d.voice_guest, d.created_at, COALESCE(d.carried_from, ?)
     FROM decisions d WHERE d.round_id = ? AND d.step IN (?) AND d.verdict = 'fine'
       AND d.id = (SELECT MAX(x.id) FROM decisions x WHERE x.round_id = d.round_id AND x.step = d.step AND x.voice = d.voice)
     ORDER BY d.id`,
    [next, number, old, [...same]],
  );
}

/** What a round shows. */
export interface RoundFilm {
  identities: Identities;
  preparation: Preparation;
  sequence: Sequence;
}

/** A round's film, and the hash of its package. The caller has judged the reviewer. */
export async function roundFilm(sql: Sql, round: string): Promise<RoundFilm & { packageSha256: string }> {
  const [rows] = await sql.query<Row[]>(
    "SELECT identities, preparation, sequence, HEX(package_sha256) AS package FROM rounds WHERE id = ?",
    [round],
  );
  const r = rows[0] as Row;
  return {
    identities: JSON.parse(r.identities),
    // Stored as they were then: later versions of the program read them as they read any older document.
    preparation: parseDocument("preparation", JSON.parse(r.preparation)),
    sequence: parseDocument("sequence", JSON.parse(r.sequence)),
    packageSha256: (r.package as string).toLowerCase(),
  };
}

/** How far a round is; readers look again when it grows. */
export async function roundVersion(sql: Sql, round: string): Promise<number> {
  const [rows] = await sql.query<Row[]>("SELECT version FROM rounds WHERE id = ?", [round]);
  return Number(rows[0]?.version ?? 0);
}

/** How a round stands for those who listen: its version, and which links to it hold. */
export async function roundStanding(sql: Sql, round: string): Promise<Looked> {
  const [rows] = await sql.query<Row[]>(
    `SELECT r.version, (SELECT COUNT(*) FROM review_links l WHERE l.round_id = r.id AND l.withdrawn_at IS NULL
       AND (l.expires_at IS NULL OR l.expires_at > UTC_TIMESTAMP(3))) AS links FROM rounds r WHERE r.id = ?`,
    [round],
  );
  return { news: String(rows[0]?.version ?? 0), rights: String(rows[0]?.links ?? "") };
}

export async function roundState(sql: Sql, me: Reviewer): Promise<Round> {
  const [rows] = await sql.query<Row[]>(
    "SELECT id, document_id, number, name, note, created_at, version, prints FROM rounds WHERE id = ?",
    [me.round],
  );
  const r = rows[0] as Row;
  const [before] = await sql.query<Row[]>(
    "SELECT number, prints FROM rounds WHERE document_id = ? AND number < ? ORDER BY number DESC LIMIT 1",
    [r.document_id, r.number],
  );
  const [comments] = await sql.query<Row[]>(`${COMMENTS} WHERE c.round_id = ? ORDER BY c.created_at, c.id LIMIT 5000`, [
    me.round,
  ]);
  const [newest] = await sql.query<Row[]>(
    "SELECT id, number FROM rounds WHERE document_id = ? AND number > ? ORDER BY number DESC LIMIT 1",
    [r.document_id, r.number],
  );
  const [decisions] = await sql.query<Row[]>("SELECT * FROM decisions WHERE round_id = ? ORDER BY id LIMIT 20000", [
    me.round,
  ]);
  return {
    ...{ id: r.id, sequence: r.document_id, number: r.number, name: r.name, note: r.note },
    at: (r.created_at as Date).toISOString(),
    version: Number(r.version),
    me: { id: me.id, name: me.name, guest: me.guest, may: me.may },
    changes: before[0]
      ? {
          since: before[0].number,
          ...changesSince(JSON.parse(before[0].prints) as Prints, JSON.parse(r.prints) as Prints),
        }
      : null,
    prints: JSON.parse(r.prints) as Prints,
    comments: comments.map((c) => commentFrom(c, me.id)),
    decisions: decisions.map(decisionFrom),
    newer: me.actor && newest[0] ? { id: newest[0].id, number: newest[0].number } : null,
  };
}

/** A decision from its row. */
export const decisionFrom = (d: Row): Decision => ({
  step: d.step,
  verdict: d.verdict,
  by: { id: d.voice, name: d.voice_name, guest: Boolean(d.voice_guest) },
  at: (d.created_at as Date).toISOString(),
  carriedFrom: d.carried_from,
});

/** Comments as {@link commentFrom} reads them. */
export const COMMENTS = `SELECT c.*, c.created_at > UTC_TIMESTAMP(3) - INTERVAL ${CHANGE_MINUTES} MINUTE AS fresh,
  EXISTS (SELECT 1 FROM comment_pictures x WHERE x.comment_id = c.id) AS picture FROM comments c`;

/** A comment from its row. @param me who reads it; null for what all are told */
export function commentFrom(c: Row, me: string | null): Comment {
  const back = c.taken_back_at !== null;
  return {
    id: c.id,
    to: c.answers,
    text: back ? "" : c.text,
    step: c.step,
    from: Number(c.t_from),
    until: Number(c.t_until),
    pin: back || c.pin === null ? null : JSON.parse(c.pin),
    seen: back || c.seen === null ? null : JSON.parse(c.seen),
    strokes: back ? [] : JSON.parse(c.strokes),
    by: { id: c.voice, name: c.voice_name, guest: Boolean(c.voice_guest) },
    at: (c.created_at as Date).toISOString(),
    edited: (c.edited_at as Date | null)?.toISOString() ?? null,
    takenBack: back,
    settled:
      c.settled_at === null
        ? null
        : { by: c.settled_by, at: (c.settled_at as Date).toISOString(), edit: c.settled_edit },
    carriedFrom: c.carried_from,
    picture: !back && Boolean(c.picture),
    mine: !back && c.voice === me && Boolean(c.fresh) && c.carried_from === null,
  };
}
