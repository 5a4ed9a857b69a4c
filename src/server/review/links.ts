import type { May } from "../../core/review/said";
import type { Actor, From } from "../access/actor";
import { SEEN, seenBy } from "../access/scope";
import { freshSecret, hashOfSecret } from "../access/secret";
import { type Database, type Row, type Sql, throughDoor, transaction } from "../database/pool";
import { newId } from "../ids";
import { nudge } from "../live/feed";
import { audited } from "../people/accounts";
import { mayTry, SECRET_LIMITS, TOO_MANY, wasRight } from "../people/attempts";
import { hashPassword, isPassword } from "../people/passwords";
import { PeopleError } from "../people/problem";
import { LINK_OVER } from "./voices";

export interface Link {
  id: string;
  may: May;
  /** For whom; null for anybody who has it. */
  names: string[] | null;
  hasPassword: boolean;
  expires: string | null;
  over: boolean;
  at: string;
}

/** Links to a round, newest first; those that were withdrawn are gone. */
export async function listLinks(sql: Sql, round: string): Promise<Link[]> {
  const [rows] = await sql.query<Row[]>(
    `SELECT id, may, names, password_hash IS NOT NULL AS pw, expires_at, created_at,
       expires_at IS NOT NULL AND expires_at < UTC_TIMESTAMP(3) AS run_out
     FROM review_links WHERE round_id = ? AND withdrawn_at IS NULL ORDER BY created_at DESC LIMIT 100`,
    [round],
  );
  return rows.map((r) => ({
    id: r.id,
    may: r.may,
    names: r.names === null ? null : (JSON.parse(r.names) as string[]),
    hasPassword: Boolean(r.pw),
    expires: (r.expires_at as Date | null)?.toISOString() ?? null,
    over: Boolean(r.run_out),
    at: (r.created_at as Date).toISOString(),
  }));
}

export interface NewLink {
  may: May;
  names: string[] | null;
  password: string | null;
  /** Days until it ends; null for never. */
  days: number | null;
}

/** Makes a link to a round. @returns its address, which is shown this once. The caller has checked the round */
export async function makeLink(
  sql: Sql,
  actor: Actor,
  round: string,
  link: NewLink,
  origin: string,
  from: From,
): Promise<{ id: string; link: string }> {
  const id = newId();
  const secret = freshSecret();
  await sql.query(
    `INSERT INTO review_links (id, round_id, secret_hash, may, names, password_hash, expires_at, made_by, created_at)
     VALUES (?, ?, ?, ?, ?, ?, UTC_TIMESTAMP(3) + INTERVAL ? DAY, ?, UTC_TIMESTAMP(3))`,
    [
      ...[id, round, hashOfSecret(secret), link.may, link.names && JSON.stringify(link.names)],
      ...[link.password === null ? null : await hashPassword(link.password), link.days, actor.userId],
    ],
  );
  await audited(sql, actor, "link-made", from, `${link.names?.join(", ") ?? "anybody"} may ${link.may}`);
  return { id, link: `${origin}/review#${secret}` };
}

/** Withdraws a link: whoever came by it is out at their next request. @returns false when there is none */
export async function withdrawLink(sql: Sql, actor: Actor, id: string, from: From): Promise<boolean> {
  const [rows] = await sql.query<Row[]>(
    `SELECT l.round_id FROM review_links l JOIN rounds r ON r.id = l.round_id JOIN projects p ON p.id = r.project_id
     WHERE ${SEEN} AND l.id = ? AND l.withdrawn_at IS NULL`,
    [...seenBy(actor), id],
  );
  if (!rows[0]) return false;
  await sql.query("UPDATE review_links SET withdrawn_at = UTC_TIMESTAMP(3) WHERE id = ?", [id]);
  nudge(`round ${rows[0].round_id}`);
  await audited(sql, actor, "link-withdrawn", from);
  return true;
}

/** What whoever opens a link has to give before they are in. */
export type Asked = { round: string; token: string } | { asks: { password: boolean; names: string[] | null } };

/**
 * Comes in by a link: with name and, where one is set, password. What is missing is asked for; a link that does not
 * exist, was withdrawn or has ended is the same to whoever tries it.
 * @param known a guest's token that the browser has already; the same guest goes on
 * @throws PeopleError 404, 422 or 429
 */
export async function comeIn(
  pool: Database,
  secret: string,
  { name, password }: { name: string | null; password: string | null },
  known: readonly string[],
  from: From,
): Promise<Asked> {
  if (!(await mayTry(pool, "review", "", from.address, SECRET_LIMITS))) throw new PeopleError(429, TOO_MANY);
  const [rows] = await pool.query<Row[]>(
    `SELECT id, round_id, names, password_hash FROM review_links WHERE secret_hash = ? AND withdrawn_at IS NULL
     AND (expires_at IS NULL OR expires_at > UTC_TIMESTAMP(3))`,
    [hashOfSecret(secret)],
  );
  const link = rows[0];
  if (!link) throw new PeopleError(404, LINK_OVER);
  // Fifty people of one office come from one address: only what is guessed adds up.
  await wasRight(pool, "review", "", from.address);
  const names = link.names === null ? null : (JSON.parse(link.names) as string[]);
  if (known.length > 0) {
    const [guests] = await pool.query<Row[]>(
      "SELECT token_hash FROM review_guests WHERE link_id = ? AND token_hash IN (?)",
      [link.id, known.map(hashOfSecret)],
    );
    const own = known.find((t) => guests.some((g) => hashOfSecret(t).equals(g.token_hash as Buffer)));
    if (own) return { round: link.round_id, token: own };
  }
  const asks = { asks: { password: link.password_hash !== null, names } };
  if (link.password_hash !== null) {
    if (password === null) return asks;
    if (!(await mayTry(pool, "review-password", link.id, from.address, { pair: 10, account: 200, address: 100 })))
      throw new PeopleError(429, TOO_MANY);
    if (!(await isPassword(password, link.password_hash)))
      throw new PeopleError(422, "This is not the link's password.");
    await wasRight(pool, "review-password", link.id, from.address);
  }
  if (name === null) return asks;
  if (names && !names.includes(name))
    throw new PeopleError(422, "This link is for those who are named. Choose your name.");
  const token = freshSecret();
  await transaction(pool, async (sql) => {
    await throughDoor(sql, `guests ${link.id}`);
    const [count] = await sql.query<Row[]>("SELECT COUNT(*) AS n FROM review_guests WHERE link_id = ?", [link.id]);
    if (Number(count[0]?.n) >= GUESTS_MOST)
      throw new PeopleError(422, "Too many people came by this link. Ask whoever sent it for another.");
    await sql.query("INSERT INTO review_guests (id, link_id, name, token_hash) VALUES (?, ?, ?, ?)", [
      newId(),
      link.id,
      name,
      hashOfSecret(token),
    ]);
  });
  return { round: link.round_id, token };
}

const GUESTS_MOST = 1000;
