import { mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import path from "node:path";
import { runs } from "../server/database/processes";
import { type Served, type ServeOptions, StartError, serve } from "./serve";

/** The start that runs on the same data already, if there is one. */
function other(mark: string, script: string): { pid: number; url: string } | null {
  try {
    const found = JSON.parse(readFileSync(mark, "utf8")) as { pid: number; url: string };
    return found.pid !== process.pid && runs(found.pid, script) ? found : null;
  } catch {
    return null;
  }
}

/**
 * Runs Plextan until it is told to end, once a data folder; says what keeps it from that, and ends the process then.
 * @param script the start command's own file, by which another start is known
 */
export async function standing(
  options: Pick<ServeOptions, "databaseFolder" | "accounts" | "elsewhere">,
  script: string,
): Promise<Served> {
  const mark = path.join(options.databaseFolder, "running.json");
  const running = other(mark, script);
  if (running) {
    console.error(
      `Plextan is running already at ${running.url} (process ${running.pid}). Open that, or stop it first.`,
    );
    process.exit(1);
  }
  mkdirSync(options.databaseFolder, { recursive: true, mode: 0o700 });
  writeFileSync(mark, JSON.stringify({ pid: process.pid, url: "its address, once it is up" }));
  const wanted = Number(process.env.PORT ?? 0);
  let served: Served;
  try {
    served = await serve({
      ...options,
      supervise: true,
      ...(wanted > 0 ? { port: wanted } : {}),
      log: (line) => console.log(line),
    });
  } catch (error) {
    rmSync(mark, { force: true });
    console.error(
      error instanceof StartError ? error.message : `Plextan could not be started: ${(error as Error).message}`,
    );
    process.exit(1);
  }
  writeFileSync(mark, JSON.stringify({ pid: process.pid, url: served.url }));
  let ending = false;
  const end = async () => {
    if (ending) return;
    ending = true;
    await served.stop();
    rmSync(mark, { force: true });
    process.exit(0);
  };
  process.on("SIGINT", end);
  process.on("SIGTERM", end);
  return served;
}
