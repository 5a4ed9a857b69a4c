import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { History, type HistoryEntry } from "../../core/edit/history";
import { caughtUp, type KeptHistory, lostOf } from "./undoStore";

const entry = (label: string, path: string): HistoryEntry => ({
  label,
  merge: null,
  parts: [
    {
      document: "d",
      patches: [{ op: "replace", path: ["steps", path], value: 2 }],
      inverse: [{ op: "replace", path: ["steps", path], value: 1 }],
    },
  ],
});
const edit = (id: string, revision: number, path: string) => ({
  id,
  revision,
  label: id,
  patches: [{ op: "replace" as const, path: ["steps", path], value: 3 }],
});
const kept = (own: string[] = []): KeptHistory => ({
  entries: [entry("a", "a"), entry("b", "b"), entry("c", "c")],
  done: 2,
  marks: { d: { base: 7, own } },
});
const labels = (h: { entries: HistoryEntry[]; done: number } | null) =>
  h && [h.entries.map((e) => e.label).join(""), h.done];
const at = (revision: number) => [{ id: "d", revision }];
const logged =
  (...edits: ReturnType<typeof edit>[]) =>
  async () =>
    edits;

describe("what could be undone before the page was left", () => {
  test("still can where the document is as it was, or only got what was on its way", async () => {
    expect(labels(await caughtUp(kept(), at(7), logged()))).toEqual(["abc", 2]);
    expect(labels(await caughtUp(kept(["x"]), at(8), logged(edit("w", 7, "q"), edit("x", 8, "b"))))).toEqual([
      "abc",
      2,
    ]);
  });
  test("can no longer where others changed the same meanwhile; the rest can", async () => {
    expect(labels(await caughtUp(kept(), at(8), logged(edit("o", 8, "a"))))).toEqual(["bc", 1]);
    expect(labels(await caughtUp(kept(), at(9), logged(edit("o", 8, "c"), edit("p", 9, "z"))))).toEqual(["ab", 2]);
  });
  test("cannot where nothing tells what happened meanwhile", async () => {
    // The log begins too late; an own edit never came to be; the server has less than was known; a document is gone.
    expect(await caughtUp(kept(), at(9), logged(edit("o", 9, "z")))).toBeNull();
    expect(await caughtUp(kept(["x"]), at(8), logged(edit("o", 8, "z")))).toBeNull();
    expect(await caughtUp(kept(["x"]), at(7), logged())).toBeNull();
    expect(await caughtUp(kept(), at(5), logged())).toBeNull();
    expect(await caughtUp(kept(), [{ id: "e", revision: 1 }], logged())).toBeNull();
  });
  test("is told when it no longer can, and why", async () => {
    const told = async (k: KeptHistory, revision: number, ...edits: ReturnType<typeof edit>[]) =>
      lostOf(k, await caughtUp(k, at(revision), logged(...edits)));
    expect(await told(kept(), 7)).toBeNull();
    expect(await told({ ...kept(), entries: [], done: 0 }, 5)).toBeNull();
    expect(await told(kept(), 8, edit("o", 8, "a"))).toMatch(/^One act from .* someone else changed the same/);
    expect(await told(kept(), 9, edit("o", 9, "z"))).toMatch(/^3 acts from .* not all that happened .* is known/);
  });
});

test("a copy that follows the changes of a history is that history, whatever is done", () => {
  const act = fc.oneof(
    fc.record({ kind: fc.constant("push" as const), merge: fc.option(fc.constantFrom("m", "n")) }),
    fc.record({ kind: fc.constantFrom("undo" as const, "redo" as const, "seal" as const) }),
    fc.record({ kind: fc.constant("foreign" as const), path: fc.constantFrom("0", "1", "2") }),
  );
  fc.assert(
    fc.property(fc.array(act, { maxLength: 40 }), (acts) => {
      let rows = new Map<number, HistoryEntry>();
      let done = 0;
      let first = 0;
      const history: History = new History([], 0, (change) => {
        if (change.kind === "all") {
          rows = new Map(history.all.entries.map((e, i) => [history.all.first + i, structuredClone(e)]));
          done = history.all.first + history.all.done;
        } else if (change.kind === "done") done = change.done;
        else {
          for (const n of [...rows.keys()]) if (n >= change.at || n < change.first) rows.delete(n);
          rows.set(change.at, structuredClone(change.entry));
          done = change.at + 1;
        }
        first = history.all.first;
      });
      acts.forEach((a, i) => {
        if (a.kind === "push") history.push({ ...entry(`e${i}`, String(i % 3)), merge: a.merge });
        else if (a.kind === "foreign") history.rebase("d", [{ op: "replace", path: ["steps", a.path], value: 9 }]);
        else history[a.kind]();
      });
      const copy = [...rows].sort((a, b) => a[0] - b[0]).map(([, e]) => e.parts);
      expect(copy).toEqual(history.all.entries.map((e) => e.parts));
      expect(done - first).toBe(history.all.done);
    }),
  );
});
