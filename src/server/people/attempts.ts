import { createHash } from "node:crypto";
import type { Row, Sql } from "../database/pool";

/** Attempts are counted over so long, min. */
export const WINDOW_MINUTES = 15;

/** How many attempts one window takes. */
export interface Limits {
  /** At one account from one address. */
  pair: number;
  /** At one account from anywhere: a great many addresses do not help either. */
  account: number;
  /** From one address at any accounts. */
  address: number;
}

export const SIGN_IN_LIMITS: Limits = { pair: 10, account: 50, address: 100 };
export const RESET_LIMITS: Limits = { pair: 5, account: 5, address: 30 };
/** For secrets from links, which are not of an account. */
export const SECRET_LIMITS: Limits = { pair: 60, account: 1_000_000, address: 60 };

const bucketOf = (...parts: string[]) => createHash("sha256").update(JSON.stringify(parts)).digest();

/** The counters of an attempt, and how far each may go. */
function counters(kind: string, account: string, address: string, limits: Limits): [Buffer, number][] {
  return [
    [bucketOf(kind, "pair", account, address), limits.pair],
    [bucketOf(kind, "account", account), limits.account],
    [bucketOf(kind, "address", address), limits.address],
  ];
}

/**
 * Counts an attempt before it is judged, in the database, so that several app processes share the count and none that
 * come at once slip through. The account is counted by its name, whether it exists or not.
 * @param firstOver called once a counter and window, by the attempt that is the first too many
 * @returns whether it may be judged
 */
export async function mayTry(
  sql: Sql,
  kind: string,
  account: string,
  address: string,
  limits: Limits,
  firstOver: () => Promise<void> = async () => {},
): Promise<boolean> {
  const all = counters(kind, account, address, limits);
  await sql.query("DELETE FROM attempts WHERE since < UTC_TIMESTAMP(3) - INTERVAL ? MINUTE LIMIT 1000", [
    WINDOW_MINUTES,
  ]);
  // One row at a time and always in the same order of buckets: two at once wait for each other and never lock up.
  let ok = true;
  for (const [bucket, most] of all.sort((a, b) => a[0].compare(b[0]))) {
    // The answer brings the number that this very attempt has got, whoever counts beside it.
    const [counted] = await sql.query<Row[]>(
      `INSERT INTO attempts (bucket, since, n) VALUES (?, UTC_TIMESTAMP(3), 1) ON DUPLICATE KEY UPDATE
         n = IF(since < UTC_TIMESTAMP(3) - INTERVAL ? MINUTE, 1, n + 1),
         since = IF(since < UTC_TIMESTAMP(3) - INTERVAL ? MINUTE, UTC_TIMESTAMP(3), since) RETURNING n`,
      [bucket, WINDOW_MINUTES, WINDOW_MINUTES],
    );
    const n = Number(counted[0]?.n);
    if (n > most) ok = false;
    if (n === most + 1) await firstOver();
  }
  return ok;
}

/** Takes back the count of an attempt that was right: only wrong ones add up. */
export async function wasRight(sql: Sql, kind: string, account: string, address: string): Promise<void> {
  const buckets = counters(kind, account, address, SIGN_IN_LIMITS).map(([b]) => b);
  await sql.query("UPDATE attempts SET n = GREATEST(n, 1) - 1 WHERE bucket IN (?)", [buckets]);
}

export const TOO_MANY = `Too many attempts. Wait ${WINDOW_MINUTES} minutes and try again.`;
