import { createHash } from "node:crypto";
import { readdir, readFile } from "node:fs/promises";
import path from "node:path";
import mysql from "mysql2/promise";
import type { DatabaseAddress } from "./control";

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
  const { database, ...server } = address;
  const sql = await mysql.createConnection({ ...server, multipleStatements: true, charset: "utf8mb4" });
  try {
    await sql.query(`CREATE DATABASE IF NOT EXISTS \`${database}\` CHARACTER SET utf8mb4 COLLATE utf8mb4_bin`);
    await sql.query(`USE \`${database}\``);
    await sql.query("SELECT GET_LOCK('plextan-migrate', 60)");
    await sql.query(
      "CREATE TABLE IF NOT EXISTS schema_migrations (name VARCHAR(200) PRIMARY KEY, hash CHAR(64) NOT NULL, applied_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)) ENGINE=InnoDB",
    );
    const [rows] = await sql.query<mysql.RowDataPacket[]>("SELECT name, hash FROM schema_migrations");
    const applied = new Map(rows.map((r) => [r.name as string, r.hash as string]));
    const done: string[] = [];
    for (const name of (await readdir(folder)).filter((f) => f.endsWith(".sql")).sort()) {
      const text = await readFile(path.join(folder, name), "utf8");
      const hash = createHash("sha256").update(text).digest("hex");
      const known = applied.get(name);
      if (known === hash) continue;
      if (known)
        throw new Error(`The migration ${name} was changed after it had been applied. Add a new file instead.`);
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
  } finally {
    await sql.end();
  }
}
