import { isFullDisk } from "../../formats/importError";

/**
 * What an error of the database means for what was asked:
 * - `collided`: somebody else was faster; all of the transaction is undone and can be done again.
 * - `refused`: it never began; the same can be asked of another node.
 * - `cut`: the connection ended; what was not committed is undone, what was being committed may be there or not.
 * - `own`: the statement itself is at fault.
 */
export type DatabaseFault = "collided" | "refused" | "cut" | "own";

/** A node outside the majority of its cluster, or one that is still taking over what it missed, answers with this. */
const NOT_OF_THE_MAJORITY = 1047;
/** Error numbers that the server gives while it goes down or ends a connection. */
const ENDING = new Set([1053, 1317, 1927]);

/** Judges an error that a query brought. */
export function faultOf(error: unknown): DatabaseFault {
  const { code, errno, syscall } = error as { code?: string; errno?: number; syscall?: string };
  if (code === "ER_LOCK_DEADLOCK" || code === "ER_LOCK_WAIT_TIMEOUT") return "collided";
  if (code === "ECONNREFUSED" || code === "EHOSTUNREACH" || code === "ENOTFOUND" || errno === NOT_OF_THE_MAJORITY)
    return "refused";
  if (code === "ETIMEDOUT" && syscall === "connect") return "refused";
  if (errno !== undefined && ENDING.has(errno)) return "cut";
  if (code === undefined) return CLOSED.test((error as Error | null)?.message ?? "") ? "cut" : "own";
  return CUT.has(code) ? "cut" : "own";
}

/** What the driver says, without a number, where the server had closed the connection before anything was sent. */
const CLOSED = /^Can't add new command when connection is in closed state/;

/**
 * Whether what only looks, or begins a transaction, waited too long: it takes no locks, so the node is behind the others
 * and cannot say what they have acknowledged.
 */
export const isBehind = (error: unknown, sql: string): boolean =>
  (error as { code?: string }).code === "ER_LOCK_WAIT_TIMEOUT" &&
  /^\s*(SELECT|SHOW|START TRANSACTION)\b/i.test(sql) &&
  !/\bFOR UPDATE\b/i.test(sql);

const CUT = new Set(["PROTOCOL_CONNECTION_LOST", "ECONNRESET", "ETIMEDOUT", "EPIPE", "PROTOCOL_SEQUENCE_TIMEOUT"]);

/** Error numbers of a server whose disk is full: of the disk, of a table's file, of what is written to it. */
const FULL = new Set([1021, 1026, 1114]);

/** A disk is full, the database's or that of files on their way. */
export const isFull = (error: unknown): boolean =>
  isFullDisk(error) || FULL.has((error as { errno?: number } | null)?.errno ?? 0);

/** The database is not to be had at this moment: nobody is at fault, and the same may go through later. */
export const isAway = (error: unknown): boolean => ["refused", "cut"].includes(faultOf(error));
