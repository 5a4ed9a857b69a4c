import type { RoundNews } from "../../core/review/news";
import { CHANGE_MINUTES, type NewComment, type Verdict } from "../../core/review/said";
import { atOnce, briefTransaction, type Database, type Row, type Sql, type Statement } from "../database/pool";
import { tell } from "../live/feed";
import { Newest } from "../newest";
import { PeopleError } from "../people/problem";
import { COMMENTS, commentFrom, decisionFrom } from "./rounds";
import type { Judged, Reviewer } from "./voices";

/** Comments in one round at most. */
const COMMENTS_MOST = 5000;

/** What an act changed, to be told; null when it changed nothing. */
type Done = Omit<RoundNews, "version"> | null;

/** A change that is made when the round's version is raised, and what the row that it returns is told as. */
interface Told {
  change: Statement;
  told: (row: Row) => Done;
}

/**
 * What a process knows of a round from the last time it went the long way. Neither gets out of date: a round keeps its
 * steps, and each comment raises its version, so before the version at which it may be full it takes another uncounted.
 */
interface Known {
  steps: ReadonlySet<string>;
  fullAt: number;
}
const known = new Newest<string, Known>(1000);

/** Does something in a round that stands still meanwhile, and tells those who listen what it was once it is stored. */
export async function inRound(
  pool: Database,
  me: Reviewer,
  work: (sql: Sql, round: { steps: ReadonlySet<string>; comments: number }) => Promise<Done | Told>,
): Promise<void> {
  const opening = {
    sql: `SELECT r.version, r.prints, (SELECT COUNT(*) FROM comments c WHERE c.round_id = r.id) AS n
      FROM rounds r WHERE r.id = ? FOR UPDATE`,
    values: [me.round],
  };
  const news = await briefTransaction<RoundNews | null>(pool, [opening], async ([rounds], sql) => {
    const round = rounds?.[0];
    const [steps, comments, was] = [stepsIn(round?.prints ?? "[]"), Number(round?.n), Number(round?.version)];
    if (round) known.set(me.round, { steps, fullAt: was + COMMENTS_MOST - comments });
    const done = await work(sql, { steps, comments });
    if (!done) return { changes: [], result: () => null };
    const version = was + 1;
    const raise = { sql: "UPDATE rounds SET version = ? WHERE id = ?", values: [version, me.round] };
    if (!("change" in done)) return { changes: [raise], result: () => ({ ...done, version }) };
    return { changes: [done.change, raise], result: ([row]) => ({ ...done.told(row as Row), version }) };
  });
  if (news) tellRound(me.round, news);
}

const tellRound = (round: string, news: RoundNews) =>
  tell(`round ${round}`, String(news.version), JSON.stringify(news));

/** A comment as it is now, as all are told. */
export async function told(sql: Sql, id: string): Promise<Done> {
  const [rows] = await sql.query<Row[]>(`${COMMENTS} WHERE c.id = ?`, [id]);
  return rows[0] ? { comment: commentFrom(rows[0], null) } : null;
}

/** The steps of a round. @param prints as they are stored */
const stepsIn = (prints: string): ReadonlySet<string> =>
  new Set((JSON.parse(prints) as [string, unknown][]).map(([id]) => id));

/** Checks that a round has a step. @throws PeopleError 422 */
function checkStep(steps: ReadonlySet<string>, step: string): void {
  if (!steps.has(step)) throw new PeopleError(422, "This round has no such step.");
}

/** What stores a comment. @param more what is returned besides the row */
const storing = (me: Reviewer, c: NewComment, more = ""): Statement => ({
  sql: `INSERT INTO comments (id, round_id, answers, voice, voice_name, voice_guest, text, step, t_from, t_until,
    pin, seen, strokes, created_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, UTC_TIMESTAMP(3)) RETURNING *${more}`,
  values: [
    ...[c.id, me.round, c.to, me.id, me.name, me.guest ? 1 : 0, c.text, c.step, c.from, c.until],
    ...[c.pin && JSON.stringify(c.pin), c.seen && JSON.stringify(c.seen), JSON.stringify(c.strokes)],
  ],
});

/**
 * Stores a comment, and tells of it, in one way to the database, where nothing speaks against it: whoever says it still
 * may, the round takes more, and has the step. @returns whether it did; else nothing was changed, and the long way says why
 */
async function saidAtOnce(pool: Database, { me, stands }: Judged, c: NewComment): Promise<boolean> {
  const round = known.get(me.round);
  if (!round?.steps.has(c.step)) return false;
  const stored = storing(me, c, ", (SELECT version FROM rounds WHERE id = round_id) AS round_version");
  const [row] = await atOnce(pool, [
    { sql: "DECLARE stands INT DEFAULT 1; START TRANSACTION", values: [] },
    // Apart: asked in the change, it would lock who is signed in.
    ...(stands ? [{ sql: `SELECT ${stands.sql} INTO stands`, values: stands.values }] : []),
    {
      sql: "UPDATE rounds SET version = version + 1 WHERE id = ? AND stands AND version < ?",
      values: [me.round, round.fullAt],
    },
    { sql: `IF ROW_COUNT() = 1 THEN ${stored.sql}; COMMIT; ELSE ROLLBACK; END IF`, values: stored.values },
  ]).catch(() => []);
  if (!row) return false;
  tellRound(me.round, { comment: commentFrom(row, null), version: Number(row.round_version) });
  return true;
}

/** Adds a comment or an answer; the same again changes nothing. @throws PeopleError */
export async function addComment(pool: Database, who: Judged, c: NewComment): Promise<void> {
  if (c.to === null && (await saidAtOnce(pool, who, c))) return;
  const me = await who.sure();
  const full = new PeopleError(422, `A round takes at most ${COMMENTS_MOST} comments.`);
  try {
    await inRound(pool, me, async (sql, round) => {
      checkStep(round.steps, c.step);
      if (c.to !== null) {
        const [to] = await sql.query<Row[]>(
          "SELECT 1 FROM comments WHERE round_id = ? AND id = ? AND answers IS NULL",
          [me.round, c.to],
        );
        if (!to[0]) throw new PeopleError(422, "What this answers is not there.");
      }
      if (round.comments >= COMMENTS_MOST) throw full;
      return { change: storing(me, c), told: (row) => ({ comment: commentFrom(row, null) }) };
    });
  } catch (error) {
    if (error !== full && (error as { code?: string }).code !== "ER_DUP_ENTRY") throw error;
    const [known] = await pool.query<Row[]>("SELECT round_id, voice FROM comments WHERE id = ?", [c.id]);
    // Sent twice, since its answer got lost; or somebody else's, which is nobody's business.
    if (known[0]?.round_id === me.round && known[0]?.voice === me.id) return;
    throw error === full ? error : new PeopleError(409, "This comment is there already.");
  }
}

/** Changes the words of one's own comment, or takes it back, within its minutes. @throws PeopleError */
export async function changeComment(pool: Database, me: Reviewer, id: string, text: string | null): Promise<void> {
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
    return await told(sql, id);
  });
}

/**
 * Settles a comment, or opens it again.
 * @param edit in words, what settled it; null for none @throws PeopleError 404
 */
export async function settleComment(
  pool: Database,
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
    return await told(sql, id);
  });
}

/** Writes down what somebody decides about a step. Nothing of it is ever changed. @throws PeopleError */
export async function decide(pool: Database, me: Reviewer, step: string, verdict: Verdict): Promise<void> {
  if (me.may !== "decide") throw new PeopleError(403, "This link does not allow that. Ask whoever sent it.");
  await inRound(pool, me, async (_sql, round) => {
    checkStep(round.steps, step);
    const change = {
      sql: `INSERT INTO decisions (round_id, step, verdict, voice, voice_name, voice_guest, created_at)
        VALUES (?, ?, ?, ?, ?, ?, UTC_TIMESTAMP(3)) RETURNING *`,
      values: [me.round, step, verdict, me.id, me.name, me.guest ? 1 : 0],
    };
    return { change, told: (row) => ({ decision: decisionFrom(row) }) };
  });
}
