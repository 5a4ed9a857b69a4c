import { createHash } from "node:crypto";
import { readdir, readFile } from "node:fs/promises";
import path from "node:path";
import mysql from "mysql2/promise";
import { newId } from "../ids";
import { connectionOf, type DatabaseAddress } from "./address";
import { faultOf } from "./faults";

/**
 * Brings a database up to date: makes it if missing, then applies the files of db/migrations in order of name and
 * records each with its hash. MariaDB commits each statement that changes tables by itself, so a file that fails half
 * way is named in the error. @returns names of the files applied now.
 * @throws Error when an applied file was changed since, or a statement fails.
 */
export async function migrate(
  address: DatabaseAddress,
  folder = path.join(process.cwd(), "db", "migrations"),
): Promise<string[]> {
  const { database, ...server } = connectionOf(address);
  const sql = await mysql.createConnection({ ...server, multipleStatements: true });
  try {
    await sql.query(`CREATE DATABASE IF NOT EXISTS \`${database}\` CHARACTER SET utf8mb4 COLLATE utf8mb4_bin`);
    await sql.query(`USE \`${database}\``);
    await sql.query(
      "CREATE TABLE IF NOT EXISTS schema_migrations (name VARCHAR(200) PRIMARY KEY, hash CHAR(64) NOT NULL, applied_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)) ENGINE=InnoDB",
    );
    await sql.query(
      "CREATE TABLE IF NOT EXISTS migration_turn (id TINYINT PRIMARY KEY, owner CHAR(20) NULL, until DATETIME(3) NOT NULL) ENGINE=InnoDB",
    );
    await sql.query("INSERT IGNORE INTO migration_turn (id, owner, until) VALUES (1, NULL, UTC_TIMESTAMP(3))");
    const watch = await mysql.createConnection(connectionOf(address));
    try {
      return await inTurn(watch, () => applyAll(sql, folder));
    } finally {
      await watch.end();
    }
  } finally {
    await sql.end();
  }
}

/** A turn that is not renewed so long has ended, s: whoever had it died. */
const TURN_S = 60;
const RENEW_MS = 5000;
/** Whoever waits longer than this for another to be through is told, ms. */
const WAIT_MS = 300_000;

/**
 * Lets one process at a time migrate, over all nodes of a cluster: the server's own named locks are of one node, so a
 * row is taken by comparing.
 * @param watch a connection of its own: a statement that changes a table may take minutes, in which the turn is renewed
 */
async function inTurn<T>(watch: mysql.Connection, work: () => Promise<T>): Promise<T> {
  const owner = newId();
  const take = async (): Promise<boolean> => {
    try {
      const [done] = await watch.query<mysql.ResultSetHeader>(
        `UPDATE migration_turn SET owner = ?, until = UTC_TIMESTAMP(3) + INTERVAL ? SECOND
         WHERE id = 1 AND (owner IS NULL OR owner = ? OR until < UTC_TIMESTAMP(3))`,
        [owner, TURN_S, owner],
      );
      return done.affectedRows === 1;
    } catch (error) {
      if (faultOf(error) === "collided") return false;
      throw error;
    }
  };
  const began = Date.now();
  while (!(await take())) {
    if (Date.now() - began > WAIT_MS) throw new Error("Another start has been migrating the database for minutes.");
    await new Promise((r) => setTimeout(r, 200));
  }
  const renew = setInterval(() => void take().catch(() => {}), RENEW_MS);
  try {
    return await work();
  } finally {
    clearInterval(renew);
    await watch.query("UPDATE migration_turn SET owner = NULL WHERE id = 1 AND owner = ?", [owner]).catch(() => {});
  }
}

async function applyAll(sql: mysql.Connection, folder: string): Promise<string[]> {
  const [rows] = await sql.query<mysql.RowDataPacket[]>("SELECT name, hash FROM schema_migrations");
  const applied = new Map(rows.map((r) => [r.name as string, r.hash as string]));
  const done: string[] = [];
  for (const name of (await readdir(folder)).filter((f) => f.endsWith(".sql")).sort()) {
    const text = await readFile(path.join(folder, name), "utf8");
    const hash = createHash("sha256").update(text).digest("hex");
    const known = applied.get(name);
    if (known === hash) continue;
    if (known) throw new Error(`The migration ${name} was changed after it had been applied. Add a new file instead.`);
    try {
      await sql.beginTransaction();
      await sql.query(text);
      await sql.query("INSERT INTO schema_migrations (name, hash) VALUES (?, ?)", [name, hash]);
      await sql.commit();
    } catch (error) {
      await sql.rollback();
      throw new Error(`The migration ${name} failed: ${(error as Error).message}`);
    }
    done.push(name);
  }
  return done;
}
