import { once } from "node:events";
import { Agent, request as ask, createServer, get, type IncomingMessage, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { afterAll, beforeAll, expect, test } from "vitest";
import { type Direct, directly } from "./direct";
import { pouring } from "./pour";
import { readBody } from "./route";

let server: Server;
let base = "";
let ended = 0;
let cancelled = 0;
let over = 0;
let refused = 0;

const LONGEST = 2_000_000;
const late: Promise<unknown>[] = [];
const json = async (request: Request, { params }: { params: Promise<unknown> }) =>
  Response.json(
    {
      ...{ params: await params, query: new URL(request.url).search, type: request.headers.get("content-type") },
      said: request.method === "GET" ? null : new TextDecoder().decode(await readBody(request, LONGEST)),
    },
    { status: 201, headers: { "X-Ours": "yes" } },
  );
const routes = [
  { method: "POST", path: "/api/things/[id]/words", handler: json },
  { method: "GET", path: "/api/things/[id]/words", handler: json },
  {
    method: "GET",
    path: "/api/feed",
    // Says something now and then until whoever listens is gone.
    handler: async (request: Request) => {
      let timer: ReturnType<typeof setInterval>;
      request.signal.addEventListener("abort", () => ended++);
      return new Response(
        new ReadableStream({
          start(c) {
            timer = setInterval(() => c.enqueue(new TextEncoder().encode("data: x\n\n")), 20);
          },
          cancel() {
            clearInterval(timer);
            cancelled++;
          },
        }),
        { headers: { "Content-Type": "text/event-stream" } },
      );
    },
  },
  {
    method: "GET",
    path: "/api/large",
    handler: async () => new Response(new Uint8Array(8 * 1024 * 1024).fill(7)),
  },
  {
    method: "POST",
    path: "/api/late",
    // Reads what was sent only after a while.
    handler: async (request: Request) => {
      const read = new Promise((r) => setTimeout(r, 120)).then(() =>
        readBody(request, request.headers.get("content-length") === "1000000" ? 1e6 : 10),
      );
      late.push(read.catch((error: Error) => error.message));
      return new Response((await read).length.toString());
    },
  },
  { method: "POST", path: "/api/deaf", handler: async () => new Response("no", { status: 401 }) },
  {
    method: "POST",
    path: "/api/enough",
    // Reads a little and has enough.
    handler: async (request: Request) => {
      const reader = request.body?.getReader();
      const first = await reader?.read();
      await reader?.cancel();
      return new Response(String((first?.value?.length ?? 0) > 0), { status: 413 });
    },
  },
  {
    method: "GET",
    path: "/api/poured",
    handler: async (request: Request) =>
      pouring(new Response("its body", { headers: { "Content-Type": "text/event-stream" } }), (sink) => {
        const timer = setInterval(() => {
          try {
            sink.write(new Uint8Array(request.url.endsWith("?much") ? 500_000 : 3).fill(65));
          } catch {
            refused++;
            clearInterval(timer);
            sink.end();
          }
        }, 5);
        request.signal.addEventListener("abort", () => {
          clearInterval(timer);
          over++;
        });
      }),
  },
  {
    method: "GET",
    path: "/api/ended",
    // What is said after the end: whoever listened was sent away meanwhile.
    handler: async () =>
      pouring(new Response(null), (sink) => {
        sink.write(new Uint8Array([65]));
        sink.end();
        sink.write(new Uint8Array([66]));
      }),
  },
  { method: "GET", path: "/api/broken", handler: async () => Promise.reject(new Error("no")) },
  { method: "GET", path: "/api/nothing", handler: async () => new Response(null, { status: 204 }) },
] as unknown as Direct[];

beforeAll(async () => {
  const direct = directly(routes);
  server = createServer((req, res) => {
    res.setHeader("X-Before", "kept");
    if (!direct(req, res, req.url ?? "")) res.writeHead(418).end("the framework's");
  });
  server.listen(0, "127.0.0.1");
  await once(server, "listening");
  base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
});
afterAll(() => {
  server.closeAllConnections();
  server.close();
});

test("a handler gets what was sent, with the parameters of the path, and its answer goes out whole", async () => {
  const answer = await fetch(`${base}/api/things/a1_b-2/words?since=3`, {
    ...{ method: "POST", body: JSON.stringify({ a: "ä" }), headers: { "Content-Type": "application/json" } },
  });
  expect([answer.status, answer.headers.get("x-ours"), answer.headers.get("x-before")]).toEqual([201, "yes", "kept"]);
  expect(await answer.json()).toEqual({
    ...{ params: { id: "a1_b-2" }, query: "?since=3", type: "application/json", said: '{"a":"ä"}' },
  });
  expect((await (await fetch(`${base}/api/things/x/words`)).json()).said).toBeNull();
  expect((await fetch(`${base}/api/nothing`)).status).toBe(204);
  const large = new Uint8Array(await (await fetch(`${base}/api/large`)).arrayBuffer());
  expect([large.length, large.every((v) => v === 7)]).toEqual([8 * 1024 * 1024, true]);
});

test.each([
  ["another method", "DELETE", "/api/things/x/words"],
  ["another path", "GET", "/api/things/x"],
  ["more of it", "GET", "/api/things/x/words/y"],
  ["a parameter that has to be decoded", "GET", "/api/things/x%2fy/words"],
  ["an empty one", "GET", "/api/things//words"],
])("%s is left to the framework", async (_, method, path) => {
  expect((await fetch(base + path, { method })).status).toBe(418);
});

test("what is listened to comes as it is said, and ends when nobody listens any more", async () => {
  const heard = await new Promise<IncomingMessage>((resolve) => get(`${base}/api/feed`, resolve));
  const [first] = await once(heard, "data");
  expect(String(first)).toContain("data: x");
  heard.destroy();
  await expect.poll(() => [ended, cancelled]).toEqual([1, 1]);
});

test("what is poured goes to the connection itself, until nobody takes it any more", async () => {
  const heard = await new Promise<IncomingMessage>((resolve) => get(`${base}/api/poured`, resolve));
  expect(heard.headers["content-type"]).toBe("text/event-stream");
  const [first] = await once(heard, "data");
  expect(String(first)).toMatch(/^(AAA)+$/);
  heard.destroy();
  await expect.poll(() => over).toBe(1);
  // After its end nothing is said, and nothing breaks.
  expect(await (await fetch(`${base}/api/ended`)).text()).toBe("A");
  // One who takes nothing is cut off before it fills the memory.
  const deaf = await new Promise<IncomingMessage>((resolve) => get(`${base}/api/poured?much`, resolve));
  deaf.on("error", () => {});
  deaf.pause();
  await expect.poll(() => [refused, over], { timeout: 10_000 }).toEqual([1, 2]);
});

test.each([
  ["/api/deaf", 401, "no"],
  ["/api/enough", 413, "true"],
])("what is sent to %s and not read does not stand in the way of the next request", async (path, status, said) => {
  const agent = new Agent({ keepAlive: true, maxSockets: 1 });
  const call = (to: string, body: Buffer | null) =>
    new Promise<{ status: number; text: string; port: number }>((resolve, reject) => {
      const sent = ask(base + to, { agent, method: body ? "POST" : "GET" }, (answer) => {
        let text = "";
        const port = answer.socket.localPort ?? 0;
        answer.on("data", (d) => {
          text += d;
        });
        answer.on("end", () => resolve({ status: answer.statusCode ?? 0, text, port }));
      });
      sent.on("error", reject);
      sent.end(body ?? undefined);
    });
  const first = await call(path, Buffer.alloc(3 * 1024 * 1024, 1));
  expect([first.status, first.text]).toEqual([status, said]);
  const next = await call("/api/things/x/words", null);
  expect([next.status, next.port]).toEqual([201, first.port]);
  agent.destroy();
});

test("a long body comes whole, however it is cut", async () => {
  const answer = await fetch(`${base}/api/things/x/words`, { method: "POST", body: "ab".repeat(600_000) });
  expect((await answer.json()).said).toBe("ab".repeat(600_000));
  const none = await fetch(`${base}/api/things/x/words`, { method: "POST" });
  expect((await none.json()).said).toBe("");
});

test("a body that breaks off is an error to its handler, not a wait for ever", async () => {
  const sent = ask(`${base}/api/things/x/words`, { method: "POST", headers: { "Content-Length": 1000 } });
  sent.on("error", () => {});
  sent.write("half");
  await new Promise((r) => setTimeout(r, 50));
  sent.destroy();
  expect((await fetch(`${base}/api/nothing`)).status).toBe(204);
});

test("a short body is read when it is asked for: whole, within its limit, and not for ever", async () => {
  expect(await (await fetch(`${base}/api/late`, { method: "POST", body: "0123456789" })).text()).toBe("10");
  expect((await fetch(`${base}/api/late`, { method: "POST", body: "0123456789a" })).status).toBe(500);
  // Cut off before anybody read it, and while it is read.
  for (const wait of [20, 200]) {
    const sent = ask(`${base}/api/late`, { method: "POST", headers: { "Content-Length": 9 } });
    sent.on("error", () => {});
    sent.write("half");
    await new Promise((r) => setTimeout(r, wait));
    sent.destroy();
    await new Promise((r) => setTimeout(r, 200));
  }
  expect(await Promise.all(late.splice(0))).toEqual([
    expect.any(Uint8Array),
    "The file is too large; at most 1 kB can be taken.",
    "The connection was cut.",
    "The connection was cut.",
  ]);
});

test("a long body that is cut off before anybody reads it is an error as well", async () => {
  const sent = ask(`${base}/api/late`, { method: "POST", headers: { "Content-Length": 1_000_000 } });
  sent.on("error", () => {});
  sent.write("half");
  await new Promise((r) => setTimeout(r, 20));
  sent.destroy();
  await new Promise((r) => setTimeout(r, 200));
  expect(await Promise.all(late.splice(0))).toEqual(["The connection was cut."]);
});

test("one who takes nothing of a long answer and leaves does no harm, nor does a handler that breaks", async () => {
  const sent = ask(`${base}/api/large`);
  sent.end();
  const [answer] = (await once(sent, "response")) as [IncomingMessage];
  answer.pause();
  await new Promise((r) => setTimeout(r, 50));
  answer.destroy();
  expect((await fetch(`${base}/api/broken`)).status).toBe(500);
  expect((await fetch(`${base}/api/nothing`)).status).toBe(204);
});
