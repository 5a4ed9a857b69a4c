/** One app, database and warm CAD reader for all browser tests; the database is thrown away. */
import { rm } from "node:fs/promises";
import { DEMO, ROUGH_CUT, serve } from "../src/cli/serve";
import { IMPORT_DEFAULTS } from "../src/core/assembly/importSettings";

const folder = process.env.E2E_FOLDER ?? "var/e2e-db";
await rm(folder, { recursive: true, force: true });
const served = await serve({
  databaseFolder: folder,
  port: Number(process.argv[2]),
  env: { PLEXTAN_READERS: "1" },
  // A machine without a graphics card draws a coarse mesh in half the time; nothing in these tests is about fine ones.
  demo: [ROUGH_CUT, DEMO].map((d) => ({
    ...d,
    settings: { ...IMPORT_DEFAULTS, quality: process.env.E2E_FINE ? "fine" : "coarse" },
  })),
});
const end = async () => {
  await served.stop();
  await rm(folder, { recursive: true, force: true });
  process.exit(0);
};
process.on("SIGTERM", end);
process.on("SIGINT", end);
