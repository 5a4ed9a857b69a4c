import { readdirSync, readFileSync } from "node:fs";
import { rm } from "node:fs/promises";
import { request as plain } from "node:http";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { type Client, documentsOf, FILE_TYPE, JSON_TYPE, openProject, signedIn } from "../../src/cli/measure/client";
import { type Served, serve } from "../../src/cli/serve";
import { freshId } from "../../src/core/edit/id";
import { startSession } from "../../src/server/access/actor";
import { ANYBODY, MATRIX, may, type Need, ROLES, refusalOf } from "../../src/server/access/matrix";
import { openPool } from "../../src/server/database/pool";
import { newId } from "../../src/server/ids";
import { createJob } from "../../src/server/repositories/jobs";
import { sequenceOf } from "../support/assembly";
import { hashOf, smallProjectFile } from "../support/project";
import { sound, wav } from "../support/sound";

/** With which figures are read. */
const TOKEN = "a token of some length";
const FOLDER = "var/test-routes";
const API = "src/app/api";
let served: Served;
let client: Client;
let cookie = "";
const cookies: Record<string, string> = {};
let ids: {
  project: string;
  document: string;
  job: string;
  person: string;
  invitation: string;
  session: string;
  round: string;
  link: string;
  comment: string;
};

/** Every route and method that the app has, read from its folders: a new one is tested as soon as it is there. */
const ROUTES = (function walk(folder: string): { path: string; method: string }[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((e) => {
    const at = path.join(folder, e.name);
    if (e.isDirectory()) return walk(at);
    if (e.name !== "route.ts") return [];
    const methods = [
      ...readFileSync(at, "utf8").matchAll(/export (?:const|async function) (GET|POST|PUT|PATCH|DELETE)\b/g),
    ].map((m) => m[1] as string);
    return methods.map((method) => ({ path: `/api/${path.relative(API, folder)}`, method }));
  });
})(API);
/** Those that answer anybody. */
const OPEN = new Set([
  "GET /api/health",
  "GET /api/metrics",
  "POST /api/session",
  "DELETE /api/session",
  "GET /api/first",
  "POST /api/first",
  "POST /api/invitation",
  "PUT /api/invitation",
  "POST /api/reset",
  "PUT /api/reset",
  "POST /api/review",
]);
const CLOSED = ROUTES.filter((r) => !OPEN.has(`${r.method} ${r.path}`));

beforeAll(async () => {
  await rm(FOLDER, { recursive: true, force: true });
  served = await serve({
    ...{ databaseFolder: FOLDER, seed: false },
    env: { PLEXTAN_READERS: "0", PLEXTAN_METRICS_TOKEN: TOKEN },
  });
  client = await signedIn(served.url);
  const project = await openProject(client, smallProjectFile());
  const document = (await documentsOf(client, project)).find((d) => d.kind === "sequence")?.id as string;
  const pool = openPool(served.database.address, 2);
  const [[me]] = (await pool.query("SELECT id, workspace_id, name FROM users WHERE name = 'Ines Maro'")) as unknown as [
    [{ id: string; workspace_id: string; name: string }],
  ];
  const actor = { userId: me.id, workspaceId: me.workspace_id, userName: me.name, role: "animator" as const };
  const job = await createJob(pool, actor, project, "import", { fileName: "a.step", sourceSha256: "00".repeat(32) });
  await pool.query("UPDATE jobs SET state = 'done', result = '{}' WHERE id = ?", [job]);
  const person = newId();
  await pool.query("INSERT INTO users (id, workspace_id, name) VALUES (?, ?, 'Somebody')", [person, me.workspace_id]);
  await startSession(pool, person);
  const [[own]] = (await pool.query("SELECT id FROM sessions WHERE user_id = ?", [person])) as unknown as [
    [{ id: string }],
  ];
  const invitation = newId();
  await pool.query(
    "INSERT INTO invitations (id, workspace_id, email, email_key, role, token_hash, invited_by, expires_at) VALUES (?, ?, 'a@b.example', 'a@b.example', 'animator', REPEAT('x', 32), ?, '2100-01-01')",
    [invitation, me.workspace_id, me.id],
  );
  const round = newId();
  await pool.query(
    `INSERT INTO rounds (id, project_id, document_id, number, note, name, file_name, package_sha256, identities, preparation,
       sequence, prints, made_by) SELECT ?, ?, ?, 1, '', 'Small', 'a.step', package_sha256, '{}', '{}', '{"steps":{}}', '[]', ?
     FROM assembly_revisions WHERE project_id = ?`,
    [round, project, document, me.id, project],
  );
  const [link, comment] = [newId(), newId()];
  await pool.query(
    "INSERT INTO review_links (id, round_id, secret_hash, may, made_by) VALUES (?, ?, REPEAT('y', 32), 'look', ?)",
    [link, round, me.id],
  );
  await pool.query(
    `INSERT INTO comments (id, round_id, voice, voice_name, voice_guest, text, step, t_from, t_until, strokes)
     VALUES (?, ?, ?, 'Ines', 0, 'x', 's0', 0, 0, '[]')`,
    [comment, round, me.id],
  );
  await pool.query("INSERT INTO comment_pictures (comment_id, data) VALUES (?, UNHEX('FFD8FF'))", [comment]);
  ids = { project, document, job, person, invitation, session: own.id, round, link, comment };
  cookie = `plextan_session=${(await startSession(pool, me.id)).token}`;
  const [workspaceId, userId] = [newId(), newId()];
  await pool.query("INSERT INTO workspaces (id, name) VALUES (?, 'Elsewhere')", [workspaceId]);
  await pool.query("INSERT INTO users (id, workspace_id, name, role) VALUES (?, ?, 'Stranger', 'owner')", [
    userId,
    workspaceId,
  ]);
  cookies.stranger = `plextan_session=${(await startSession(pool, userId)).token}`;
  for (const role of ROLES) {
    const id = newId();
    await pool.query("INSERT INTO users (id, workspace_id, name, role) VALUES (?, ?, ?, ?)", [
      ...[id, me.workspace_id, `A ${role}`, role],
    ]);
    cookies[role] = `plextan_session=${(await startSession(pool, id)).token}`;
  }
  const expired = (await startSession(pool, me.id)).token;
  await pool.query("UPDATE sessions SET expires_at = '2020-01-01' WHERE token_hash = UNHEX(SHA2(?, 256))", [expired]);
  cookies.expired = `plextan_session=${expired}`;
  cookies.garbage = "plextan_session=%00%ff'; DROP TABLE sessions;--";
  cookies.long = `plextan_session=${"x".repeat(5000)}`;
  await pool.end();
});
afterAll(async () => {
  await served?.stop();
  await rm(FOLDER, { recursive: true, force: true });
});

/** What a route is about, by its beginning. */
const ABOUT: readonly (readonly [string, keyof typeof ids])[] = [
  ["/api/documents/", "document"],
  ["/api/jobs/", "job"],
  ["/api/people/invitations/", "invitation"],
  ["/api/people/", "person"],
  ["/api/account/sessions/", "session"],
  ["/api/projects/", "project"],
  ["/api/links/", "link"],
  ["/api/rounds/", "comment"],
];
const place = (route: string) =>
  route
    .replace("[round]", ids.round)
    .replace("[asset]", "0".repeat(64))
    .replace("[id]", ids[ABOUT.find(([start]) => route.startsWith(start))?.[1] ?? "project"]);
interface Sent {
  headers?: Record<string, string>;
  body?: string | Uint8Array;
}
/** A request with exactly these headers: fetch would set or refuse some of them. */
const send = (route: string, method: string, { headers = {}, body }: Sent = {}) =>
  new Promise<{ status: number; headers: Record<string, string | string[] | undefined>; text: string }>(
    (resolve, reject) => {
      const url = new URL(served.url);
      const r = plain(
        {
          host: url.hostname,
          port: url.port,
          path: route,
          method,
          headers: { Host: url.host, Origin: served.url, ...headers },
          agent: false,
        },
        (answer) => {
          // A stream of events ends when nobody listens any longer.
          if (answer.headers["content-type"] === "text/event-stream") {
            resolve({ status: answer.statusCode ?? 0, headers: answer.headers, text: "" });
            r.destroy();
            return;
          }
          let text = "";
          answer.on("data", (d) => {
            text += d;
          });
          answer.on("end", () => resolve({ status: answer.statusCode ?? 0, headers: answer.headers, text }));
        },
      );
      r.on("error", reject);
      r.end(body);
    },
  );
const changing = (method: string) => method !== "GET";
/** A body that a route's own type of body may have, and is wrong in itself. */
const wrongBody = { body: '{"nothing":"of the kind","quality":7}', headers: JSON_TYPE };

test("the routes are found", () => expect(ROUTES.length).toBeGreaterThan(18));

/** What a route's file says before a handler: what it needs, or what anybody may have of it. */
const declared = (method: string, at: string, by: "(?:route|reviewed)" | "open") => {
  const text = readFileSync(path.join(API, at.replace("/api/", ""), "route.ts"), "utf8");
  return new RegExp(`export const ${method} = ${by}(?:<[^(]*>)?\\(\\s*"([a-z.-]+)"`).exec(text)?.[1];
};

test("every route says what it needs, and the list has it; what is open to anybody says so", () => {
  for (const one of OPEN) {
    const [method, at] = one.split(" ") as [string, string];
    const what = declared(method, at, "open");
    expect([one, what !== undefined && what in ANYBODY]).toEqual([one, true]);
  }
  const said = CLOSED.map(({ path: at, method }) => {
    const need = declared(method, at, "(?:route|reviewed)");
    return [`${method} ${at}`, need !== undefined && need in MATRIX ? need : null] as const;
  });
  expect(said.filter(([, need]) => need === null)).toEqual([]);
  NEEDS = new Map(said as readonly (readonly [string, Need])[]);
});
let NEEDS: ReadonlyMap<string, Need>;

describe.each(CLOSED.map((r) => [`${r.method} ${r.path}`, r] as const))("%s", (_, { path: route, method }) => {
  test("without a session, with garbage, one that has run out: 401", async () => {
    for (const c of [undefined, "garbage", "long", "expired"]) {
      const sent: Sent = ["POST", "PUT", "PATCH"].includes(method) ? wrongBody : {};
      const r = await send(place(route), method, {
        ...sent,
        headers: { ...sent.headers, ...(c ? { Cookie: cookies[c] as string } : {}) },
      });
      expect([c, r.status]).toEqual([c, 401]);
    }
  });
  test("each role: let in or told why not, before anything else is looked at", async () => {
    const need = NEEDS.get(`${method} ${route}`) as Need;
    for (const role of ROLES) {
      // What would remove the project for the tests after this one is only refused here.
      if (may(role, need) && method === "DELETE") continue;
      const sent: Sent = ["POST", "PUT", "PATCH"].includes(method) ? wrongBody : {};
      const r = await send(place(route), method, {
        ...sent,
        headers: { ...sent.headers, Cookie: cookies[role] as string },
      });
      expect([role, r.status === 403]).toEqual([role, !may(role, need)]);
      if (r.status === 403) expect(r.text).toContain(refusalOf(role, need));
    }
  });
  test("another workspace: the same answer as for what does not exist", async () => {
    if (!/\[(id|round)\]/.test(route)) return;
    // As good a body as any, so that nothing but the owner is wrong.
    const good: Record<string, Sent> = {
      "POST /api/projects/[id]/rounds": {
        body: JSON.stringify({
          ...{ sequence: ids.document, note: "", prints: [], keepLinks: false },
          revisions: { sequence: 0, preparation: 0 },
        }),
        headers: JSON_TYPE,
      },
      "POST /api/projects/[id]/presence": {
        body: JSON.stringify({ tab: newId(), sequence: ids.document, step: "s0" }),
        headers: JSON_TYPE,
      },
      "PATCH /api/people/[id]": { body: '{"role":"reviewer"}', headers: JSON_TYPE },
      "PUT /api/projects/[id]/people": { body: '{"limited":true,"people":[]}', headers: JSON_TYPE },
      "PATCH /api/projects/[id]": { body: '{"name":"taken"}', headers: JSON_TYPE },
      "PUT /api/projects/[id]/thumbnail": {
        body: new Uint8Array([0x89, 0x50, 0x4e, 0x47]),
        headers: { "Content-Type": "image/png" },
      },
      "POST /api/documents/[id]/edits": {
        body: JSON.stringify({
          base: 0,
          edits: [{ id: freshId(), label: "x", patches: [{ op: "replace", path: ["name"], value: "taken" }] }],
        }),
        headers: JSON_TYPE,
      },
      "POST /api/projects/[id]/reread": { body: '{"quality":"normal","unit":null,"up":null}', headers: JSON_TYPE },
      "POST /api/projects/[id]/source": { body: "solid a", headers: FILE_TYPE },
      "POST /api/projects/[id]/documents": {
        body: JSON.stringify({ kind: "sequence", body: await sequenceBody() }),
        headers: JSON_TYPE,
      },
      "POST /api/projects/[id]/revisions": { body: JSON.stringify({ to: 1, base: 1 }), headers: JSON_TYPE },
      "POST /api/projects/[id]/revisions/candidate": {
        body: JSON.stringify({ job: ids.job, corrections: [] }),
        headers: JSON_TYPE,
      },
    };
    const sent = good[`${method} ${route}`] ?? {};
    const query = route.endsWith("/edits") && method === "GET" ? "?until=1" : "";
    const r = await send(place(route) + query, method, {
      ...sent,
      headers: { ...sent.headers, Cookie: cookies.stranger as string },
    });
    expect(r.status).toBe(404);
    for (const other of ["zzzzzzzzzzzzzzzzzzzz", "../../etc/passwd", "%00", "a' OR 1=1"]) {
      const none = await send(
        `${route.includes("[round]") ? place(route).replace(ids.round, encodeURIComponent(other)) : route.replace("[id]", encodeURIComponent(other))}${query}`,
        method,
        {
          ...sent,
          headers: { ...sent.headers, Cookie: cookies.owner as string },
        },
      );
      expect([other, none.status]).toEqual([other, 404]);
    }
  });
  test("a name that is not ours: 421; a page elsewhere, or none: 403", async () => {
    for (const host of [
      "evil.example",
      "evil.example:80",
      "127.0.0.1.evil.example",
      "localhost.evil.example",
      "127.0.0.1@evil.example",
    ])
      expect([
        host,
        (await send(place(route), method, { headers: { Host: host, Cookie: cookie, Origin: `http://${host}` } }))
          .status,
      ]).toEqual([host, 421]);
    if (!changing(method)) return;
    for (const origin of [
      "http://evil.example",
      "null",
      "https://127.0.0.1",
      "http://127.0.0.1:1",
      `${served.url}.evil.example`,
    ])
      expect([
        origin,
        (await send(place(route), method, { headers: { Origin: origin, Cookie: cookie } })).status,
      ]).toEqual([origin, 403]);
  });
  test("a body of another type than it takes: 415, and a wrong one of the right type: a reason in words", async () => {
    if (!["POST", "PUT", "PATCH"].includes(method)) return;
    for (const type of ["text/plain", "application/x-www-form-urlencoded", "multipart/form-data; boundary=x"]) {
      const r = await send(place(route), method, {
        body: "a=1",
        headers: { "Content-Type": type, Cookie: cookies.owner as string },
      });
      // A project that has its assembly says so before it looks at a file.
      expect([type, [415, 409].includes(r.status)]).toEqual([type, true]);
    }
    const r = await send(place(route), method, {
      ...wrongBody,
      headers: { ...wrongBody.headers, Cookie: cookies.owner as string },
    });
    expect(r.status).toBeGreaterThanOrEqual(400);
    expect(r.status).toBeLessThan(500);
    expect((JSON.parse(r.text) as { error: string }).error).toMatch(/^[A-Z].*\.$/s);
  });
});

async function sequenceBody(): Promise<unknown> {
  return (await documentsOf(client, ids.project)).find((d) => d.kind === "sequence")?.body;
}

describe("every answer", () => {
  test("carries the headers that keep a browser from being led astray", async () => {
    for (const at of ["/", "/api/health", "/api/projects", "/nowhere"]) {
      const { headers } = await send(at, "GET");
      expect(headers["content-security-policy"]).toMatch(
        /script-src 'self' 'nonce-[A-Za-z0-9+/=]{20,}'.*frame-ancestors 'none'/,
      );
      expect(headers["content-security-policy"]).not.toMatch(/script-src[^;]*'unsafe-(inline|eval)'/);
      expect(headers).toMatchObject({
        "x-content-type-options": "nosniff",
        "referrer-policy": "same-origin",
        "x-frame-options": "DENY",
      });
      // Plain loopback is not https.
      expect(headers["strict-transport-security"]).toBeUndefined();
    }
  });
  test("marks a page's own scripts with a nonce that is never the same", async () => {
    const nonces = new Set<string>();
    for (let i = 0; i < 3; i++) {
      const { headers, text } = await send("/", "GET");
      const nonce = /'nonce-([^']+)'/.exec(String(headers["content-security-policy"]))?.[1] as string;
      const scripts = [...text.matchAll(/<script\b[^>]*>/g)].map((m) => m[0]);
      expect(scripts.length).toBeGreaterThan(3);
      for (const s of scripts) expect(s).toContain(`nonce="${nonce}"`);
      nonces.add(nonce);
    }
    expect(nonces.size).toBe(3);
  });
  test("to methods that nobody needs is 405", async () => {
    for (const method of ["TRACE", "PROPFIND", "SEARCH"]) {
      const r = await send("/api/projects", method, { headers: { Cookie: cookie } });
      expect([method, r.status, r.headers.allow]).toEqual([
        method,
        405,
        "GET, HEAD, POST, PUT, PATCH, DELETE, OPTIONS",
      ]);
    }
    expect((await send("/api/projects", "PUT", { headers: { Cookie: cookie } })).status).toBe(405);
  });
});

describe("sessions", () => {
  test("one a browser: signing in again with a session keeps it; signing out ends it", async () => {
    const first = await fetch(`${served.url}/api/session`, { method: "POST", headers: { Origin: served.url } });
    const set = first.headers.get("set-cookie") ?? "";
    expect(set).toMatch(/HttpOnly/i);
    expect(set).toMatch(/SameSite=lax/i);
    expect(set).not.toMatch(/Secure/i);
    const own = set.split(";")[0] as string;
    const again = await fetch(`${served.url}/api/session`, {
      method: "POST",
      headers: { Origin: served.url, Cookie: own },
    });
    expect(again.headers.get("set-cookie")).toBeNull();
    expect((await send("/api/projects", "GET", { headers: { Cookie: own } })).status).toBe(200);
    const out = await send("/api/session", "DELETE", { headers: { Cookie: own } });
    expect(String(out.headers["set-cookie"])).toMatch(/Max-Age=0|Expires=Thu, 01 Jan 1970/i);
    expect((await send("/api/projects", "GET", { headers: { Cookie: own } })).status).toBe(401);
  });
});

describe("figures", () => {
  const figures = (headers: Record<string, string> = {}) => send("/api/metrics", "GET", { headers });
  test("are told with the token alone, and count what was asked for by its kind", async () => {
    expect((await figures()).status).toBe(401);
    expect((await figures({ Authorization: "Bearer wrong" })).status).toBe(401);
    expect((await figures({ Cookie: cookie })).status).toBe(401);
    await send(`/api/projects/${ids.project}`, "GET", { headers: { Cookie: cookie } });
    const told = await figures({ Authorization: `Bearer ${TOKEN}` });
    expect(told.status).toBe(200);
    const count = (name: string) => Number(new RegExp(`^${name} (\\S+)$`, "m").exec(told.text)?.[1] ?? Number.NaN);
    expect(count("plextan_database_up")).toBe(1);
    expect(count('plextan_jobs\\{state="done"\\}')).toBeGreaterThan(0);
    expect(count('plextan_request_seconds_count\\{method="GET",kind="/api/projects",status="2xx"\\}')).toBeGreaterThan(
      0,
    );
    expect(count("process_resident_memory_bytes")).toBeGreaterThan(1e7);
    // Nothing of what is in a project.
    expect(told.text).not.toContain(ids.project);
  });
  test("every answer has a number of its own, whatever number it was asked with", async () => {
    const asked = async () =>
      (await fetch(`${served.url}/api/health`, { headers: { "X-Request-Id": "mine" } })).headers;
    const numbers = [await asked(), await asked()].map((h) => h.get("x-request-id"));
    expect(numbers[0]).toMatch(/^[0-9a-f]{12}$/);
    expect(numbers[1]).not.toBe(numbers[0]);
  });
});

describe("names", () => {
  test("are cleaned and never empty", async () => {
    const make = (name: string) =>
      send("/api/projects", "POST", { body: JSON.stringify({ name }), headers: { ...JSON_TYPE, Cookie: cookie } });
    for (const bad of ["", "  ", "\u200b\u200d", "\u0000"]) {
      const r = await make(bad);
      expect([r.status, JSON.parse(r.text)]).toEqual([400, { error: "A project needs a name." }]);
    }
    expect(JSON.parse((await make("x".repeat(5000))).text)).toEqual({
      error: "A project's name may have at most 200 characters.",
    });
    const { id } = JSON.parse((await make(" Pump\u200b \u0007house ")).text) as { id: string };
    const read = JSON.parse((await send(`/api/projects/${id}`, "GET", { headers: { Cookie: cookie } })).text) as {
      project: { name: string };
    };
    expect(read.project.name).toBe("Pump house");
  });
});

describe("files", () => {
  test("a project file that is no good is refused and leaves no project behind; a huge one stops nobody", async () => {
    const count = async () =>
      ((await (await client.call("/api/projects")).json()) as { projects: unknown[] }).projects.length;
    const before = await count();
    const bad = await send("/api/projects/open", "POST", {
      body: smallProjectFile().slice(0, 400),
      headers: { ...FILE_TYPE, Cookie: cookie },
    });
    expect([bad.status, (JSON.parse(bad.text) as { error: string }).error]).toEqual([
      422,
      expect.stringMatching(/damaged/),
    ]);
    // Megabytes of zeros in a few kilobytes: read elsewhere, while others are answered at once.
    const { zipSync } = await import("fflate");
    const bomb = zipSync({ "manifest.json": new Uint8Array(150 * 1024 * 1024) }, { level: 6 });
    const reading = send("/api/projects/open", "POST", { body: bomb, headers: { ...FILE_TYPE, Cookie: cookie } });
    let slowest = 0;
    let asked = 0;
    let done = false;
    void reading.then(() => {
      done = true;
    });
    while (!done && asked < 400) {
      const began = performance.now();
      await client.call("/api/projects");
      slowest = Math.max(slowest, performance.now() - began);
      asked++;
      await new Promise((r) => setTimeout(r, 20));
    }
    expect((await reading).status).toBe(422);
    expect(asked).toBeGreaterThan(5);
    expect(slowest).toBeLessThan(2500);
    expect(await count()).toBe(before);
  });
});

describe("recordings", () => {
  const spoken = wav(new Float32Array(4800).fill(0.3));
  const add = (body: Uint8Array | string, name = "voice.wav") =>
    send(`/api/projects/${ids.project}/sounds?name=${encodeURIComponent(name)}`, "POST", {
      body,
      headers: { ...FILE_TYPE, Cookie: cookie },
    });
  const get = (project: string, asset: string, from = cookie) =>
    fetch(`${served.url}/api/projects/${project}/sounds/${asset}`, { headers: { Cookie: from } });

  test("are kept under their hash and come back as they were, for their own people alone", async () => {
    const r = await add(spoken);
    expect([r.status, JSON.parse(r.text)]).toEqual([201, { asset: hashOf(spoken), size: spoken.length }]);
    const back = await get(ids.project, hashOf(spoken));
    expect(back.headers.get("content-type")).toBe("audio/wav");
    expect(new Uint8Array(await back.arrayBuffer())).toEqual(spoken);
    for (const [project, asset, from] of [
      [ids.project, hashOf(spoken), cookies.stranger],
      [ids.project, "0".repeat(64), cookie],
      [ids.project, "../../health", cookie],
    ] as const)
      expect((await get(project, asset, from as string)).status).toBe(404);
  });
  test("other files of the workspace are not to be had as recordings", async () => {
    const source = new TextEncoder().encode("ISO-10303-21;");
    expect((await get(ids.project, hashOf(source))).status).toBe(404);
  });
  test("what is no sound is refused in words", async () => {
    for (const [body, said] of [
      ["RIFF, and so on", '"notes.wav" is not a sound that is taken. Bring in WAV, MP3, M4A, Ogg or FLAC.'],
      ["", '"notes.wav" is empty (0 bytes). Record it again.'],
    ] as const) {
      const r = await add(body, "notes.wav");
      expect([r.status, JSON.parse(r.text)]).toEqual([422, { error: said }]);
    }
  });
  test("go along in the project file: opened again it is the identical project", async () => {
    const film = sequenceOf([{}]);
    film.sounds = { v: sound("v", 0.1, "s0", 0, { asset: hashOf(spoken) }) };
    const file = smallProjectFile("Spoken", film, [spoken]);
    const project = await openProject(client, file);
    expect(new Uint8Array(await (await get(project, hashOf(spoken))).arrayBuffer())).toEqual(spoken);
    const saved = await client.call(`/api/projects/${project}/file`);
    expect(new Uint8Array(await saved.arrayBuffer())).toEqual(file);
  });
});

test("health tells what is up, and nothing else", async () => {
  expect(JSON.parse((await send("/api/health", "GET")).text)).toEqual({
    ok: true,
    database: true,
    worker: true,
    reader: expect.any(Boolean),
  });
});
