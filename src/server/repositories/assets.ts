import { createHash } from "node:crypto";
import type { Pool } from "mysql2/promise";
import type { Actor } from "../access/actor";
import type { Row, Sql } from "../database/pool";
import { transaction } from "../database/pool";

const CHUNK = 1 << 20;

/** Stores bytes under their SHA-256 and lets the actor's workspace see them. @returns the hash, hex. */
export async function putAsset(pool: Pool, actor: Pick<Actor, "workspaceId">, bytes: Uint8Array): Promise<string> {
  const sha = createHash("sha256").update(bytes).digest();
  await transaction(pool, async (sql) => {
    const [known] = await sql.query<Row[]>("SELECT 1 FROM assets WHERE sha256 = ?", [sha]);
    if (known.length === 0) {
      const chunks = Math.max(1, Math.ceil(bytes.length / CHUNK));
      await sql.query("INSERT IGNORE INTO assets (sha256, size, chunks) VALUES (?, ?, ?)", [sha, bytes.length, chunks]);
      for (let i = 0; i < chunks; i++) {
        const data = Buffer.from(bytes.buffer, bytes.byteOffset + i * CHUNK, Math.min(CHUNK, bytes.length - i * CHUNK));
        await sql.query("INSERT IGNORE INTO asset_chunks (sha256, position, data) VALUES (?, ?, ?)", [sha, i, data]);
      }
    }
    await sql.query("INSERT IGNORE INTO asset_owners (sha256, workspace_id) VALUES (?, ?)", [sha, actor.workspaceId]);
  });
  return sha.toString("hex");
}

/** Reads an asset the actor's workspace may see; null when there is none. */
export async function getAsset(sql: Sql, actor: Pick<Actor, "workspaceId">, sha256: string): Promise<Uint8Array | null> {
  const sha = Buffer.from(sha256, "hex");
  const [owned] = await sql.query<Row[]>("SELECT a.size, a.chunks FROM assets a JOIN asset_owners o USING (sha256) WHERE a.sha256 = ? AND o.workspace_id = ?", [
    sha,
    actor.workspaceId,
  ]);
  const asset = owned[0];
  if (!asset) return null;
  const out = new Uint8Array(Number(asset.size));
  let at = 0;
  for (let i = 0; i < asset.chunks; i++) {
    const [rows] = await sql.query<Row[]>("SELECT data FROM asset_chunks WHERE sha256 = ? AND position = ?", [sha, i]);
    const data = rows[0]?.data as Buffer | undefined;
    if (!data) throw new Error(`A stored file lacks its piece ${i}.`);
    out.set(data, at);
    at += data.length;
  }
  return out;
}

/** Lets a workspace see an asset that the import cache already holds. */
export async function shareAsset(sql: Sql, workspaceId: string, sha256: string): Promise<void> {
  await sql.query("INSERT IGNORE INTO asset_owners (sha256, workspace_id) VALUES (?, ?)", [Buffer.from(sha256, "hex"), workspaceId]);
}
