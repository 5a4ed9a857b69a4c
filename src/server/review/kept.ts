import { parseDocument } from "../../core/document/parse";
import type { KeptRound } from "../../core/review/kept";
import type { Actor } from "../access/actor";
import { SEEN, seenBy } from "../access/scope";
import type { Row, Sql } from "../database/pool";
import { newId } from "../ids";
import { commentFrom, decisionFrom } from "./rounds";

/**
 * The rounds of a project with all that was said in them, for a project file: oldest first.
 * @param documents ids of the project's documents, in the file's order
 */
export async function keptRounds(
  sql: Sql,
  actor: Actor,
  project: string,
  documents: readonly string[],
): Promise<KeptRound[]> {
  const [rows] = await sql.query<Row[]>(
    `SELECT r.*, HEX(r.package_sha256) AS package FROM rounds r JOIN projects p ON p.id = r.project_id
     WHERE ${SEEN} AND p.id = ? ORDER BY r.created_at DESC, r.number DESC LIMIT 200`,
    [...seenBy(actor), project],
  );
  const out: KeptRound[] = [];
  for (const r of rows.reverse()) {
    const document = documents.indexOf(r.document_id);
    if (document < 0) continue;
    const [comments] = await sql.query<Row[]>(
      "SELECT *, 0 AS fresh FROM comments WHERE round_id = ? ORDER BY answers IS NOT NULL, created_at, id",
      [r.id],
    );
    const [decisions] = await sql.query<Row[]>("SELECT * FROM decisions WHERE round_id = ? ORDER BY id", [r.id]);
    out.push({
      ...{ document, number: r.number, name: r.name, note: r.note, at: (r.created_at as Date).toISOString() },
      ...{ fileName: r.file_name, packageSha256: (r.package as string).toLowerCase() },
      identities: JSON.parse(r.identities),
      preparation: parseDocument("preparation", JSON.parse(r.preparation)),
      sequence: parseDocument("sequence", JSON.parse(r.sequence)),
      prints: JSON.parse(r.prints),
      comments: comments.map((c) => {
        const { mine: _, picture: __, ...comment } = commentFrom(c, null);
        return comment;
      }),
      decisions: decisions.map(decisionFrom),
    });
  }
  return out;
}

/**
 * Puts rounds from a project file into a new project. Who said something there is known by name alone: all of them are
 * guests here, so that nobody's words can be put into the mouth of somebody who works here.
 * @param documents ids of the project's documents, in the file's order
 */
export async function insertRounds(
  sql: Sql,
  actor: Actor,
  project: string,
  documents: readonly string[],
  rounds: readonly KeptRound[],
): Promise<void> {
  const voices = new Map<string, string>();
  const voiceOf = (id: string): string => {
    const own = voices.get(id) ?? newId();
    voices.set(id, own);
    return own;
  };
  for (const r of rounds) {
    const round = newId();
    await sql.query(
      `INSERT INTO rounds (id, project_id, document_id, number, note, name, file_name, package_sha256, identities,
         preparation, sequence, prints, made_by, created_at)
       VALUES (?, ?, ?, ?, ?, ?, ?, UNHEX(?), ?, ?, ?, ?, ?, ?)`,
      [
        ...[round, project, documents[r.document], r.number, r.note, r.name, r.fileName, r.packageSha256],
        ...[JSON.stringify(r.identities), JSON.stringify(r.preparation), JSON.stringify(r.sequence)],
        ...[JSON.stringify(r.prints), actor.userId, new Date(r.at)],
      ],
    );
    const ids = new Map(r.comments.map((c) => [c.id, newId()]));
    for (const c of r.comments)
      await sql.query(
        `INSERT INTO comments (id, round_id, answers, voice, voice_name, voice_guest, text, step, t_from, t_until, pin,
           seen, strokes, created_at, edited_at, taken_back_at, settled_at, settled_by, settled_edit, carried_from)
         VALUES (?, ?, ?, ?, ?, 1, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
        [
          ...[ids.get(c.id), round, c.to === null ? null : ids.get(c.to), voiceOf(c.by.id), c.by.name, c.text, c.step],
          ...[c.from, c.until, c.pin && JSON.stringify(c.pin), c.seen && JSON.stringify(c.seen)],
          ...[JSON.stringify(c.strokes), new Date(c.at), c.edited && new Date(c.edited)],
          ...[c.takenBack ? new Date(c.at) : null, c.settled && new Date(c.settled.at), c.settled?.by ?? null],
          ...[c.settled?.edit ?? null, c.carriedFrom],
        ],
      );
    for (const d of r.decisions)
      await sql.query(
        `INSERT INTO decisions (round_id, step, verdict, voice, voice_name, voice_guest, created_at, carried_from)
         VALUES (?, ?, ?, ?, ?, 1, ?, ?)`,
        [round, d.step, d.verdict, voiceOf(d.by.id), d.by.name, new Date(d.at), d.carriedFrom],
      );
  }
}
