import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { feedOf, type Looked, nudge, tell } from "./feed";

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());
const later = (ms: number) => vi.advanceTimersByTimeAsync(ms);

/** Something that is listened to, and what each listener hears. */
function stage(key: string) {
  const at = { news: "1", rights: "2", looks: 0, away: false, slow: null as null | Promise<void> };
  const look = async (): Promise<Looked> => {
    at.looks++;
    const found = { news: at.news, rights: at.rights };
    if (at.away) throw new Error("away");
    await at.slow;
    return found;
  };
  const listener = (may = { now: true }) => {
    const heard: string[] = [];
    const gone = new AbortController();
    const over = { is: false };
    const judged = { times: 0 };
    const judge = async () => {
      judged.times++;
      return may.now;
    };
    const reader = (feedOf(key, look, { signal: gone.signal, judge }).body as ReadableStream<Uint8Array>).getReader();
    const read = async (): Promise<void> => {
      const { done, value } = await reader.read();
      if (done) {
        over.is = true;
        return;
      }
      for (const l of new TextDecoder().decode(value).split("\n\n")) if (l.startsWith("data: ")) heard.push(l.slice(6));
      return read();
    };
    void read();
    return { heard, gone, over, judged };
  };
  return { at, listener };
}

test("all who listen are told, and the database is asked once for them", async () => {
  const { at, listener } = stage("a");
  const [a, b] = [listener(), listener()];
  await later(1000);
  expect([a.heard, b.heard]).toEqual([["1"], ["1"]]);
  expect(at.looks).toBe(4);
  at.news = "2";
  await later(300);
  const c = listener();
  await later(0);
  expect([a.heard, c.heard]).toEqual([["1", "2"], ["2"]]);
  a.gone.abort();
  b.gone.abort();
  c.gone.abort();
  const { looks } = at;
  await later(2000);
  expect(at.looks).toBe(looks);
});

test("what is told at once comes with its words, once, and an older look does not undo it", async () => {
  const { at, listener } = stage("b");
  const a = listener();
  await later(10);
  // A look is on its way with what was there before.
  let go = () => {};
  at.slow = new Promise((r) => {
    go = r;
  });
  nudge("b");
  await later(0);
  at.news = "2";
  tell("b", "2", '{"version":2}');
  go();
  await later(1000);
  expect(a.heard).toEqual(["1", '{"version":2}']);
  a.gone.abort();
});

test("who may not any longer is cut off: at once when a link ends, else when they are judged again", async () => {
  const { at, listener } = stage("c");
  const may = { now: true };
  const [a, b] = [listener(may), listener()];
  await later(13_000);
  expect(a.judged.times).toBe(1);
  may.now = false;
  at.rights = "1";
  await later(350);
  expect([a.over.is, b.over.is]).toEqual([true, false]);
  at.news = "9";
  await later(350);
  expect([a.heard.at(-1), b.heard.at(-1)]).toEqual(["1", "9"]);
  const c = listener(may);
  await later(12_100);
  expect(c.over.is).toBe(true);
  b.gone.abort();
});

test("while the database is away nobody is cut off", async () => {
  const { at, listener } = stage("d");
  const a = listener();
  await later(10);
  at.away = true;
  await later(2000);
  at.away = false;
  at.news = "3";
  await later(400);
  expect(a.heard).toEqual(["1", "3"]);
  expect(a.over.is).toBe(false);
  a.gone.abort();
});
