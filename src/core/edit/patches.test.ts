import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { runCommand } from "./history";
import { freshId } from "./id";
import { checkEdit, type Edit, EditError, meet, type Patch, patched } from "./patches";

const edit = (...patches: Edit["patches"]): Edit => ({ id: freshId(), label: "x", patches });
const set = (path: (string | number)[], value?: unknown): Edit["patches"][number] => ({ op: "replace", path, value });
const nested = (levels: number) => {
  let v: unknown = 1;
  for (let i = 0; i < levels; i++) v = { v };
  return v;
};
const code = (work: () => unknown) => {
  try {
    work();
  } catch (error) {
    expect(error).toBeInstanceOf(EditError);
    return (error as EditError).code;
  }
  return null;
};

describe("an edit by itself", () => {
  test.each([
    ["a name that reaches into prototypes", edit(set(["a", "__proto__", "b"], 1)), "name"],
    ["such a name inside a value", edit(set(["a"], JSON.parse('{"x":{"__proto__":{"y":1}}}'))), "name"],
    ["half a letter", edit(set(["a"], "x\ud83d")), "text"],
    ["half a letter as a name", edit(set(["a"], { "\udc00": 1 })), "text"],
    ["a number that is none", edit(set(["a"], [Number.NaN])), "number"],
    ["values nested without end", edit(set(["a"], nested(100_000))), "depth"],
  ])("with %s is refused", (_, e, what) => expect(code(() => checkEdit(e))).toBe(what));
  test("of whole letters of any alphabet is taken", () =>
    expect(code(() => checkEdit(edit(set(["a"], "ポンプ 🛠 é"))))).toBeNull());
});

describe("patches of a document", () => {
  const body = Object.freeze({ list: Object.freeze([1, 2, 3]), inner: Object.freeze({ a: 1 }) });
  test.each([
    ["an index past the end", set(["list", 1_000_000], 1), "index"],
    ["the length of a list", set(["list", "length"], 4_000_000), "index"],
    ["an addition behind the end", { op: "add" as const, path: ["list", 4], value: 1 }, "index"],
    ["a removal of what is not there", { op: "remove" as const, path: ["list", 3] }, "index"],
    ["a path that leads nowhere", set(["none", "a"], 1), "path"],
    ["a path through a number", set(["inner", "a", "b"], 1), "path"],
    ["a prototype", set(["constructor", "prototype", "x"], 1), "path"],
    ["a method", set(["list", "push"], 1), "index"],
  ])("with %s are refused at once", (_, p, what) => expect(code(() => patched(body, [p]))).toBe(what));
  test("add, replace and remove", () => {
    const out = patched(body, [
      { op: "add", path: ["list", 1], value: 9 },
      { op: "remove", path: ["list", 0] },
      set(["inner", "b"], { c: 1 }),
      set(["inner", "b", "c"], 2),
      { op: "remove", path: ["inner", "a"] },
    ]);
    expect(out).toEqual({ list: [9, 2, 3], inner: { b: { c: 2 } } });
    expect(body.list).toEqual([1, 2, 3]);
  });
  test("leave the patches as they are, so that they can be applied again", () => {
    const patches = [set(["inner"], { deep: { n: 1 } }), set(["inner", "deep", "n"], 2)];
    expect(patched(body, patches)).toEqual(patched(body, patches));
    expect(patches[0]?.value).toEqual({ deep: { n: 1 } });
  });
});

interface Doc {
  a: Record<string, { t: number; list: number[] }>;
  list: { n: number }[];
}
const start = (): Doc => ({
  a: { x: { t: 0, list: [1, 2, 3] }, y: { t: 0, list: [] } },
  list: [{ n: 1 }, { n: 2 }, { n: 3 }],
});
type Act = (d: Doc) => void;
const at = (d: Doc, k: string) => d.a[k] as Doc["a"][string];
const act: fc.Arbitrary<Act> = fc.oneof(
  fc.record({ k: fc.constantFrom("x", "y"), v: fc.nat(9) }).map(
    ({ k, v }): Act =>
      (d) =>
        Object.assign(at(d, k), { t: v }),
  ),
  fc.record({ k: fc.constantFrom("x", "y"), v: fc.nat(9) }).map(
    ({ k, v }): Act =>
      (d) =>
        void at(d, k).list.push(v),
  ),
  fc.record({ k: fc.constantFrom("x", "y"), i: fc.nat(3) }).map(
    ({ k, i }): Act =>
      (d) =>
        void at(d, k).list.splice(i, 1),
  ),
  fc.nat(2).map(
    (i): Act =>
      (d) =>
        void d.list.splice(i, 1),
  ),
  fc.record({ i: fc.nat(2), v: fc.nat(9) }).map(
    ({ i, v }): Act =>
      (d) =>
        Object.assign(d.list[i] as { n: number }, { n: v }),
  ),
  fc.constantFrom("x", "z").map(
    (k): Act =>
      (d) => {
        if (k in d.a) delete d.a[k];
        else d.a[k] = { t: 1, list: [] };
      },
  ),
);

describe("edits of two people", () => {
  test("that do not meet give the same in either order", () => {
    let apart = 0;
    fc.assert(
      fc.property(act, act, (one, two) => {
        const a = runCommand(start(), one).patches;
        const b = runCommand(start(), two).patches;
        expect(meet(a, b)).toBe(meet(b, a));
        if (a.length === 0 || b.length === 0 || meet(a, b)) return;
        apart++;
        const json = (v: unknown) => JSON.parse(JSON.stringify(v));
        expect(json(patched(patched(start(), json(a)), json(b)))).toEqual(
          json(patched(patched(start(), json(b)), json(a))),
        );
      }),
      { numRuns: 400 },
    );
    expect(apart).toBeGreaterThan(40);
  });
  test("a list that one shortens is not to be reached into by the other", () => {
    const shorter: Patch[] = [{ op: "remove", path: ["list", 2] }];
    expect(meet(shorter, [{ op: "replace", path: ["list", 0, "n"], value: 1 }])).toBe(true);
    expect(meet([{ op: "replace", path: ["list", 0, "n"], value: 1 }], shorter)).toBe(true);
    expect(meet([{ op: "add", path: ["list", 3], value: 1 }], [{ op: "add", path: ["list", 3], value: 2 }])).toBe(true);
    expect(
      meet([{ op: "replace", path: ["list", 0, "n"], value: 1 }], [{ op: "replace", path: ["list", 1], value: 1 }]),
    ).toBe(false);
  });
  test("a hundred thousand patches on either side are compared at once", () => {
    const many = (step: string) =>
      Array.from({ length: 100_000 }, (_, i): Patch => ({ op: "replace", path: ["steps", step, `k${i}`], value: 1 }));
    expect(meet(many("a"), many("b"))).toBe(false);
    expect(meet(many("a"), [{ op: "remove", path: ["steps"] }])).toBe(true);
  });
});
