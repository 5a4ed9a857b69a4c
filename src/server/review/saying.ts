import type { Pool } from "mysql2/promise";
import { CHANGE_MINUTES, type NewComment, type Verdict } from "../../core/review/said";
import { type Row, type Sql, transaction } from "../database/pool";
import { nudge } from "../live/feed";
import { PeopleError } from "../people/problem";
import type { Reviewer } from "./voices";

/** Comments in one round at most. */
const COMMENTS_MOST = 5000;

/** Does something in a round, and tells those who listen once it is done. */
async function inRound(pool: Pool, me: Reviewer, work: (sql: Sql) => Promise<void>): Promise<void> {
  await transaction(pool, work);
  nudge(`round ${me.round}`);
}

async function grow(sql: Sql, round: string): Promise<void> {
  await sql.query("UPDATE rounds SET version = version + 1 WHERE id = ?", [round]);
}

/** Locks the round and checks that it has a step. @throws PeopleError 422 */
async function stepOf(sql: Sql, round: string, step: string): Promise<void> {
  const [rows] = await sql.query<Row[]>("SELECT prints FROM rounds WHERE id = ? FOR UPDATE", [round]);
  const steps = JSON.parse(rows[0]?.prints ?? "[]") as [string, unknown][];
  if (!steps.some(([id]) => id === step)) throw new PeopleError(422, "This round has no such step.");
}

/** Adds a comment or an answer; the same again changes nothing. @throws PeopleError */
export async function addComment(pool: Pool, me: Reviewer, c: NewComment): Promise<void> {
  await inRound(pool, me, async (sql) => {
    await stepOf(sql, me.round, c.step);
    const [known] = await sql.query<Row[]>("SELECT round_id, voice FROM comments WHERE id = ?", [c.id]);
    if (known[0]) {
      // Sent twice, since its answer got lost; or somebody else's, which is nobody's business.
      if (known[0].round_id === me.round && known[0].voice === me.id) return;
      throw new PeopleError(409, "This comment is there already.");
    }
    const [count] = await sql.query<Row[]>("SELECT COUNT(*) AS n FROM comments WHERE round_id = ?", [me.round]);
    if (Number(count[0]?.n) >= COMMENTS_MOST)
      throw new PeopleError(422, `A round takes at most ${COMMENTS_MOST} comments.`);
    if (c.to !== null) {
      const [to] = await sql.query<Row[]>("SELECT answers FROM comments WHERE id = ? AND round_id = ?", [
        c.to,
        me.round,
      ]);
      if (!to[0] || to[0].answers !== null) throw new PeopleError(422, "What this answers is not there.");
    }
    await sql.query(
      `INSERT INTO comments (id, round_id, answers, voice, voice_name, voice_guest, text, step, t_from, t_until, pin, seen,
         strokes, created_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, UTC_TIMESTAMP(3))`,
      [
        ...[c.id, me.round, c.to, me.id, me.name, me.guest ? 1 : 0, c.text, c.step, c.from, c.until],
        ...[c.pin && JSON.stringify(c.pin), c.seen && JSON.stringify(c.seen), JSON.stringify(c.strokes)],
      ],
    );
    await grow(sql, me.round);
  });
}

/** Changes the words of one's own comment, or takes it back, within its minutes. @throws PeopleError */
export async function changeComment(pool: Pool, me: Reviewer, id: string, text: string | null): Promise<void> {
  await inRound(pool, me, async (sql) => {
    const [rows] = await sql.query<Row[]>(
      `SELECT voice, taken_back_at, carried_from, created_at > UTC_TIMESTAMP(3) - INTERVAL ? MINUTE AS fresh
       FROM comments WHERE id = ? AND round_id = ? FOR UPDATE`,
      [CHANGE_MINUTES, id, me.round],
    );
    const c = rows[0];
    if (!c || c.taken_back_at !== null) throw new PeopleError(404, "This comment does not exist, or was taken back.");
    if (c.voice !== me.id) throw new PeopleError(403, "Only whoever made a comment may change it.");
    if (!c.fresh || c.carried_from !== null)
      throw new PeopleError(409, `A comment can be changed within ${CHANGE_MINUTES} minutes. Answer it instead.`);
    if (text === null) await sql.query("UPDATE comments SET taken_back_at = UTC_TIMESTAMP(3) WHERE id = ?", [id]);
    else await sql.query("UPDATE comments SET text = ?, edited_at = UTC_TIMESTAMP(3) WHERE id = ?", [text, id]);
    await grow(sql, me.round);
  });
}

/**
 * Settles a comment, or opens it again.
 * @param edit in words, what settled it; null for none @throws PeopleError 404
 */
export async function settleComment(
  pool: Pool,
  me: Reviewer,
  id: string,
  settled: boolean,
  edit: string | null,
): Promise<void> {
  await inRound(pool, me, async (sql) => {
    const [done] = await sql.query(
      `UPDATE comments SET settled_at = IF(?, UTC_TIMESTAMP(3), NULL), settled_by = ?, settled_edit = ?
       WHERE id = ? AND round_id = ? AND answers IS NULL`,
      [settled, settled ? me.name : null, settled ? edit : null, id, me.round],
    );
    if ((done as { affectedRows: number }).affectedRows === 0)
      throw new PeopleError(404, "This comment does not exist, or was taken back.");
    await grow(sql, me.round);
  });
}

/** Writes down what somebody decides about a step. Nothing of it is ever changed. @throws PeopleError */
export async function decide(pool: Pool, me: Reviewer, step: string, verdict: Verdict): Promise<void> {
  if (me.may !== "decide") throw new PeopleError(403, "This link does not allow that. Ask whoever sent it.");
  await inRound(pool, me, async (sql) => {
    await stepOf(sql, me.round, step);
    await sql.query(
      "INSERT INTO decisions (round_id, step, verdict, voice, voice_name, voice_guest, created_at) VALUES (?, ?, ?, ?, ?, ?, UTC_TIMESTAMP(3))",
      [me.round, step, verdict, me.id, me.name, me.guest ? 1 : 0],
    );
    await grow(sql, me.round);
  });
}
