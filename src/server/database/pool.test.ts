import { expect, test } from "vitest";
import { COLLISIONS_MOST, type Database } from "./nodes";
import { briefTransaction, transaction } from "./pool";

/** A database whose statements fail as they are told to. */
function failing(several: boolean, fails: Record<string, (string | null)[]>) {
  const said: string[] = [];
  let destroyed = 0;
  const ask = async (sql: string) => {
    said.push(sql);
    const code = fails[sql]?.shift();
    if (code) throw Object.assign(new Error(code), { code });
    return [[], []];
  };
  const connection = {
    query: ask,
    rollback: () => ask("ROLLBACK"),
    destroy: () => void destroyed++,
    release: () => {},
  };
  let left = 0;
  const pool = {
    behind: () => void left++,
    several,
    query: ask,
    getConnection: async () => connection,
    end: async () => {},
  };
  return { pool: pool as unknown as Database, said, destroyed: () => destroyed, left: () => left };
}
const work = async (sql: { query(t: string): Promise<unknown> }) => {
  await sql.query("WRITE");
  return 7;
};

test("a transaction that collided is done again from its beginning, a bounded number of times", async () => {
  const twice = failing(false, { WRITE: ["ER_LOCK_DEADLOCK"], COMMIT: ["ER_LOCK_DEADLOCK"] });
  expect(await transaction(twice.pool, work as never)).toBe(7);
  expect(twice.said.filter((s) => s === "WRITE")).toHaveLength(3);
  expect(twice.said.filter((s) => s === "ROLLBACK")).toHaveLength(2);
  const always = failing(false, { WRITE: Array(100).fill("ER_LOCK_DEADLOCK") });
  await expect(transaction(always.pool, work as never)).rejects.toThrow("ER_LOCK_DEADLOCK");
  expect(always.said.filter((s) => s === "WRITE")).toHaveLength(COLLISIONS_MOST);
});

test("one that was cut off is begun anew where there is another node, and its connection is given to nobody", async () => {
  const cluster = failing(true, { WRITE: ["ECONNRESET"] });
  expect(await transaction(cluster.pool, work as never)).toBe(7);
  expect(cluster.destroyed()).toBe(1);
  expect(cluster.said).not.toContain("ROLLBACK");
});

test("the server that ended a connection is asked once more, by another", async () => {
  const once = failing(false, { WRITE: ["ECONNRESET"] });
  expect(await transaction(once.pool, work as never)).toBe(7);
  // The server waits longer for who works than for who sleeps, and for this one alone.
  expect(once.said).toEqual([
    ...["START TRANSACTION", "WRITE", "SET SESSION idle_transaction_timeout = ?", "START TRANSACTION", "WRITE"],
    ...["COMMIT", "SET SESSION idle_transaction_timeout = DEFAULT"],
  ]);
  expect(once.destroyed()).toBe(1);
  const twice = failing(false, { WRITE: ["ECONNRESET", "ECONNRESET"] });
  await expect(transaction(twice.pool, work as never)).rejects.toThrow("ECONNRESET");
  const away = failing(false, { WRITE: ["ECONNREFUSED"] });
  await expect(transaction(away.pool, work as never)).rejects.toThrow("ECONNREFUSED");
  const committing = failing(false, { COMMIT: ["ECONNRESET"] });
  await expect(transaction(committing.pool, work as never)).rejects.toThrow("ECONNRESET");
});

test("one that was cut off while it was being committed is never done twice", async () => {
  const cluster = failing(true, { COMMIT: ["ECONNRESET"] });
  await expect(transaction(cluster.pool, work as never)).rejects.toThrow("ECONNRESET");
  expect(cluster.said.filter((s) => s === "WRITE")).toHaveLength(1);
});

test("what the statement itself is at fault for is told at once", async () => {
  const wrong = failing(true, { WRITE: ["ER_DUP_ENTRY"] });
  await expect(transaction(wrong.pool, work as never)).rejects.toThrow("ER_DUP_ENTRY");
  expect(wrong.said.filter((s) => s === "WRITE")).toHaveLength(1);
});

test("a node that cannot begin because it is behind is left", async () => {
  const late = failing(true, { "START TRANSACTION": ["ER_LOCK_WAIT_TIMEOUT"], WRITE: ["ER_LOCK_WAIT_TIMEOUT"] });
  expect(await transaction(late.pool, work as never)).toBe(7);
  // Waiting for somebody's lock is no such thing.
  expect(late.left()).toBe(1);
});

const FIRST = "BEGIN NOT ATOMIC START TRANSACTION; ASK; END";
const LAST = "BEGIN NOT ATOMIC CHANGE; RAISE; COMMIT; END";
const opening = { sql: "ASK", values: [1] };
const changes = [
  { sql: "CHANGE", values: [2, 3] },
  { sql: "RAISE", values: [] },
];

test("a brief one is two ways to the database, and is begun anew step by step", async () => {
  const well = failing(false, {});
  expect(await briefTransaction(well.pool, [opening], async () => ({ changes, result: () => 7 }))).toBe(7);
  expect(well.said).toEqual([FIRST, LAST]);
  const collided = failing(true, { [FIRST]: ["ER_LOCK_WAIT_TIMEOUT"], "START TRANSACTION": ["ER_LOCK_WAIT_TIMEOUT"] });
  expect(await briefTransaction(collided.pool, [opening], async () => ({ changes, result: () => 7 }))).toBe(7);
  expect(collided.said.filter((s) => s !== "ROLLBACK")).toEqual([
    ...[FIRST, "START TRANSACTION", "START TRANSACTION", "ASK", LAST],
  ]);
  // Begun by itself it is known that the node was behind; together with a question that locks, it is not.
  expect(collided.left()).toBe(1);
});

test("a brief one that was cut off while it was being committed is never done twice, and one in vain is undone", async () => {
  const cut = failing(true, { [LAST]: ["ECONNRESET"] });
  await expect(briefTransaction(cut.pool, [opening], async () => ({ changes, result: () => 7 }))).rejects.toThrow(
    "ECONNRESET",
  );
  expect(cut.said).toEqual([FIRST, LAST]);
  const wrong = failing(true, { [LAST]: ["ER_DUP_ENTRY"] });
  await expect(briefTransaction(wrong.pool, [opening], async () => ({ changes, result: () => 7 }))).rejects.toThrow(
    "ER_DUP_ENTRY",
  );
  expect(wrong.said).toEqual([FIRST, LAST, "ROLLBACK"]);
});
