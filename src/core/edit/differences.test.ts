import fc from "fast-check";
import { produce } from "immer";
import { describe, expect, test } from "vitest";
import { differences, withDifferences } from "./differences";

describe("in what a document differs from an older one", () => {
  const before = { name: "a", steps: { s: { moves: { m: { at: 1 }, n: { at: 2 } }, title: "x" } }, order: ["s", "t"] };

  test("is told by its place alone, and brought in it is the newer, the rest the older's own", () => {
    const now = produce(before, (d) => {
      d.steps.s.moves.m.at = 5;
      d.order.push("u");
    });
    const list = differences(before, now);
    expect(list).toEqual([
      { path: ["steps", "s", "moves", "m", "at"], value: 5 },
      { path: ["order"], value: ["s", "t", "u"] },
    ]);
    const made = withDifferences(before, structuredClone(list));
    expect(made).toEqual(now);
    expect(made.steps.s.moves.n).toBe(before.steps.s.moves.n);
    expect(before.steps.s.moves.m.at).toBe(1);
  });
  test("is nothing where nothing differs", () => {
    expect(differences(before, before)).toEqual([]);
    expect(withDifferences(before, [])).toBe(before);
  });
  test("what is put between others comes where it was put", () => {
    const now: Record<string, unknown> = { ...before, steps: { s: { moves: { m: 1, l: 2, n: 3 }, title: "x" } } };
    const made = withDifferences<object>(before, differences(before, now)) as typeof now;
    expect(JSON.stringify(made)).toBe(JSON.stringify(now));
  });
  test("of another document leads nowhere, and says so", () => {
    expect(() => withDifferences({ a: {} }, [{ path: ["b", "c"], value: 1 }])).toThrow("Nothing is at b / c");
  });
  test("whatever the two are, brought in it is the newer, key by key", () => {
    // A wrapper: the outermost object keeps its fields, as documents do.
    const tree = fc.jsonValue({ maxDepth: 4 }).map((v) => ({ v }));
    fc.assert(
      fc.property(tree, tree, (a, b) => {
        const was = JSON.stringify(a);
        const made = withDifferences(a, structuredClone(differences(a, b)));
        expect(JSON.stringify(made)).toBe(JSON.stringify(b));
        expect(JSON.stringify(a)).toBe(was);
      }),
      // -0 is written as 0 and told from it all the same.
      { numRuns: 300 },
    );
  });
});
