import { cp, mkdtemp, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import type { Sequence } from "../../src/core/document/sequence";
import { runCommand } from "../../src/core/edit/history";
import { freshId } from "../../src/core/edit/id";
import { type Edit, patched } from "../../src/core/edit/patches";
import { type SequenceCommand, updateStep } from "../../src/core/edit/sequenceCommands";
import { type Actor, standingOf, startSession } from "../../src/server/access/actor";
import { migrate } from "../../src/server/database/migrate";
import { briefTransaction, type Database, type Row, transaction } from "../../src/server/database/pool";
import { getAsset, putAsset } from "../../src/server/repositories/assets";
import {
  type AppendResult,
  appendEdits,
  editsUntil,
  forgetBodies,
  listDocuments,
} from "../../src/server/repositories/documentStore";
import { deleteProject, getProject, listProjects, renameProject } from "../../src/server/repositories/projects";
import { peopledDatabase } from "../support/database";
import { storeProject } from "../support/project";

let db: Awaited<ReturnType<typeof peopledDatabase>>;
let pool: Database;
let actor: Actor;
let stranger: Actor;
beforeAll(async () => {
  db = await peopledDatabase(true);
  ({ pool, actor, stranger } = db);
});
afterAll(() => db?.end());

async function fresh() {
  const project = await storeProject(pool, actor);
  const read = async () =>
    (await listDocuments(pool, actor, project)).find((d) => d.kind === "sequence") as {
      id: string;
      revision: number;
      body: Sequence;
    };
  return { project, read, document: await read() };
}
/** What an answer says, in short: revision, and whose edits the log brings. */
const short = (r: AppendResult) =>
  "log" in r ? [r.ok, r.revision, r.log.map((l) => (l.patches ? "theirs" : "ours"))] : r;
const editOf = (body: Sequence, command: SequenceCommand): { edit: Edit; body: Sequence } => {
  const r = runCommand(body, command);
  return { edit: { id: freshId(), label: "edit", patches: r.patches as Edit["patches"] }, body: r.document };
};

/** Longer than the server waits for a transaction of which it hears nothing, ms. */
const TOO_LONG_MS = 2800;
const long = () => new Promise((r) => setTimeout(r, TOO_LONG_MS));

describe("a change that takes longer to make than the server waits for who is silent", () => {
  const passed = async (door: string) =>
    Number((await pool.query<Row[]>("SELECT passed FROM doors WHERE name = ?", [door]))[0][0]?.passed);
  const waits = async () => (await pool.query<Row[]>("SELECT @@idle_transaction_timeout AS s"))[0][0]?.s;
  const pass = "INSERT INTO doors (name, passed) VALUES (?, 1) ON DUPLICATE KEY UPDATE passed = passed + 1";

  test("is stored all the same, once", async () => {
    let tries = 0;
    const door = freshId();
    await transaction(pool, async (sql) => {
      tries++;
      await sql.query(pass, [door]);
      await long();
    });
    expect([tries, await passed(door), await waits()]).toEqual([2, 1, 2]);
  });
  test("is so where it is begun and committed in one way each", async () => {
    let tries = 0;
    const door = freshId();
    await briefTransaction(pool, [{ sql: "SELECT 1", values: [] }], async () => {
      tries++;
      await long();
      return { changes: [{ sql: pass, values: [door] }], result: () => {} };
    });
    expect([tries, await passed(door), await waits()]).toEqual([2, 1, 2]);
  });
});

describe("the edit log", () => {
  test("applies in order, and sending again changes nothing", async () => {
    const { document, read } = await fresh();
    const one = editOf(document.body, updateStep("s0", { title: "one" }));
    const two = editOf(one.body, updateStep("s0", { title: "two" }));
    expect(short(await appendEdits(pool, actor, document.id, 0, [one.edit, two.edit]))).toEqual([
      true,
      2,
      ["ours", "ours"],
    ]);
    expect(short(await appendEdits(pool, actor, document.id, 0, [one.edit, two.edit]))).toEqual([
      true,
      2,
      ["ours", "ours"],
    ]);
    const three = editOf(two.body, updateStep("s1", { title: "three" }));
    // Half of the batch is known already: only the rest is applied.
    expect(short(await appendEdits(pool, actor, document.id, 1, [two.edit, three.edit]))).toEqual([
      true,
      3,
      ["ours", "ours"],
    ]);
    expect((await read()).body).toEqual(three.body);
  });

  test("a document stored by an older version is edited as this one reads it, and its log can be played again", async () => {
    const { read, document } = await fresh();
    // As the first version had it: moves without folder, colour and note, steps without folders; and an edit made then.
    const steps = Object.fromEntries(
      Object.entries(document.body.steps).map(([id, { folders: _f, ...step }]) => [
        id,
        {
          ...step,
          moves: Object.fromEntries(
            Object.entries(step.moves).map(([m, { folder: _o, colour: _c, note: _n, ...move }]) => [m, move]),
          ),
        },
      ]),
    );
    await pool.query("UPDATE documents SET snapshot = ? WHERE id = ?", [
      JSON.stringify({ ...document.body, version: 1, steps }),
      document.id,
    ]);
    await pool.query(
      "INSERT INTO edit_log (document_id, revision, edit_id, user_id, label, patches) VALUES (?, 1, ?, ?, 'then', ?)",
      [
        document.id,
        freshId(),
        actor.userId,
        JSON.stringify([{ op: "replace", path: ["steps", "s0", "title"], value: "then" }]),
      ],
    );
    await pool.query("UPDATE documents SET revision = 1 WHERE id = ?", [document.id]);
    const now = await read();
    expect([now.revision, now.body.steps.s0?.title, now.body.steps.s0?.folders]).toEqual([1, "then", {}]);
    const folder = editOf(now.body, (draft) => {
      (draft.steps.s0 as Sequence["steps"][string]).folders.f = { id: "f", name: "Folder", on: true, colour: null };
    });
    const more = editOf(folder.body, (draft) => {
      ((draft.steps.s0 as Sequence["steps"][string]).folders.f as { name: string }).name = "Renamed";
    });
    expect(short(await appendEdits(pool, actor, document.id, 1, [folder.edit]))).toEqual([true, 2, ["ours"]]);
    forgetBodies();
    expect(short(await appendEdits(pool, actor, document.id, 2, [more.edit]))).toEqual([true, 3, ["ours"]]);
    expect((await read()).body).toEqual(more.body);
  });

  test("what a document was before its last edits can be looked back at, over snapshots and over a change of version", async () => {
    const { document, read } = await fresh();
    const bodies = [document.body];
    for (let i = 1; i <= 95; i++) {
      const next = editOf(bodies[i - 1] as Sequence, updateStep("s0", { title: `title ${i}` }));
      bodies.push(next.body);
      await appendEdits(pool, actor, document.id, i - 1, [next.edit]);
    }
    const back = async (until: number) => {
      const found = await editsUntil(pool, actor, document.id, until);
      const states = [found?.body as Sequence];
      for (const e of found?.edits ?? []) states.push(patched(states[states.length - 1] as Sequence, e.patches));
      return states;
    };
    // Snapshots are those of 40 and 80.
    expect(await back(95)).toEqual(bodies.slice(40));
    expect(await back(60)).toEqual(bodies.slice(40, 61));
    expect(await editsUntil(pool, stranger, document.id, 95)).toBeNull();
    // Stored by an older version: what it was by then is kept as this version reads it.
    const { markers: _m, goal: _g, timings: _t, ...older } = (await read()).body;
    forgetBodies();
    await pool.query("UPDATE documents SET snapshot = ?, snapshot_revision = 95 WHERE id = ?", [
      JSON.stringify({ ...older, version: 2 }),
      document.id,
    ]);
    const marked = editOf(bodies[95] as Sequence, (d) => {
      d.markers.m = { id: "m", name: "Seated", step: "s0", at: 0 };
    });
    await appendEdits(pool, actor, document.id, 95, [marked.edit]);
    expect(await back(96)).toEqual([bodies[95], marked.body]);
  });

  test("two who edit at once elsewhere: both are in, and each is told of the other", async () => {
    const { document, read } = await fresh();
    const mine = editOf(document.body, updateStep("s0", { title: "mine" }));
    const theirs = editOf(document.body, updateStep("s1", { title: "theirs" }));
    const results = await Promise.all([
      appendEdits(pool, actor, document.id, 0, [mine.edit]),
      appendEdits(pool, actor, document.id, 0, [theirs.edit]),
    ]);
    expect(results.map((r) => r.ok)).toEqual([true, true]);
    const second = results.find((r) => "revision" in r && r.revision === 2);
    expect(second && short(second)).toEqual([true, 2, ["theirs", "ours"]]);
    const after = await read();
    expect([after.revision, after.body.steps.s0?.title, after.body.steps.s1?.title]).toEqual([2, "mine", "theirs"]);
  });

  test("two who edit the same at once: the second is told what it has not seen, and nothing is half applied", async () => {
    const { document, read } = await fresh();
    const mine = editOf(document.body, updateStep("s0", { title: "mine" }));
    const also = editOf(mine.body, updateStep("s1", { title: "also mine" }));
    const theirs = editOf(document.body, updateStep("s0", { title: "theirs" }));
    await appendEdits(pool, actor, document.id, 0, [theirs.edit]);
    expect(await appendEdits(pool, actor, document.id, 0, [mine.edit, also.edit])).toEqual({
      ok: false,
      reason: "conflict",
      revision: 1,
      log: [{ revision: 1, id: theirs.edit.id, patches: theirs.edit.patches }],
    });
    expect(await read()).toMatchObject({
      revision: 1,
      body: { steps: { s0: { title: "theirs" }, s1: { title: "Step 1" } } },
    });
  });

  test("sent again after others were there, the answer still brings what they did: nobody steps over an edit", async () => {
    const { document } = await fresh();
    const mine = editOf(document.body, updateStep("s0", { title: "mine" }));
    const theirs = editOf(mine.body, updateStep("s1", { title: "theirs" }));
    await appendEdits(pool, actor, document.id, 0, [mine.edit]);
    await appendEdits(pool, actor, document.id, 1, [theirs.edit]);
    // The first answer was lost.
    expect(short(await appendEdits(pool, actor, document.id, 0, [mine.edit]))).toEqual([true, 2, ["ours", "theirs"]]);
    // One known and one fresh edit, the fresh one over what was not seen: not taken.
    const blind = editOf(mine.body, updateStep("s1", { title: "blind" }));
    expect(short(await appendEdits(pool, actor, document.id, 0, [mine.edit, blind.edit]))).toEqual([
      false,
      2,
      ["ours", "theirs"],
    ]);
    // Made on a state that is not: a database that lost its end.
    expect(short(await appendEdits(pool, actor, document.id, 9, [blind.edit]))).toEqual([false, 2, []]);
  });

  test("another process's edits, and a history that was put back, are noticed by what this one remembers", async () => {
    const { document, read } = await fresh();
    const one = editOf(document.body, updateStep("s0", { title: "one" }));
    const two = editOf(one.body, updateStep("s0", { title: "two" }));
    await appendEdits(pool, actor, document.id, 0, [one.edit]);
    // Another process: straight into the database.
    const put = (revision: number, edit: Edit) =>
      pool.query(
        "INSERT INTO edit_log (document_id, revision, edit_id, user_id, label, patches) VALUES (?, ?, ?, ?, 'x', ?)",
        [document.id, revision, edit.id, actor.userId, JSON.stringify(edit.patches)],
      );
    await put(2, two.edit);
    await pool.query("UPDATE documents SET revision = 2 WHERE id = ?", [document.id]);
    const three = editOf(two.body, updateStep("s1", { title: "three" }));
    expect(short(await appendEdits(pool, actor, document.id, 2, [three.edit]))).toEqual([true, 3, ["ours"]]);
    expect((await read()).body).toEqual(three.body);
    // A backup was put back, and the same number was reached another way.
    await pool.query("DELETE FROM edit_log WHERE document_id = ? AND revision = 3", [document.id]);
    const other = editOf(two.body, (d) => {
      (d.steps.s1 as Sequence["steps"][string]).caption = "another way";
    });
    await put(3, other.edit);
    const four = editOf(other.body, updateStep("s1", { title: "four" }));
    expect(short(await appendEdits(pool, actor, document.id, 3, [four.edit]))).toEqual([true, 4, ["ours"]]);
    for (const forget of [false, true]) {
      if (forget) forgetBodies();
      const five = editOf((await read()).body, updateStep("s0", { title: forget ? "b" : "a" }));
      await appendEdits(pool, actor, document.id, (await read()).revision, [five.edit]);
      expect((await read()).body).toEqual(five.body);
    }
    expect((await read()).body.steps.s1).toMatchObject({ title: "four", caption: "another way" });
  });

  test("what would not be a valid document is refused whole, and named", async () => {
    const { document, read } = await fresh();
    const good = editOf(document.body, updateStep("s0", { title: "good" })).edit;
    const bad: Edit = {
      id: freshId(),
      label: "bad",
      patches: [{ op: "replace", path: ["steps", "s0", "title"], value: "x".repeat(5000) }],
    };
    const later = editOf(document.body, updateStep("s1", { title: "later" })).edit;
    expect(await appendEdits(pool, actor, document.id, 0, [good, bad, later])).toMatchObject({
      ok: false,
      reason: "refused",
      edit: bad.id,
      message: expect.stringMatching(/at most 200 characters/),
    });
    expect(await read()).toEqual(document);
  });

  test.each([
    ["a path that leads nowhere", [{ op: "replace", path: ["steps", "none", "title"], value: "x" }]],
    ["a place past the end of a list", [{ op: "add", path: ["stepOrder", 999_999], value: "x" }]],
    ["the length of a list", [{ op: "replace", path: ["stepOrder", "length"], value: 900_000_000 }]],
    ["a forbidden name", [{ op: "add", path: ["steps", "__proto__"], value: {} }]],
    ["half a letter", [{ op: "replace", path: ["name"], value: "\ud800" }]],
    [
      "deep nesting",
      [
        {
          op: "add",
          path: ["steps", "s0", "moves", "m"],
          value: JSON.parse(`${'{"a":'.repeat(5000)}1${"}".repeat(5000)}`),
        },
      ],
    ],
  ] as [string, Edit["patches"]][])("%s is refused, by name, in no time", async (_, patches) => {
    const { document, read } = await fresh();
    const bad: Edit = { id: freshId(), label: "bad", patches };
    expect(await appendEdits(pool, actor, document.id, 0, [bad])).toMatchObject({
      ok: false,
      reason: "refused",
      edit: bad.id,
    });
    expect(
      await appendEdits(pool, actor, document.id, 0, [
        { ...bad, patches: [{ op: "replace", path: ["name"], value: "y" }] },
        bad,
      ]),
    ).toMatchObject({ reason: "refused" });
    expect(await read()).toEqual(document);
  });

  test("a list of documents never has one revision's number with another's body", async () => {
    const { project, document } = await fresh();
    let body = document.body;
    let stop = false;
    const writing = (async () => {
      for (let i = 0; i < 120; i++) {
        const next = editOf(body, updateStep("s0", { title: `title ${i + 1}` }));
        body = next.body;
        await appendEdits(pool, actor, document.id, i, [next.edit]);
      }
      stop = true;
    })();
    let seen = 0;
    while (!stop) {
      for (const d of await listDocuments(pool, actor, project)) {
        if (d.kind !== "sequence" || d.revision === 0) continue;
        expect((d.body as Sequence).steps.s0?.title).toBe(`title ${d.revision}`);
        seen++;
      }
    }
    await writing;
    expect(seen).toBeGreaterThan(10);
  });

  test("snapshots now and then change nothing but how it is read", async () => {
    const { document, read } = await fresh();
    let body = document.body;
    for (let i = 1; i <= 95; i++) {
      const next = editOf(body, updateStep("s0", { title: `title ${i}` }));
      body = next.body;
      await appendEdits(pool, actor, document.id, i - 1, [next.edit]);
    }
    expect(await read()).toEqual({ ...document, revision: 95, body });
    const [rows] = await pool.query<Row[]>("SELECT snapshot_revision FROM documents WHERE id = ?", [document.id]);
    expect(rows[0]?.snapshot_revision).toBe(80);
  });
});

describe("access", () => {
  test("another workspace sees and changes nothing", async () => {
    const { project, document } = await fresh();
    const edit = editOf(document.body, updateStep("s0", { title: "intruder" })).edit;
    expect(await getProject(pool, stranger, project)).toBeNull();
    expect(await listProjects(pool, stranger)).toEqual([]);
    expect(await listDocuments(pool, stranger, project)).toEqual([]);
    expect(await appendEdits(pool, stranger, document.id, 0, [edit])).toEqual({ ok: false, reason: "gone" });
    expect(await renameProject(pool, stranger, project, "taken")).toBe(false);
    expect(await deleteProject(pool, stranger, project)).toBe(false);
    const sha = await putAsset(pool, actor, new TextEncoder().encode("mine"));
    expect(await getAsset(pool, stranger, sha)).toBeNull();
    expect((await getProject(pool, actor, project))?.name).toBe("Small");
  });
  test("a session is known by its token only while it lasts", async () => {
    const { token } = await startSession(pool, actor.userId);
    expect(await standingOf(pool, token)).toMatchObject({ kind: "actor", actor });
    expect(await standingOf(pool, `${token}x`)).toEqual({ kind: "unknown" });
    expect(await standingOf(pool, undefined)).toEqual({ kind: "unknown" });
    await pool.query("UPDATE sessions SET expires_at = '2020-01-01'");
    expect(await standingOf(pool, token)).toEqual({ kind: "unknown" });
  });
});

describe("assets", () => {
  test("of any size come back the same, and the same bytes are stored once", async () => {
    for (const size of [0, 1, (1 << 20) - 1, 1 << 20, (1 << 21) + 17]) {
      const bytes = new Uint8Array(size).map((_, i) => (i * 31) & 255);
      const sha = await putAsset(pool, actor, bytes);
      expect(await putAsset(pool, actor, bytes)).toBe(sha);
      expect(Buffer.from((await getAsset(pool, actor, sha)) ?? []).equals(Buffer.from(bytes))).toBe(true);
    }
  });
});

test("a migration runs once while two starts want it and people go on editing", async () => {
  const folder = await mkdtemp(path.join(tmpdir(), "plextan-migrations-"));
  await cp("db/migrations", folder, { recursive: true });
  await writeFile(
    path.join(folder, "999_more.sql"),
    "ALTER TABLE edit_log ADD COLUMN more INT NOT NULL DEFAULT 7;\nCREATE TABLE more (id INT PRIMARY KEY) ENGINE=InnoDB;\n",
  );
  const { id } = (await fresh()).document;
  let done = false;
  let saved = 0;
  const titled = (title: string): Edit => ({
    id: freshId(),
    label: title,
    patches: [{ op: "replace", path: ["steps", "s0", "title"], value: title }],
  });
  const writer = async () => {
    for (let base = 0; !done; ) {
      const r = await appendEdits(pool, actor, id, base, [titled(`n${saved}`)]);
      if (!r.ok && r.reason !== "conflict") throw new Error(r.reason);
      if (r.ok) saved++;
      if ("revision" in r) base = r.revision;
    }
  };
  const writing = [writer(), writer()];
  try {
    const both = await Promise.all([migrate(db.database.address, folder), migrate(db.database.address, folder)]);
    expect(both.flat()).toEqual(["999_more.sql"]);
    const before = saved;
    await expect.poll(() => saved).toBeGreaterThan(before + 3);
  } finally {
    done = true;
    await Promise.all(writing);
    await rm(folder, { recursive: true, force: true });
  }
  const [rows] = await pool.query<Row[]>("SELECT DISTINCT more FROM edit_log WHERE document_id = ?", [id]);
  expect(rows).toEqual([{ more: 7 }]);
});

test("migrations are applied once, and a changed one is noticed", async () => {
  expect(await migrate(db.database.address)).toEqual([]);
  await pool.query("UPDATE schema_migrations SET hash = REPEAT('0', 64) WHERE name = '001_foundation.sql'");
  await expect(migrate(db.database.address)).rejects.toThrow(/was changed after it had been applied/);
});
