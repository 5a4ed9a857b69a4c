import fc from "fast-check";
import { expect, test } from "vitest";
import { newsFrom, type RoundNews, withNews } from "./news";
import type { Comment, Decision, Round } from "./said";

const me = { id: "me", name: "Me", guest: true };
const comment = (id: string, at: number, change: Partial<Comment> = {}): Comment => ({
  ...{ id, to: null, text: id, step: "s", from: 0, until: 0, pin: null, seen: null, strokes: [], by: me },
  ...{
    at: new Date(at).toISOString(),
    edited: null,
    takenBack: false,
    settled: null,
    carriedFrom: null,
    mine: false,
    picture: false,
  },
  ...change,
});
const round = (comments: Comment[], decisions: Decision[] = [], version = 0): Round =>
  ({ version, me: { ...me, may: "decide" }, comments, decisions }) as unknown as Round;

test("a round that hears all that is said comes to what is stored, in whatever order it was made", () => {
  const act = fc.oneof(
    fc.record({ kind: fc.constant("say" as const), at: fc.integer({ min: 0, max: 5 }) }),
    fc.record({ kind: fc.constant("change" as const), which: fc.nat(20) }),
    fc.record({ kind: fc.constant("decide" as const), verdict: fc.constantFrom("fine" as const, "change" as const) }),
  );
  fc.assert(
    fc.property(fc.array(act, { maxLength: 30 }), (acts) => {
      const stored: Comment[] = [];
      const decided: Decision[] = [];
      let heard: Round | null = round([]);
      acts.forEach((a, i) => {
        const news: RoundNews = { version: i + 1 };
        if (a.kind === "decide") {
          const d = { step: "s", verdict: a.verdict, by: me, at: "x", carriedFrom: null };
          decided.push(d);
          news.decision = d;
        } else {
          const at = a.kind === "change" ? stored[a.which % Math.max(1, stored.length)] : undefined;
          const c = at ?? comment(`c${String(i).padStart(3, "0")}`, a.kind === "say" ? a.at : 9);
          if (at) at.text = `${at.text}!`;
          else stored.push(c);
          news.comment = structuredClone(c);
        }
        heard = heard && withNews(heard, newsFrom(JSON.stringify(news)));
      });
      stored.sort((a, b) => a.at.localeCompare(b.at) || a.id.localeCompare(b.id));
      expect(heard?.version).toBe(acts.length);
      expect(heard?.comments).toEqual(stored.map((c) => ({ ...c, mine: true })));
      expect(heard?.decisions).toEqual(decided);
    }),
  );
});

test("what is known changes nothing; what leaves something out asks for all", () => {
  const r = round([comment("a", 0)], [], 4);
  expect(withNews(r, { version: 4 })).toBe(r);
  expect(withNews(r, { version: 3, comment: comment("b", 1) })).toBe(r);
  expect(withNews(r, newsFrom("5"))).toBeNull();
  expect(withNews(r, { version: 6, comment: comment("b", 1) })).toBeNull();
  expect(r.comments).toHaveLength(1);
});

test("only one's own may be changed, and not longer than the server said", () => {
  const r = round([comment("old", 0, { mine: false }), comment("new", 1, { mine: true })]);
  const heard = (c: Comment) => withNews(r, { version: 1, comment: c })?.comments.find((x) => x.id === c.id)?.mine;
  expect(heard(comment("fresh", 2))).toBe(true);
  expect(heard(comment("theirs", 2, { by: { ...me, id: "them" } }))).toBe(false);
  expect(heard(comment("old", 0, { text: "settled" }))).toBe(false);
  expect(heard(comment("new", 1, { text: "changed" }))).toBe(true);
  expect(heard(comment("new", 1, { takenBack: true, text: "" }))).toBe(false);
});
