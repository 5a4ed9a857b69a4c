import { spawn } from "node:child_process";
import { rm } from "node:fs/promises";
import { setTimeout as pause } from "node:timers/promises";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { type Client, openProject, signedIn } from "../../src/cli/measure/client";
import { torture } from "../../src/cli/measure/torture";
import { type Served, StartError, serve } from "../../src/cli/serve";
import { portIsFree, runs } from "../../src/server/database/processes";
import { smallProjectFile } from "../support/project";

test("app and database are killed at random moments: each acknowledged edit is there exactly once, and no stream's end is taken for a whole", async () => {
  const seed = Number(process.env.PLEXTAN_SEED ?? 7);
  const r = await torture({ kills: 10, seed, folder: "var/test-torture" });
  expect(r.kills.app + r.kills.database).toBeGreaterThan(6);
  expect(r.acknowledged).toBeGreaterThan(40);
  expect(r).toMatchObject({ lost: [], doubled: [], shortened: 0, halves: 0 });
});

describe("the start command", () => {
  const FOLDER = "var/test-start";
  let served: Served;
  let client: Client;
  const said: string[] = [];
  beforeAll(async () => {
    await rm(FOLDER, { recursive: true, force: true });
    served = await serve({
      databaseFolder: FOLDER,
      seed: false,
      supervise: true,
      log: (line) => said.push(line),
      env: { PLEXTAN_READERS: "0" },
    });
    client = await signedIn(served.url);
  });
  afterAll(async () => {
    await served?.stop();
    await rm(FOLDER, { recursive: true, force: true });
  });
  const back = async (): Promise<number> => {
    const began = Date.now();
    for (;;) {
      const ok = await fetch(`${served.url}/api/health`).then(
        (r) => r.ok,
        () => false,
      );
      if (ok) return Date.now() - began;
      expect(Date.now() - began).toBeLessThan(30_000);
      await pause(50);
    }
  };

  test("brings back an app and a database that die, with what was saved, and says so", async () => {
    const id = await openProject(client, smallProjectFile());
    for (const [what, pid] of [
      ["The app", () => served.app.pid],
      ["The database", () => served.database.pid],
    ] as const) {
      process.kill(pid() as number, "SIGKILL");
      await pause(100);
      await back();
      await expect.poll(() => said.some((l) => l.startsWith(`${what} is back after`))).toBe(true);
      expect(said).toContain(`${what} stopped unexpectedly and is started again.`);
      expect((await client.call(`/api/projects/${id}`)).status).toBe(200);
    }
  });

  test("a port in use is one sentence, and the data folder of another start is left alone", async () => {
    const port = Number(new URL(served.url).port);
    await expect(serve({ databaseFolder: "var/test-start-other", port, seed: false })).rejects.toThrow(StartError);
    await expect(serve({ databaseFolder: "var/test-start-other", port, seed: false })).rejects.toThrow(
      /^Port \d+ is in use by another program. .*PORT=\d+ bin\/demo\.$/,
    );
  });

  test("a supervisor that is killed leaves nothing behind, and the next start finds everything", async () => {
    const folder = "var/test-start-killed";
    await rm(folder, { recursive: true, force: true });
    const script = `
      import { serve } from "./src/cli/serve";
      const s = await serve({ databaseFolder: "${folder}", seed: false, supervise: true, env: { PLEXTAN_READERS: "0" } });
      process.send({ url: s.url, app: s.app.pid, database: s.database.pid });`;
    const child = spawn(process.execPath, ["--import", "tsx", "--input-type=module", "-e", script], {
      stdio: ["ignore", "inherit", "inherit", "ipc"],
    });
    const up = (await new Promise((r) => child.once("message", r))) as { url: string; app: number; database: number };
    const first = await signedIn(up.url);
    const id = await openProject(first, smallProjectFile());
    child.kill("SIGKILL");
    await expect
      .poll(() => runs(up.app, "src/app/main") || runs(up.database, "mariadbd"), { timeout: 20_000 })
      .toBe(false);
    expect(await portIsFree(Number(new URL(up.url).port))).toBe(true);
    const again = await serve({
      databaseFolder: folder,
      port: Number(new URL(up.url).port),
      seed: false,
      env: { PLEXTAN_READERS: "0" },
    });
    try {
      expect((await first.call(`/api/projects/${id}`)).status).toBe(200);
    } finally {
      await again.stop();
      await rm(folder, { recursive: true, force: true });
    }
  });

  test("a kept connection outlasts the pause at which servers commonly close it", async () => {
    const r = await fetch(`${served.url}/api/health`);
    expect(Number(/timeout=(\d+)/.exec(r.headers.get("keep-alive") ?? "")?.[1])).toBeGreaterThanOrEqual(60);
  });
});
