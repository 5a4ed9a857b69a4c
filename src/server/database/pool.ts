import mysql from "mysql2/promise";
import type { DatabaseAddress } from "./control";

export type Sql = mysql.Pool | mysql.PoolConnection;
export type Row = mysql.RowDataPacket;

/** Opens a pool. Connections are made when needed, so this does not fail while the database is down. */
export function openPool(address: DatabaseAddress, limit = 12): mysql.Pool {
  return mysql.createPool({
    ...address,
    connectionLimit: limit,
    charset: "utf8mb4",
    timezone: "Z",
    enableKeepAlive: true,
    connectTimeout: 5000,
    supportBigNumbers: true,
    jsonStrings: true,
  });
}

/** The address that the start command put into the environment. @throws Error when it did not. */
export function addressFromEnvironment(): DatabaseAddress {
  const text = process.env.PLEXTAN_DATABASE;
  if (!text) throw new Error("PLEXTAN_DATABASE is not set. Start Plextan with bin/demo.");
  return JSON.parse(text) as DatabaseAddress;
}

// Next.js loads modules once per route bundle; the pool must be one for the process.
const holder = globalThis as { plextanPool?: mysql.Pool };

/** The process's pool. */
export function database(): mysql.Pool {
  holder.plextanPool ??= openPool(addressFromEnvironment());
  return holder.plextanPool;
}

/** Runs reads that all see the database as of one moment. */
export async function consistentRead<T>(pool: mysql.Pool, work: (sql: mysql.PoolConnection) => Promise<T>): Promise<T> {
  const connection = await pool.getConnection();
  try {
    await connection.query("START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY");
    const result = await work(connection);
    await connection.query("COMMIT");
    return result;
  } catch (error) {
    await connection.rollback().catch(() => {});
    throw error;
  } finally {
    connection.release();
  }
}

/** Runs `work` in a transaction; rolls back when it throws. Tries again when the database saw a deadlock. */
export async function transaction<T>(pool: mysql.Pool, work: (sql: mysql.PoolConnection) => Promise<T>): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    const connection = await pool.getConnection();
    try {
      await connection.beginTransaction();
      const result = await work(connection);
      await connection.commit();
      return result;
    } catch (error) {
      await connection.rollback().catch(() => {});
      const code = (error as { code?: string }).code;
      if (attempt < 4 && (code === "ER_LOCK_DEADLOCK" || code === "ER_LOCK_WAIT_TIMEOUT")) continue;
      throw error;
    } finally {
      connection.release();
    }
  }
}
