import { type ChildProcess, spawn } from "node:child_process";
import { demoPreparation } from "../../demo/preparation";
import { demoSequences } from "../../demo/sequences";
import type { RunningDatabase } from "../server/database/control";
import { freePort, startDatabase } from "../server/database/control";
import { migrate } from "../server/database/migrate";
import { openPool } from "../server/database/pool";
import { type DemoContent, seedDemo } from "../server/imports/seedDemo";
import { KernelPool } from "../server/kernel/pool";

export const DEMO: DemoContent = {
  name: "Rill H2",
  file: "demo/rill-h2.step",
  picture: "demo/picture.png",
  preparation: demoPreparation,
  sequences: demoSequences,
};

export interface ServeOptions {
  /** Folder of the private database. */
  databaseFolder: string;
  /** Port of the web server; a free one by default. */
  port?: number;
  seed?: boolean;
  log?: (line: string) => void;
  env?: Record<string, string>;
}

export interface Served {
  url: string;
  database: RunningDatabase;
  app: ChildProcess;
  startApp(): Promise<ChildProcess>;
  stop(): Promise<void>;
}

/** Starts database, demo data and app, as bin/demo and the end-to-end tests use them. */
export async function serve(options: ServeOptions): Promise<Served> {
  const log = options.log ?? (() => {});
  log("Starting the database");
  const database = await startDatabase(options.databaseFolder);
  try {
    const applied = await migrate(database.address);
    if (applied.length > 0) log(`Applied ${applied.length} migration${applied.length === 1 ? "" : "s"}`);
    if (options.seed !== false) await seed(database, log);
    const port = options.port ?? (await freePort());
    const startApp = () => startNext(port, database, options.env ?? {});
    const served: Served = {
      url: `http://127.0.0.1:${port}`,
      database,
      app: await startApp(),
      startApp,
      async stop() {
        served.app.kill("SIGTERM");
        await Promise.race([new Promise((r) => served.app.once("exit", r)), new Promise((r) => setTimeout(r, 3000))]);
        served.app.kill("SIGKILL");
        await served.database.stop();
      },
    };
    return served;
  } catch (error) {
    await database.stop();
    throw error;
  }
}

async function seed(database: RunningDatabase, log: (line: string) => void): Promise<void> {
  const pool = openPool(database.address, 4);
  let kernels: KernelPool | null = null;
  try {
    await seedDemo(
      pool,
      () => {
        log("Reading the demo's CAD file (once; about half a minute)");
        kernels = new KernelPool({ processes: 1 });
        return kernels;
      },
      DEMO,
      log,
    );
  } finally {
    (kernels as KernelPool | null)?.close();
    await pool.end();
  }
}

/** Starts the built app and waits until it answers. */
async function startNext(port: number, database: RunningDatabase, env: Record<string, string>): Promise<ChildProcess> {
  const child = spawn(process.execPath, ["--import", "tsx", "src/server/main.ts"], {
    stdio: ["ignore", "ignore", "inherit", "ipc"],
    env: { ...process.env, ...env, PORT: String(port), NODE_ENV: "production", NEXT_TELEMETRY_DISABLED: "1", PLEXTAN_DATABASE: JSON.stringify(database.address) },
  });
  for (let i = 0; i < 300; i++) {
    if (child.exitCode !== null) throw new Error("The app stopped while starting.");
    const ok = await fetch(`http://127.0.0.1:${port}/api/health`).then(
      (r) => r.ok,
      () => false,
    );
    if (ok) return child;
    await new Promise((r) => setTimeout(r, 200));
  }
  child.kill("SIGKILL");
  throw new Error("The app did not answer within 60 s.");
}
