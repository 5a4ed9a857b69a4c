import { copyFile, mkdtemp, readdir, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import type { DatabaseAddress } from "../../src/server/database/address";
import { migrate } from "../../src/server/database/migrate";
import type { Database, Row } from "../../src/server/database/pool";

const OURS = "db/migrations";

/**
 * Brings a database to a version to come: to every table is added whatever a migration may add (columns in front and
 * behind, with and without a default, an index), and a table. Processes of the present version go on beside it.
 * @returns how many tables were added to
 */
export async function migrateToLater(address: DatabaseAddress, pool: Database): Promise<number> {
  const [tables] = await pool.query<Row[]>(
    "SELECT table_name AS name FROM information_schema.tables WHERE table_schema = ? AND table_type = 'BASE TABLE'",
    [address.database],
  );
  const statements = tables
    // Its own book-keeping is the migration's, not the app's.
    .filter((t) => !String(t.name).startsWith("schema_") && t.name !== "migration_turn")
    .map(
      (t) => `ALTER TABLE ${t.name} ADD COLUMN first_of_later VARCHAR(20) NOT NULL DEFAULT 'later' FIRST,
        ADD COLUMN last_of_later INT NULL, ADD KEY (last_of_later);`,
    );
  const folder = await mkdtemp(path.join(tmpdir(), "plextan-later-"));
  try {
    for (const name of await readdir(OURS)) await copyFile(path.join(OURS, name), path.join(folder, name));
    const table = "CREATE TABLE only_later (id INT PRIMARY KEY) ENGINE=InnoDB;";
    await writeFile(path.join(folder, "999_later.sql"), [table, ...statements].join("\n"));
    const applied = await migrate(address, folder);
    if (!applied.includes("999_later.sql")) throw new Error("The version to come was there already.");
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
  return statements.length;
}
