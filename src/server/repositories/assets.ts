import { createHash } from "node:crypto";
import { open } from "node:fs/promises";
import type { Actor } from "../access/actor";
import { type Database, type Row, type Sql, transaction } from "../database/pool";

const CHUNK = 1 << 20;

/** Where an asset's bytes come from, piece by piece. */
interface Source {
  sha256: string;
  size: number;
  /** The bytes from an offset on. */
  at(offset: number, length: number): Promise<Buffer>;
}

async function put(pool: Database, actor: Pick<Actor, "workspaceId">, source: Source): Promise<string> {
  const sha = Buffer.from(source.sha256, "hex");
  await transaction(pool, async (sql) => {
    const [known] = await sql.query<Row[]>("SELECT 1 FROM assets WHERE sha256 = ?", [sha]);
    if (known.length === 0) {
      const chunks = Math.max(1, Math.ceil(source.size / CHUNK));
      await sql.query("INSERT IGNORE INTO assets (sha256, size, chunks) VALUES (?, ?, ?)", [sha, source.size, chunks]);
      for (let i = 0; i < chunks; i++)
        await sql.query("INSERT IGNORE INTO asset_chunks (sha256, position, data) VALUES (?, ?, ?)", [
          sha,
          i,
          await source.at(i * CHUNK, Math.min(CHUNK, source.size - i * CHUNK)),
        ]);
    }
    await sql.query("INSERT IGNORE INTO asset_owners (sha256, workspace_id) VALUES (?, ?)", [sha, actor.workspaceId]);
  });
  return source.sha256;
}

/** Stores bytes under their SHA-256 and lets the actor's workspace see them. @returns the hash, hex. */
export function putAsset(pool: Database, actor: Pick<Actor, "workspaceId">, bytes: Uint8Array): Promise<string> {
  const sha256 = createHash("sha256").update(bytes).digest("hex");
  return put(pool, actor, {
    sha256,
    size: bytes.length,
    at: async (offset, length) => Buffer.from(bytes.buffer, bytes.byteOffset + offset, length),
  });
}

/** The same with a file, read in pieces: memory stays small whatever its size. */
export async function putAssetFile(pool: Database, actor: Pick<Actor, "workspaceId">, path: string): Promise<string> {
  const file = await open(path);
  try {
    const { size } = await file.stat();
    const piece = async (offset: number, length: number) => {
      const buffer = Buffer.alloc(length);
      let read = 0;
      while (read < length) {
        const { bytesRead } = await file.read(buffer, read, length - read, offset + read);
        if (bytesRead === 0) throw new Error("A file became shorter while it was stored.");
        read += bytesRead;
      }
      return buffer;
    };
    const hash = createHash("sha256");
    for (let at = 0; at < size; at += CHUNK) hash.update(await piece(at, Math.min(CHUNK, size - at)));
    return await put(pool, actor, { sha256: hash.digest("hex"), size, at: piece });
  } finally {
    await file.close();
  }
}

/** Size and pieces of an asset the actor's workspace may see; null when there is none. */
async function find(
  sql: Sql,
  actor: Pick<Actor, "workspaceId">,
  sha256: string,
): Promise<{ size: number; pieces(): AsyncGenerator<Buffer> } | null> {
  const sha = Buffer.from(sha256, "hex");
  const [owned] = await sql.query<Row[]>(
    "SELECT a.size, a.chunks FROM assets a JOIN asset_owners o USING (sha256) WHERE a.sha256 = ? AND o.workspace_id = ?",
    [sha, actor.workspaceId],
  );
  const asset = owned[0];
  if (!asset) return null;
  async function* pieces() {
    for (let i = 0; i < asset?.chunks; i++) {
      const [rows] = await sql.query<Row[]>("SELECT data FROM asset_chunks WHERE sha256 = ? AND position = ?", [
        sha,
        i,
      ]);
      const data = rows[0]?.data as Buffer | undefined;
      if (!data) throw new Error(`A stored file lacks its piece ${i}.`);
      yield data;
    }
  }
  return { size: Number(asset.size), pieces };
}

/** An asset on its way to somebody. */
export interface AssetStream {
  size: number;
  body: ReadableStream<Uint8Array>;
}

/** An asset piece by piece, each read when it is wanted; null when there is none that the actor may see. */
export async function streamAsset(
  sql: Sql,
  actor: Pick<Actor, "workspaceId">,
  sha256: string,
): Promise<AssetStream | null> {
  const found = await find(sql, actor, sha256);
  if (!found) return null;
  const pieces = found.pieces();
  const body = new ReadableStream<Uint8Array>(
    {
      async pull(controller) {
        const { done, value } = await pieces.next();
        if (done) controller.close();
        else controller.enqueue(new Uint8Array(value.buffer, value.byteOffset, value.length));
      },
      async cancel() {
        await pieces.return(undefined);
      },
    },
    { highWaterMark: 1 },
  );
  return { size: found.size, body };
}

/** Reads an asset the actor's workspace may see; null when there is none. */
export async function getAsset(
  sql: Sql,
  actor: Pick<Actor, "workspaceId">,
  sha256: string,
): Promise<Uint8Array | null> {
  const found = await find(sql, actor, sha256);
  if (!found) return null;
  const out = new Uint8Array(found.size);
  let at = 0;
  for await (const piece of found.pieces()) {
    out.set(piece, at);
    at += piece.length;
  }
  return out;
}

/** Writes an asset into a file, piece by piece. @returns false when there is none that the actor may see */
export async function getAssetFile(
  sql: Sql,
  actor: Pick<Actor, "workspaceId">,
  sha256: string,
  path: string,
): Promise<boolean> {
  const found = await find(sql, actor, sha256);
  if (!found) return false;
  const file = await open(path, "w", 0o600);
  try {
    for await (const piece of found.pieces()) await file.write(piece);
  } finally {
    await file.close();
  }
  return true;
}

/** Lets a workspace see an asset that the import cache already holds. */
export async function shareAsset(sql: Sql, workspaceId: string, sha256: string): Promise<void> {
  await sql.query("INSERT IGNORE INTO asset_owners (sha256, workspace_id) VALUES (?, ?)", [
    Buffer.from(sha256, "hex"),
    workspaceId,
  ]);
}
