import { spawn } from "node:child_process";
import { mkdtemp, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { setTimeout as pause } from "node:timers/promises";
import { afterAll, beforeAll, beforeEach, describe, expect, test, vi } from "vitest";
import { encodePackage } from "../../src/core/assembly/package";
import type { Actor } from "../../src/server/access/actor";
import { type Database, openPool, type Row, transaction } from "../../src/server/database/pool";
import { JobWorker } from "../../src/server/imports/worker";
import { type KernelPool, KernelPool as Readers } from "../../src/server/kernel/pool";
import { RateLimiter } from "../../src/server/limits/rate";
import { takeUpload } from "../../src/server/limits/uploads";
import { putAsset } from "../../src/server/repositories/assets";
import {
  beat,
  type Claim,
  cancelJob,
  claimJob,
  createJob,
  endJob,
  getJob,
  holdJob,
} from "../../src/server/repositories/jobs";
import { createProject, listRevisions } from "../../src/server/repositories/projects";
import { cubePackage } from "../support/assembly";
import { peopledDatabase } from "../support/database";

let db: Awaited<ReturnType<typeof peopledDatabase>>;
let pool: Database;
let actor: Actor;
let stranger: Actor;
beforeAll(async () => {
  db = await peopledDatabase(true);
  ({ pool, actor, stranger } = db);
});
afterAll(() => db?.end());
beforeEach(async () => {
  await pool.query("DELETE FROM jobs");
});

const INPUT = { fileName: "a.step", sourceSha256: "00".repeat(32) };
const make = async (input = INPUT, project?: string) =>
  createJob(pool, actor, project ?? (await createProject(pool, actor, "P")), "import", input);
const silent = (id: string) =>
  pool.query("UPDATE jobs SET beat_at = UTC_TIMESTAMP(3) - INTERVAL 1 MINUTE WHERE id = ?", [id]);

describe("jobs", () => {
  test("are claimed once each, however many ask", async () => {
    const ids = await Promise.all([1, 2, 3].map(() => make()));
    const claimed = (await Promise.all(Array.from({ length: 8 }, () => claimJob(pool)))).flatMap((c) =>
      c ? [c.job.id] : [],
    );
    expect(new Set(claimed).size).toBe(claimed.length);
    for (let c = await claimJob(pool); c; c = await claimJob(pool)) claimed.push(c.job.id);
    expect([...claimed].sort()).toEqual([...ids].sort());
  });

  test("one that waits is cancelled at once, by its own people alone", async () => {
    const waiting = await make();
    expect(await cancelJob(pool, stranger, waiting)).toBe(false);
    expect((await getJob(pool, actor, waiting))?.state).toBe("waiting");
    expect(await getJob(pool, stranger, waiting)).toBeNull();
    expect(await cancelJob(pool, actor, waiting)).toBe(true);
    expect((await getJob(pool, actor, waiting))?.state).toBe("cancelled");
  });

  test("an abandoned one is taken up once; its former owner can do nothing any more; then it is given up", async () => {
    const id = await make();
    const first = (await claimJob(pool)) as Claim;
    expect(await beat(pool, first, "read", 0.5)).toBe("go on");
    expect(await claimJob(pool)).toBeNull();
    await silent(id);
    const second = (await claimJob(pool)) as Claim;
    expect(second.job.id).toBe(id);
    expect(second.owner).not.toBe(first.owner);
    // The first wakes up.
    expect(await beat(pool, first, "mesh", 0.9)).toBe("lost");
    expect(await transaction(pool, (sql) => holdJob(sql, first))).toBe(false);
    await endJob(pool, first, "done", { result: {} });
    expect(await getJob(pool, actor, id)).toMatchObject({ state: "running", stage: "start" });
    await cancelJob(pool, actor, id);
    expect(await beat(pool, second, "mesh", null)).toBe("cancel");
    await silent(id);
    expect(await claimJob(pool)).toBeNull();
    expect((await getJob(pool, actor, id))?.error).toMatch(/stopped twice/);
  });

  test("a process that is put to sleep in the middle of everything: another has the job after the time of silence, and the sleeper's late result is not kept", async () => {
    const id = await make();
    // A process of its own claims the job, then holds the job's row in an open transaction, and is put to sleep.
    const script = `
      import { openPool } from "./src/server/database/pool";
      import { claimJob, holdJob, endJob } from "./src/server/repositories/jobs";
      const pool = openPool(JSON.parse(process.env.ADDRESS), 3);
      const claim = await claimJob(pool);
      const sql = await pool.getConnection();
      await sql.beginTransaction();
      await holdJob(sql, claim);
      process.send({ claimed: claim.job.id });
      process.once("message", async () => {
        const lost = await sql.query("UPDATE jobs SET stage = 'sleeper' WHERE id = ?", [claim.job.id]).then(() => sql.commit()).then(() => false, () => true);
        await endJob(pool, claim, "done", { result: { by: "sleeper" } }).catch(() => {});
        process.send({ lost });
      });`;
    const child = spawn(process.execPath, ["--import", "tsx", "--input-type=module", "-e", script], {
      stdio: ["ignore", "inherit", "inherit", "ipc"],
      env: { ...process.env, ADDRESS: JSON.stringify(db.database.address) },
    });
    try {
      expect(await new Promise((r) => child.once("message", r))).toEqual({ claimed: id });
      child.kill("SIGSTOP");
      const began = Date.now();
      let other: Claim | null = null;
      while (!other && Date.now() - began < 40_000) {
        other = await claimJob(pool, 3).catch(() => null);
        await pause(250);
      }
      // Three seconds of silence, and what the database takes to let go of a sleeper's locks.
      expect(other?.job.id).toBe(id);
      expect(Date.now() - began).toBeLessThan(25_000);
      await endJob(pool, other as Claim, "done", { result: { by: "other" } });
      const answer = new Promise((r) => child.once("message", r));
      child.kill("SIGCONT");
      child.send("wake");
      expect(await answer).toEqual({ lost: true });
      expect(await getJob(pool, actor, id)).toMatchObject({ state: "done", result: { by: "other" } });
    } finally {
      child.kill("SIGKILL");
    }
  });

  test("one under which the database goes away is begun anew, and not called the file's fault", async () => {
    const assembly = encodePackage(cubePackage());
    const source = await putAsset(pool, actor, Buffer.from("cut off"));
    const project = await createProject(pool, actor, "Cut off");
    let cuts = 1;
    const failing = {
      several: false,
      getConnection: () => pool.getConnection(),
      end: async () => {},
      query: async (sql: string, values: unknown) => {
        if (/INSERT IGNORE INTO import_cache/.test(sql) && cuts-- > 0)
          throw Object.assign(new Error("read ECONNRESET"), { code: "ECONNRESET" });
        return pool.query(sql, values as never);
      },
    } as unknown as Database;
    let read = 0;
    const kernels = {
      run: async (kind: string, { out }: { out: string }) => {
        if (kind === "source") read++;
        await writeFile(out, assembly);
        return { assembly: cubePackage().assembly };
      },
    } as unknown as KernelPool;
    const job = await make({ fileName: "cut.obj", sourceSha256: source }, project);
    const worker = new JobWorker(failing, kernels);
    try {
      await expect.poll(async () => (await getJob(pool, actor, job))?.state, { timeout: 10_000 }).toBe("done");
    } finally {
      worker.stop();
    }
    expect(read).toBe(2);
    expect(await listRevisions(pool, actor, project, 5)).toHaveLength(1);
  });

  test("a disk that is full is said to be, and is not called the file's fault", async () => {
    const source = await putAsset(pool, actor, Buffer.from("no room"));
    const project = await createProject(pool, actor, "No room");
    const kernels = { run: () => writeFile("/dev/full", "anything") } as unknown as KernelPool;
    const job = await make({ fileName: "full.obj", sourceSha256: source }, project);
    const worker = new JobWorker(pool, kernels);
    try {
      await expect
        .poll(async () => (await getJob(pool, actor, job))?.error, { timeout: 10_000 })
        .toMatch(/^The server has no room left for files/);
    } finally {
      worker.stop();
    }
    expect((await getJob(pool, actor, job))?.state).toBe("failed");
    expect(await listRevisions(pool, actor, project, 5)).toEqual([]);
    // A reader process that finds it so says the same.
    const readers = new Readers({ processes: 0, light: 1 });
    const folder = await mkdtemp(path.join(tmpdir(), "plextan-full-"));
    try {
      await writeFile(path.join(folder, "package"), encodePackage(cubePackage()));
      await expect(
        readers.run("pack", { package: path.join(folder, "package"), out: "/dev/full" }),
      ).rejects.toMatchObject({ code: "no-room" });
    } finally {
      readers.close();
      await rm(folder, { recursive: true, force: true });
    }
  });

  test("a first file sent twice at once makes one revision; the other is told why", async () => {
    const project = await createProject(pool, actor, "Twice");
    const sourceSha256 = await putAsset(pool, actor, new TextEncoder().encode("a file"));
    const ids = await Promise.all(["a.step", "b.step"].map((fileName) => make({ fileName, sourceSha256 }, project)));
    const pkg = cubePackage();
    const kernels = {
      run: async (_kind: string, request: { out: string }) => {
        const { writeFile } = await import("node:fs/promises");
        await pause(300);
        await writeFile(request.out, encodePackage(pkg));
        return { assembly: pkg.assembly };
      },
    } as unknown as KernelPool;
    const workers = [new JobWorker(pool, kernels), new JobWorker(pool, kernels)];
    await vi.waitFor(
      async () =>
        expect(
          (await Promise.all(ids.map((id) => getJob(pool, actor, id)))).every(
            (j) => j?.state === "done" || j?.state === "failed",
          ),
        ).toBe(true),
      10_000,
    );
    for (const w of workers) w.stop();
    const states = await Promise.all(ids.map((id) => getJob(pool, actor, id)));
    expect(states.map((j) => j?.state).sort()).toEqual(["done", "failed"]);
    expect(states.find((j) => j?.state === "failed")?.error).toMatch(
      /Another file was brought into this project meanwhile/,
    );
    expect(await listRevisions(pool, actor, project)).toHaveLength(1);
  });
});

describe("limits", () => {
  test("requests of a minute are counted over all processes", async () => {
    let now = Date.parse("2026-05-01T12:00:10Z");
    const second = openPool(db.database.address, 1);
    const [one, two] = [
      new RateLimiter(
        () => pool,
        () => now,
      ),
      new RateLimiter(
        () => second,
        () => now,
      ),
    ] as const;
    for (let i = 0; i < 6; i++) expect(one.take("k", 10)).toBe(true);
    for (let i = 0; i < 3; i++) expect(two.take("k", 10)).toBe(true);
    await one.sync();
    await two.sync();
    expect(two.take("k", 10)).toBe(true);
    expect(two.take("k", 10)).toBe(false);
    expect(two.take("another", 10)).toBe(true);
    now += 60_000;
    expect(two.take("k", 10)).toBe(true);
    await second.end();
    // With the database away each counts by itself.
    const away = new RateLimiter(
      () => second,
      () => now,
    );
    expect(away.take("k", 1)).toBe(true);
    await away.sync();
    expect(away.take("k", 1)).toBe(false);
  });

  test("uploads on their way are counted over all processes, and given back", async () => {
    const taken = await Promise.all(Array.from({ length: 5 }, () => takeUpload(pool, actor.workspaceId, 3)));
    const held = taken.filter((t) => t !== null);
    expect(held).toHaveLength(3);
    expect(await takeUpload(pool, stranger.workspaceId, 3)).not.toBeNull();
    await held[0]?.();
    expect(await takeUpload(pool, actor.workspaceId, 3)).not.toBeNull();
    expect(await takeUpload(pool, actor.workspaceId, 3)).toBeNull();
    // Those of a process that died run out.
    await pool.query("UPDATE upload_slots SET expires_at = UTC_TIMESTAMP(3) - INTERVAL 1 SECOND");
    expect(await takeUpload(pool, actor.workspaceId, 3)).not.toBeNull();
  });
});

test("of several nodes each that is not spoken to has a connection for work ready, and no more", async () => {
  // One server under two addresses: what is counted is who is connected.
  const { address } = db.database;
  const several = openPool([address, address], 4);
  const connected = async () => {
    const [rows] = await pool.query<Row[]>("SELECT COUNT(*) AS n FROM information_schema.processlist");
    return Number(rows[0]?.n);
  };
  // All of the pool's own, so that asking opens no other.
  await Promise.all(Array.from({ length: 12 }, () => pool.query("SELECT 1")));
  const before = await connected();
  try {
    // Each is looked at over a connection of its own; the second has one for work besides.
    await vi.waitFor(async () => expect((await connected()) - before).toBe(3), 5000);
    await pause(1200);
    expect((await connected()) - before).toBe(3);
    // What the server lets go of, after hours of rest, is made again.
    const youngest = async () => {
      const [rows] = await pool.query<Row[]>("SELECT MAX(id) AS id FROM information_schema.processlist");
      return Number(rows[0]?.id);
    };
    const ready = await youngest();
    await pool.query("KILL ?", [ready]);
    await vi.waitFor(async () => expect(await youngest()).toBeGreaterThan(ready), 5000);
    expect((await connected()) - before).toBe(3);
    // Where one is spoken to they are made when they are wanted.
    await several.query("DO 0");
    expect((await connected()) - before).toBe(4);
  } finally {
    await several.end();
  }
});
