import type { Pool } from "mysql2/promise";
import type { ImportSettings } from "../../core/assembly/importSettings";
import type { Actor } from "../access/actor";
import { type Row, type Sql, transaction } from "../database/pool";
import { newId } from "../ids";

export type JobState = "waiting" | "running" | "done" | "failed" | "cancelled";

export interface JobInput {
  fileName: string;
  sourceSha256: string;
  /** Absent in jobs of earlier versions. */
  settings?: ImportSettings;
  /** "revision" reads without putting the result in place; the user looks at the report first. */
  purpose?: "first" | "revision";
}

export interface Job {
  id: string;
  projectId: string;
  workspaceId: string;
  kind: string;
  state: JobState;
  stage: string;
  share: number | null;
  input: JobInput;
  error: string | null;
  result: unknown;
}

const read = (r: Row): Job => ({
  id: r.id,
  projectId: r.project_id,
  workspaceId: r.workspace_id,
  kind: r.kind,
  state: r.state,
  stage: r.stage,
  share: r.share,
  input: JSON.parse(r.input),
  error: r.error,
  result: r.result ? JSON.parse(r.result) : null,
});

export async function createJob(sql: Sql, actor: Actor, projectId: string, kind: string, input: Job["input"]): Promise<string> {
  const id = newId();
  await sql.query("INSERT INTO jobs (id, workspace_id, project_id, kind, input) VALUES (?, ?, ?, ?, ?)", [id, actor.workspaceId, projectId, kind, JSON.stringify(input)]);
  return id;
}

export async function getJob(sql: Sql, actor: Actor, id: string): Promise<Job | null> {
  const [rows] = await sql.query<Row[]>("SELECT * FROM jobs WHERE id = ? AND workspace_id = ?", [id, actor.workspaceId]);
  return rows[0] ? read(rows[0]) : null;
}

/** A project's import that waits or runs, so that a page opened meanwhile can follow it. */
export async function openJob(sql: Sql, actor: Actor, projectId: string): Promise<{ id: string; fileName: string } | null> {
  const [rows] = await sql.query<Row[]>("SELECT * FROM jobs WHERE project_id = ? AND workspace_id = ? AND state IN ('waiting', 'running') ORDER BY created_at DESC LIMIT 1", [
    projectId,
    actor.workspaceId,
  ]);
  const job = rows[0] ? read(rows[0]) : null;
  return job ? { id: job.id, fileName: job.input.fileName } : null;
}

/** Asks a job to stop; one that has not begun is cancelled at once. */
export async function cancelJob(sql: Sql, actor: Actor, id: string): Promise<void> {
  await sql.query("UPDATE jobs SET state = 'cancelled' WHERE id = ? AND workspace_id = ? AND state = 'waiting'", [id, actor.workspaceId]);
  await sql.query("UPDATE jobs SET cancel_requested = 1 WHERE id = ? AND workspace_id = ? AND state = 'running'", [id, actor.workspaceId]);
}

/** Seconds without a sign of life after which a running job counts as abandoned (its process was killed). */
const ABANDONED_S = 15;

/** Takes the oldest waiting or abandoned job, for this process alone; null when there is none. A job is tried twice at most. */
export async function claimJob(pool: Pool): Promise<Job | null> {
  return transaction(pool, async (sql) => {
    await sql.query(
      "UPDATE jobs SET state = 'failed', error = 'The import stopped twice without an answer; the file may be more than the reader can take.' WHERE state = 'running' AND tries >= 2 AND beat_at < UTC_TIMESTAMP(3) - INTERVAL ? SECOND",
      [ABANDONED_S],
    );
    const [rows] = await sql.query<Row[]>(
      "SELECT * FROM jobs WHERE state = 'waiting' OR (state = 'running' AND beat_at < UTC_TIMESTAMP(3) - INTERVAL ? SECOND) ORDER BY created_at LIMIT 1 FOR UPDATE SKIP LOCKED",
      [ABANDONED_S],
    );
    const row = rows[0];
    if (!row) return null;
    await sql.query("UPDATE jobs SET state = 'running', stage = 'start', tries = tries + 1, beat_at = UTC_TIMESTAMP(3) WHERE id = ?", [row.id]);
    return read(row);
  });
}

/** Reports progress; also the sign of life. @returns true when the job was asked to stop. */
export async function beat(sql: Sql, id: string, stage: string, share: number | null): Promise<boolean> {
  await sql.query("UPDATE jobs SET stage = ?, share = ?, beat_at = UTC_TIMESTAMP(3) WHERE id = ? AND state = 'running'", [stage, share, id]);
  const [rows] = await sql.query<Row[]>("SELECT cancel_requested FROM jobs WHERE id = ?", [id]);
  return !rows[0] || Boolean(rows[0].cancel_requested);
}

export async function endJob(sql: Sql, id: string, state: "done" | "failed" | "cancelled", detail: { error?: string; result?: unknown } = {}): Promise<void> {
  await sql.query("UPDATE jobs SET state = ?, error = ?, result = ? WHERE id = ? AND state = 'running'", [
    state,
    detail.error?.slice(0, 1000) ?? null,
    detail.result === undefined ? null : JSON.stringify(detail.result),
    id,
  ]);
}
