import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { key, preparation, sequenceOf } from "../../../tests/support/assembly";
import { type BoxPart, boxPackage } from "../../../tests/support/boxes";
import { indexAssembly } from "../assembly/assembly";
import type { Look } from "../document/looks";
import type { Move, Sequence } from "../document/sequence";
import type { Triple } from "../math/triple";
import { identitiesOf, missingFinder, namedIdentities, stepsOf, withIdentities } from "./identity";
import { compareRevisions, matchRevisions, SURE } from "./match";
import { signatures } from "./signature";

const part = (name: string, at: Triple, size: Triple = [10, 10, 10]): BoxPart => ({ name, at, size });
const screw = (at: Triple) => part("Screw", at, [4, 4, 12]);
const machine = (): BoxPart[] => [
  part("Plate", [0, 0, 0], [100, 60, 8]),
  {
    name: "Cover",
    at: [0, 0, 20],
    children: [part("Shell", [0, 0, 0], [80, 40, 20]), part("Seal", [0, 0, -11], [82, 42, 2])],
  },
  screw([-40, -20, 10]),
  screw([40, -20, 10]),
  screw([-40, 20, 10]),
  screw([40, 20, 10]),
];

function compare(before: BoxPart[], after: BoxPart[]) {
  const [a, b] = [boxPackage("Machine", before), boxPackage("Machine", after)];
  const [ia, ib] = [indexAssembly(a.assembly), indexAssembly(b.assembly)];
  const [sa, sb] = [signatures(ia, a), signatures(ib, b)];
  const matches = matchRevisions(sa, sb);
  const moved = (o: number, n: number) =>
    Math.hypot(...(sa[o]?.middle ?? []).map((v, k) => v - (sb[n]?.middle[k] ?? 0))) > 1e-6;
  const lines = compareRevisions(sa, sb, matches, moved);
  /** Old key to where its match stands now. */
  const place = (oldKey: string) => {
    const m = matches.find((x) => sa[x.old]?.key === oldKey);
    return m ? sb[m.next]?.middle : undefined;
  };
  const of = (oldKey: string) => lines.find((l) => sa[l.old]?.key === oldKey);
  return { a, b, sa, sb, matches, lines, place, of };
}

describe("matching a revision", () => {
  test("the same file matches wholly, part by part", () => {
    const { lines, sa, sb } = compare(machine(), machine());
    expect(
      lines.every((l) => l.changes[0] === "same" && sa[l.old]?.key === sb[l.next]?.key && l.confidence === 1),
    ).toBe(true);
  });

  test("all names changed: everything is renamed, nothing lost", () => {
    const rename = (list: BoxPart[], i = 0): BoxPart[] =>
      list.map((p, k) => ({
        ...p,
        name: `P-${i}${k}-${p.name.length}`,
        ...(p.children ? { children: rename(p.children, k + 1) } : {}),
      }));
    const { lines, place } = compare(machine(), rename(machine()));
    expect(lines.some((l) => l.changes.includes("gone") || l.changes.includes("new"))).toBe(false);
    expect(lines.filter((l) => l.changes.includes("renamed"))).toHaveLength(8);
    expect(place("Machine/Screw#3")).toEqual([-40, 20, 10]);
    expect(place("Machine/Cover/Seal")).toEqual([0, 0, 9]);
  });

  test("a screw inserted before the others shifts none of them", () => {
    const after = machine();
    after.splice(2, 0, screw([0, 25, 10]));
    const { lines, place, sb } = compare(machine(), after);
    expect(place("Machine/Screw")).toEqual([-40, -20, 10]);
    expect(place("Machine/Screw#2")).toEqual([40, -20, 10]);
    expect(place("Machine/Screw#4")).toEqual([40, 20, 10]);
    const added = lines.filter((l) => l.changes.includes("new"));
    expect(added.map((l) => sb[l.next]?.middle)).toEqual([[0, 25, 10]]);
  });

  test("a screw left out is the one that is gone", () => {
    const after = machine().filter((_, i) => i !== 3);
    const { of, place } = compare(machine(), after);
    expect(of("Machine/Screw#2")?.changes).toEqual(["gone"]);
    expect(place("Machine/Screw#3")).toEqual([-40, 20, 10]);
  });

  test("two identical parts listed the other way round stay where they were", () => {
    const after = machine();
    [after[2], after[5]] = [after[5] as BoxPart, after[2] as BoxPart];
    const { place, lines } = compare(machine(), after);
    expect(place("Machine/Screw")).toEqual([-40, -20, 10]);
    expect(place("Machine/Screw#4")).toEqual([40, 20, 10]);
    expect(lines.every((l) => l.changes.includes("same"))).toBe(true);
  });

  test("one part split in two: one at most is taken for it, and not as sure", () => {
    const after = machine();
    after.splice(0, 1, part("Plate left", [-25, 0, 0], [50, 60, 8]), part("Plate right", [25, 0, 0], [50, 60, 8]));
    const { of, lines } = compare(machine(), after);
    const plate = of("Machine/Plate");
    expect(plate?.changes.includes("gone") || (plate?.confidence ?? 1) < SURE).toBe(true);
    expect(lines.filter((l) => l.changes.includes("new")).length).toBeGreaterThanOrEqual(1);
  });

  test("a longer part in its place is reshaped; one that moved is moved", () => {
    const after = machine();
    after[0] = part("Plate", [0, 0, 0], [120, 60, 8]);
    (after[1] as BoxPart).at = [0, 0, 26];
    const { of } = compare(machine(), after);
    expect(of("Machine/Plate")?.changes).toEqual(["reshaped"]);
    expect(of("Machine/Cover/Shell")?.changes).toEqual(["moved"]);
    expect(of("Machine/Cover/Shell")?.movedMm).toBeCloseTo(6, 9);
  });

  test("a part taken out of a sub-assembly is found again under its new owner", () => {
    const after = machine();
    const cover = after[1] as BoxPart;
    cover.children = (cover.children ?? []).filter((p) => p.name !== "Seal");
    after.push(part("Seal", [0, 0, 9], [82, 42, 2]));
    const { of } = compare(machine(), after);
    expect(of("Machine/Cover/Seal")?.changes).toEqual(["same"]);
  });

  test("namesakes that all moved by little keep their neighbours' places apart, and are doubted", () => {
    const after = machine().map((p) =>
      p.name === "Screw" ? { ...p, at: p.at.map((v, k) => v + (k === 0 ? 1 : 0)) as Triple } : p,
    );
    const { place, of } = compare(machine(), after);
    expect(place("Machine/Screw#2")).toEqual([41, -20, 10]);
    expect(of("Machine/Screw#2")?.changes).toContain("moved");
  });
});

describe("identities", () => {
  const step = (from: BoxPart[], to: BoxPart[], before: Record<string, string> = {}, reserved = new Set<string>()) => {
    const { a, b, matches } = compare(from, to);
    const oldIdentity = (i: number) => before[a.assembly.nodes[i]?.key ?? ""] ?? (a.assembly.nodes[i]?.key as string);
    return identitiesOf(b.assembly, oldIdentity, matches, reserved);
  };

  test("a revision and then the old one again give every part its first identity", () => {
    const shuffles = fc.shuffledSubarray([0, 1, 2, 3, 4, 5], { minLength: 6 });
    fc.assert(
      fc.property(shuffles, fc.boolean(), (order, extra) => {
        const after = order.map((i) => machine()[i] as BoxPart);
        if (extra) after.unshift(screw([0, 0, 30]));
        const there = step(machine(), after);
        const back = step(after, machine(), there);
        expect(back).toEqual({});
      }),
      { numRuns: 30 },
    );
  });

  test("a new part never takes the identity of one that is gone", () => {
    const after = machine().filter((_, i) => i !== 5);
    after.push(part("Screw", [0, 25, 10], [9, 30, 2]));
    const ids = step(machine(), after, {}, new Set(["Machine/Screw#4"]));
    expect(Object.values(ids)).not.toContain("Machine/Screw#4");
    expect(ids["Machine/Screw#4"]).toBe("Machine/Screw#4~2");
    const renamed = withIdentities(boxPackage("Machine", after).assembly, ids);
    expect(new Set(renamed.nodes.map((n) => n.key)).size).toBe(renamed.nodes.length);
  });

  test("the steps that a part takes part in are told, by its own moves and its group's", () => {
    const p = { ...preparation(), groups: { g: { id: "g", name: "G", members: ["root/base"] } } };
    const sequence = sequenceOf([
      { "root/base": [key("k", 1, 1, { "slide.x": 3 }), key("l", 2, 0.5, { "slide.x": 0 })] },
      {},
    ]);
    expect(stepsOf("root/base", p, [{ id: "q", body: sequence }]).map((s) => [s.step, s.arrivals])).toEqual([
      ["s0", 2],
    ]);
    expect(stepsOf("root/arm", p, [{ id: "q", body: sequence }])).toEqual([]);
  });

  test("what is missing is found after every edit as if all were looked through, and is looked for where the edit was", () => {
    const index = indexAssembly(boxPackage("Machine", machine()).assembly);
    const there = index.assembly.nodes.map((n) => n.key);
    const someKey = fc.constantFrom(
      ...there.slice(0, 4),
      "Machine/Plate~copy-7",
      "Machine/Gone",
      "Machine/Gone/too",
      "Machine/Gone~copy-7",
    );
    const back = (id: string, of: string, own: string): Move =>
      ({
        ...{ id, name: id, on: true, folder: null, colour: null, note: "", kind: "back", start: 0, length: 1 },
        ease: { kind: "steady" },
        targets: [{ type: "node", key: own }],
        settings: { of: { step: "s0", move: of }, companions: false, own: false },
      }) as unknown as Move;
    // An edit replaces what it touches and keeps all else, as edits of documents do.
    const edit = fc.oneof(
      fc.record({ what: fc.constant("node" as const), key: someKey }),
      fc.record({ what: fc.constant("group" as const), id: fc.constantFrom("g", "h"), key: someKey }),
      fc.record({ what: fc.constant("look" as const), id: fc.constantFrom("a", "b"), key: someKey }),
      fc.record({ what: fc.constant("move" as const), step: fc.constantFrom("s0", "s1"), key: someKey }),
      fc.record({ what: fc.constant("back" as const), step: fc.constantFrom("s0", "s1"), key: someKey }),
      fc.record({ what: fc.constant("empty" as const), step: fc.constantFrom("s0", "s1") }),
    );
    fc.assert(
      fc.property(fc.array(edit, { maxLength: 8 }), (edits) => {
        const missing = missingFinder(index);
        let p = preparation();
        let s = sequenceOf([{}, {}]);
        const inStep = (id: string, moves: Record<string, Move>) => {
          const step = s.steps[id] as Sequence["steps"][string];
          s = { ...s, steps: { ...s.steps, [id]: { ...step, moves } } };
        };
        for (const e of edits) {
          if (e.what === "node") p = { ...p, nodes: { ...p.nodes, [e.key]: { hidden: true } } };
          if (e.what === "group")
            p = { ...p, groups: { ...p.groups, [e.id]: { id: e.id, name: "G", members: [e.key] } } };
          if (e.what === "look")
            p = { ...p, looks: { ...p.looks, [e.id]: { nodes: { [e.key]: { hidden: true } } } as unknown as Look } };
          if (e.what === "move")
            inStep(e.step, { m: Object.values(sequenceOf([{ [e.key]: [] }]).steps.s0?.moves ?? {})[0] as Move });
          if (e.what === "back") inStep(e.step, { ...s.steps[e.step]?.moves, back: back("back", "m", e.key) });
          if (e.what === "empty") inStep(e.step, {});
          const all = [...namedIdentities(p, [s])].filter((k) => !index.indexOf.has(k));
          expect(new Set(missing(p, [s]))).toEqual(new Set(all));
        }
        // What nothing touched is not looked through again.
        let looked = 0;
        const look = {
          get nodes() {
            looked++;
            return {};
          },
        } as unknown as Look;
        p = { ...p, looks: { ...p.looks, watched: look } };
        missing(p, [s]);
        missing({ ...p, nodes: {} }, [s]);
        expect(looked).toBe(1);
      }),
      { numRuns: 100 },
    );
  });
});
