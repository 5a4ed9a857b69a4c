import { randomBytes } from "node:crypto";
import { rm } from "node:fs/promises";
import type { Actor } from "../../src/server/access/actor";
import { type RunningDatabase, startDatabase } from "../../src/server/database/control";
import { migrate } from "../../src/server/database/migrate";
import { type Database, openPool } from "../../src/server/database/pool";
import { newId } from "../../src/server/ids";
import { demoActor } from "../../src/server/people/demo";
import { migrateToLater } from "./laterVersion";

/**
 * A throwaway database of a test file's own.
 * @param later with the tables of a version to come, as while Plextan is updated
 */
export async function throwawayDatabase(later = false): Promise<{
  database: RunningDatabase;
  pool: Database;
  end(): Promise<void>;
}> {
  const folder = `var/test-${randomBytes(5).toString("hex")}`;
  const database = await startDatabase(folder);
  await migrate(database.address);
  const pool = openPool(database.address);
  if (later) await migrateToLater(database.address, pool);
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

/** A throwaway database with two people in it: the demo's animator, and a stranger of another workspace. */
export async function peopledDatabase(
  later = false,
): Promise<Awaited<ReturnType<typeof throwawayDatabase>> & { actor: Actor; stranger: Actor }> {
  const made = await throwawayDatabase(later);
  const actor = await demoActor(made.pool);
  const stranger: Actor = { userId: newId(), userName: "Stranger", workspaceId: newId(), role: "animator" };
  await made.pool.query("INSERT INTO workspaces (id, name) VALUES (?, 'Elsewhere')", [stranger.workspaceId]);
  await made.pool.query("INSERT INTO users (id, workspace_id, name) VALUES (?, ?, ?)", [
    stranger.userId,
    stranger.workspaceId,
    stranger.userName,
  ]);
  return { ...made, actor, stranger };
}
