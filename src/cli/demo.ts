import { mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import path from "node:path";
import { runs } from "../server/database/processes";
import { type Served, StartError, serve } from "./serve";

const FOLDER = process.env.PLEXTAN_DATA ?? "var/db";
const MARK = path.join(FOLDER, "running.json");

/** The start that runs on the same data already, if there is one. */
function other(): { pid: number; url: string } | null {
  try {
    const found = JSON.parse(readFileSync(MARK, "utf8")) as { pid: number; url: string };
    return found.pid !== process.pid && runs(found.pid, "src/cli/demo.ts") ? found : null;
  } catch {
    return null;
  }
}

const running = other();
if (running) {
  console.error(`Plextan is running already at ${running.url} (process ${running.pid}). Open that, or stop it first.`);
  process.exit(1);
}
mkdirSync(FOLDER, { recursive: true, mode: 0o700 });
writeFileSync(MARK, JSON.stringify({ pid: process.pid, url: "its address, once it is up" }));

const wanted = Number(process.env.PORT ?? 0);
let served: Served;
try {
  served = await serve({
    databaseFolder: FOLDER,
    supervise: true,
    ...(wanted > 0 ? { port: wanted } : {}),
    log: (line) => console.log(line),
  });
} catch (error) {
  rmSync(MARK, { force: true });
  console.error(
    error instanceof StartError ? error.message : `Plextan could not be started: ${(error as Error).message}`,
  );
  process.exit(1);
}
writeFileSync(MARK, JSON.stringify({ pid: process.pid, url: served.url }));
console.log(`\nPlextan is ready at ${served.url}\nStop it with Ctrl+C.`);

let ending = false;
const end = async () => {
  if (ending) return;
  ending = true;
  await served.stop();
  rmSync(MARK, { force: true });
  process.exit(0);
};
process.on("SIGINT", end);
process.on("SIGTERM", end);
