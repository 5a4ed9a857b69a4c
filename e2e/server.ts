/** One app, database and warm CAD reader for all browser tests; the database is thrown away. */
import { rm } from "node:fs/promises";
import { serve } from "../src/cli/serve";

const folder = "var/e2e-db";
await rm(folder, { recursive: true, force: true });
const served = await serve({ databaseFolder: folder, port: Number(process.argv[2]), env: { PLEXTAN_READERS: "1" } });
const end = async () => {
  await served.stop();
  await rm(folder, { recursive: true, force: true });
  process.exit(0);
};
process.on("SIGTERM", end);
process.on("SIGINT", end);
