import { rm } from "node:fs/promises";
import { request as plain } from "node:http";
import { afterAll, beforeAll, describe, expect, test, vi } from "vitest";
import { FILE_TYPE, JSON_TYPE } from "../../src/cli/measure/client";
import { type Served, serve } from "../../src/cli/serve";
import { encodePackage } from "../../src/core/assembly/package";
import { freshId } from "../../src/core/edit/id";
import { newsFrom, type RoundNews } from "../../src/core/review/news";
import type { Comment, NewComment, Round, RoundLine } from "../../src/core/review/said";
import { readProjectFile } from "../../src/formats/out/project/file";
import { wireReader } from "../../src/formats/wire/unpack";
import { type Actor, startSession } from "../../src/server/access/actor";
import type { Role } from "../../src/server/access/matrix";
import { type Database, openPool, type Row } from "../../src/server/database/pool";
import { newId } from "../../src/server/ids";
import { packed } from "../../src/server/imports/packing";
import { demoActor } from "../../src/server/people/demo";
import { getAsset, putAsset, shareAsset } from "../../src/server/repositories/assets";
import { addComment } from "../../src/server/review/saying";
import type { Reviewer } from "../../src/server/review/voices";
import { sequenceOf } from "../support/assembly";
import { migrateToLater } from "../support/laterVersion";
import { hashOf, smallProjectFile, storeProject } from "../support/project";
import { sound, wav } from "../support/sound";

const FOLDER = "var/test-review";
let served: Served;
let pool: Database;
let actor: Actor;
const cookies: Partial<Record<Role | "stranger", string>> = {};
let project = "";
let sequence = "";
let preparation = "";
const voice = wav(new Float32Array(4800).fill(0.2));

beforeAll(async () => {
  await rm(FOLDER, { recursive: true, force: true });
  served = await serve({ databaseFolder: FOLDER, seed: false, env: { PLEXTAN_READERS: "0" } });
  pool = openPool(served.database.address, 8);
  await migrateToLater(served.database.address, pool);
  actor = await demoActor(pool);
  const film = sequenceOf([{}, {}, {}]);
  film.sounds = { v: sound("v", 0.1, "s0", 0, { asset: hashOf(voice) }) };
  await putAsset(pool, actor, voice);
  project = await storeProject(pool, actor, smallProjectFile("Small", film, [voice]));
  const [rows] = await pool.query<Row[]>("SELECT id, kind FROM documents WHERE project_id = ?", [project]);
  sequence = rows.find((r) => r.kind === "sequence")?.id;
  preparation = rows.find((r) => r.kind === "preparation")?.id;
  const [people] = await pool.query<Row[]>("SELECT id, name, role FROM users WHERE workspace_id = ?", [
    actor.workspaceId,
  ]);
  for (const p of people) cookies[p.role as Role] = `plextan_session=${(await startSession(pool, p.id)).token}`;
  cookies.animator = `plextan_session=${(await startSession(pool, actor.userId)).token}`;
  const [workspace, id] = [newId(), newId()];
  await pool.query("INSERT INTO workspaces (id, name) VALUES (?, 'Elsewhere')", [workspace]);
  await pool.query("INSERT INTO users (id, workspace_id, name, role) VALUES (?, ?, 'Stranger', 'owner')", [
    id,
    workspace,
  ]);
  cookies.stranger = `plextan_session=${(await startSession(pool, id)).token}`;
});
afterAll(async () => {
  await pool?.end();
  await served?.stop();
  await rm(FOLDER, { recursive: true, force: true });
});

interface Answer {
  status: number;
  body: Record<string, unknown> & { error?: string };
  cookie: string;
  type: string;
}
/** Who sends megabytes to a server that has refused them may be cut off before the answer is read: asked again then. */
const call = async (...asked: Parameters<typeof once>): Promise<Answer> => {
  for (let i = 0; ; i++)
    try {
      return await once(...asked);
    } catch (error) {
      if (i >= 5 || !/ECONNRESET|EPIPE/.test(String((error as { code?: string }).code))) throw error;
    }
};
const once = (method: string, route: string, cookie = "", body?: unknown, from = "198.51.100.1") =>
  new Promise<Answer>((resolve, reject) => {
    const url = new URL(served.url);
    const r = plain(
      {
        ...{ host: url.hostname, port: url.port, path: route, method, agent: false },
        headers: {
          ...{ Host: url.host, Origin: url.origin, "X-Forwarded-For": from },
          ...(body === undefined ? {} : JSON_TYPE),
          ...(cookie ? { Cookie: cookie } : {}),
        },
      },
      (answer) => {
        let text = "";
        answer.on("data", (d) => {
          text += d;
        });
        answer.on("end", () =>
          resolve({
            status: answer.statusCode ?? 0,
            body: text.startsWith("{") ? JSON.parse(text) : {},
            cookie: String(answer.headers["set-cookie"] ?? "").split(";")[0] as string,
            type: String(answer.headers["content-type"] ?? ""),
          }),
        );
      },
    );
    r.on("error", reject);
    r.end(body === undefined ? undefined : JSON.stringify(body));
  });

const print = (n: string) => ({ words: `w${n}`, time: `t${n}`, motion: `m${n}` });
const send = async (
  prints: [string, ReturnType<typeof print>][] = ["s0", "s1", "s2"].map((s) => [s, print(s)]),
  more: object = {},
  cookie = cookies.animator,
) => {
  const [rows] = await pool.query<Row[]>("SELECT id, revision FROM documents WHERE id IN (?, ?)", [
    sequence,
    preparation,
  ]);
  const revision = (id: string) => Number(rows.find((r) => r.id === id)?.revision);
  return call("POST", `/api/projects/${project}/rounds`, cookie, {
    ...{ sequence, note: "Look at the arm.", prints, keepLinks: true },
    revisions: { sequence: revision(sequence), preparation: revision(preparation) },
    ...more,
  });
};
const newRound = async (...args: Parameters<typeof send>) => String((await send(...args)).body.round);
const linkTo = async (round: string, change: object = {}) => {
  const r = await call("POST", `/api/rounds/${round}/links`, cookies.animator, {
    ...{ may: "decide", names: null, password: null, days: 30 },
    ...change,
  });
  return { id: String(r.body.id), secret: String(r.body.link).split("#")[1] as string };
};
const come = (secret: string, name: string | null, password: string | null = null, cookie = "", from?: string) =>
  call("POST", "/api/review", cookie, { secret, name, password }, from);
const guest = async (round: string, name: string, change: object = {}) =>
  (await come((await linkTo(round, change)).secret, name)).cookie;
const said = (change: object = {}) => ({
  ...{ id: freshId(), to: null, text: "Turn it further", step: "s1", from: 5, until: 5 },
  ...{ pin: null, seen: null, strokes: [] },
  ...change,
});
const say = (round: string, cookie: string | undefined, change: object = {}) =>
  call("POST", `/api/rounds/${round}/comments`, cookie, said(change));
const state = async (round: string, cookie = cookies.animator) =>
  (await call("GET", `/api/rounds/${round}`, cookie)).body as unknown as Round;
const decide = (round: string, cookie: string | undefined, step: string, verdict: string) =>
  call("POST", `/api/rounds/${round}/decisions`, cookie, { step, verdict });

describe("a round", () => {
  test("is what was sent, whatever is edited later; notes of the team are not in it", async () => {
    const round = await newRound();
    const edit = (title: string, base: number) =>
      call("POST", `/api/documents/${sequence}/edits`, cookies.animator, {
        base,
        edits: [
          {
            ...{ id: freshId(), label: "t" },
            patches: [
              { op: "replace", path: ["steps", "s0", "title"], value: title },
              { op: "replace", path: ["steps", "s0", "note"], value: "secret" },
            ],
          },
        ],
      });
    const before = (await call("GET", `/api/rounds/${round}/film`, cookies.reviewer)).body as {
      sequence: { steps: Record<string, { title: string }> };
    };
    const [[{ revision }]] = (await pool.query("SELECT revision FROM documents WHERE id = ?", [
      sequence,
    ])) as unknown as [[{ revision: number }]];
    expect((await edit("Another title", revision)).status).toBe(200);
    expect((await call("GET", `/api/rounds/${round}/film`, cookies.reviewer)).body).toEqual(before);
    const next = await newRound();
    const film = JSON.stringify((await call("GET", `/api/rounds/${next}/film`, cookies.reviewer)).body);
    expect(film).toContain("Another title");
    expect(film).not.toContain("secret");
  });
  test("is refused when the sender sees something else than is stored, or by whoever may not send", async () => {
    expect((await send(undefined, { revisions: { sequence: 0, preparation: 0 } })).status).toBe(409);
    expect((await send([["s0", print("s0")]])).status).toBe(409);
    expect((await send(undefined, {}, cookies.reviewer)).status).toBe(403);
    expect((await send(undefined, {}, cookies.stranger)).status).toBe(404);
    expect((await send(undefined, { sequence: preparation })).status).toBe(404);
    expect((await send(undefined, { note: "x".repeat(2001) })).status).toBe(400);
  });
  test("says what changed since the one before, and carries over what still holds", async () => {
    const first = await newRound();
    const g = await guest(first, "Mette");
    await say(first, g, { text: "open one", step: "s0" });
    const settled = freshId();
    await say(first, g, { id: settled, text: "settled one", step: "s0" });
    await call("PATCH", `/api/rounds/${first}/comments/${settled}`, cookies.animator, {
      settled: true,
      edit: "Key a pose",
    });
    const root = freshId();
    await say(first, g, { id: root, text: "with an answer", step: "s2" });
    await say(first, cookies.animator, { to: root, text: "like this?", step: "s2" });
    await decide(first, g, "s0", "fine");
    await decide(first, g, "s1", "fine");
    await decide(first, g, "s2", "fine");
    await decide(first, g, "s2", "change");
    // s1 moves otherwise, s2 reads otherwise.
    const second = await newRound([
      ["s0", print("s0")],
      ["s1", { ...print("s1"), motion: "other" }],
      ["s2", { ...print("s2"), words: "other" }],
    ]);
    const now = await state(second);
    expect(now.changes?.steps).toEqual([
      { step: "s0", kind: "same" },
      { step: "s1", kind: "changed", what: ["motion"] },
      { step: "s2", kind: "changed", what: ["words"] },
    ]);
    const was = (await state(first)).number;
    expect(now.comments.map((c) => [c.text, c.carriedFrom, c.by.name])).toEqual([
      ["open one", was, "Mette"],
      ["with an answer", was, "Mette"],
      ["like this?", was, "Ines Maro"],
    ]);
    expect(now.comments[2]?.to).toBe(now.comments[1]?.id);
    expect(now.decisions.map((d) => [d.step, d.verdict, d.carriedFrom])).toEqual([["s0", "fine", was]]);
    // The guest's link leads to the new round: the old one says so.
    const moved = await call("GET", `/api/rounds/${first}`, g);
    expect([moved.status, moved.body.round]).toEqual([410, second]);
    expect((await state(second, g)).me).toMatchObject({ name: "Mette", guest: true, may: "decide" });
    // What was settled in the first stays there.
    expect((await state(first)).comments.find((c) => c.id === settled)?.settled).toMatchObject({
      by: "Ines Maro",
      edit: "Key a pose",
    });
  });
  test("goes with its project", async () => {
    const gone = await storeProject(pool, actor, smallProjectFile("Gone", sequenceOf([{}])));
    const [rows] = await pool.query<Row[]>("SELECT id, kind FROM documents WHERE project_id = ?", [gone]);
    const made = await call("POST", `/api/projects/${gone}/rounds`, cookies.animator, {
      ...{ sequence: rows.find((r) => r.kind === "sequence")?.id, note: "", prints: [["s0", print("a")]] },
      ...{ keepLinks: false, revisions: { sequence: 0, preparation: 0 } },
    });
    expect(made.status).toBe(201);
    const g = await guest(String(made.body.round), "Mette");
    expect((await call("DELETE", `/api/projects/${gone}`, cookies.animator)).status).toBe(200);
    expect((await call("GET", `/api/rounds/${made.body.round}`, g)).status).toBe(404);
  });
});

describe("a link", () => {
  test("asks for a name once, for a password where one is set, and for one of the names where it has some", async () => {
    const round = await newRound();
    const open = await linkTo(round);
    expect((await come(open.secret, null)).body).toEqual({ asks: { password: false, names: null } });
    expect((await come(open.secret, "  ")).status).toBe(400);
    const inside = await come(open.secret, "Mette");
    expect([inside.status, inside.body.round]).toEqual([200, round]);
    // The same browser goes on as the same guest.
    const again = await come(open.secret, null, null, inside.cookie);
    expect([again.body.round, (await state(round, again.cookie)).me.name]).toEqual([round, "Mette"]);

    const closed = await linkTo(round, { names: ["Mette", "Olav"], password: "blue door" });
    expect((await come(closed.secret, "Mette")).body).toEqual({ asks: { password: true, names: ["Mette", "Olav"] } });
    expect((await come(closed.secret, "Mette", "red door")).body.error).toBe("This is not the link's password.");
    expect((await come(closed.secret, "Eve", "blue door")).body.error).toMatch(/those who are named/);
    // Right ones do not add up, however many come from one address.
    for (let i = 0; i < 12; i++) expect((await come(closed.secret, "Olav", "blue door")).status).toBe(200);
  });
  test("that is guessed, withdrawn or over gives one answer, and says nothing of what it was", async () => {
    const round = await newRound();
    const withdrawn = await linkTo(round);
    const g = (await come(withdrawn.secret, "Mette")).cookie;
    expect((await call("DELETE", `/api/links/${withdrawn.id}`, cookies.stranger)).status).toBe(404);
    expect((await call("DELETE", `/api/links/${withdrawn.id}`, cookies.animator)).status).toBe(200);
    const over = await linkTo(round);
    await pool.query("UPDATE review_links SET expires_at = '2020-01-01' WHERE id = ?", [over.id]);
    const answers = [];
    for (const secret of [withdrawn.secret, over.secret, "k".repeat(43), ""]) {
      const r = await come(secret, "Mette");
      answers.push([r.status, r.body]);
    }
    const same = { error: "This link is not valid, or no longer. Ask whoever sent it for another." };
    expect(answers).toEqual(new Array(4).fill([404, same]));
    // Who was in is out with their next request, whatever it is.
    expect((await call("GET", `/api/rounds/${round}`, g)).status).toBe(410);
    expect((await say(round, g)).status).toBe(410);
  });
  test("cannot be found by trying", async () => {
    const statuses: number[] = [];
    for (let i = 0; i < 64; i++)
      statuses.push((await come(`${i}`.padStart(43, "x"), "Mette", null, "", "203.0.113.77")).status);
    expect(statuses.filter((s) => s === 404)).toHaveLength(60);
    expect(statuses.filter((s) => s === 429)).toHaveLength(4);
  });
  test("allows what it says, and nothing of the workspace", async () => {
    const round = await newRound();
    const [looks, comments, decides] = await Promise.all([
      guest(round, "Looks", { may: "look" }),
      guest(round, "Comments", { may: "comment" }),
      guest(round, "Decides", { may: "decide" }),
    ]);
    const what = async (g: string) => [(await say(round, g)).status, (await decide(round, g, "s0", "fine")).status];
    expect([await what(looks), await what(comments), await what(decides)]).toEqual([
      [403, 403],
      [201, 403],
      [201, 201],
    ]);
    const other = await newRound();
    for (const [method, at, body] of [
      ["GET", "/api/projects", undefined],
      ["GET", `/api/projects/${project}`, undefined],
      ["GET", `/api/projects/${project}/rounds`, undefined],
      ["POST", `/api/documents/${sequence}/edits`, { base: 0, edits: [] }],
      ["GET", "/api/people", undefined],
      ["GET", `/api/rounds/${round}/links`, undefined],
      ["POST", `/api/rounds/${round}/links`, { may: "decide", names: null, password: null, days: 1 }],
    ] as const)
      expect([at, (await call(method, at, decides, body)).status >= 401]).toEqual([at, true]);
    // The links moved on with the round; a round of another sequence is none of theirs.
    expect((await call("GET", `/api/rounds/${other}`, decides)).status).toBe(200);
    expect((await call("GET", `/api/rounds/${newId()}`, decides)).status).toBe(404);
    expect((await call("GET", `/api/rounds/${other}`, cookies.stranger)).status).toBe(404);
  });
  test("gives the assembly as it is stored and, packed, the same to the last bit; to nobody else", async () => {
    const of = (cookie: string | undefined, path: string, more: Record<string, string> = {}) =>
      fetch(served.url + path, { headers: { cookie: cookie ?? "", Origin: served.url, ...more } });
    const round = await newRound();
    const guestly = await guest(round, "Mette", { may: "look" });
    for (const [cookie, path] of [
      [cookies.animator, `/api/projects/${project}/package`],
      [guestly, `/api/rounds/${round}/package`],
    ] as const) {
      const glb = Buffer.from(await (await of(cookie, path)).arrayBuffer());
      const wire = await of(cookie, `${path}?as=wire`);
      const reader = await wireReader();
      reader.push(new Uint8Array(await wire.arrayBuffer()));
      expect(Buffer.from(encodePackage(reader.end())).equals(glb)).toBe(true);
      // Asked for again, nothing is sent; and one form is not taken for the other.
      const tag = wire.headers.get("etag") ?? "";
      expect((await of(cookie, `${path}?as=wire`, { "If-None-Match": tag })).status).toBe(304);
      expect((await of(cookie, path, { "If-None-Match": tag })).status).toBe(200);
      expect((await of(cookie, `${path}?as=zip`)).status).toBe(400);
      expect((await of(cookies.stranger, `${path}?as=wire`)).status).toBe(404);
    }
    // Another workspace that has the same package gets what is packed already, and owns it from then on.
    const other: Actor = { ...actor, workspaceId: newId() };
    await pool.query("INSERT INTO workspaces (id, name) VALUES (?, 'Same')", [other.workspaceId]);
    const [rows] = await pool.query<Row[]>(
      "SELECT LOWER(HEX(package_sha256)) AS sha FROM assembly_revisions WHERE project_id = ?",
      [project],
    );
    const packs = vi.fn();
    const sha = rows[0]?.sha as string;
    expect(await packed(pool, { run: packs }, other, sha)).toBeNull();
    await shareAsset(pool, other.workspaceId, sha);
    const found = await packed(pool, { run: packs }, other, sha);
    expect(found && (await getAsset(pool, other, found))?.length).toBeGreaterThan(100);
    expect(packs).not.toHaveBeenCalled();
  });

  test("gives the film's own files and no others", async () => {
    const round = await newRound();
    const g = await guest(round, "Mette", { may: "look" });
    expect((await call("GET", `/api/rounds/${round}/package`, g)).type).toBe("model/gltf-binary");
    expect((await call("GET", `/api/rounds/${round}/sounds/${hashOf(voice)}`, g)).type).toBe("audio/wav");
    const source = new TextEncoder().encode("ISO-10303-21;");
    expect((await call("GET", `/api/rounds/${round}/sounds/${hashOf(source)}`, g)).status).toBe(404);
  });
});

describe("comments", () => {
  test("are there once however often they are sent, are changed and taken back by their writer for ten minutes", async () => {
    const round = await newRound();
    const g = await guest(round, "Mette");
    const id = freshId();
    const pin = { node: "root/arm", point: [1, 2.5, -3] as [number, number, number] };
    const more = { id, pin, seen: [0, 0, 0, 30, 20, 500, 0, 35], strokes: [[0.1, 0.2, 0.5, 0.3, 0.4, 0.7]] };
    for (let i = 0; i < 3; i++) expect((await say(round, g, more)).status).toBe(201);
    const mine = (await state(round, g)).comments.filter((c) => c.id === id);
    expect(mine).toHaveLength(1);
    expect(mine[0]).toMatchObject({ ...more, text: "Turn it further", mine: true, by: { name: "Mette", guest: true } });
    const other = await guest(round, "Olav");
    const change = (cookie: string, body: unknown) =>
      call("PATCH", `/api/rounds/${round}/comments/${id}`, cookie, body);
    expect((await change(other, { text: "hijacked" })).status).toBe(403);
    expect((await call("DELETE", `/api/rounds/${round}/comments/${id}`, other)).status).toBe(403);
    expect((await change(g, { text: "Turn it a little" })).status).toBe(200);
    expect((await state(round, other)).comments.find((c) => c.id === id)).toMatchObject({
      text: "Turn it a little",
      mine: false,
      edited: expect.any(String),
    });
    await pool.query("UPDATE comments SET created_at = created_at - INTERVAL 11 MINUTE WHERE id = ?", [id]);
    expect((await change(g, { text: "too late" })).body.error).toMatch(/within 10 minutes/);
    const second = freshId();
    await say(round, g, { id: second });
    expect((await call("DELETE", `/api/rounds/${round}/comments/${second}`, g)).status).toBe(200);
    expect((await state(round)).comments.find((c) => c.id === second)).toMatchObject({ text: "", takenBack: true });
  });
  test("a guest who calls himself the owner is marked, and settles nothing", async () => {
    const round = await newRound();
    const g = await guest(round, "Tarik Brandt");
    const id = freshId();
    await say(round, g, { id });
    expect((await state(round)).comments.find((c) => c.id === id)?.by).toMatchObject({
      name: "Tarik Brandt",
      guest: true,
    });
    const settle = (cookie: string | undefined) =>
      call("PATCH", `/api/rounds/${round}/comments/${id}`, cookie, { settled: true, edit: null });
    expect((await settle(g)).status).toBe(403);
    expect((await settle(cookies.reviewer)).status).toBe(403);
    expect((await settle(cookies.animator)).status).toBe(200);
  });
  test.each([
    ["100,000 characters", { text: "x".repeat(100_000) }, 400],
    ["a million points", { strokes: [new Array(3_000_000).fill(0.5)] }, 413],
    ["a step that is not there", { step: "s99" }, 422],
    ["an answer to nothing", { to: "z".repeat(20) }, 422],
    ["somebody else's marks", { settled: true }, 400],
  ])("with %s are refused in words, and nothing is there afterwards", async (_, change, status) => {
    const round = await newRound(undefined, { keepLinks: false });
    const g = await guest(round, "Mette");
    const before = await state(round);
    const r = await say(round, g, change);
    expect([r.status, r.body.error]).toEqual([status, expect.stringMatching(/^[A-Z].*\.$/)]);
    const after = await state(round);
    expect([after.comments.length, after.version]).toEqual([before.comments.length, before.version]);
  });
  test("hold their letters: markup is text, what turns text round is left out", async () => {
    const round = await newRound(undefined, { keepLinks: false });
    const g = await guest(round, "Me\u202ette");
    const id = freshId();
    await say(round, g, { id, text: '<img src=x onerror="alert(1)"> \u202eabc' });
    const c = (await state(round)).comments.find((k) => k.id === id) as Comment;
    expect([c.text, c.by.name]).toEqual(['<img src=x onerror="alert(1)"> abc', "Mette"]);
  });
  test("fifty reviewers on one link, all at once: everything is there, once", async () => {
    const round = await newRound(undefined, { keepLinks: false });
    const { comments, version } = await state(round);
    const before = comments.length;
    const { secret } = await linkTo(round);
    const guests = await Promise.all(
      Array.from({ length: 50 }, (_, i) => come(secret, `Guest ${i}`, null, "", "198.51.101.1")),
    );
    const all = await Promise.all(guests.map((g, i) => say(round, g.cookie, { text: `from ${i}`, step: "s0" })));
    expect(all.every((r) => r.status === 201)).toBe(true);
    const now = await state(round);
    expect(new Set(now.comments.slice(before).map((c) => c.text)).size).toBe(50);
    expect(new Set(now.comments.slice(before).map((c) => c.by.id)).size).toBe(50);
    // Who listens counts them: each is one step on.
    expect(now.version).toBe(version + 50);
  });
  test("are one way to the database where nothing speaks against it, since many wait for it", async () => {
    const round = await newRound(undefined, { keepLinks: false });
    const { version } = await state(round);
    const connection = await pool.getConnection();
    const asked = vi.spyOn(connection, "query");
    const taken = vi.spyOn(pool, "getConnection").mockResolvedValue(connection);
    const me = { id: actor.userId, name: actor.userName, guest: false, round } as unknown as Reviewer;
    const [first, c] = [said() as NewComment, said() as NewComment];
    try {
      // By the first, a process learns what the round is.
      await addComment(pool, { me, stands: null, sure: async () => me }, first);
      asked.mockClear();
      await addComment(pool, { me, stands: null, sure: async () => me }, c);
      expect(asked.mock.calls).toHaveLength(1);
      // What it knows says no as well.
      const astray = addComment(pool, { me, stands: null, sure: async () => me }, { ...c, id: freshId(), step: "s99" });
      await expect(astray).rejects.toMatchObject({ status: 422 });
    } finally {
      taken.mockRestore();
      asked.mockRestore();
    }
    const now = await state(round);
    expect([now.version, now.comments.some((k) => k.id === c.id)]).toEqual([version + 2, true]);
  });
  test("are taken from who was judged a moment ago only while that holds: a link withdrawn, a session ended, another name", async () => {
    const round = await newRound(undefined, { keepLinks: false });
    const link = await linkTo(round);
    const g = (await come(link.secret, "Mette")).cookie;
    const carried = (await state(round)).comments.length;
    const there = async () => (await state(round)).comments.slice(carried).map((c) => c.text);
    for (const text of ["first", "second"]) expect((await say(round, g, { text })).status).toBe(201);
    expect((await call("DELETE", `/api/links/${link.id}`, cookies.animator)).status).toBe(200);
    expect((await say(round, g, { text: "late" })).status).toBe(410);

    const { token } = await startSession(pool, actor.userId);
    const mine = `plextan_session=${token}`;
    for (const text of ["third", "fourth"]) expect((await say(round, mine, { text })).status).toBe(201);
    const [[before]] = await pool.query<Row[]>("SELECT name, role FROM users WHERE id = ?", [actor.userId]);
    await pool.query("UPDATE users SET name = 'Married' WHERE id = ?", [actor.userId]);
    expect((await say(round, mine, { text: "fifth" })).status).toBe(201);
    await pool.query("UPDATE users SET name = ? WHERE id = ?", [before?.name, actor.userId]);
    // Of a project that is limited to others.
    await pool.query("UPDATE projects SET limited = 1 WHERE id = ?", [project]);
    await pool.query("UPDATE users SET role = 'animator' WHERE id = ?", [actor.userId]);
    const unseen = await say(round, mine, { text: "unseen" });
    await pool.query("UPDATE projects SET limited = 0 WHERE id = ?", [project]);
    await pool.query("UPDATE users SET role = ? WHERE id = ?", [before?.role, actor.userId]);
    expect(unseen.status).toBe(404);
    expect((await say(round, mine, { text: "sixth" })).status).toBe(201);
    await pool.query("UPDATE sessions SET ended = 'ended' WHERE user_id = ? AND token_hash = UNHEX(SHA2(?, 256))", [
      ...[actor.userId, token],
    ]);
    expect((await say(round, mine, { text: "over" })).status).toBe(401);
    expect(await there()).toEqual(["first", "second", "third", "fourth", "fifth", "sixth"]);
    const all = (await state(round)).comments;
    expect(all.find((c) => c.text === "fifth")?.by.name).toBe("Married");
    expect(all.find((c) => c.text === "sixth")?.by.name).toBe(before?.name);
  });
  test("are taken until the round is full; what was sent before is there then all the same", async () => {
    const round = await newRound(undefined, { keepLinks: false });
    const g = await guest(round, "Mette");
    const last = freshId();
    const there = (await state(round)).comments.length;
    await pool.query(
      `INSERT INTO comments (id, round_id, voice, voice_name, voice_guest, text, step, t_from, t_until, strokes)
       SELECT CONCAT('full', LPAD(seq, 16, '0')), ?, REPEAT('v', 20), 'V', 1, 'x', 's0', 0, 0, '[]' FROM seq_1_to_4999
       WHERE seq <= 4999 - ?`,
      [round, there],
    );
    const { version } = await state(round);
    expect((await say(round, g, { id: last })).status).toBe(201);
    const next = await say(round, g);
    expect([next.status, next.body.error]).toEqual([422, "A round takes at most 5000 comments."]);
    expect((await say(round, g, { id: last })).status).toBe(201);
    const full = await state(round);
    expect([full.comments.length, full.version]).toEqual([5000, version + 1]);
    await pool.query("DELETE FROM comments WHERE round_id = ?", [round]);
  });
});

describe("decisions", () => {
  test("are never changed, only overtaken: all of them stay", async () => {
    const round = await newRound(undefined, { keepLinks: false });
    const g = await guest(round, "Mette");
    const own = (await state(round, g)).decisions.length;
    for (const v of ["fine", "change", "fine"]) expect((await decide(round, g, "s0", v)).status).toBe(201);
    expect((await decide(round, g, "s99", "fine")).status).toBe(422);
    expect((await decide(round, g, "s0", "perhaps")).status).toBe(400);
    expect((await decide(round, cookies.reviewer, "s1", "fine")).status).toBe(201);
    expect((await state(round)).decisions.slice(own).map((d) => [d.step, d.verdict, d.by.name, d.by.guest])).toEqual([
      ["s0", "fine", "Mette", true],
      ["s0", "change", "Mette", true],
      ["s0", "fine", "Mette", true],
      ["s1", "fine", "Petra Lindqvist", false],
    ]);
  });
});

describe("what is said is live", () => {
  test("a listener hears of a comment, asks what is new, and gets nothing when nothing is", async () => {
    const round = await newRound(undefined, { keepLinks: false });
    const g = await guest(round, "Mette");
    const stop = new AbortController();
    const feed = await fetch(`${served.url}/api/rounds/${round}/feed`, { headers: { Cookie: g }, signal: stop.signal });
    expect(feed.headers.get("content-type")).toBe("text/event-stream");
    const reader = (feed.body as ReadableStream<Uint8Array>).getReader();
    const hear = async (): Promise<RoundNews | null> => {
      for (;;) {
        const { value, done } = await reader.read();
        if (done) return null;
        const data = /data: (.+)/.exec(new TextDecoder().decode(value));
        if (data) return newsFrom(data[1] as string);
      }
    };
    const first = await hear();
    expect((await call("GET", `/api/rounds/${round}?since=${first?.version}`, g)).status).toBe(204);
    const id = freshId();
    const heard: RoundNews[] = [];
    const next = async () => {
      for (;;) {
        const news = await hear();
        if (!news) throw new Error("The feed has ended.");
        // A look between storing and telling tells the version alone: what it brought follows.
        if (!news.comment && !news.decision) continue;
        heard.push(news);
        return news;
      }
    };
    // Whatever is said comes with its words, and is what whoever asks for all of it gets.
    await say(round, cookies.animator, { id, text: "Look here" });
    expect((await next()).comment).toMatchObject({ id, text: "Look here", mine: false, by: { guest: false } });
    await say(round, g, { text: "I do", to: id });
    expect((await next()).comment).toMatchObject({ to: id, by: { name: "Mette", guest: true } });
    await call("PATCH", `/api/rounds/${round}/comments/${id}`, cookies.animator, { settled: true, edit: "Key a pose" });
    expect((await next()).comment?.settled).toMatchObject({ edit: "Key a pose" });
    await decide(round, g, "s0", "fine");
    expect((await next()).decision).toMatchObject({ step: "s0", verdict: "fine" });
    await call("DELETE", `/api/rounds/${round}/comments/${id}`, cookies.animator);
    expect((await next()).comment).toMatchObject({ id, text: "", takenBack: true });
    const now = await state(round, g);
    expect(now.version).toBe(heard.at(-1)?.version);
    const own = now.comments.filter((c) => c.carriedFrom === null).map((c) => ({ ...c, mine: false }));
    expect(own).toEqual([heard.at(-1)?.comment, heard[1]?.comment]);
    expect(now.decisions.at(-1)).toEqual(heard[3]?.decision);
    expect((await call("GET", `/api/rounds/${round}?since=${first?.version}`, g)).body.version).toBe(now.version);
    stop.abort();
  });
  test("a listener whose link is withdrawn is cut off at once, others are not", async () => {
    const round = await newRound(undefined, { keepLinks: false });
    const link = await linkTo(round);
    const listen = async (cookie: string) => {
      const stop = new AbortController();
      const heard: string[] = [];
      const feed = await fetch(`${served.url}/api/rounds/${round}/feed`, {
        ...{ headers: { Cookie: cookie }, signal: stop.signal },
      });
      const over = (async () => {
        for await (const chunk of feed.body as ReadableStream<Uint8Array> & AsyncIterable<Uint8Array>)
          heard.push(new TextDecoder().decode(chunk));
      })().catch(() => {});
      return { heard, over, stop };
    };
    const theirs = await listen((await come(link.secret, "Mette")).cookie);
    const ours = await listen(String(cookies.reviewer));
    await say(round, cookies.animator, { text: "for both" });
    await vi.waitFor(() => expect(theirs.heard.join("")).toContain("for both"), 5000);
    expect((await call("DELETE", `/api/links/${link.id}`, cookies.animator)).status).toBe(200);
    await theirs.over;
    await say(round, cookies.animator, { text: "for us" });
    await vi.waitFor(() => expect(ours.heard.join("")).toContain("for us"), 5000);
    expect(theirs.heard.join("")).not.toContain("for us");
    ours.stop.abort();
  });
});

describe("what is kept with a comment", () => {
  const put = async (round: string, comment: string, cookie: string, body: Uint8Array, type = "image/jpeg") =>
    (
      await fetch(`${served.url}/api/rounds/${round}/comments/${comment}/picture`, {
        ...{ method: "PUT", body: body as BodyInit },
        headers: { Cookie: cookie, Origin: served.url, "Content-Type": type },
      })
    ).status;
  const get = async (round: string, comment: string, cookie: string) => {
    const r = await fetch(`${served.url}/api/rounds/${round}/comments/${comment}/picture`, {
      headers: { Cookie: cookie },
    });
    return r.ok ? [...new Uint8Array(await r.arrayBuffer())] : r.status;
  };
  const jpeg = (last: number) => new Uint8Array([0xff, 0xd8, 0xff, last]);
  test("its picture: by its writer, once, a JPEG of some size; carried over; gone when it is taken back", async () => {
    const round = await newRound(undefined, { keepLinks: false });
    const [g, other] = [await guest(round, "Mette"), await guest(round, "Olav")];
    const id = freshId();
    await say(round, g, { id, step: "s0", text: "with a picture" });
    const has = async (r: string) => (await state(r)).comments.find((c) => c.text === "with a picture")?.picture;
    expect(await has(round)).toBe(false);
    expect(await put(round, id, other, jpeg(1))).toBe(403);
    expect(await put(round, freshId(), g, jpeg(1))).toBe(404);
    expect(await put(round, id, g, new TextEncoder().encode("<svg onload=alert(1)>"))).toBe(400);
    expect(await put(round, id, g, jpeg(1), "text/html")).toBe(415);
    expect(await put(round, id, g, new Uint8Array(500_000).fill(0xff))).toBe(413);
    expect(await put(round, id, g, jpeg(1))).toBe(200);
    // A second changes nothing.
    expect(await put(round, id, g, jpeg(2))).toBe(200);
    expect(await get(round, id, other)).toEqual([0xff, 0xd8, 0xff, 1]);
    expect(await get(round, id, String(cookies.stranger))).toBe(404);
    expect(await has(round)).toBe(true);
    const back = freshId();
    await say(round, g, { id: back, step: "s0" });
    expect(await put(round, back, g, jpeg(1))).toBe(200);
    await call("DELETE", `/api/rounds/${round}/comments/${back}`, g);
    expect(await get(round, back, other)).toBe(404);
    const next = await newRound();
    const carried = (await state(next)).comments.find((c) => c.text === "with a picture");
    expect(carried).toMatchObject({ picture: true });
    expect(await get(next, String(carried?.id), String(cookies.reviewer))).toEqual([0xff, 0xd8, 0xff, 1]);
  });
  test("a person at an older round is told of the newer one, a guest only where their link leads", async () => {
    const round = await newRound(undefined, { keepLinks: false });
    const g = await guest(round, "Mette");
    expect((await state(round)).newer).toBeNull();
    const next = await newRound(undefined, { keepLinks: false });
    expect((await state(round)).newer).toMatchObject({ id: next, number: (await state(next)).number });
    expect((await state(round, g)).newer).toBeNull();
  });
});

describe("the project file", () => {
  test("takes rounds along on request; whoever spoke there is a guest where it is opened", async () => {
    const own = await storeProject(pool, actor, smallProjectFile("Own", sequenceOf([{}])));
    const [documents] = await pool.query<Row[]>("SELECT id, kind FROM documents WHERE project_id = ?", [own]);
    const sent = await call("POST", `/api/projects/${own}/rounds`, cookies.animator, {
      ...{ sequence: documents.find((d) => d.kind === "sequence")?.id, note: "Look", prints: [["s0", print("a")]] },
      ...{ keepLinks: false, revisions: { sequence: 0, preparation: 0 } },
    });
    const round = String(sent.body.round);
    const g = await guest(round, "Mette");
    const [first, answer] = [freshId(), freshId()];
    await say(round, g, { id: first, step: "s0", text: "Here", strokes: [[0.1, 0.2, 0.5]] });
    await say(round, cookies.animator, { id: answer, to: first, step: "s0", text: "Like this" });
    await call("PATCH", `/api/rounds/${round}/comments/${first}`, cookies.animator, { settled: true, edit: "Key" });
    await decide(round, cookies.reviewer, "s0", "fine");
    const before = await state(round);
    const file = async (id: string, query = "?rounds=1") => {
      const headers = { Cookie: String(cookies.animator) };
      const r = await fetch(`${served.url}/api/projects/${id}/file${query}`, { headers });
      return new Uint8Array(await r.arrayBuffer());
    };
    expect(readProjectFile(await file(own, "")).rounds).toBeUndefined();
    const bytes = await file(own);
    expect(readProjectFile(bytes).rounds).toHaveLength(1);
    const opened = await fetch(`${served.url}/api/projects/open`, {
      ...{ method: "POST", body: bytes as BodyInit },
      headers: { Cookie: String(cookies.animator), Origin: served.url, ...FILE_TYPE },
    });
    const { id } = (await opened.json()) as { id: string };
    const listed = (await call("GET", `/api/projects/${id}/rounds`, cookies.animator)).body.rounds as RoundLine[];
    expect(listed).toMatchObject([{ number: 1, note: "Look", comments: 1, open: 0 }]);
    const after = await state(String(listed[0]?.id));
    const words = (r: Round) =>
      r.comments.map(({ id: _, to, by, ...c }) => ({ ...c, to: to !== null, by: by.name, mine: 0 }));
    expect(words(after)).toEqual(words(before));
    expect(after.decisions.map((d) => [d.step, d.verdict, d.by.name, d.at])).toEqual(
      before.decisions.map((d) => [d.step, d.verdict, d.by.name, d.at]),
    );
    // Nobody's words are put into the mouth of who works here.
    expect([...after.comments, ...after.decisions].map((c) => c.by.guest)).toEqual([true, true, true]);
    expect([...after.comments, ...after.decisions].some((c) => c.by.id === actor.userId)).toBe(false);
    // The film is the same, and next comes round 2.
    const film = async (r: string) => (await call("GET", `/api/rounds/${r}/film`, cookies.animator)).body;
    expect(await film(String(listed[0]?.id))).toEqual(await film(round));
    expect(readProjectFile(await file(id)).rounds?.[0]?.comments.map((c) => c.text)).toEqual(["Here", "Like this"]);
  });
});
