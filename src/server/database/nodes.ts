import mysql from "mysql2/promise";
import { connectionOf, type DatabaseAddress, nameOf } from "./address";
import { faultOf, isBehind } from "./faults";

/** What the rest of the program asks of a database, be it one server or a cluster. */
export type Database = Pick<mysql.Pool, "query" | "getConnection" | "end"> & {
  /** There is another node to go on with when one goes away. */
  readonly several?: boolean;
  /** The node that is spoken to cannot catch up with the others: another is. */
  behind?(): void;
};

/** How a node stands. */
export interface NodeState {
  name: string;
  well: boolean;
  /** Why it is not, in words. */
  why: string | null;
}

/** How often each node is looked at, ms. */
const LOOK_MS = 500;
/** A node that takes longer to say how it is counts as gone, ms: one that is frozen keeps its connections open. */
const ANSWER_MS = 1500;
/** So long another node is waited for before whoever asked is told that the database is away, ms. */
const PATIENCE_MS = 6000;
const PAUSE_MS = 100;

/** Why a node that answers is not spoken to. */
export const NOT_OF_MAJORITY = "it is not of the cluster's majority";

interface Node {
  address: DatabaseAddress;
  pool: mysql.Pool;
  /** A connection of its own to look at it: those for work may all hang. */
  watch: mysql.Pool;
  open: Set<mysql.PoolConnection>;
  /** A connection for work is being made ahead. */
  making: boolean;
  state: NodeState;
}

/**
 * A database of one or several equal nodes. One is spoken to; when it dies, sleeps or falls out of the majority, its
 * connections are cut and the next in the list is spoken to. With a single address this is a plain pool.
 */
export class Nodes implements Database {
  private readonly nodes: Node[];
  readonly several: boolean;
  private at = 0;
  private readonly timer: ReturnType<typeof setInterval> | null;

  constructor(addresses: readonly DatabaseAddress[], limit: number) {
    if (addresses.length === 0) throw new Error("A database needs an address.");
    this.several = addresses.length > 1;
    this.nodes = addresses.map((address) => nodeAt(address, limit, this.several));
    this.timer = this.several ? setInterval(() => this.look(), LOOK_MS) : null;
    this.timer?.unref();
  }

  /** How the nodes stand, and which is spoken to; a single one is not watched and counts as well. */
  get standing(): { states: readonly NodeState[]; at: number } {
    return { states: this.nodes.map((n) => n.state), at: this.at };
  }

  // The driver's many forms of a call are one here.
  query = ((sql: string, values?: unknown) => this.ask(sql, values)) as unknown as mysql.Pool["query"];

  async getConnection(): Promise<mysql.PoolConnection> {
    const until = Date.now() + PATIENCE_MS;
    for (;;) {
      const node = this.current();
      try {
        return await node.pool.getConnection();
      } catch (error) {
        if (!(await this.elsewhere(node, error, until))) throw error;
      }
    }
  }

  async end(): Promise<void> {
    if (this.timer) clearInterval(this.timer);
    // One that sleeps would be waited for.
    await Promise.all(
      this.nodes.map((n) => (n.state.well ? Promise.all([n.pool.end(), n.watch.end()]) : cut(n, "The end."))),
    );
  }

  /** A statement that is a transaction of its own. */
  private async ask(sql: string, values: unknown): Promise<unknown> {
    const until = Date.now() + PATIENCE_MS;
    for (let collided = 0; ; ) {
      const node = this.current();
      try {
        return await node.pool.query(sql, values as never);
      } catch (error) {
        const fault = faultOf(error);
        if (this.several && isBehind(error, sql) && Date.now() < until) this.behind();
        else if (fault === "collided" && ++collided < COLLISIONS_MOST && Date.now() < until) await pause(collided);
        // What only reads may be asked again; what writes may have been written.
        else if (fault === "own" || fault === "collided" || (fault === "cut" && !/^\s*(SELECT|SHOW)\b/i.test(sql)))
          throw error;
        else if (!(await this.elsewhere(node, error, until))) throw error;
      }
    }
  }

  /** Whether it is worth asking again, after a moment: there is another node, and there is time. */
  private async elsewhere(node: Node, error: unknown, until: number): Promise<boolean> {
    const fault = faultOf(error);
    if (!this.several || (fault !== "refused" && fault !== "cut") || Date.now() > until) return false;
    this.leave(node, (error as Error).message);
    await new Promise((r) => setTimeout(r, PAUSE_MS));
    return true;
  }

  behind(): void {
    this.leave(this.current(), "it is behind the others");
  }

  private current(): Node {
    return this.nodes[this.at] as Node;
  }

  /** Goes on to the next node that is well. */
  private leave(node: Node, why: string): void {
    node.state = { ...node.state, well: false, why };
    if (this.current() !== node) return;
    for (let k = 1; k < this.nodes.length; k++) {
      const next = (this.at + k) % this.nodes.length;
      if (!this.nodes[next]?.state.well) continue;
      this.at = next;
      return;
    }
  }

  private look(): void {
    for (const [i, node] of this.nodes.entries()) {
      void standingOf(node).then(
        (why) => {
          if (why === null) {
            node.state = { ...node.state, well: true, why: null };
            if (node !== this.current()) makeReady(node);
          } else this.leave(node, why);
          // Where none was well, the first that is again is taken.
          if (why === null && !this.current().state.well) this.at = i;
        },
        (error: Error) => {
          const was = node.state.well;
          this.leave(node, error.message);
          // Whoever waits for a frozen node would wait for as long as it sleeps.
          if (was || node.open.size > 0) void cut(node, error.message);
        },
      );
    }
  }
}

/** How often a statement or a transaction that collided is done again. */
export const COLLISIONS_MOST = 12;

/** Waits before the n-th time, longer each time and never the same for two that collided. */
export const pause = (n: number): Promise<void> =>
  new Promise((r) => setTimeout(r, Math.random() * Math.min(400, 4 * 2 ** n)));

function nodeAt(address: DatabaseAddress, limit: number, several: boolean): Node {
  const settings = {
    ...connectionOf(address),
    enableKeepAlive: true,
    connectTimeout: several ? ANSWER_MS : 5000,
    supportBigNumbers: true,
    jsonStrings: true,
  } as const;
  const node: Node = {
    address,
    pool: mysql.createPool({ ...settings, connectionLimit: limit }),
    watch: mysql.createPool({ ...settings, connectionLimit: 1 }),
    open: new Set(),
    making: false,
    state: { name: nameOf(address), well: true, why: null },
  };
  if (several)
    for (const pool of [node.pool, node.watch])
      pool.on("connection", (made) => {
        node.open.add(made);
        // What one node has acknowledged is seen by whoever asks another afterwards.
        if (pool === node.pool) void (made as unknown as Raw).query("SET SESSION wsrep_sync_wait = 1", () => {});
      });
  return node;
}

/** The driver's connection below its promises. */
interface Raw {
  query(sql: string, done: (error: Error | null) => void): void;
  stream: { destroyed: boolean; destroy(error: Error): void };
}

/** Opens a connection for work ahead: the first who goes on at this node is not to wait for one to be made. */
function makeReady(node: Node): void {
  // One is open to look at it; whatever is besides is for work.
  if (node.making || node.open.size > 1) return;
  node.making = true;
  void node.pool
    .getConnection()
    .then((made) => made.release())
    .catch(() => {})
    .finally(() => {
      node.making = false;
    });
}

/** Ends a node's connections at once: whoever waits for an answer on one is told. */
async function cut(node: Node, why: string): Promise<void> {
  for (const made of node.open) {
    const { stream } = made as unknown as Raw;
    stream.destroy(Object.assign(new Error(why), { code: "ECONNRESET" }));
  }
  node.open.clear();
}

/** Asks a node how it is. @returns null when it is well, else why not @throws when it does not answer */
async function standingOf(node: Node): Promise<string | null> {
  for (const made of node.open) if ((made as unknown as Raw).stream.destroyed) node.open.delete(made);
  let timer: ReturnType<typeof setTimeout> | undefined;
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => reject(new Error("it does not answer")), ANSWER_MS);
  });
  try {
    const [rows] = await Promise.race([
      node.watch.query<mysql.RowDataPacket[]>("SHOW GLOBAL STATUS LIKE 'wsrep_ready'"),
      late,
    ]);
    // A server that is of no cluster does not know the word, or says that it is off: it is asked for what it is.
    const ready = rows[0]?.Value;
    if (ready === undefined || ready === "ON") return null;
    const [provider] = await node.watch.query<mysql.RowDataPacket[]>("SHOW GLOBAL VARIABLES LIKE 'wsrep_on'");
    return provider[0]?.Value === "ON" ? NOT_OF_MAJORITY : null;
  } finally {
    clearTimeout(timer);
  }
}
