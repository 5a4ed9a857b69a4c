import { readdirSync } from "node:fs";
import { readFile } from "node:fs/promises";
import type { IncomingMessage, ServerResponse } from "node:http";
import path from "node:path";
import { promisify } from "node:util";
import { gunzip, gzip } from "node:zlib";
import type { Database, Row } from "../database/pool";

/** Where the framework serves them, and where its build puts them. */
const ADDRESS = "/_next/static/";
const FOLDER = ".next/static";

/** So long after a version was replaced its files are kept: a page that stays open longer is opened anew, days. */
const KEPT_DAYS = 30;
/** How long the list of what others have is taken for true when a name is asked for that is not in it, ms. */
const FRESH_MS = 2000;

const [packed, unpacked] = [promisify(gzip), promisify(gunzip)];

/** The files of this version, by their names under the framework's address. Maps and sources are not for pages. */
export function pageFilesIn(folder = FOLDER): string[] {
  try {
    return readdirSync(folder, { recursive: true, withFileTypes: true })
      .filter((e) => e.isFile() && !/\.(map|ts)$/.test(e.name))
      .map((e) => path.relative(folder, path.join(e.parentPath, e.name)).split(path.sep).join("/"));
  } catch {
    return [];
  }
}

/**
 * Puts the files of the version that is about to start where processes of other versions find them, says which are of
 * the running version, and forgets what was left long ago. Names change with the content, so what is there stays.
 * @returns how many were new
 */
export async function keepPageFiles(pool: Database, folder = FOLDER): Promise<number> {
  const names = pageFilesIn(folder);
  if (names.length === 0) return 0;
  const [rows] = await pool.query<Row[]>("SELECT name, left_at IS NOT NULL AS gone FROM page_files");
  const there = new Map(rows.map((r) => [r.name as string, Boolean(r.gone)]));
  const fresh = names.filter((n) => !there.has(n));
  for (const name of fresh)
    await pool.query("INSERT IGNORE INTO page_files (name, packed) VALUES (?, ?)", [
      name,
      await packed(await readFile(path.join(folder, name)), { level: 6 }),
    ]);
  const mine = new Set(names);
  const back = names.filter((n) => there.get(n));
  if (back.length > 0) await pool.query("UPDATE page_files SET left_at = NULL WHERE name IN (?)", [back]);
  const left = [...there].filter(([name, gone]) => !gone && !mine.has(name)).map(([name]) => name);
  if (left.length > 0) await pool.query("UPDATE page_files SET left_at = UTC_TIMESTAMP(3) WHERE name IN (?)", [left]);
  await pool.query("DELETE FROM page_files WHERE left_at < UTC_TIMESTAMP(3) - INTERVAL ? DAY", [KEPT_DAYS]);
  return fresh.length;
}

/** Answers for the files of other versions than the one that runs here. */
export class PageFiles {
  private readonly own: ReadonlySet<string>;
  private kept = new Set<string>();
  private readAt = Number.NEGATIVE_INFINITY;
  private reading: Promise<void> | null = null;

  constructor(
    private readonly pool: () => Database,
    folder = FOLDER,
  ) {
    this.own = new Set(pageFilesIn(folder));
  }

  /** The name of a file of another version that an address asks for; null when it asks for anything else. */
  nameIn(url: string): string | null {
    if (!url.startsWith(ADDRESS)) return null;
    const end = url.indexOf("?");
    const name = url.slice(ADDRESS.length, end < 0 ? url.length : end);
    return this.own.has(name) ? null : name;
  }

  /** Whether some version has it. Asked for what is not there, the database is looked at now and then, not each time. */
  private async has(name: string): Promise<boolean> {
    if (this.kept.has(name)) return true;
    if (performance.now() - this.readAt > FRESH_MS)
      this.reading ??= this.list().finally(() => {
        this.reading = null;
      });
    await this.reading;
    return this.kept.has(name);
  }

  private async list(): Promise<void> {
    const [rows] = await this.pool().query<Row[]>("SELECT name FROM page_files");
    this.readAt = performance.now();
    this.kept = new Set(rows.map((r) => r.name as string));
  }

  /** Answers with a file of another version. @returns whether it did; else nothing was written */
  async answer(name: string, request: IncomingMessage, response: ServerResponse): Promise<boolean> {
    if (request.method !== "GET" && request.method !== "HEAD") return false;
    const bytes = await this.read(name).catch(() => null);
    if (!bytes) return false;
    const asPacked = /\bgzip\b/.test(String(request.headers["accept-encoding"] ?? ""));
    const body = asPacked ? bytes : await unpacked(bytes);
    response.writeHead(200, {
      "Content-Type": TYPES[path.extname(name)] ?? "application/octet-stream",
      "Content-Length": body.length,
      "Cache-Control": "public, max-age=31536000, immutable",
      Vary: "Accept-Encoding",
      ...(asPacked ? { "Content-Encoding": "gzip" } : {}),
    });
    response.end(request.method === "HEAD" ? undefined : body);
    return true;
  }

  private async read(name: string): Promise<Buffer | null> {
    if (!(await this.has(name))) return null;
    const [rows] = await this.pool().query<Row[]>("SELECT packed FROM page_files WHERE name = ?", [name]);
    return (rows[0]?.packed as Buffer | undefined) ?? null;
  }
}

const TYPES: Readonly<Record<string, string>> = {
  ".js": "application/javascript; charset=UTF-8",
  ".css": "text/css; charset=UTF-8",
  ".json": "application/json; charset=UTF-8",
  ".svg": "image/svg+xml",
  ".png": "image/png",
  ".wasm": "application/wasm",
  ".woff": "font/woff",
  ".woff2": "font/woff2",
};
