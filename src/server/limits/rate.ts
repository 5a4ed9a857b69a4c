import { createHash } from "node:crypto";
import type { Database, Row } from "../database/pool";

/** How often what this process counted is added to what the others did, ms. Until then they do not know of it. */
const SYNC_MS = 1000;
const KEPT_MINUTES = 3;

interface Counter {
  minute: number;
  /** Counted here and not written yet. */
  fresh: number;
  /** Of all processes, when last asked. */
  total: number;
}

/**
 * Counts requests a minute by key, over all app processes: each counts by itself and adds what it counted to the
 * database once a second, so a request costs no query. A burst over several processes may pass by a second's worth.
 */
export class RateLimiter {
  private readonly counters = new Map<string, Counter>();
  private syncing: Promise<void> | null = null;
  private timer: ReturnType<typeof setTimeout> | null = null;

  constructor(
    private readonly pool: () => Database,
    private readonly now: () => number = Date.now,
  ) {}

  /** Counts one. @returns false when `most` a minute are exceeded */
  take(key: string, most: number): boolean {
    const minute = Math.floor(this.now() / 60_000);
    let c = this.counters.get(key);
    if (!c || c.minute !== minute) {
      c = { minute, fresh: 0, total: 0 };
      this.counters.set(key, c);
    }
    c.fresh++;
    this.schedule();
    return c.total + c.fresh <= most;
  }

  private schedule(): void {
    if (this.timer) return;
    this.timer = setTimeout(() => {
      this.timer = null;
      void this.sync();
    }, SYNC_MS);
    this.timer.unref?.();
  }

  /**
   * Adds what was counted to the database and learns what the others counted. While it is away, each process counts
   * alone.
   */
  sync(): Promise<void> {
    this.syncing ??= this.exchange().finally(() => {
      this.syncing = null;
    });
    return this.syncing;
  }

  private async exchange(): Promise<void> {
    const minute = Math.floor(this.now() / 60_000);
    const rows: [Buffer, number, number][] = [];
    const byBucket = new Map<string, Counter>();
    for (const [key, c] of this.counters) {
      if (c.minute < minute) this.counters.delete(key);
      else if (c.fresh > 0) {
        const bucket = bucketOf(key);
        byBucket.set(bucket.toString("hex"), c);
        rows.push([bucket, c.minute, c.fresh]);
        c.total += c.fresh;
        c.fresh = 0;
      }
    }
    if (rows.length === 0) return;
    try {
      await this.pool().query(
        "INSERT INTO request_counts (bucket, minute, n) VALUES ? ON DUPLICATE KEY UPDATE n = n + VALUES(n)",
        [rows],
      );
      const [known] = await this.pool().query<Row[]>(
        "SELECT HEX(bucket) AS bucket, n FROM request_counts WHERE minute = ? AND bucket IN (?)",
        [minute, rows.map((r) => r[0])],
      );
      for (const k of known) {
        const c = byBucket.get((k.bucket as string).toLowerCase());
        if (c && c.minute === minute) c.total = Math.max(c.total, Number(k.n));
      }
      await this.pool().query("DELETE FROM request_counts WHERE minute < ? LIMIT 1000", [minute - KEPT_MINUTES]);
    } catch {
      // The database is away: this process's own count still holds.
    }
  }
}

const bucketOf = (key: string) => createHash("sha256").update(key).digest();
