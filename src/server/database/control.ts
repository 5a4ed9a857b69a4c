import { type ChildProcess, execFile, spawn } from "node:child_process";
import { randomBytes } from "node:crypto";
import { mkdir, readFile, rm, writeFile } from "node:fs/promises";
import net from "node:net";
import path from "node:path";
import { promisify } from "node:util";
import type { DatabaseAddress } from "./address";
import { dyingWithUs, endLeftover } from "./processes";

const run = promisify(execFile);

/** A private MariaDB that this process started. */
export interface RunningDatabase {
  address: DatabaseAddress;
  pid: number;
  /** Settles when it has ended, whatever ended it. */
  exited: Promise<void>;
  /** Ends it properly (SIGTERM) and waits. */
  stop(): Promise<void>;
  /** Ends it at once (SIGKILL), as a crash would. */
  kill(): Promise<void>;
}

/** A port that nothing listens on at the moment of asking. */
export async function freePort(): Promise<number> {
  return new Promise((resolve, reject) => {
    const server = net.createServer();
    server.once("error", reject);
    server.listen(0, "127.0.0.1", () => {
      const { port } = server.address() as net.AddressInfo;
      server.close(() => resolve(port));
    });
  });
}

/** What Plextan asks of a server, wherever it runs; see docs/operating.md. */
export const SERVER_SETTINGS = [
  "--max-allowed-packet=64M",
  "--character-set-server=utf8mb4",
  "--collation-server=utf8mb4_bin",
  "--skip-name-resolve",
  // A process that sleeps in the middle of a change must not keep its locks from the others.
  "--idle-transaction-timeout=2",
  "--innodb-lock-wait-timeout=10",
] as const;

const asRoot = () => (process.getuid?.() === 0 ? ["--user=root"] : []);

/**
 * Starts a MariaDB of our own in `folder`, making its data folder, user and password on first use. It listens on
 * loopback only and flushes its log at every commit, so that what was acknowledged survives a crash.
 * @throws Error when the server programs are missing or it does not come up in 60 s.
 */
export async function startDatabase(folder: string, wantedPort?: number): Promise<RunningDatabase> {
  const root = path.resolve(folder);
  const data = path.join(root, "data");
  const secretFile = path.join(root, "secret");
  // Of its own: a server that starts clears away temporary tables, those of another server in the same folder too.
  const temporary = path.join(root, "tmp");
  await mkdir(temporary, { recursive: true, mode: 0o700 });
  let password = await readFile(secretFile, "utf8").catch(() => null);
  if (password === null) {
    password = randomBytes(24).toString("base64url");
    await rm(data, { recursive: true, force: true });
    await run("mariadb-install-db", [
      "--no-defaults",
      `--datadir=${data}`,
      "--auth-root-authentication-method=normal",
      "--skip-test-db",
      `--tmpdir=${temporary}`,
      ...asRoot(),
    ]);
    await bootstrap(data, temporary, password);
    // Written last: a folder without it was not finished and is made anew.
    await writeFile(secretFile, password, { mode: 0o600 });
  }
  // One that an earlier start left behind has the data folder still.
  const left = Number(await readFile(path.join(data, "db.pid"), "utf8").catch(() => "0"));
  if (left > 0) await endLeftover(left, `--datadir=${data}`);
  const port = wantedPort ?? (await freePort());
  const child = spawn(
    ...dyingWithUs("TERM", "mariadbd", [
      "--no-defaults",
      `--datadir=${data}`,
      `--tmpdir=${temporary}`,
      "--bind-address=127.0.0.1",
      `--port=${port}`,
      // A Unix socket path may have about 100 characters at most, so it is kept relative to the data folder.
      "--socket=db.sock",
      "--pid-file=db.pid",
      "--innodb-flush-log-at-trx-commit=1",
      "--innodb-buffer-pool-size=128M",
      ...SERVER_SETTINGS,
      ...asRoot(),
    ]),
    { stdio: ["ignore", "ignore", "pipe"], cwd: root },
  );
  let log = "";
  child.stderr?.on("data", (chunk: Buffer) => {
    log = (log + chunk.toString()).slice(-4000);
  });
  const address: DatabaseAddress = { host: "127.0.0.1", port, user: "plextan", password, database: "plextan" };
  const exited = new Promise<void>((resolve) => child.once("exit", () => resolve()));
  await untilListening(child, port, () => log).catch((error) => {
    child.kill("SIGKILL");
    throw error;
  });
  const end = (signal: NodeJS.Signals) => async () => {
    if (child.exitCode === null && child.signalCode === null) child.kill(signal);
    await exited;
  };
  return { address, pid: child.pid as number, exited, stop: end("SIGTERM"), kill: end("SIGKILL") };
}

async function bootstrap(data: string, temporary: string, password: string): Promise<void> {
  const sql = [
    "FLUSH PRIVILEGES;",
    `ALTER USER root@localhost IDENTIFIED BY '${password}';`,
    `CREATE USER plextan@'127.0.0.1' IDENTIFIED BY '${password}';`,
    "GRANT ALL ON `plextan%`.* TO plextan@'127.0.0.1';",
    "",
  ].join("\n");
  await new Promise<void>((resolve, reject) => {
    const child = spawn(
      "mariadbd",
      ["--no-defaults", `--datadir=${data}`, `--tmpdir=${temporary}`, "--bootstrap", ...asRoot()],
      { stdio: ["pipe", "ignore", "pipe"] },
    );
    let log = "";
    child.stderr.on("data", (chunk: Buffer) => {
      log += chunk.toString();
    });
    child.once("error", reject);
    child.once("exit", (code) =>
      code === 0 ? resolve() : reject(new Error(`The database could not be set up: ${log.slice(-1500)}`)),
    );
    child.stdin.end(sql);
  });
}

async function untilListening(child: ChildProcess, port: number, log: () => string): Promise<void> {
  let failed: Error | null = null;
  child.once("error", (error) => {
    failed = error;
  });
  for (let i = 0; i < 600; i++) {
    if (failed) throw failed;
    if (child.exitCode !== null) throw new Error(`The database stopped while starting: ${log().slice(-1500)}`);
    const open = await new Promise<boolean>((resolve) => {
      const socket = net.connect(port, "127.0.0.1");
      socket.once("data", () => {
        socket.destroy();
        resolve(true);
      });
      socket.once("error", () => resolve(false));
    });
    if (open) return;
    await new Promise((r) => setTimeout(r, 100));
  }
  throw new Error(`The database did not answer within 60 s: ${log().slice(-1500)}`);
}
