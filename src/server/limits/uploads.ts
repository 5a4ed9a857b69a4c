import { type Database, type Row, throughDoor, transaction } from "../database/pool";
import { newId } from "../ids";

/** Uploads of one workspace that may be on their way at once. */
export const UPLOADS_MOST = Number(process.env.PLEXTAN_UPLOADS ?? 6);
const LEASE_S = 30;

/**
 * Takes one of a workspace's places for uploads, shared by all app processes. A process that dies gives its places
 * back within half a minute. @returns what gives it back, or null when all are taken
 */
export async function takeUpload(
  pool: Database,
  workspaceId: string,
  most = UPLOADS_MOST,
): Promise<(() => Promise<void>) | null> {
  const id = newId();
  const taken = await transaction(pool, async (sql) => {
    // One at a time counts and enters.
    await throughDoor(sql, `uploads ${workspaceId}`);
    await sql.query("DELETE FROM upload_slots WHERE workspace_id = ? AND expires_at < UTC_TIMESTAMP(3)", [workspaceId]);
    const [rows] = await sql.query<Row[]>("SELECT COUNT(*) AS n FROM upload_slots WHERE workspace_id = ?", [
      workspaceId,
    ]);
    if (Number(rows[0]?.n) >= most) return false;
    await sql.query(
      "INSERT INTO upload_slots (id, workspace_id, expires_at) VALUES (?, ?, UTC_TIMESTAMP(3) + INTERVAL ? SECOND)",
      [id, workspaceId, LEASE_S],
    );
    return true;
  });
  if (!taken) return null;
  const renew = setInterval(
    () => {
      void pool
        .query("UPDATE upload_slots SET expires_at = UTC_TIMESTAMP(3) + INTERVAL ? SECOND WHERE id = ?", [LEASE_S, id])
        .catch(() => {});
    },
    (LEASE_S * 1000) / 3,
  );
  return async () => {
    clearInterval(renew);
    await pool.query("DELETE FROM upload_slots WHERE id = ?", [id]).catch(() => {});
  };
}
