import { appendFile, readFile, rm, stat, truncate, writeFile } from "node:fs/promises";
import { gunzipSync, gzipSync } from "node:zlib";
import { afterAll, beforeAll, expect, test } from "vitest";
import { type Client, documentsOf, JSON_TYPE, openProject, signedIn } from "../../src/cli/measure/client";
import { type Served, serve } from "../../src/cli/serve";
import type { Sequence } from "../../src/core/document/sequence";
import { freshId } from "../../src/core/edit/id";
import { BackupError, readBackup, writeBackup, writeBackupOf } from "../../src/server/database/backup";
import { sequenceOf } from "../support/assembly";
import { smallProjectFile } from "../support/project";
import { wav } from "../support/sound";

const [FOLDER, BACK, FILE] = ["var/test-backup", "var/test-backup-back", "var/test-backup.sql.gz"];
const ENV = { PLEXTAN_READERS: "0" };
const clean = () =>
  Promise.all([FOLDER, BACK, FILE, `${FILE}.part`].map((p) => rm(p, { recursive: true, force: true })));
let served: Served;
let client: Client;
let project = "";
beforeAll(async () => {
  await clean();
  served = await serve({ databaseFolder: FOLDER, seed: false, env: ENV });
  client = await signedIn(served.url);
  project = await openProject(client, smallProjectFile("Kept", sequenceOf([{}]), [wav(new Float32Array(480))]));
});
afterAll(async () => {
  await served?.stop();
  await clean();
});
const sequence = async (by: Client) =>
  (await documentsOf<Sequence>(by, project)).find((d) => d.kind === "sequence") as {
    id: string;
    revision: number;
    body: Sequence;
  };
const title = async (base: number, id: string, text: string) => {
  const edit = {
    ...{ id: freshId(), label: "title" },
    patches: [{ op: "replace", path: ["steps", "s0", "title"], value: text }],
  };
  const r = await client.call(`/api/documents/${id}/edits`, {
    ...{ method: "POST", headers: JSON_TYPE },
    body: JSON.stringify({ base, edits: [edit] }),
  });
  expect(r.status).toBe(200);
};

test("a backup made while somebody works is as of one moment; put back it holds all, and goes on", async () => {
  const { id } = await sequence(client);
  let written = 0;
  let go = true;
  const work = (async () => {
    for (; go; written++) await title(written, id, `Title ${written + 1}`);
  })();
  while (written < 5) await new Promise((r) => setTimeout(r, 10));
  const before = written;
  expect(await writeBackup(FOLDER, FILE)).toBeGreaterThan(3000);
  const after = written + 1;
  go = false;
  await work;
  // Of whoever made it alone.
  expect((await stat(FILE)).mode & 0o777).toBe(0o600);
  await expect(writeBackup(FOLDER, FILE)).rejects.toThrow(/is there already/);

  await readBackup(FILE, BACK);
  const again = await serve({ databaseFolder: BACK, seed: false, env: ENV });
  try {
    // Who was signed in is so still.
    const there: Client = {
      cookie: client.cookie,
      call: (path, init) => fetch(again.url + path, { ...init, headers: { cookie: client.cookie } }),
    };
    const found = await sequence(there);
    expect(found.revision).toBeGreaterThanOrEqual(before);
    expect(found.revision).toBeLessThanOrEqual(after);
    // Document and log are of the same moment.
    expect(found.body.steps.s0?.title).toBe(`Title ${found.revision}`);
    for (const what of ["package", "source"]) {
      const bytes = async (by: Client) =>
        Buffer.from(await (await by.call(`/api/projects/${project}/${what}`)).arrayBuffer());
      expect((await bytes(there)).equals(await bytes(client))).toBe(true);
    }
  } finally {
    await again.stop();
  }
});

test("one that stands still is backed up as well; what is no Plextan is said", async () => {
  const to = `${FILE}.still`;
  await expect(writeBackup("var/nowhere", to)).rejects.toThrow(/no Plextan in var\/nowhere/);
  await writeBackup(BACK, to);
  expect(gunzipSync(await readFile(to)).toString("latin1")).toContain("Dump completed");
  await rm(to);
});

test("a database that runs elsewhere is backed up from the first of its nodes that answers, and put back", async () => {
  const [to, folder] = [`${FILE}.elsewhere`, `${BACK}-elsewhere`];
  const there = served.database.address;
  const gone = { ...there, port: 1 };
  await expect(writeBackupOf([gone], to)).rejects.toThrow(/^mariadb-dump failed/);
  expect(await writeBackupOf([gone, there], to)).toBeGreaterThan(3000);
  expect((await stat(to)).mode & 0o777).toBe(0o600);
  await expect(writeBackupOf([there], to)).rejects.toThrow(/is there already/);
  try {
    await readBackup(to, folder);
  } finally {
    await rm(to);
    await rm(folder, { recursive: true, force: true });
  }
});

test("a folder in which there is something is not touched", async () => {
  await expect(readBackup(FILE, FOLDER)).rejects.toThrow(/something in var\/test-backup already/);
  expect((await client.call("/api/health")).ok).toBe(true);
});

test.each<[string, (file: string) => Promise<void>, RegExp]>([
  ["cut off", async (f) => truncate(f, (await stat(f)).size - 2000), /damaged/],
  [
    "cut off and packed again",
    async (f) => {
      const text = gunzipSync(await readFile(FILE));
      await writeFile(f, gzipSync(text.subarray(0, text.length - 3000)));
    },
    /ends too early/,
  ],
  ["something else", async (f) => writeFile(f, gzipSync("SELECT 1;\n-- Dump completed")), /not a backup of Plextan/],
  ["no archive at all", async (f) => writeFile(f, "words"), /not a backup/],
  [
    "of a newer Plextan",
    async (f) => {
      const text = gunzipSync(await readFile(FILE)).toString("latin1");
      const newer = text.replace(
        "('001_foundation.sql'",
        "('999_later.sql',REPEAT('0',64),NOW(3)),('001_foundation.sql'",
      );
      expect(newer).not.toBe(text);
      await writeFile(f, gzipSync(Buffer.from(newer, "latin1")));
    },
    /newer Plextan \(999_later.sql\)/,
  ],
  [
    "damaged inside",
    async (f) => {
      const text = gunzipSync(await readFile(FILE))
        .toString("latin1")
        .replace("CREATE TABLE `projects`", "CREATE TABEL");
      await writeFile(f, gzipSync(Buffer.from(text, "latin1")));
    },
    /mariadb failed: .*syntax/,
  ],
])("a backup that is %s is refused, and nothing is left", async (_, spoil, why) => {
  const file = `${FILE}.bad`;
  await writeFile(file, await readFile(FILE));
  await appendFile(file, "");
  await spoil(file);
  const into = "var/test-backup-new";
  const error = await readBackup(file, into).catch((e: unknown) => e);
  expect(error).toBeInstanceOf(BackupError);
  expect((error as Error).message).toMatch(why);
  await expect(stat(into)).rejects.toThrow();
  await rm(file);
});
