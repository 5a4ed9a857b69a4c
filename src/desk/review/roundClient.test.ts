import { afterEach, beforeEach, expect, test, vi } from "vitest";
import type { NewComment, Round } from "../../core/review/said";
import { ApiError } from "../api";
import { RoundClient, type RoundPort } from "./roundClient";

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

/** A server that takes comments, can be away, and tells of what is new or does not. */
class Server implements RoundPort {
  version = 1;
  away = false;
  deaf = false;
  answer: ApiError | null = null;
  readonly said: NewComment[] = [];
  asked: string[] = [];
  private hear: ((data: string) => void) | null = null;
  private lost = () => {};
  readonly kept = new Map<string, string>();
  readonly keep = {
    getItem: (k: string) => this.kept.get(k) ?? null,
    setItem: (k: string, v: string) => void this.kept.set(k, v),
    removeItem: (k: string) => void this.kept.delete(k),
  };

  async ask<T>(path: string, method = "GET", body?: unknown): Promise<T> {
    this.asked.push(`${method} ${path}`);
    if (this.away) throw new ApiError(0, "The server cannot be reached.", null);
    if (this.answer) throw this.answer;
    if (method === "POST") {
      const c = body as NewComment;
      if (c.text === "bad") throw new ApiError(422, "This round has no such step.", null);
      if (!this.said.some((s) => s.id === c.id)) {
        this.said.push(c);
        this.version++;
      }
      return {} as T;
    }
    if (path.endsWith(`since=${this.version}`)) return null as T;
    return { id: "r", version: this.version, comments: [], decisions: [] } as unknown as T;
  }
  readonly pictures: string[] = [];
  async picture(path: string, jpeg: Blob): Promise<void> {
    this.pictures.push(`${path} ${await jpeg.text()}`);
  }
  events(_path: string, hear: (data: string) => void, lost: () => void): (() => void) | null {
    if (this.deaf) return null;
    this.hear = hear;
    this.lost = lost;
    return () => {
      this.hear = null;
    };
  }
  tell(line = String(this.version)): void {
    this.hear?.(line);
  }
  cut(): void {
    this.lost();
  }
}
const comment = (text: string): Omit<NewComment, "id"> => ({
  ...{ to: null, text, step: "s0", from: 0, until: 0, pin: null, seen: null, strokes: [] },
});
const later = (ms: number) => vi.advanceTimersByTimeAsync(ms);

test("what is new is looked at when it is told of, and asked for where nothing is told", async () => {
  const server = new Server();
  const client = new RoundClient("r", () => {}, server);
  client.start();
  await later(0);
  const version = () => client.store.getState().round?.version;
  expect(version()).toBe(1);
  server.version = 2;
  server.tell();
  await later(0);
  expect(version()).toBe(2);
  const asked = server.asked.length;
  await later(10_000);
  // Events get through, so nobody asks.
  expect(server.asked.length).toBe(asked);
  server.cut();
  server.version = 3;
  await later(2100);
  expect(version()).toBe(3);
  client.stop();

  const deaf = new Server();
  deaf.deaf = true;
  const other = new RoundClient("r", () => {}, deaf);
  other.start();
  await later(0);
  deaf.version = 5;
  await later(2100);
  expect((other.store.getState().round as Round).version).toBe(5);
  other.stop();
  const end = deaf.asked.length;
  await later(10_000);
  expect(deaf.asked.length).toBe(end);
});

test("what is said while the server is away is kept, also over a reload, and arrives once and in order", async () => {
  const server = new Server();
  const first = new RoundClient("r", () => {}, server);
  first.start();
  await later(0);
  server.away = true;
  first.say(comment("one"));
  first.say(comment("two"));
  await later(9000);
  expect(first.store.getState().waiting.map((c) => c.text)).toEqual(["one", "two"]);
  expect(first.store.getState().problem).toBe("The server cannot be reached.");
  first.stop();
  const second = new RoundClient("r", () => {}, server);
  expect(second.store.getState().waiting.map((c) => c.text)).toEqual(["one", "two"]);
  server.away = false;
  second.start();
  await later(0);
  expect(server.said.map((c) => c.text)).toEqual(["one", "two"]);
  expect([second.store.getState().waiting, server.kept.size]).toEqual([[], 0]);
  await later(20_000);
  expect(server.said).toHaveLength(2);
  second.stop();
});

test("the picture of a comment follows it once it is stored; what is told comes without asking", async () => {
  const server = new Server();
  const client = new RoundClient("r", () => {}, server);
  client.start();
  await later(0);
  server.away = true;
  client.say(comment("one"), Promise.resolve(new Blob(["frame"])));
  client.say(comment("two"), Promise.resolve(null));
  await later(100);
  expect(server.pictures).toEqual([]);
  server.away = false;
  await later(5000);
  expect(server.pictures).toEqual([`/api/rounds/r/comments/${server.said[0]?.id}/picture frame`]);
  const asked = server.asked.length;
  const round = client.store.getState().round as Round;
  server.version = round.version + 1;
  const decision = { step: "s0", verdict: "fine" as const, by: { id: "x", name: "X", guest: true }, at: "" };
  server.tell(JSON.stringify({ version: server.version, decision: { ...decision, carriedFrom: null } }));
  await later(0);
  expect(client.store.getState().round?.decisions).toMatchObject([decision]);
  expect(server.asked.length).toBe(asked);
  client.stop();
});

test("a comment that can never be taken is given back in words and does not hold up the next", async () => {
  const server = new Server();
  const client = new RoundClient("r", () => {}, server);
  client.start();
  await later(0);
  client.say(comment("bad"));
  client.say(comment("good"));
  await later(100);
  expect(server.said.map((c) => c.text)).toEqual(["good"]);
  expect(client.store.getState()).toMatchObject({
    waiting: [],
    refused: { comment: { text: "bad" }, why: "This round has no such step." },
  });
  client.understood();
  expect(client.store.getState().refused).toBeNull();
  client.stop();
});

test("a link that is over ends it; one that leads on leads on", async () => {
  const server = new Server();
  const moved: string[] = [];
  const client = new RoundClient("r", (r) => moved.push(r), server);
  client.start();
  await later(0);
  server.answer = new ApiError(410, "This link is not valid.", null);
  server.version = 2;
  server.tell();
  await later(0);
  expect(client.store.getState()).toMatchObject({ over: true, problem: "This link is not valid." });
  const asked = server.asked.length;
  await later(20_000);
  expect(server.asked.length).toBe(asked);

  server.answer = new ApiError(410, "There is a newer round.", { round: "next" });
  const other = new RoundClient("r", (r) => moved.push(r), server);
  other.start();
  await later(0);
  expect(moved).toEqual(["next"]);
  expect(other.store.getState().over).toBe(false);
});

test("what was said before the link led on is said in the next round", async () => {
  const server = new Server();
  const client = new RoundClient("r", () => {}, server);
  client.start();
  await later(0);
  server.away = true;
  client.say({ ...comment("late"), to: "answered" });
  await later(100);
  server.away = false;
  server.answer = new ApiError(410, "There is a newer round.", { round: "next" });
  await later(5000);
  server.answer = null;
  const next = new RoundClient("next", () => {}, server);
  expect(next.store.getState().waiting).toMatchObject([{ text: "late", to: null }]);
  next.start();
  await later(0);
  expect(server.said.map((c) => c.text)).toEqual(["late"]);
  expect(server.kept.size).toBe(0);
  next.stop();
});

test("who only has to sign in again goes on", async () => {
  const server = new Server();
  server.deaf = true;
  const client = new RoundClient("r", () => {}, server);
  client.start();
  await later(0);
  server.answer = new ApiError(401, "You are not signed in.", null);
  await later(2100);
  expect(client.store.getState().over).toBe(true);
  server.answer = null;
  server.version = 7;
  await later(2100);
  expect(client.store.getState()).toMatchObject({ over: false, problem: null, round: { version: 7 } });
  client.stop();
});
