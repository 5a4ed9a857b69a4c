import type { ResultSetHeader } from "mysql2/promise";
import type { ImportSettings } from "../../core/assembly/importSettings";
import type { Actor } from "../access/actor";
import { SEEN, seenBy } from "../access/scope";
import type { Database, Row, Sql } from "../database/pool";
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

export async function createJob(
  sql: Sql,
  actor: Actor,
  projectId: string,
  kind: string,
  input: Job["input"],
): Promise<string> {
  const id = newId();
  await sql.query("INSERT INTO jobs (id, workspace_id, project_id, kind, input) VALUES (?, ?, ?, ?, ?)", [
    id,
    actor.workspaceId,
    projectId,
    kind,
    JSON.stringify(input),
  ]);
  return id;
}

export async function getJob(sql: Sql, actor: Actor, id: string): Promise<Job | null> {
  const [rows] = await sql.query<Row[]>(
    `SELECT j.* FROM jobs j JOIN projects p ON p.id = j.project_id WHERE ${SEEN} AND j.id = ?`,
    [...seenBy(actor), id],
  );
  return rows[0] ? read(rows[0]) : null;
}

/** A project's import that waits or runs, so that a page opened meanwhile can follow it. */
export async function openJob(
  sql: Sql,
  actor: Actor,
  projectId: string,
): Promise<{ id: string; fileName: string } | null> {
  const [rows] = await sql.query<Row[]>(
    "SELECT * FROM jobs WHERE project_id = ? AND workspace_id = ? AND state IN ('waiting', 'running') ORDER BY created_at DESC LIMIT 1",
    [projectId, actor.workspaceId],
  );
  const job = rows[0] ? read(rows[0]) : null;
  return job ? { id: job.id, fileName: job.input.fileName } : null;
}

/** Asks a job to stop; one that has not begun is cancelled at once. @returns false when the actor has no such job */
export async function cancelJob(sql: Sql, actor: Actor, id: string): Promise<boolean> {
  if (!(await getJob(sql, actor, id))) return false;
  await sql.query("UPDATE jobs SET state = 'cancelled' WHERE id = ? AND workspace_id = ? AND state = 'waiting'", [
    id,
    actor.workspaceId,
  ]);
  await sql.query("UPDATE jobs SET cancel_requested = 1 WHERE id = ? AND workspace_id = ? AND state = 'running'", [
    id,
    actor.workspaceId,
  ]);
  return true;
}

/** Seconds without a sign of life after which a running job counts as abandoned: its process was killed, or sleeps. */
export const ABANDONED_S = 15;
/** A job is begun so often at most: once, and once more when its process died. */
const TRIES_MOST = 2;

/** A job with the token of the claim on it: only who has the token may report on the job or end it. */
export interface Claim {
  job: Job;
  owner: string;
}

/**
 * Takes the oldest waiting or abandoned job for this caller alone; null when there is none. Looks without locking and
 * then takes by comparing: every statement is a transaction of its own, so a process that sleeps in the middle can keep
 * no lock from the others. (With a lock held over two statements, one sleeper once kept a job for a minute.)
 */
export async function claimJob(pool: Database, abandonedS = ABANDONED_S): Promise<Claim | null> {
  const [rows] = await pool.query<Row[]>(
    "SELECT id, state, owner, tries FROM jobs WHERE state = 'waiting' OR (state = 'running' AND (beat_at IS NULL OR beat_at < UTC_TIMESTAMP(3) - INTERVAL ? SECOND)) ORDER BY created_at LIMIT 10",
    [abandonedS],
  );
  for (const row of rows) {
    const same = "id = ? AND state = ? AND owner <=> ? AND tries = ?";
    const values = [row.id, row.state, row.owner, row.tries];
    if (row.tries >= TRIES_MOST) {
      await pool.query(
        `UPDATE jobs SET state = 'failed', owner = NULL, error = 'The import stopped twice without an answer; the file may be more than the reader can take.' WHERE ${same}`,
        values,
      );
      continue;
    }
    const owner = newId();
    const [taken] = await pool.query<ResultSetHeader>(
      `UPDATE jobs SET state = 'running', owner = ?, stage = 'start', share = NULL, tries = tries + 1, beat_at = UTC_TIMESTAMP(3) WHERE ${same}`,
      [owner, ...values],
    );
    if (taken.affectedRows !== 1) continue;
    const [found] = await pool.query<Row[]>("SELECT * FROM jobs WHERE id = ? AND owner = ?", [row.id, owner]);
    if (found[0]) return { job: read(found[0]), owner };
  }
  return null;
}

/**
 * Reports progress; also the sign of life. "lost": another process has the job now, and nothing may be done for it
 * any more.
 */
export async function beat(
  sql: Sql,
  { job, owner }: Claim,
  stage: string,
  share: number | null,
): Promise<"go on" | "cancel" | "lost"> {
  const [done] = await sql.query<ResultSetHeader>(
    "UPDATE jobs SET stage = ?, share = ?, beat_at = UTC_TIMESTAMP(3) WHERE id = ? AND owner = ? AND state = 'running'",
    [stage, share, job.id, owner],
  );
  if (done.affectedRows === 0) return "lost";
  const [rows] = await sql.query<Row[]>("SELECT cancel_requested FROM jobs WHERE id = ?", [job.id]);
  return rows[0]?.cancel_requested ? "cancel" : "go on";
}

/**
 * Locks a job within a transaction, so that what is done for it is done by its present owner. @returns false when it
 * has another
 */
export async function holdJob(sql: Sql, { job, owner }: Claim): Promise<boolean> {
  const [rows] = await sql.query<Row[]>(
    "SELECT id FROM jobs WHERE id = ? AND owner = ? AND state = 'running' FOR UPDATE",
    [job.id, owner],
  );
  return rows.length === 1;
}

/** Puts a job back to be begun anew, if the claim still holds: what kept it from its end was not the file. */
export async function giveBackJob(sql: Sql, { job, owner }: Claim): Promise<void> {
  await sql.query(
    "UPDATE jobs SET state = 'waiting', owner = NULL, beat_at = NULL, stage = 'waiting', share = NULL WHERE id = ? AND owner = ? AND state = 'running'",
    [job.id, owner],
  );
}

/** Ends a job, if the claim still holds. */
export async function endJob(
  sql: Sql,
  { job, owner }: Claim,
  state: "done" | "failed" | "cancelled",
  detail: { error?: string; result?: unknown } = {},
): Promise<void> {
  await sql.query("UPDATE jobs SET state = ?, error = ?, result = ? WHERE id = ? AND owner = ? AND state = 'running'", [
    state,
    detail.error?.slice(0, 1000) ?? null,
    detail.result === undefined ? null : JSON.stringify(detail.result),
    job.id,
    owner,
  ]);
}
