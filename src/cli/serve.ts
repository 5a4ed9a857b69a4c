import { type ChildProcess, spawn } from "node:child_process";
import path from "node:path";
import { demoPreparation } from "../../demo/preparation";
import { roughCut } from "../../demo/roughCut";
import { demoSequences } from "../../demo/sequences";
import { demoSoundFiles } from "../../demo/sounds";
import { type DatabaseAddress, nameOf } from "../server/database/address";
import type { RunningDatabase } from "../server/database/control";
import { freePort, startDatabase } from "../server/database/control";
import { isAway } from "../server/database/faults";
import { migrate } from "../server/database/migrate";
import { openPool } from "../server/database/pool";
import { dyingWithUs, portIsFree } from "../server/database/processes";
import { keepPageFiles } from "../server/files/pageFiles";
import { type DemoContent, seedDemo } from "../server/imports/seedDemo";
import { KernelPool } from "../server/kernel/pool";
import { programArgs } from "../server/programs";

export const DEMO: DemoContent = {
  name: "Rill H2",
  file: "demo/rill-h2.step",
  picture: "demo/picture.png",
  preparation: demoPreparation,
  sequences: demoSequences,
  sounds: demoSoundFiles(),
};

/** The same machine with a sequence full of what is easily got wrong, for the proof to find. */
export const ROUGH_CUT: DemoContent = { ...DEMO, name: "Rill H2, a rough cut", sequences: roughCut, sounds: [] };

export interface ServeOptions {
  /** Folder of the private database. */
  databaseFolder: string;
  /** A database that runs elsewhere, with its nodes: then there is no private one. */
  elsewhere?: readonly DatabaseAddress[];
  /** Port of the web server; a free one by default. */
  port?: number;
  seed?: boolean;
  /** People have accounts: nobody is signed in by itself, and no demo is made. */
  accounts?: boolean;
  /** What the demo projects are made of; those that ship by default. The last is first in the list. */
  demo?: readonly DemoContent[];
  log?: (line: string) => void;
  env?: Record<string, string>;
  /** Starts again what dies, and says so. Off: the caller looks after it. */
  supervise?: boolean;
  /** Longest pause before something that keeps dying is started once more, ms. Default 10,000. */
  pauseMostMs?: number;
}

export interface Served {
  url: string;
  database: RunningDatabase;
  app: ChildProcess;
  startApp(): Promise<ChildProcess>;
  stop(): Promise<void>;
}

/** Something that the user has to see to; the message is for them. */
export class StartError extends Error {}

/** Starts database, demo data and app, as bin/demo and the end-to-end tests use them. @throws StartError */
export async function serve(options: ServeOptions): Promise<Served> {
  const log = options.log ?? (() => {});
  if (options.port && !(await portIsFree(options.port)))
    throw new StartError(
      `Port ${options.port} is in use by another program. Stop that one, or choose another port: PORT=${options.port + 1} bin/demo.`,
    );
  if (!options.elsewhere) log("Starting the database");
  const database = options.elsewhere ? notOurs(options.elsewhere) : await startDatabase(options.databaseFolder);
  const nodes = () => options.elsewhere ?? [running.address];
  let running = database;
  try {
    const applied = await migrateAny(nodes());
    if (applied.length > 0) log(`Applied ${applied.length} migration${applied.length === 1 ? "" : "s"}`);
    await keepFiles(nodes(), log);
    if (options.seed !== false && !options.accounts)
      for (const demo of options.demo ?? [ROUGH_CUT, DEMO]) await seed(database, demo, log);
    const port = options.port ?? (await freePort());
    let ending = false;
    const env = {
      PLEXTAN_DEMO: options.accounts ? "" : "1",
      PLEXTAN_OUTBOX: path.join(path.resolve(options.databaseFolder), "outbox.jsonl"),
      ...options.env,
    };
    const startApp = () => startAppProcess(port, nodes(), env);
    const served: Served = {
      url: `http://127.0.0.1:${port}`,
      database,
      app: await startApp(),
      startApp,
      async stop() {
        ending = true;
        served.app.kill("SIGTERM");
        await Promise.race([new Promise((r) => served.app.once("exit", r)), new Promise((r) => setTimeout(r, 3000))]);
        served.app.kill("SIGKILL");
        await served.database.stop();
      },
    };
    if (options.supervise) {
      const pauseMost = options.pauseMostMs ?? 10_000;
      if (!options.elsewhere)
        void keepAlive(
          "The database",
          () => served.database.exited,
          async () => {
            running = await startDatabase(options.databaseFolder, running.address.port);
            served.database = running;
          },
          () => ending,
          log,
          pauseMost,
        );
      void keepAlive(
        "The app",
        () => exited(served.app),
        async () => {
          served.app = await startApp();
        },
        () => ending,
        log,
        pauseMost,
      );
    }
    return served;
  } catch (error) {
    await database.stop();
    throw error;
  }
}

/** A database that is not ours to start or to end. */
function notOurs([first]: readonly DatabaseAddress[]): RunningDatabase {
  const nothing = async () => {};
  return { address: first as DatabaseAddress, pid: 0, exited: new Promise(() => {}), stop: nothing, kill: nothing };
}

/** Brings a database up to date by the first of its nodes that takes it. @throws Error of the last one */
async function migrateAny(nodes: readonly DatabaseAddress[]): Promise<string[]> {
  let failed: unknown;
  for (const node of nodes) {
    try {
      return await migrate(node);
    } catch (error) {
      if (!isAway(error)) throw error;
      failed = error;
    }
  }
  const names = nodes.map(nameOf).join(", ");
  throw new StartError(`The database cannot be reached at ${names}: ${(failed as Error).message}`);
}

/** Puts the files of pages where other versions find them. Without it all works but pages of other versions. */
async function keepFiles(nodes: readonly DatabaseAddress[], log: (line: string) => void): Promise<void> {
  const pool = openPool(nodes, 1);
  try {
    await keepPageFiles(pool);
  } catch (error) {
    log(`Pages that are open since before an update may have to be reloaded: ${(error as Error).message}`);
  } finally {
    await pool.end();
  }
}

const exited = (child: ChildProcess) =>
  new Promise<void>((done) =>
    child.exitCode !== null || child.signalCode !== null ? done() : child.once("exit", () => done()),
  );

/** Waits for something to die and starts it again, at once the first time and ever later when it keeps dying. */
async function keepAlive(
  what: string,
  died: () => Promise<void>,
  start: () => Promise<void>,
  ending: () => boolean,
  log: (line: string) => void,
  pauseMost: number,
): Promise<void> {
  let pauseMs = 0;
  for (;;) {
    const since = Date.now();
    await died();
    if (ending()) return;
    if (Date.now() - since > 30_000) pauseMs = 0;
    log(`${what} stopped unexpectedly and is started again.`);
    const began = Date.now();
    for (;;) {
      await new Promise((r) => setTimeout(r, pauseMs));
      if (ending()) return;
      try {
        await start();
        break;
      } catch (error) {
        log(`${what} could not be started again: ${(error as Error).message}`);
        pauseMs = Math.min(pauseMost, 500 + 2 * pauseMs);
      }
    }
    pauseMs = Math.min(pauseMost, 200 + 2 * pauseMs);
    log(
      `${what} is back after ${((Date.now() - began) / 1000).toFixed(1)} s; everything that was shown as saved is there.`,
    );
  }
}

async function seed(database: RunningDatabase, demo: DemoContent, log: (line: string) => void): Promise<void> {
  const pool = openPool(database.address, 4);
  let kernels: KernelPool | null = null;
  try {
    await seedDemo(
      pool,
      () => {
        log("Reading the demo's CAD file (once; about half a minute)");
        kernels = new KernelPool({ processes: 1, light: 0 });
        return kernels;
      },
      demo,
      log,
    );
  } finally {
    (kernels as KernelPool | null)?.close();
    await pool.end();
  }
}

/** An app process's code for "the port is taken"; see src/app/main.ts. */
const PORT_TAKEN = 3;

/**
 * Starts the built app and waits until it answers.
 * @param folder where it is built, for another version than this one @throws StartError when its port is taken
 */
export async function startAppProcess(
  port: number,
  nodes: readonly DatabaseAddress[],
  env: Record<string, string>,
  folder = process.cwd(),
): Promise<ChildProcess> {
  const [command, args] = dyingWithUs("KILL", process.execPath, programArgs("app", true));
  const child = spawn(command, args, {
    cwd: folder,
    stdio: ["ignore", "ignore", "inherit", "ipc"],
    env: {
      ...process.env,
      ...env,
      PORT: String(port),
      NODE_ENV: "production",
      NEXT_TELEMETRY_DISABLED: "1",
      PLEXTAN_NODES: JSON.stringify(nodes),
    },
  });
  for (let i = 0; i < 600; i++) {
    if (child.exitCode === PORT_TAKEN) throw new StartError(`Port ${port} is in use by another program.`);
    if (child.exitCode !== null || child.signalCode !== null) throw new Error("The app stopped while starting.");
    const ok = await fetch(`http://127.0.0.1:${port}/api/health`).then(
      (r) => r.ok,
      () => false,
    );
    if (ok) return child;
    await new Promise((r) => setTimeout(r, 100));
  }
  child.kill("SIGKILL");
  throw new Error("The app did not answer within 60 s.");
}
