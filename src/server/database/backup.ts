import { type ChildProcess, spawn } from "node:child_process";
import { createReadStream, createWriteStream, existsSync } from "node:fs";
import { mkdir, open, readdir, readFile, rename, rm, stat } from "node:fs/promises";
import net from "node:net";
import path from "node:path";
import type { Readable, Writable } from "node:stream";
import { pipeline } from "node:stream/promises";
import { createGunzip, createGzip } from "node:zlib";
import mysql from "mysql2/promise";
import type { DatabaseAddress } from "./address";
import { startDatabase } from "./control";
import { migrate } from "./migrate";

/** A backup that cannot be made or put back; the message is for whoever runs Plextan. */
export class BackupError extends Error {
  override readonly name = "BackupError";
}

/** What a whole dump ends with; one that was cut off does not. */
const WHOLE = "-- Dump completed";
/** What it begins with: programs before 10.11.8 leave the first line out. */
const BEGINS = /^(\/\*M?!999999\\- enable the sandbox mode \*\/\s*)?-- MariaDB dump/;

/** Whether a private database answers on its socket: then Plextan runs on this folder. */
const answers = (data: string): Promise<boolean> =>
  new Promise((resolve) => {
    // A socket's path may have about 100 characters at most: from here it is shorter.
    const socket = net.connect(path.relative(process.cwd(), path.join(data, "db.sock")));
    socket.once("data", () => {
      socket.destroy();
      resolve(true);
    });
    socket.once("error", () => resolve(false));
  });

/** What a program said when it failed. */
async function ended(child: ChildProcess, what: string): Promise<void> {
  let said = "";
  child.stderr?.on("data", (chunk: Buffer) => {
    said = (said + chunk.toString()).slice(-2000);
  });
  const code = await new Promise<number | null>((resolve, reject) => {
    child.once("error", (error) => reject(new BackupError(`${what} cannot be started: ${error.message}`)));
    child.once("close", resolve);
  });
  const why = said.split("\n").find((l) => l.startsWith("ERROR")) ?? said.trim();
  if (code !== 0) throw new BackupError(`${what} failed: ${why || "it said nothing"}`);
}

const ENDS_BYTES = 400;
/** Lets bytes pass and keeps the first and the last of them. */
function ends() {
  let [first, last] = [Buffer.alloc(0), Buffer.alloc(0)];
  return {
    async *pass(source: AsyncIterable<Buffer>) {
      for await (const chunk of source) {
        if (first.length < ENDS_BYTES) first = Buffer.concat([first, chunk]).subarray(0, ENDS_BYTES);
        last = Buffer.concat([last, chunk.subarray(-ENDS_BYTES)]).subarray(-ENDS_BYTES);
        yield chunk;
      }
    },
    first: () => first.toString("latin1"),
    last: () => last.toString("latin1"),
  };
}

/**
 * Writes everything that a Plextan has into one file, as of one moment, while people work with it or not. The file is
 * there under its name only once it is whole, and is of whoever made it alone: it holds what people's passwords are
 * checked against.
 * @param folder of the private database @returns bytes written @throws BackupError
 */
export async function writeBackup(folder: string, to: string): Promise<number> {
  const root = path.resolve(folder);
  const password = await readFile(path.join(root, "secret"), "utf8").catch(() => null);
  if (password === null) throw new BackupError(`There is no Plextan in ${folder}. Name its folder: PLEXTAN_DATA=...`);
  if (existsSync(to)) throw new BackupError(`${to} is there already. Choose another name.`);
  const data = path.join(root, "data");
  const own = (await answers(data)) ? null : await startDatabase(folder);
  try {
    return await dump(["--socket=db.sock", "--user=root"], "plextan", password, data, to);
  } finally {
    await own?.stop();
  }
}

/** The same of a database that runs elsewhere, from the first of its nodes that answers. @throws BackupError */
export async function writeBackupOf(nodes: readonly DatabaseAddress[], to: string): Promise<number> {
  if (existsSync(to)) throw new BackupError(`${to} is there already. Choose another name.`);
  let failed: unknown;
  for (const { host, port, user, password, database, tls } of nodes) {
    const at = ["--protocol=tcp", `--host=${host}`, `--port=${port}`, `--user=${user}`];
    try {
      return await dump([...at, ...(tls ? ["--ssl", "--ssl-verify-server-cert"] : [])], database, password, ".", to);
    } catch (error) {
      failed = error;
    }
  }
  throw failed;
}

async function dump(at: string[], database: string, password: string, cwd: string, to: string): Promise<number> {
  const part = `${to}.part`;
  try {
    const child = spawn(
      "mariadb-dump",
      [
        ...["--no-defaults", ...at, "--default-character-set=utf8mb4"],
        // As of one moment, without keeping anybody waiting; rows as they come, not all of them in memory.
        ...["--single-transaction", "--quick", "--hex-blob", "--max-allowed-packet=64M", database],
      ],
      { cwd, env: { PATH: process.env.PATH, MYSQL_PWD: password } as never, stdio: ["ignore", "pipe", "pipe"] },
    );
    const done = ended(child, "mariadb-dump");
    done.catch(() => {});
    const seen = ends();
    await pipeline(
      child.stdout as Readable,
      seen.pass,
      createGzip(),
      createWriteStream(part, { mode: 0o600, flags: "w" }),
    );
    await done;
    if (!seen.last().includes(WHOLE)) throw new BackupError("mariadb-dump ended before it was through.");
    const file = await open(part, "r+");
    await file.sync();
    await file.close();
    await rename(part, to);
    return (await stat(to)).size;
  } catch (error) {
    await rm(part, { force: true });
    if (error instanceof BackupError) throw error;
    throw new BackupError(`The backup could not be written: ${(error as Error).message}`);
  }
}

/** Reads a backup to its end. @throws BackupError when it is none, or not whole */
async function checkBackup(from: string): Promise<void> {
  const seen = ends();
  try {
    await pipeline(createReadStream(from), createGunzip(), seen.pass, async (source: AsyncIterable<Buffer>) => {
      for await (const _ of source);
    });
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    if (code === "ENOENT") throw new BackupError(`${from} is not there.`);
    throw new BackupError(`${from} is not a backup of Plextan, or it is damaged. Nothing was changed.`);
  }
  if (!BEGINS.test(seen.first())) throw new BackupError(`${from} is not a backup of Plextan. Nothing was changed.`);
  if (!seen.last().includes(WHOLE))
    throw new BackupError(`${from} ends too early. Nothing was changed; take another one.`);
}

/**
 * Puts a backup into a new folder, and brings it to what this program needs. Nothing is left there when it fails.
 * @throws BackupError
 */
export async function readBackup(from: string, folder: string): Promise<void> {
  const there = await readdir(folder).catch(() => [] as string[]);
  if (there.length > 0)
    throw new BackupError(
      `There is something in ${folder} already. Name a new folder: bin/restore FILE FOLDER; then PLEXTAN_DATA=FOLDER bin/start.`,
    );
  await checkBackup(from);
  await mkdir(folder, { recursive: true, mode: 0o700 });
  let stop = async () => {};
  try {
    const database = await startDatabase(folder);
    stop = database.stop;
    await fill(from, database.address);
    const newer = await unknownMigrations(database.address);
    if (newer.length > 0)
      throw new BackupError(`The backup was made by a newer Plextan (${newer.join(", ")}). Update this one first.`);
    await migrate(database.address);
    await stop();
  } catch (error) {
    await stop();
    await rm(folder, { recursive: true, force: true });
    if (error instanceof BackupError) throw error;
    throw new BackupError(`The backup could not be put back: ${(error as Error).message}`);
  }
}

async function fill(from: string, address: DatabaseAddress): Promise<void> {
  const sql = await mysql.createConnection({ ...address, database: "" });
  await sql.query(`CREATE DATABASE \`${address.database}\` CHARACTER SET utf8mb4 COLLATE utf8mb4_bin`);
  await sql.end();
  // As the user of the app, who may change nothing else there; and without what such a file could do to this machine.
  const child = spawn(
    "mariadb",
    [
      ...["--no-defaults", "--loose-sandbox", "--protocol=tcp", `--host=${address.host}`, `--port=${address.port}`],
      ...[`--user=${address.user}`, "--default-character-set=utf8mb4", "--max-allowed-packet=64M", address.database],
    ],
    { env: { PATH: process.env.PATH, MYSQL_PWD: address.password } as never, stdio: ["pipe", "ignore", "pipe"] },
  );
  const done = ended(child, "mariadb");
  done.catch(() => {});
  // When it stops listening, what it says why counts.
  await pipeline(createReadStream(from), createGunzip(), child.stdin as Writable).catch(() => {});
  await done;
}

/** Migrations that a database has had and this program does not know. */
async function unknownMigrations(address: DatabaseAddress): Promise<string[]> {
  const known = new Set(await readdir(path.join("db", "migrations")));
  const sql = await mysql.createConnection({ ...address });
  try {
    const [rows] = await sql.query<mysql.RowDataPacket[]>("SELECT name FROM schema_migrations ORDER BY name");
    return rows.map((r) => r.name as string).filter((n) => !known.has(n));
  } catch {
    throw new BackupError("The file holds no Plextan.");
  } finally {
    await sql.end();
  }
}
