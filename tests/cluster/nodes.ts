import { type ChildProcess, execFile, spawn } from "node:child_process";
import { randomBytes } from "node:crypto";
import { existsSync } from "node:fs";
import { chmod, mkdir, mkdtemp, readFile, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { promisify } from "node:util";
import mysql from "mysql2/promise";
import type { DatabaseAddress } from "../../src/server/database/address";
import { SERVER_SETTINGS } from "../../src/server/database/control";
import { dyingWithUs, portIsFree } from "../../src/server/database/processes";

const run = promisify(execFile);
const sleep = (ms: number) => new Promise((r) => setTimeout(r, ms));

/** One server of a cluster on loopback. */
export interface Node {
  address: DatabaseAddress;
  /** Ends it at once, as a machine that loses its power. */
  kill(): Promise<void>;
  /** It stops where it stands, its connections open, as a machine that hangs. */
  freeze(): void;
  thaw(): void;
  /** Starts it again; it takes over what it missed. */
  start(): Promise<void>;
  alive(): boolean;
  /** The end of what it wrote. */
  said(): Promise<string>;
}

export interface Cluster {
  nodes: readonly Node[];
  stop(): Promise<void>;
}

const PROVIDERS = [
  "/usr/lib/galera/libgalera_smm.so",
  "/usr/lib/libgalera_smm.so",
  "/usr/lib/x86_64-linux-gnu/libgalera_smm.so",
];
/** The copy from node to node refuses to run as root, so servers run as the package's own user then. */
const asRoot = process.getuid?.() === 0;
const asDatabase = (command: string, args: string[]): [string, string[]] =>
  asRoot
    ? ["setpriv", ["--reuid=mysql", "--regid=mysql", "--clear-groups", "--pdeathsig", "KILL", command, ...args]]
    : dyingWithUs("KILL", command, args);

/** A node that says nothing so long is left out: the others stand still until then. See docs/operating.md. */
const TIMES =
  "evs.keepalive_period=PT0.3S;evs.inactive_check_period=PT0.2S;evs.suspect_timeout=PT1.5S;evs.inactive_timeout=PT3S;evs.install_timeout=PT3S;repl.causal_read_timeout=PT2S";

/**
 * A free port below those that the system gives away by itself: a server that comes up later, or again, must find it
 * free still, with other tests beside it that ask for any port at all.
 */
export async function ownPort(): Promise<number> {
  for (;;) {
    const port = 12_000 + Math.floor(18_000 * Math.random());
    if (await portIsFree(port, 0)) return port;
  }
}

/** Starts a cluster of `count` servers in a folder of its own. @throws Error when the packages are missing */
export async function startCluster(count = 3): Promise<Cluster> {
  const provider = PROVIDERS.find(existsSync);
  if (!provider) throw new Error("Galera is missing: install the package galera-4.");
  const root = await mkdtemp(path.join(tmpdir(), "plextan-cluster-"));
  await chmod(root, 0o755);
  const password = randomBytes(12).toString("hex");
  const ports: { sql: number; group: number; state: number; copy: number }[] = [];
  for (let i = 0; i < count; i++)
    ports.push({ sql: await ownPort(), group: await ownPort(), state: await ownPort(), copy: await ownPort() });
  const all = ports.map((p) => `127.0.0.1:${p.group}`).join(",");
  const nodes: Node[] = [];

  const make = async (i: number): Promise<Node> => {
    const { sql, group, state, copy } = ports[i] as (typeof ports)[number];
    const folder = path.join(root, `node-${i + 1}`);
    const data = path.join(folder, "data");
    const temporary = path.join(folder, "tmp");
    await mkdir(temporary, { recursive: true });
    await mkdir(data, { recursive: true });
    if (asRoot) await run("chown", ["-R", "mysql:mysql", folder]);
    await run(
      ...asDatabase("mariadb-install-db", [
        "--no-defaults",
        `--datadir=${data}`,
        "--auth-root-authentication-method=normal",
        "--skip-test-db",
        `--tmpdir=${temporary}`,
      ]),
      { cwd: folder },
    );
    const address: DatabaseAddress = { host: "127.0.0.1", port: sql, user: "plextan", password, database: "plextan" };
    let child: ChildProcess | null = null;
    const start = async (first = false) => {
      const args = [
        "--no-defaults",
        `--datadir=${data}`,
        `--tmpdir=${temporary}`,
        "--bind-address=127.0.0.1",
        `--port=${sql}`,
        "--socket=db.sock",
        "--pid-file=db.pid",
        `--log-error=${path.join(folder, "log")}`,
        // What a cluster asks of its servers.
        "--binlog-format=ROW",
        "--innodb-autoinc-lock-mode=2",
        "--wsrep-on=ON",
        `--wsrep-provider=${provider}`,
        `--wsrep-cluster-address=gcomm://${first ? "" : all}`,
        `--wsrep-node-address=127.0.0.1:${group}`,
        `--wsrep-node-name=node-${i + 1}`,
        `--wsrep-provider-options=base_host=127.0.0.1;base_port=${group};gmcast.listen_addr=tcp://127.0.0.1:${group};ist.recv_addr=127.0.0.1:${state};gcache.size=64M;${TIMES}`,
        "--wsrep-sst-method=rsync",
        `--wsrep-sst-receive-address=127.0.0.1:${copy}`,
        "--wsrep-slave-threads=2",
        "--wsrep-retry-autocommit=4",
        ...(first ? ["--wsrep-new-cluster"] : []),
        // As the private one has it; what is lost with a node is on the others.
        "--innodb-flush-log-at-trx-commit=2",
        "--innodb-buffer-pool-size=64M",
        ...SERVER_SETTINGS,
      ];
      const [command, rest] = asDatabase("mariadbd", args);
      const made = spawn(command, rest, {
        cwd: folder,
        stdio: ["ignore", "ignore", "pipe"],
        // rsync is looked for beside the servers' own programs.
        env: { ...process.env, PATH: `${process.env.PATH}:/usr/sbin:/sbin:/usr/bin:/bin` },
      });
      child = made;
      let said = "";
      made.stderr?.on("data", (chunk: Buffer) => {
        said = (said + chunk.toString()).slice(-2000);
      });
      for (let waited = 0; waited < 60_000; waited += 200) {
        if (made.exitCode !== null || made.signalCode !== null)
          throw new Error(
            `Node ${i + 1} stopped while starting (${made.exitCode ?? made.signalCode}):\n${said}\n${await tail(folder)}`,
          );
        if (await isReady(first ? { ...address, user: "root", password: "" } : address)) return;
        await sleep(200);
      }
      throw new Error(`Node ${i + 1} did not join within 60 s:\n${await tail(folder)}`);
    };
    const pid = () => child?.pid as number;
    const gone = () => child === null || child.exitCode !== null || child.signalCode !== null;
    return {
      address,
      start,
      alive: () => !gone(),
      said: () => tail(folder),
      freeze: () => void process.kill(pid(), "SIGSTOP"),
      thaw: () => void process.kill(pid(), "SIGCONT"),
      async kill() {
        if (gone()) return;
        const exited = new Promise((r) => child?.once("exit", r));
        process.kill(pid(), "SIGKILL");
        await exited;
      },
    };
  };

  const stop = async () => {
    await Promise.all(nodes.map((n) => n.kill()));
    await rm(root, { recursive: true, force: true });
  };
  try {
    for (let i = 0; i < count; i++) nodes.push(await make(i));
    await (nodes[0] as Node & { start(first: boolean): Promise<void> }).start(true);
    const first = nodes[0]?.address as DatabaseAddress;
    const sql = await mysql.createConnection({
      host: first.host,
      port: first.port,
      user: "root",
      multipleStatements: true,
    });
    await sql.query(
      `CREATE USER plextan@'127.0.0.1' IDENTIFIED BY '${password}'; GRANT ALL ON plextan.* TO plextan@'127.0.0.1';`,
    );
    await sql.end();
    // One after the other: each takes its copy from one that is in.
    for (const n of nodes.slice(1)) await n.start();
    return { nodes, stop };
  } catch (error) {
    await stop();
    throw error;
  }
}

const tail = async (folder: string) =>
  (await readFile(path.join(folder, "log"), "utf8").catch(() => "it wrote nothing")).slice(-3000);

async function isReady({ host, port, user, password }: DatabaseAddress): Promise<boolean> {
  try {
    const sql = await mysql.createConnection({ host, port, user, password, connectTimeout: 1000 });
    const [rows] = await sql.query<mysql.RowDataPacket[]>("SHOW GLOBAL STATUS LIKE 'wsrep_ready'");
    await sql.end();
    return rows[0]?.Value === "ON";
  } catch {
    return false;
  }
}
