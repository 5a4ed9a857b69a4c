import type mysql from "mysql2/promise";
import type { DatabaseAddress } from "./address";
import { faultOf, isAway, isBehind } from "./faults";
import { COLLISIONS_MOST, type Database, type NodeState, Nodes, pause } from "./nodes";

export type { Database } from "./nodes";
export type Sql = Database | mysql.PoolConnection;
export type Row = mysql.RowDataPacket;

/**
 * Opens a database: one server, or the nodes of a cluster. Connections are made when needed, so this does not fail
 * while it is down.
 * @param limit most connections at once
 */
export function openPool(address: DatabaseAddress | readonly DatabaseAddress[], limit = 12): Database {
  return nodesOf(address, limit);
}

const nodesOf = (address: DatabaseAddress | readonly DatabaseAddress[], limit = 12) =>
  new Nodes("host" in address ? [address] : address, limit);

/** The addresses that the start command put into the environment. @throws Error when it did not. */
export function addressesFromEnvironment(): DatabaseAddress[] {
  const text = process.env.PLEXTAN_NODES;
  if (!text) throw new Error("PLEXTAN_NODES is not set. Start Plextan with bin/demo or bin/start.");
  return JSON.parse(text) as DatabaseAddress[];
}

// Next.js loads modules once per route bundle; the pool must be one for the process.
const holder = globalThis as { plextanNodes?: Nodes };

const nodes = (): Nodes => {
  holder.plextanNodes ??= nodesOf(addressesFromEnvironment());
  return holder.plextanNodes;
};

/** The process's database. */
export const database = (): Database => nodes();

/** How the nodes of the process's database stand, and which is spoken to. */
export const databaseNodes = (): { states: readonly NodeState[]; at: number } => nodes().standing;

/** Runs reads that all see the database as of one moment. */
export function consistentRead<T>(pool: Database, work: (sql: mysql.PoolConnection) => Promise<T>): Promise<T> {
  return inTransaction(pool, plainly(pool, "START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY", work));
}

/**
 * Runs `work` in a transaction; rolls back when it throws. It is run again from its beginning, a bounded number of
 * times, when somebody else was faster (a deadlock, or another node of a cluster that committed first) or when the node
 * or the connection went away before it was committed: it must do nothing outside the database that may not be done twice. Where the
 * connection ends while it is being committed, nobody knows whether it is, and the error says so to the caller.
 */
export function transaction<T>(pool: Database, work: (sql: mysql.PoolConnection) => Promise<T>): Promise<T> {
  return inTransaction(pool, plainly(pool, "START TRANSACTION", work));
}

/** A statement and the values for its places. */
export interface Statement {
  sql: string;
  values: readonly unknown[];
}

/** What a brief transaction comes to: changes, and what follows from the rows that the first of them returns. */
export interface Outcome<T> {
  changes: readonly Statement[];
  result: (rows: Row[]) => T;
}

/**
 * A transaction that is begun together with its first questions, and committed together with what it changes: a way to
 * the database and back for each becomes two in all, so that what it locks is locked briefly, and hardly ever by a
 * process that sleeps. For what many wait for; else like `transaction`.
 * @param opening questions; the first locks what the others are about
 * @param work gets the rows of each question
 */
export function briefTransaction<T>(
  pool: Database,
  opening: readonly Statement[],
  work: (found: readonly Row[][], sql: mysql.PoolConnection) => Promise<Outcome<T>>,
): Promise<T> {
  return inTransaction(pool, {
    begin: async (sql, again) => {
      if (!again) return await together(sql, [{ sql: "START TRANSACTION", values: [] }, ...opening]);
      // Begun anew, it is seen whether the node is behind the others or a row is locked.
      await begun(pool, sql, "START TRANSACTION");
      const found: Row[][] = [];
      for (const o of opening) found.push((await sql.query<Row[]>(o.sql, [...o.values]))[0]);
      return found;
    },
    work: async (sql, found) => {
      const { changes, result } = await work(found, sql);
      return async () => result((await together(sql, [...changes, { sql: "COMMIT", values: [] }]))[0] ?? []);
    },
  });
}

/**
 * A transaction that is one way to the database and back: it begins, and commits or rolls back, by its own statements.
 * Else like `transaction`. @returns rows of the first statement that has any
 */
export const atOnce = (pool: Database, statements: readonly Statement[]): Promise<Row[]> =>
  inTransaction(pool, {
    begin: async () => {},
    work: async (sql) => async () => (await together(sql, statements))[0] ?? [],
  });

/** Several statements as one (MariaDB's block without a procedure). @returns rows of each that answers with rows */
async function together(sql: mysql.PoolConnection, statements: readonly Statement[]): Promise<Row[][]> {
  const [got] = await sql.query<Row[][]>(
    `BEGIN NOT ATOMIC ${statements.map((s) => s.sql).join("; ")}; END`,
    statements.flatMap((s) => [...s.values]),
  );
  // How the block itself went stands behind the rows.
  return Array.isArray(got) ? got.slice(0, -1) : [];
}

/** So long it is begun anew when nodes go away, ms. */
const PATIENCE_MS = 6000;
/** So long it is begun anew when others were faster, ms. Waiting for a lock alone takes 10 s before it is given up. */
const COLLIDING_MS = 30_000;

/** A transaction of which so long nothing was heard is looked at before it is committed, ms. */
const SILENT_MS = 1000;
/** So long the server is to wait for one that it ended once for its silence, s: it worked, and did not sleep. */
const PATIENT_S = 30;

/** How a transaction goes: what it begins with, what is done in it, and, as what that gives, how it is committed. */
interface Course<B, T> {
  begin: (sql: mysql.PoolConnection, again: boolean) => Promise<B>;
  work: (sql: mysql.PoolConnection, begun: B) => Promise<() => Promise<T>>;
}

/** Begins one. A node that cannot say what the others have acknowledged is left. */
async function begun(pool: Database, sql: mysql.PoolConnection, begin: string): Promise<void> {
  await sql.query(begin).catch((error) => {
    if (isBehind(error, begin)) pool.behind?.();
    throw error;
  });
}

/** Begun, done and committed statement by statement. */
const plainly = <T>(
  pool: Database,
  begin: string,
  work: (sql: mysql.PoolConnection) => Promise<T>,
): Course<void, T> => ({
  begin: (sql) => begun(pool, sql, begin),
  work: async (sql) => {
    const result = await work(sql);
    return async () => {
      await sql.query("COMMIT");
      return result;
    };
  },
});

async function inTransaction<B, T>(pool: Database, { begin, work }: Course<B, T>): Promise<T> {
  const began = performance.now();
  const since = () => performance.now() - began;
  let cuts = 0;
  let again = false;
  for (let collided = 0; ; again = true) {
    const connection = await pool.getConnection();
    let committing = false;
    const patient = cuts > 0;
    try {
      if (patient) await connection.query("SET SESSION idle_transaction_timeout = ?", [PATIENT_S]);
      const begun = await begin(connection, again);
      const worked = performance.now();
      const commit = await work(connection, begun);
      // Cut off before, it is begun anew; cut off while it is committed, nobody knows how it stands.
      if (performance.now() - worked > SILENT_MS) await connection.ping();
      committing = true;
      return await commit();
    } catch (error) {
      const fault = faultOf(error);
      if (fault === "cut") cuts++;
      // A connection of which nobody knows how it stands is not given to the next.
      if (fault === "cut") connection.destroy();
      else await connection.rollback().catch(() => connection.destroy());
      if (fault === "collided" && ++collided < COLLISIONS_MOST && since() < COLLIDING_MS) await pause(collided);
      else if (pool.several && !committing && isAway(error) && since() < PATIENCE_MS) await pause(5);
      // The server ends what stood still in the middle, as after the machine slept; it is there all the same.
      else if (fault !== "cut" || committing || pool.several || cuts > 1) throw error;
    } finally {
      if (patient)
        await connection.query("SET SESSION idle_transaction_timeout = DEFAULT").catch(() => connection.destroy());
      connection.release();
    }
  }
}

/**
 * Lets one at a time through a door, cluster-wide, until its transaction ends: others wait, or are sent back to begin
 * anew. To lock a row by reading it holds on one node alone; a door is written, so that two nodes see each other.
 * @param door what is guarded, up to 64 letters
 */
export async function throughDoor(sql: mysql.PoolConnection, door: string): Promise<void> {
  await sql.query("INSERT INTO doors (name, passed) VALUES (?, 1) ON DUPLICATE KEY UPDATE passed = passed + 1", [door]);
}
