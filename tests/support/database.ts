import { randomBytes } from "node:crypto";
import { rm } from "node:fs/promises";
import type { Pool } from "mysql2/promise";
import { type RunningDatabase, startDatabase } from "../../src/server/database/control";
import { migrate } from "../../src/server/database/migrate";
import { openPool } from "../../src/server/database/pool";

/** A throwaway database of a test file's own. */
export async function throwawayDatabase(): Promise<{ database: RunningDatabase; pool: Pool; end(): Promise<void> }> {
  const folder = `var/test-${randomBytes(5).toString("hex")}`;
  const database = await startDatabase(folder);
  await migrate(database.address);
  const pool = openPool(database.address);
  return {
    database,
    pool,
    async end() {
      await pool.end();
      await database.stop();
      await rm(folder, { recursive: true, force: true });
    },
  };
}
