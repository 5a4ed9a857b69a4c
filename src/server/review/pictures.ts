import type { Database, Row, Sql } from "../database/pool";
import { PeopleError } from "../people/problem";
import { inRound, told } from "./saying";
import type { Reviewer } from "./voices";

/** The picture that is kept with a comment; null when there is none, or the comment was taken back. */
export async function pictureOf(sql: Sql, me: Reviewer, comment: string): Promise<Buffer | null> {
  const [rows] = await sql.query<Row[]>(
    `SELECT p.data FROM comment_pictures p JOIN comments c ON c.id = p.comment_id
     WHERE c.id = ? AND c.round_id = ? AND c.taken_back_at IS NULL`,
    [comment, me.round],
  );
  return (rows[0]?.data as Buffer | undefined) ?? null;
}

/** Keeps the picture of one's own comment: once, a second changes nothing. @throws PeopleError 403 or 404 */
export async function keepPicture(pool: Database, me: Reviewer, comment: string, jpeg: Uint8Array): Promise<void> {
  await inRound(pool, me, async (sql) => {
    const [rows] = await sql.query<Row[]>(
      "SELECT voice, taken_back_at FROM comments WHERE id = ? AND round_id = ? FOR UPDATE",
      [comment, me.round],
    );
    const c = rows[0];
    if (!c || c.taken_back_at !== null) throw new PeopleError(404, "This comment does not exist, or was taken back.");
    if (c.voice !== me.id) throw new PeopleError(403, "Only whoever made a comment may change it.");
    const [done] = await sql.query("INSERT IGNORE INTO comment_pictures (comment_id, data) VALUES (?, ?)", [
      comment,
      Buffer.from(jpeg.buffer, jpeg.byteOffset, jpeg.length),
    ]);
    return (done as { affectedRows: number }).affectedRows > 0 ? await told(sql, comment) : null;
  });
}
