import { readFile, rm } from "node:fs/promises";
import { request as plain } from "node:http";
import { SMTPServer } from "smtp-server";
import { afterAll, beforeAll, describe, expect, test } from "vitest";
import { FILE_TYPE, JSON_TYPE } from "../../src/cli/measure/client";
import { type Served, serve, startAppProcess } from "../../src/cli/serve";
import { freshId } from "../../src/core/edit/id";
import { startSession } from "../../src/server/access/actor";
import type { Role } from "../../src/server/access/matrix";
import { freePort } from "../../src/server/database/control";
import { type Database, openPool, type Row } from "../../src/server/database/pool";
import { newId } from "../../src/server/ids";
import { emailKey } from "../../src/server/people/email";
import { firstToken } from "../../src/server/people/first";
import { smtp } from "../../src/server/people/mail/smtp";
import { hashPassword } from "../../src/server/people/passwords";
import { migrateToLater } from "../support/laterVersion";
import { smallProjectFile } from "../support/project";

const FOLDER = "var/test-people";
const PASSWORD = "three brass gaskets";
let served: Served;
let pool: Database;
/** Two app processes on one database. */
let urls: [string, string];
let other: Awaited<ReturnType<typeof startAppProcess>>;
let workspace = "";

beforeAll(async () => {
  await rm(FOLDER, { recursive: true, force: true });
  const env = { PLEXTAN_READERS: "0", PLEXTAN_ORIGINS: "https://plextan.example" };
  served = await serve({ databaseFolder: FOLDER, accounts: true, env });
  pool = openPool(served.database.address, 8);
  await migrateToLater(served.database.address, pool);
  const port = await freePort();
  other = await startAppProcess(port, [served.database.address], { ...env, PLEXTAN_DEMO: "" });
  urls = [served.url, `http://127.0.0.1:${port}`];
});
afterAll(async () => {
  other?.kill("SIGKILL");
  await pool?.end();
  await served?.stop();
  await rm(FOLDER, { recursive: true, force: true });
});

interface Answer {
  status: number;
  body: Record<string, unknown> & { error?: string; ended?: string };
  cookie: string;
  set: string;
}
interface Sent {
  body?: unknown;
  cookie?: string;
  /** From where it comes, as a proxy on this machine would say. */
  from?: string;
  process?: 0 | 1;
  headers?: Record<string, string>;
}
const call = (method: string, route: string, { body, cookie = "", from = "", process = 0, headers }: Sent = {}) =>
  new Promise<Answer>((resolve, reject) => {
    const url = new URL(urls[process]);
    const r = plain(
      {
        host: url.hostname,
        port: url.port,
        path: route,
        method,
        headers: {
          Host: url.host,
          Origin: url.origin,
          ...(body === undefined ? {} : JSON_TYPE),
          ...(cookie ? { Cookie: cookie } : {}),
          ...(from ? { "X-Forwarded-For": from } : {}),
          ...headers,
        },
        agent: false,
      },
      (answer) => {
        let text = "";
        answer.on("data", (d) => {
          text += d;
        });
        answer.on("end", () => {
          const set = String(answer.headers["set-cookie"] ?? "");
          resolve({
            status: answer.statusCode ?? 0,
            body: text.startsWith("{") ? JSON.parse(text) : {},
            set,
            cookie: set.split(";")[0] as string,
          });
        });
      },
    );
    r.on("error", reject);
    r.end(body instanceof Uint8Array ? body : body === undefined ? undefined : JSON.stringify(body));
  });

let hash: Promise<string> | null = null;
/** Somebody of the workspace, signed in; without a password unless one is asked for. */
async function somebody(role: Role, email = `${newId()}@example.com`, withPassword = false) {
  hash ??= hashPassword(PASSWORD);
  const id = newId();
  await pool.query(
    "INSERT INTO users (id, workspace_id, name, role, email, email_key, password_hash) VALUES (?, ?, ?, ?, ?, ?, ?)",
    [id, workspace, `A ${role}`, role, email, emailKey(email), withPassword ? await hash : null],
  );
  return { id, email, cookie: `plextan_session=${(await startSession(pool, id)).token}` };
}
const signIn = (email: string, password: string, rest: Sent = {}) =>
  call("POST", "/api/session", { ...rest, body: { email, password } });
/** Mail to somebody, newest first, once there are so many. */
async function mailTo(email: string, least = 1): Promise<string[]> {
  for (let i = 0; ; i++) {
    const [rows] = await pool.query<Row[]>("SELECT body FROM outbox WHERE recipient = ? ORDER BY id DESC", [email]);
    if (rows.length >= least || i > 100) return rows.map((r) => r.body as string);
    await new Promise((r) => setTimeout(r, 30));
  }
}
const secretIn = (mail: string | undefined) => /#([\w-]{43})/.exec(mail ?? "")?.[1] ?? "no secret";
const until = async (ok: () => Promise<boolean>) => {
  for (let i = 0; i < 200 && !(await ok()); i++) await new Promise((r) => setTimeout(r, 25));
};

describe("the first owner", () => {
  const about = { workspace: "Rill Works", name: "Tarik", email: "Tarik@Example.com", password: PASSWORD };
  test("is made once, with the token of the last start alone", async () => {
    expect((await call("GET", "/api/first")).body).toMatchObject({ needed: true, demo: false });
    // Without an owner nobody is anybody, the demo's people neither.
    expect((await call("POST", "/api/session")).status).toBe(401);
    const old = (await firstToken(pool)) as string;
    const token = (await firstToken(pool)) as string;
    for (const wrong of ["", "guessed", old, token.slice(1), `${token}x`]) {
      const r = await call("POST", "/api/first", { body: { token: wrong, ...about } });
      expect([wrong, r.status, r.body.error]).toEqual([
        wrong,
        403,
        "Open the address that the start command printed last, to its last letter.",
      ]);
    }
    for (const [change, said] of [
      [{ password: "short" }, /at least 10/],
      [{ password: "RillWorks2026" }, null],
      [{ password: "tarik@example.com" }, /name or an address/],
      [{ email: "tarik" }, /not an e-mail address/],
      [{ workspace: "\u200b" }, /needs a name/],
    ] as const) {
      if (said === null) continue;
      const r = await call("POST", "/api/first", { body: { token, ...about, ...change } });
      expect([r.status >= 400 && r.status < 500, r.body.error]).toEqual([true, expect.stringMatching(said)]);
    }
    // Two at once, in two processes: one owner.
    const both = await Promise.all(
      ([0, 1] as const).map((process) =>
        call("POST", "/api/first", { process, body: { token, ...about, email: `tarik${process}@example.com` } }),
      ),
    );
    expect(both.map((r) => r.status).sort()).toEqual([201, 410]);
    const owner = both.find((r) => r.status === 201) as Answer;
    const me = (await call("GET", "/api/session", { cookie: owner.cookie })).body;
    expect(me).toMatchObject({ name: "Tarik", role: "owner", demo: false, others: [] });
    expect((await call("POST", "/api/first", { body: { token, ...about } })).status).toBe(410);
    expect(await firstToken(pool)).toBeNull();
    expect((await call("GET", "/api/first")).body.needed).toBe(false);
    const [rows] = await pool.query<Row[]>("SELECT id FROM workspaces");
    expect(rows).toHaveLength(1);
    workspace = rows[0]?.id;
  });
});

describe("signing in", () => {
  test("takes the address in any capitals, in a session of its own; the one before ends", async () => {
    await somebody("animator", "Mira.Sol+cad@Example.com", true);
    const first = await signIn("mira.sol+CAD@example.COM", PASSWORD, { from: "198.51.100.1" });
    expect([first.status, first.body.name]).toEqual([200, "A animator"]);
    expect(first.set).toMatch(/HttpOnly/i);
    const second = await signIn("Mira.Sol+cad@example.com", PASSWORD, { cookie: first.cookie, from: "198.51.100.1" });
    expect(second.cookie).not.toBe(first.cookie);
    expect((await call("GET", "/api/session", { cookie: first.cookie })).body).toEqual({
      error: "You are signed out.",
      ended: "signed-out",
    });
    expect((await call("GET", "/api/session", { cookie: second.cookie })).status).toBe(200);
    expect((await signIn("mira.sol@example.com", PASSWORD, { from: "198.51.100.1" })).status).toBe(401);
  });
  test("a thousand wrong passwords, over two processes: ten are looked at, known account or not", async () => {
    const known = await somebody("animator", "kim@example.com", true);
    const seen: Record<string, Record<number, number>> = {};
    for (const [email, from] of [
      [known.email, "198.51.100.2"],
      ["nobody@example.com", "198.51.100.3"],
    ] as const) {
      const counts: Record<number, number> = {};
      const words = new Set<string>();
      for (let round = 0; round < 20; round++) {
        const answers = await Promise.all(
          Array.from({ length: 25 }, (_, i) => signIn(email, `wrong one ${i}`, { from, process: (i % 2) as 0 | 1 })),
        );
        for (const a of answers) {
          counts[a.status] = (counts[a.status] ?? 0) + 1;
          words.add(a.body.error as string);
        }
      }
      seen[email] = counts;
      expect([...words].sort()).toEqual([
        "This address and this password do not belong together.",
        "Too many attempts. Wait 15 minutes and try again.",
      ]);
    }
    expect(seen).toEqual({
      "kim@example.com": { 401: 10, 429: 490 },
      "nobody@example.com": { 401: 10, 429: 490 },
    });
    // The right one is not taken either, from there; from elsewhere it is, as long as the account has attempts left.
    expect((await signIn(known.email, PASSWORD, { from: "198.51.100.2" })).status).toBe(429);
    await pool.query("UPDATE attempts SET since = since - INTERVAL 16 MINUTE");
    expect((await signIn(known.email, PASSWORD, { from: "198.51.100.2" })).status).toBe(200);
  });
  test("many addresses do not help against one account, nor many accounts from one address", async () => {
    const counts = { account: 0, address: 0 };
    for (let round = 0; round < 6; round++) {
      const one = await Promise.all(
        Array.from({ length: 20 }, (_, i) =>
          signIn("spread@example.com", "wrong one", { from: `203.0.113.${round * 20 + i}` }),
        ),
      );
      counts.account += one.filter((a) => a.status === 401).length;
      const many = await Promise.all(
        Array.from({ length: 20 }, (_, i) =>
          signIn(`a${round * 20 + i}@example.com`, "wrong one", { from: "192.0.2.7" }),
        ),
      );
      counts.address += many.filter((a) => a.status === 401).length;
    }
    expect(counts).toEqual({ account: 50, address: 100 });
  });
  test("right ones do not add up", async () => {
    await somebody("animator", "often@example.com", true);
    for (let i = 0; i < 12; i++)
      expect((await signIn("often@example.com", PASSWORD, { from: "198.51.100.9" })).status).toBe(200);
  });
  test("a cookie of another installation is nobody's, and signing in puts ours in its place", async () => {
    await somebody("animator", "cookie@example.com", true);
    const foreign = `plextan_session=${"k".repeat(43)}`;
    expect((await call("GET", "/api/projects", { cookie: foreign })).body).toEqual({ error: "You are not signed in." });
    const r = await signIn("cookie@example.com", PASSWORD, { cookie: foreign, from: "198.51.100.8" });
    expect([r.status, r.cookie !== foreign]).toEqual([200, true]);
  });
  test("behind https the cookie is for this host and for https alone", async () => {
    await somebody("animator", "tls@example.com", true);
    const https = { Host: "plextan.example", Origin: "https://plextan.example" };
    const r = await signIn("tls@example.com", PASSWORD, { headers: https, from: "198.51.100.10" });
    expect(r.set).toMatch(/^__Host-plextan_session=[\w-]{43}; Path=\/;.*Secure; HttpOnly; SameSite=lax$/i);
    expect((await call("GET", "/api/session", { headers: https, cookie: r.cookie })).status).toBe(200);
    // The name without the prefix, which another host of the domain could have set, is not looked at.
    const plainName = r.cookie.replace("__Host-", "");
    expect((await call("GET", "/api/session", { headers: https, cookie: plainName })).status).toBe(401);
  });
});

describe("sessions", () => {
  test("end after twelve hours without use, one by one, all together, and with the password", async () => {
    const me = await somebody("animator", "sessions@example.com", true);
    const enter = async (agent: string) =>
      (await signIn(me.email, PASSWORD, { from: "198.51.100.20", headers: { "User-Agent": agent } })).cookie;
    const own = await enter("Mozilla/5.0 (X11; Linux x86_64) Firefox/128.0");
    const second = await enter("second");
    const third = await enter("third");
    const list = async () =>
      (await call("GET", "/api/account", { cookie: own })).body.sessions as {
        id: string;
        agent: string;
        address: string;
        own: boolean;
      }[];
    const before = await list();
    expect(before.map((s) => s.agent).sort()).toEqual([
      "", // the one that the test made by itself
      "Mozilla/5.0 (X11; Linux x86_64) Firefox/128.0",
      "second",
      "third",
    ]);
    expect(before.filter((s) => s.own).map((s) => [s.agent.slice(0, 7), s.address])).toEqual([
      ["Mozilla", "198.51.100.20"],
    ]);
    const id = before.find((s) => s.agent === "second")?.id as string;
    expect((await call("DELETE", `/api/account/sessions/${id}`, { cookie: own })).status).toBe(200);
    expect((await call("GET", "/api/projects", { cookie: second })).body).toMatchObject({ ended: "ended" });
    expect((await call("DELETE", `/api/account/sessions/${id}`, { cookie: own })).status).toBe(404);
    const stranger = await somebody("owner");
    const thirds = before.find((s) => s.agent === "third")?.id as string;
    expect((await call("DELETE", `/api/account/sessions/${thirds}`, { cookie: stranger.cookie })).status).toBe(404);

    const change = (present: string, next: string) =>
      call("PUT", "/api/account/password", { cookie: own, body: { present, next } });
    expect((await change("not this one", "another fine one")).body.error).toBe("The present password is not right.");
    expect((await change(PASSWORD, "password123")).status).toBe(422);
    expect((await change(PASSWORD, "another fine one")).body).toEqual({ ended: 2 });
    expect((await call("GET", "/api/projects", { cookie: third })).body.ended).toBe("password");
    expect((await mailTo(me.email))[0]).toMatch(/was changed just now/);
    expect((await call("GET", "/api/projects", { cookie: own })).status).toBe(200);

    await pool.query("UPDATE sessions SET seen_at = seen_at - INTERVAL 13 HOUR WHERE user_id = ?", [me.id]);
    expect((await call("GET", "/api/projects", { cookie: own })).body).toEqual({ error: "You are not signed in." });
    const fresh = (await signIn(me.email, "another fine one", { from: "198.51.100.20" })).cookie;
    const more = (await signIn(me.email, "another fine one", { from: "198.51.100.20" })).cookie;
    expect((await call("DELETE", "/api/session?everywhere", { cookie: fresh })).status).toBe(200);
    for (const cookie of [fresh, more]) expect((await call("GET", "/api/projects", { cookie })).status).toBe(401);
  });
  test("that are used stay: use is noted once a minute", async () => {
    const me = await somebody("animator");
    await pool.query("UPDATE sessions SET seen_at = seen_at - INTERVAL 11 HOUR WHERE user_id = ?", [me.id]);
    expect((await call("GET", "/api/projects", { cookie: me.cookie })).status).toBe(200);
    await pool.query("UPDATE sessions SET seen_at = seen_at - INTERVAL 11 HOUR WHERE user_id = ?", [me.id]);
    expect((await call("GET", "/api/projects", { cookie: me.cookie })).status).toBe(200);
  });
});

describe("invitations", () => {
  const invite = async (email: string, role: Role = "animator", by?: string) => {
    const cookie = by ?? (await somebody("owner")).cookie;
    return call("POST", "/api/people/invitations", { cookie, body: { email, role } });
  };
  const accept = (secret: string, rest: object = {}, process: 0 | 1 = 0) =>
    call("PUT", "/api/invitation", {
      process,
      from: "198.51.100.40",
      body: { secret, name: "Ann", password: "four steel washers", ...rest },
    });
  const look = (secret: string) => call("POST", "/api/invitation", { body: { secret }, from: "198.51.100.40" });

  test("come by mail, say what they are for, and make one account, whoever is faster", async () => {
    const made = await invite("Ann@Example.com", "reviewer");
    expect(made.status).toBe(201);
    const [mail] = await mailTo("Ann@Example.com");
    expect(mail).toContain(`invites you to work in "Rill Works" as reviewer`);
    const secret = secretIn(mail);
    expect(made.body.link).toBe(`${urls[0]}/invited#${secret}`);
    expect((await look(secret)).body).toMatchObject({
      workspace: "Rill Works",
      email: "Ann@Example.com",
      role: "reviewer",
    });
    expect((await accept(secret, { password: "short" })).status).toBe(422);
    // For someone else, or as something else: the link says for whom and as what, and nothing sent can change it.
    for (const extra of [{ email: "eve@example.com" }, { role: "owner" }])
      expect((await accept(secret, extra)).status).toBe(400);
    const both = await Promise.all([accept(secret, {}, 0), accept(secret, {}, 1)]);
    expect(both.map((r) => r.status).sort()).toEqual([201, 410]);
    const cookie = both.find((r) => r.status === 201)?.cookie as string;
    expect((await call("GET", "/api/session", { cookie })).body).toMatchObject({ name: "Ann", role: "reviewer" });
    const used = "This invitation was accepted already. Sign in with the password that was chosen then.";
    expect([(await look(secret)).body.error, (await accept(secret)).body.error]).toEqual([used, used]);
    expect((await invite("ann@example.COM")).body.error).toBe("Ann is here already with this address.");
  });
  test("that ran out, were withdrawn, were replaced or never were, say so", async () => {
    const owner = await somebody("owner");
    const out = await invite("late@example.com", "animator", owner.cookie);
    await pool.query("UPDATE invitations SET expires_at = '2020-01-01' WHERE id = ?", [out.body.id]);
    const outSecret = secretIn(String(out.body.link));
    expect([(await accept(outSecret)).status, (await look(outSecret)).body.error]).toEqual([
      410,
      "This invitation is older than 7 days. Ask for another.",
    ]);
    const again = await invite("LATE@example.com", "animator", owner.cookie);
    expect((await look(outSecret)).body.error).toMatch(/withdrawn/);
    const secret = secretIn(String(again.body.link));
    expect((await look(secret)).status).toBe(200);
    expect((await call("DELETE", `/api/people/invitations/${again.body.id}`, { cookie: owner.cookie })).status).toBe(
      200,
    );
    expect((await accept(secret)).status).toBe(410);
    expect((await look("k".repeat(43))).status).toBe(404);
    const pending = (await call("GET", "/api/people", { cookie: owner.cookie })).body.invitations as {
      email: string;
    }[];
    expect(pending.some((i) => /late/i.test(i.email))).toBe(false);
    // Those of an owner who is removed are good no longer.
    const left = await invite("left@example.com", "owner", owner.cookie);
    await call("DELETE", `/api/people/${owner.id}`, { cookie: (await somebody("owner")).cookie });
    expect((await accept(secretIn(String(left.body.link)))).status).toBe(410);
  });
  test("addresses of other alphabets, with plus and capitals, are one address in all their forms", async () => {
    const owner = await somebody("owner");
    for (const [first, second] of [
      ["jürgen+cad@müller.example", "JU\u0308RGEN+CAD@xn--mller-kva.example"],
      ["用户@例え.テスト", "用户@xn--r8jz45g.xn--zckzah"],
    ] as const) {
      const r = await invite(first, "animator", owner.cookie);
      expect((await accept(secretIn(String(r.body.link)))).status).toBe(201);
      expect((await invite(second, "animator", owner.cookie)).status).toBe(409);
      expect((await signIn(second, "four steel washers", { from: "198.51.100.41" })).status).toBe(200);
    }
    for (const bad of ["nobody", "a@b.co, c@d.co", "a@b.co\r\nBcc: x@y.co"])
      expect((await invite(bad, "animator", owner.cookie)).status).toBe(400);
  });
});

describe("a forgotten password", () => {
  const ask = (email: string, from: string) => call("POST", "/api/reset", { body: { email }, from });
  const choose = (secret: string, password: string) =>
    call("PUT", "/api/reset", { body: { secret, password }, from: "198.51.100.51" });
  test("is replaced by a link that is good once; all sessions end; nobody learns who has an account", async () => {
    const me = await somebody("animator", "reset@example.com", true);
    const stays = (await signIn(me.email, PASSWORD, { from: "198.51.100.51" })).cookie;
    const known = await ask("RESET@example.com", "198.51.100.51");
    const unknown = await ask("nobody-here@example.com", "198.51.100.52");
    expect([known.status, known.body]).toEqual([unknown.status, unknown.body]);
    await ask(me.email, "198.51.100.51");
    const mails = await mailTo(me.email, 2);
    expect(mails).toHaveLength(2);
    expect(await mailTo("nobody-here@example.com", 0)).toEqual([]);
    const [second, first] = mails.map(secretIn) as [string, string];
    expect((await choose(first, "password123")).body.error).toMatch(/list of those/);
    const done = await choose(first, "five copper rings");
    expect(done.status).toBe(200);
    expect((await call("GET", "/api/session", { cookie: done.cookie })).status).toBe(200);
    expect((await call("GET", "/api/session", { cookie: stays })).body.ended).toBe("password");
    const gone = "This link was used already, or is older than an hour. Ask for a new one.";
    for (const secret of [first, second, "k".repeat(43)])
      expect((await choose(secret, "six copper rings")).body.error).toBe(gone);
    expect((await signIn(me.email, PASSWORD, { from: "198.51.100.51" })).status).toBe(401);
    expect((await signIn(me.email, "five copper rings", { from: "198.51.100.51" })).status).toBe(200);
    await ask(me.email, "198.51.100.53");
    const [late] = await mailTo(me.email, 4);
    await pool.query("UPDATE reset_tokens SET expires_at = '2020-01-01'");
    expect((await choose(secretIn(late), "six copper rings")).body.error).toBe(gone);
  });
  test("cannot be asked for without end, by the same count for known and unknown", async () => {
    await somebody("animator", "flooded@example.com", true);
    const statuses = async (email: string, from: string) => {
      const out: number[] = [];
      for (let i = 0; i < 7; i++) out.push((await ask(email, from)).status);
      return out;
    };
    const expected = [200, 200, 200, 200, 200, 429, 429];
    expect(await statuses("flooded@example.com", "198.51.100.60")).toEqual(expected);
    expect(await statuses("unknown@example.com", "198.51.100.61")).toEqual(expected);
  });
});

describe("what people are", () => {
  const only = async () => {
    // A workspace in which these two alone are owners.
    await pool.query("UPDATE users SET role = 'animator' WHERE workspace_id = ? AND role = 'owner'", [workspace]);
    return [await somebody("owner"), await somebody("owner")] as const;
  };
  const owners = async () => {
    const [rows] = await pool.query<Row[]>(
      "SELECT id FROM users WHERE workspace_id = ? AND role = 'owner' AND removed_at IS NULL",
      [workspace],
    );
    return rows.length;
  };
  test("two owners who remove each other, or themselves, at once: one stays, every time", async () => {
    for (let i = 0; i < 8; i++) {
      const [a, b] = await only();
      const remove = i % 2 === 0;
      const act = (who: { cookie: string }, whom: { id: string }, process: 0 | 1) =>
        remove
          ? call("DELETE", `/api/people/${whom.id}`, { cookie: who.cookie, process })
          : call("PATCH", `/api/people/${whom.id}`, { cookie: who.cookie, process, body: { role: "reviewer" } });
      const crossed = i % 4 < 2;
      const both = await Promise.all([act(a, crossed ? b : a, 0), act(b, crossed ? a : b, 1)]);
      expect(both.filter((r) => r.status === 200)).toHaveLength(1);
      const refused = both.find((r) => r.status !== 200) as Answer;
      // Crossed, the slower one is nobody who may; else it would be the last.
      expect([401, 403, 409]).toContain(refused.status);
      expect(await owners()).toBe(1);
    }
  });
  test("the last owner stays one, and is told what to do first", async () => {
    const [a, b] = await only();
    expect((await call("PATCH", `/api/people/${b.id}`, { cookie: a.cookie, body: { role: "animator" } })).status).toBe(
      200,
    );
    for (const r of [
      await call("PATCH", `/api/people/${a.id}`, { cookie: a.cookie, body: { role: "reviewer" } }),
      await call("DELETE", `/api/people/${a.id}`, { cookie: a.cookie }),
    ])
      expect([r.status, r.body.error]).toEqual([409, "A workspace needs an owner. Make somebody else one first."]);
    expect((await call("PATCH", `/api/people/${b.id}`, { cookie: a.cookie, body: { role: "owner" } })).status).toBe(
      200,
    );
    expect((await call("DELETE", `/api/people/${a.id}`, { cookie: a.cookie })).status).toBe(200);
    expect((await call("GET", "/api/session", { cookie: a.cookie })).body).toMatchObject({ ended: "removed" });
  });
  test("whoever was removed is out at once, cannot come back by password or link, and can be invited again", async () => {
    const owner = await somebody("owner");
    const me = await somebody("animator", "removed@example.com", true);
    await call("POST", "/api/reset", { body: { email: me.email }, from: "198.51.100.70" });
    const [mail] = await mailTo(me.email);
    expect((await call("DELETE", `/api/people/${me.id}`, { cookie: owner.cookie })).status).toBe(200);
    expect((await call("GET", "/api/projects", { cookie: me.cookie })).body).toEqual({
      error: "You no longer belong to this workspace. Ask an owner if that is a mistake.",
      ended: "removed",
    });
    expect((await signIn(me.email, PASSWORD, { from: "198.51.100.70" })).status).toBe(401);
    const link = await call("PUT", "/api/reset", {
      body: { secret: secretIn(mail), password: "five copper rings" },
      from: "198.51.100.70",
    });
    expect(link.status).toBe(410);
    const again = await call("POST", "/api/people/invitations", {
      cookie: owner.cookie,
      body: { email: me.email, role: "animator" },
    });
    expect(again.status).toBe(201);
  });
  test("names that are alike are shown with their address", async () => {
    const owner = await somebody("owner");
    await somebody("animator", "twin1@example.com");
    await somebody("animator", "twin2@example.com");
    const { people } = (await call("GET", "/api/people", { cookie: owner.cookie })).body as {
      people: { name: string; email: string }[];
    };
    expect(people.filter((p) => /^twin/.test(p.email)).map((p) => p.name)).toEqual(["A animator", "A animator"]);
  });
});

describe("a project for some people", () => {
  test("is not there for the others, whatever they ask, until they are chosen", async () => {
    const owner = await somebody("owner");
    const [inside, outside] = [await somebody("animator"), await somebody("animator")];
    const opened = await call("POST", "/api/projects/open", {
      cookie: owner.cookie,
      body: smallProjectFile(),
      headers: FILE_TYPE,
    });
    const id = String(opened.body.id);
    const listed = async (cookie: string) =>
      ((await call("GET", "/api/projects", { cookie })).body.projects as { id: string }[]).some((p) => p.id === id);
    const documents = (await call("GET", `/api/projects/${id}/documents`, { cookie: outside.cookie })).body
      .documents as { id: string; kind: string; body: { name?: string } }[];
    const sequence = documents.find((d) => d.kind === "sequence") as { id: string };
    const edit = (cookie: string, name: string, base: number) =>
      call("POST", `/api/documents/${sequence.id}/edits`, {
        cookie,
        body: {
          base,
          edits: [{ id: freshId(), label: "name", patches: [{ op: "replace", path: ["name"], value: name }] }],
        },
      });
    expect((await edit(outside.cookie, "before", 0)).status).toBe(200);
    const limit = (cookie: string, body: unknown) => call("PUT", `/api/projects/${id}/people`, { cookie, body });
    expect((await limit(inside.cookie, { limited: true, people: [inside.id] })).status).toBe(403);
    expect((await limit(owner.cookie, { limited: true, people: [newId()] })).status).toBe(422);
    expect((await limit(owner.cookie, { limited: true, people: [inside.id] })).status).toBe(200);
    expect([await listed(owner.cookie), await listed(inside.cookie), await listed(outside.cookie)]).toEqual([
      true,
      true,
      false,
    ]);
    for (const [method, at, body] of [
      ["GET", "", undefined],
      ["PATCH", "", { name: "taken" }],
      ["DELETE", "", undefined],
      ["GET", "/documents", undefined],
      ["GET", "/file", undefined],
      ["GET", "/package", undefined],
      ["GET", "/revisions", undefined],
      ["GET", "/standing", undefined],
      ["GET", "/thumbnail", undefined],
      ["POST", "/documents", { kind: "sequence", body: documents.find((d) => d.kind === "sequence")?.body }],
      ["POST", "/reread", { quality: "fine", unit: "auto", up: "auto" }],
      ["POST", "/revisions", { to: 1, base: 1 }],
    ] as const) {
      const r = await call(method, `/api/projects/${id}${at}`, { cookie: outside.cookie, ...(body ? { body } : {}) });
      expect([method, at, r.status >= 400 && r.status !== 401 && r.status !== 403]).toEqual([method, at, true]);
      expect([method, at, r.status]).toEqual([method, at, r.status === 400 ? 400 : 404]);
    }
    expect((await edit(outside.cookie, "after", 1)).status).toBe(404);
    expect((await call("GET", `/api/documents/${sequence.id}/edits?until=1`, { cookie: outside.cookie })).status).toBe(
      404,
    );
    expect((await edit(inside.cookie, "inside", 1)).status).toBe(200);
    expect((await limit(owner.cookie, { limited: false, people: [] })).status).toBe(200);
    expect((await edit(outside.cookie, "again", 2)).status).toBe(200);
  });
});

describe("what is written down", () => {
  test("who did what, when and from where, for owners alone, page by page", async () => {
    const owner = await somebody("owner", "writes@example.com");
    const animator = await somebody("animator");
    await call("POST", "/api/people/invitations", {
      cookie: owner.cookie,
      from: "198.51.100.80",
      body: { email: "noted@example.com", role: "reviewer" },
    });
    const { lines } = (await call("GET", "/api/audit", { cookie: owner.cookie })).body as {
      lines: { id: number; who: string; what: string; detail: string; address: string; at: string }[];
    };
    expect(lines[0]).toMatchObject({
      who: "A owner <writes@example.com>",
      what: "invited",
      detail: "noted@example.com as reviewer",
      address: "198.51.100.80",
    });
    expect(Math.abs(Date.now() - Date.parse(lines[0]?.at ?? ""))).toBeLessThan(60_000);
    // Five hundred attempts without end are one line.
    const [limited] = await pool.query<Row[]>(
      "SELECT id FROM audit WHERE what = 'sign-in-limited' AND who LIKE '%kim@%'",
    );
    expect(limited.length).toBeLessThan(4);
    const kinds = new Set(lines.map((l) => l.what));
    const [all] = await pool.query<Row[]>("SELECT DISTINCT what FROM audit WHERE workspace_id = ?", [workspace]);
    for (const what of [
      "workspace-made",
      "signed-in",
      "sign-in-limited",
      "signed-out-everywhere",
      "session-ended",
      "password-changed",
      "password-reset",
      "reset-asked",
      "joined",
      "invitation-withdrawn",
      "role-changed",
      "removed",
      "project-limited",
    ])
      expect([what, all.some((r) => r.what === what)]).toEqual([what, true]);
    expect(kinds.size).toBeGreaterThan(1);
    const next = (await call("GET", `/api/audit?before=${lines.at(-1)?.id}`, { cookie: owner.cookie })).body.lines as {
      id: number;
    }[];
    expect(next.every((l) => l.id < (lines.at(-1)?.id ?? 0))).toBe(true);
    expect((await call("GET", "/api/audit", { cookie: animator.cookie })).status).toBe(403);
    expect((await call("GET", "/api/outbox", { cookie: animator.cookie })).status).toBe(403);
  });
  test("mail lies in the owners' outbox and, a line each, in a file that others on the machine cannot read", async () => {
    const owner = await somebody("owner");
    const { mail } = (await call("GET", "/api/outbox", { cookie: owner.cookie })).body as { mail: { to: string }[] };
    const file = `${FOLDER}/outbox.jsonl`;
    await until(async () => (await readFile(file, "utf8")).includes("noted@example.com"));
    const lines = (await readFile(file, "utf8"))
      .trim()
      .split("\n")
      .map((l) => JSON.parse(l) as { to: string });
    expect(lines.filter((l) => l.to === "Ann@Example.com")).toHaveLength(1);
    expect(new Set(mail.map((m) => m.to))).toEqual(new Set(lines.map((l) => l.to)));
    const { stat } = await import("node:fs/promises");
    expect((await stat(file)).mode & 0o077).toBe(0);
  });
  test("no secret lies in the database but in the outbox: hashes alone", async () => {
    const owner = await somebody("owner", "hashes@example.com", true);
    const { cookie } = await signIn("hashes@example.com", PASSWORD, { from: "198.51.100.90" });
    const made = await call("POST", "/api/people/invitations", {
      cookie: owner.cookie,
      body: { email: "hidden@example.com", role: "reviewer" },
    });
    await call("POST", "/api/reset", { body: { email: "hashes@example.com" }, from: "198.51.100.91" });
    const [mail] = await mailTo("hashes@example.com");
    const secrets = [cookie.split("=")[1] as string, secretIn(String(made.body.link)), secretIn(mail), PASSWORD];
    expect(secrets.every((s) => s.length > 15)).toBe(true);
    const [tables] = await pool.query<Row[]>(
      "SELECT table_name AS t FROM information_schema.tables WHERE table_schema = DATABASE()",
    );
    for (const { t } of tables) {
      if (t === "outbox" || t === "asset_chunks") continue;
      const [rows] = await pool.query<Row[]>(`SELECT * FROM \`${t}\``);
      const text = JSON.stringify(rows, (_, v) => (v?.type === "Buffer" ? Buffer.from(v.data).toString("latin1") : v));
      for (const s of secrets) expect([t, text.includes(s)]).toEqual([t, false]);
    }
  });
});

test("with a mail server set, mail goes to it, to one address, in letters of any alphabet", async () => {
  const got: { to: string[]; text: string }[] = [];
  const server = new SMTPServer({
    disabledCommands: ["STARTTLS", "AUTH"],
    onData(stream, session, done) {
      let text = "";
      stream.on("data", (d: Buffer) => {
        text += d.toString();
      });
      stream.on("end", () => {
        got.push({ to: session.envelope.rcptTo.map((r) => r.address), text });
        done();
      });
    },
  });
  const port = await freePort();
  await new Promise<void>((r) => server.listen(port, "127.0.0.1", () => r()));
  try {
    const sender = smtp(`smtp://127.0.0.1:${port}`, "Plextan <plextan@example.com>");
    await sender.send("w", {
      to: "ann+cad@example.com",
      subject: "Grüße",
      text: "https://plextan.example/reset#abc\n",
    });
    expect(got).toHaveLength(1);
    expect(got[0]?.to).toEqual(["ann+cad@example.com"]);
    expect(got[0]?.text).toContain("https://plextan.example/reset#abc");
    expect(got[0]?.text).toMatch(/^Subject: =\?UTF-8\?/m);
  } finally {
    await new Promise<void>((r) => server.close(() => r()));
  }
  await expect(
    smtp(`smtp://127.0.0.1:${port}`, "Plextan <plextan@example.com>").send("w", {
      to: "a@b.co",
      subject: "x",
      text: "y",
    }),
  ).rejects.toThrow();
});
