import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { smallIndex } from "../../../tests/support/assembly";
import { keyAct, nodesBetween, type RowKey, rowOf, type TreeRow, treeRows } from "./rows";

const index = smallIndex();
const { nodes } = index.assembly;
const named = (key: string) => index.indexOf.get(key) as number;
const assemblies = nodes.flatMap((n, i) => (n.kind === "assembly" ? [i] : []));
const group = { g1: { id: "g1", name: "Screws", members: [nodes[2]?.key as string, "gone/part"] } } as never;
const rows = (more: Partial<Parameters<typeof treeRows>[0]> = {}) =>
  treeRows({ index, groups: {}, found: null, gone: [], turned: new Set(assemblies), ...more });
const keys = (list: readonly TreeRow[]) => list.map((r) => r.key);

describe("the rows of the parts tree", () => {
  test("all that is open stands below what it belongs to, one level in", () => {
    const all = rows();
    expect(all).toHaveLength(nodes.length);
    for (const [at, row] of all.entries()) {
      const { parent } = nodes[row.key as number] as { parent: number };
      const above = all.slice(0, at).findLast((r) => r.depth < row.depth);
      expect(above?.key ?? -1).toBe(parent);
      expect(row.open).toBe(nodes[row.key as number]?.kind === "assembly" ? true : null);
    }
  });
  test("of what is closed only itself is there", () => {
    expect(rows({ turned: new Set() })).toEqual(index.roots.map((key) => ({ key, depth: 0, open: false })));
  });
  test("groups stand first with those members that are there, parts that are gone last", () => {
    const open = new Set<RowKey>(["g:g1", "gone"]);
    const all = rows({ groups: group, gone: ["old/part"], turned: open });
    expect(all[0]).toEqual({ key: "g:g1", depth: 0, open: true });
    expect(all[1]).toEqual({ key: "m:g1:2", depth: 1, open: null });
    expect(all[2]?.key).toBe(index.roots[0]);
    expect(all.slice(-2)).toEqual([
      { key: "gone", depth: 0, open: true },
      { key: "x:old/part", depth: 1, open: null },
    ]);
    expect(keys(rows({ groups: group, gone: ["old/part"], turned: new Set() }))).toEqual([
      ...["g:g1", ...index.roots, "gone"],
    ]);
  });
  test("a search shows what is found and all above it, open, and nothing else", () => {
    const leaf = nodes.findIndex((n) => n.kind === "part" && n.parent >= 0 && (nodes[n.parent]?.parent ?? -1) >= 0);
    const above: number[] = [];
    for (let p = leaf; p >= 0; p = nodes[p]?.parent ?? -1) above.unshift(p);
    expect(above.length).toBeGreaterThan(2);
    const all = rows({ found: [leaf], groups: group, gone: ["old/part"], turned: new Set() });
    expect(keys(all)).toEqual(leaf === 2 ? ["g:g1", "m:g1:2", ...above] : above);
    expect(all.at(-1)).toEqual({ key: leaf, depth: above.length - 1, open: null });
    // What is closed then is closed, and says so.
    const shut = rows({ found: [leaf], turned: new Set([above[1] as number]) });
    expect(shut.at(-1)).toEqual({ key: above[1], depth: 1, open: false });
    // An assembly by itself: what is in it was not found.
    const [first] = index.roots as [number];
    expect(rows({ found: [first], turned: new Set() })).toEqual([{ key: first, depth: 0, open: null }]);
    expect(rows({ found: [], turned: new Set() })).toEqual([]);
  });
  test("a key says what it stands for", () => {
    expect(rowOf(4)).toEqual({ kind: "node", node: 4 });
    expect(rowOf("g:ab")).toEqual({ kind: "group", id: "ab" });
    expect(rowOf("m:ab:7")).toEqual({ kind: "member", id: "ab", node: 7 });
    expect(rowOf("x:a/b:c")).toEqual({ kind: "gone", key: "a/b:c" });
    expect(rowOf("gone")).toEqual({ kind: "head" });
  });
  test("from one row to another, either way, each node once", () => {
    const all = rows({ groups: group, turned: new Set<RowKey>([...assemblies, "g:g1"]) });
    const between = nodesBetween(all, "m:g1:2", 2);
    expect(between).toEqual([...new Set(between)]);
    expect(between).toContain(index.roots[0]);
    expect(new Set(nodesBetween(all, 2, "m:g1:2"))).toEqual(new Set(between));
    expect(nodesBetween(all, 2, "m:g1:999")).toEqual([]);
  });
});

describe("keys in the tree", () => {
  const all = rows();
  const top = index.roots[0] as number;
  test("right opens, then goes in; left closes, then goes out", () => {
    const closed = rows({ turned: new Set() });
    expect(keyAct(closed, 0, "ArrowRight")).toEqual({ toggle: top });
    expect(keyAct(all, 0, "ArrowRight")).toEqual({ to: 1 });
    expect(keyAct(all, 0, "ArrowLeft")).toEqual({ toggle: top });
    const leaf = all.findIndex((r) => r.open === null);
    expect(keyAct(all, leaf, "ArrowRight")).toBeNull();
    const out = keyAct(all, leaf, "ArrowLeft") as { to: number };
    expect(all[out.to]?.key).toBe(nodes[all[leaf]?.key as number]?.parent);
    expect(keyAct(closed, 0, "ArrowLeft")).toBeNull();
  });
  test("Enter chooses, others are nobody's", () => {
    expect(keyAct(all, 1, "Enter")).toEqual({ choose: all[1]?.key, more: false });
    expect(keyAct(all, 1, "Ctrl+Space")).toEqual({ choose: all[1]?.key, more: true });
    expect(keyAct([], -1, "ArrowDown")).toBeNull();
    expect(keyAct(all, -1, "Enter")).toBeNull();
    expect(keyAct(all, 1, "Space")).toBeNull();
    expect(keyAct(all, 1, "KeyA")).toBeNull();
  });
  test("up, down and the ends stay within the rows, from any of them", () => {
    fc.assert(
      fc.property(
        fc.integer({ min: -1, max: all.length - 1 }),
        fc.constantFrom("ArrowUp", "ArrowDown", "Home", "End"),
        (at, code) => {
          const { to } = keyAct(all, at, code) as { to: number };
          expect(to).toBeGreaterThanOrEqual(0);
          expect(to).toBeLessThan(all.length);
          if (code === "ArrowDown") expect(to).toBe(Math.min(all.length - 1, at + 1));
          if (code === "ArrowUp" && at > 0) expect(to).toBe(at - 1);
        },
      ),
    );
  });
  test("named parts of the assembly are among the rows", () => {
    for (const n of nodes) expect(keys(all)).toContain(named(n.key));
  });
});
