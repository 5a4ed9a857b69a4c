import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { joint, key, preparation, SOFT, seconds, sequenceOf } from "../../../tests/support/assembly";
import { parseDocument } from "../document/parse";
import type { Preparation } from "../document/preparation";
import type { Sequence } from "../document/sequence";
import { hand, keysOf, STEP_DEFAULTS } from "../document/sequence";
import { applyHistory, History, runCommand } from "./history";
import { freshId } from "./id";
import { EditSchema, meet, patched } from "./patches";
import { dissolveGroup } from "./preparationCommands";
import {
  addStep,
  duplicateStep,
  keepArrivals,
  moveStep,
  removeStep,
  type SequenceCommand,
  setRate,
  updateStep,
  usualStills,
} from "./sequenceCommands";

const base = () => sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] }, {}, {}]);
const keep = (values: Record<string, number>, at = 1, lead = 0.5, ease = key("x", 0, 0, {}).ease): SequenceCommand =>
  keepArrivals("s0", { at: seconds(at), lead: seconds(lead), ease }, [
    { target: { type: "node", key: "root/arm" }, values, name: "Arm" },
  ]);

describe("commands", () => {
  test("keeping at the time of an arrival adds to it; elsewhere makes another in the same move", () => {
    let s = runCommand(base(), keep({ "turn.x": 5 })).document;
    expect(Object.values(s.steps.s0?.moves ?? {})).toHaveLength(1);
    expect(hand(s.steps.s0?.moves["m-root_arm"])?.keys.a?.values).toEqual({ "slide.x": 10, "turn.x": 5 });
    s = runCommand(s, keep({ "turn.x": 9 }, 1.5)).document;
    expect(keysOf(s.steps.s0?.moves["m-root_arm"])).toHaveLength(2);
  });
  test("kept onto an arrival, only what the pose changes takes the lead and ease given", () => {
    const steady = { kind: "soft", start: 0, stop: 0 } as const;
    const led = sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 10, "slide.y": 4, "turn.x": 7 })] }]);
    const keys = (s: Sequence) =>
      keysOf(s.steps.s0?.moves["m-root_arm"]).map((k) => [k.id === "a", Number(k.lead) / seconds(1), k.ease, k.values]);
    const usual = key("x", 0, 0, {}).ease;
    // A value it has already is not changed by the pose.
    const s = runCommand(led, keep({ "slide.x": 12, "turn.x": 7 }, 1, 0.25, steady)).document;
    expect(keys(s)).toEqual([
      [true, 0.5, usual, { "slide.y": 4, "turn.x": 7 }],
      [false, 0.25, steady, { "slide.x": 12 }],
    ]);
    // Again with the same: into the arrival made for it. Everything changed: the arrival itself.
    const again = runCommand(s, keep({ "slide.x": 13, "slide.z": 1 }, 1, 0.25, steady)).document;
    expect(keys(again)[1]).toEqual([false, 0.25, steady, { "slide.x": 13, "slide.z": 1 }]);
    const all = runCommand(led, keep({ "slide.x": 1, "slide.y": 2, "turn.x": 3 }, 1, 0.25, steady)).document;
    expect(keys(all)).toEqual([[true, 0.25, steady, { "slide.x": 1, "slide.y": 2, "turn.x": 3 }]]);
    // Nothing new: nothing changes.
    expect(runCommand(led, keep({ "slide.x": 10 }, 1, 0.25, steady)).document).toEqual(led);
  });
  test("a shape that a channel had at an arrival comes along when the pose changes it", () => {
    const led = runCommand(sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 10, "slide.y": 4 })] }]), (d) => {
      const k = keysOf(d.steps.s0?.moves["m-root_arm"])[0];
      if (k) Object.assign(k, { shapes: { "slide.x": { kind: "straight" } }, split: ["slide.x"] });
    }).document;
    const made = keysOf(runCommand(led, keep({ "slide.x": 12 }, 1, 0.25)).document.steps.s0?.moves["m-root_arm"]);
    expect(made.map((k) => [k.shapes ?? {}, k.split ?? []])).toEqual([
      [{}, []],
      [{ "slide.x": { kind: "straight" } }, ["slide.x"]],
    ]);
  });
  test("a copy of a step has ids of its own and the same content", () => {
    const s = runCommand(base(), duplicateStep("s0", freshId())).document;
    const copy = s.steps[s.stepOrder[1] as string];
    expect(s.stepOrder).toHaveLength(4);
    const ids = (q: Sequence, id: string) =>
      Object.values(q.steps[id]?.moves ?? {}).flatMap((m) => [m.id, ...keysOf(m).map((k) => k.id)]);
    expect(ids(s, copy?.id ?? "").some((i) => ids(s, "s0").includes(i))).toBe(false);
    expect(parseDocument("sequence", s)).toEqual(s);
  });
  test("the last step stays", () => {
    const one = sequenceOf([{}]);
    expect(() => runCommand(one, removeStep("s0"))).toThrow(/at least one step/);
  });
  test("a new rate keeps the seconds, or the frame numbers", () => {
    const s = base();
    expect(runCommand(s, setRate({ num: 25, den: 1 }, "seconds")).document.steps).toEqual(s.steps);
    const f = runCommand(s, setRate({ num: 25, den: 1 }, "frames")).document;
    expect(hand(f.steps.s0?.moves["m-root_arm"])?.keys.a?.at).toBe(seconds(30 / 25));
    expect(runCommand(f, setRate({ num: 30, den: 1 }, "frames")).document).toEqual(s);
  });
});

describe("a new step", () => {
  const stills = (list: [number, number][]) => {
    const s = sequenceOf(list.map(() => ({})));
    list.forEach(([before, after], i) => {
      Object.assign(s.steps[`s${i}`] as object, { stillBefore: before, stillAfter: after });
    });
    return usualStills(s);
  };
  test("has the stills that most steps have, of equals the later ones", () => {
    expect(
      stills([
        [1, 5],
        [2, 5],
        [2, 6],
      ]),
    ).toEqual({ stillBefore: 2, stillAfter: 5 });
    expect(
      stills([
        [1, 5],
        [2, 6],
      ]),
    ).toEqual({ stillBefore: 2, stillAfter: 6 });
    expect(stills([])).toEqual({ stillBefore: STEP_DEFAULTS.stillBefore, stillAfter: STEP_DEFAULTS.stillAfter });
  });
});

describe("undo and redo", () => {
  const command: fc.Arbitrary<SequenceCommand> = fc.oneof(
    fc
      .tuple(fc.integer({ min: -9, max: 9 }), fc.integer({ min: 1, max: 4 }))
      .map(([v, t]) => keep({ "slide.y": v }, t)),
    fc.integer({ min: 0, max: 2 }).map((i) => moveStep("s1", i)),
    fc.integer({ min: 0, max: 90 }).map((f) => updateStep("s1", { stillAfter: seconds(f / 30) })),
    fc.constant(null).map(() => addStep(freshId(), "new")),
  );
  test("undoing everything gives the first state, redoing everything the last", () => {
    fc.assert(
      fc.property(fc.array(command, { minLength: 1, maxLength: 10 }), (commands) => {
        const history = new History();
        const first = base();
        let s = first;
        for (const c of commands) {
          const r = runCommand(s, c);
          if (r.patches.length === 0) continue;
          s = r.document;
          history.push({ label: "x", parts: [{ document: "d", patches: r.patches, inverse: r.inverse }], merge: null });
        }
        const last = s;
        for (let e = history.undo(); e; e = history.undo()) s = applyHistory(s, e.parts[0]?.patches ?? []);
        expect(s).toEqual(first);
        for (let e = history.redo(); e; e = history.redo()) s = applyHistory(s, e.parts[0]?.patches ?? []);
        expect(s).toEqual(last);
      }),
    );
  });
  test("a drag is one entry; after it is sealed the next stands alone", () => {
    const history = new History();
    let s = base();
    const drag = (v: number) => {
      const r = runCommand(s, updateStep("s1", { stillAfter: seconds(v) }));
      s = r.document;
      history.push({
        label: "Still",
        parts: [{ document: "d", patches: r.patches, inverse: r.inverse }],
        merge: "drag",
      });
    };
    [1, 2, 3].forEach(drag);
    history.seal();
    drag(4);
    s = applyHistory(s, history.undo()?.parts[0]?.patches ?? []);
    expect(s.steps.s1?.stillAfter).toBe(seconds(3));
    s = applyHistory(s, history.undo()?.parts[0]?.patches ?? []);
    expect(s).toEqual(base());
    expect(history.undo()).toBeNull();
    expect(history.redoLabel).toBe("Still");
  });
  test("something new forgets what was undone", () => {
    const history = new History();
    history.push({ label: "a", parts: [], merge: null });
    history.undo();
    history.push({ label: "b", parts: [], merge: null });
    expect(history.redo()).toBeNull();
  });
});

describe("keeping a pose onto an arrival", () => {
  test("leaves its shapes and handles set apart", () => {
    const shaped = runCommand(
      sequenceOf([
        {
          "root/arm": [
            {
              ...key("a", 1, 0.5, { "slide.x": 3, "slide.y": 4 }),
              shapes: { "slide.x": { kind: "straight" } },
              split: ["slide.y"],
            },
          ],
        },
      ]),
      () => {},
    ).document;
    const kept = runCommand(
      shaped,
      keepArrivals("s0", { at: seconds(1), lead: seconds(0.5), ease: SOFT }, [
        { target: { type: "node", key: "root/arm" }, values: { "slide.z": 7 }, name: "Arm" },
      ]),
    ).document;
    const after = keysOf(Object.values(kept.steps.s0?.moves ?? {})[0])[0];
    expect(after).toMatchObject({
      values: { "slide.x": 3, "slide.y": 4, "slide.z": 7 },
      shapes: { "slide.x": { kind: "straight" } },
      split: ["slide.y"],
    });
  });
});

describe("patches of two people", () => {
  const patchesOf = (c: SequenceCommand) => runCommand(base(), c).patches;
  test("in different steps do not meet and can be laid over one another in either order", () => {
    const a = patchesOf(updateStep("s0", { title: "A" }));
    const b = patchesOf(updateStep("s1", { title: "B" }));
    expect(meet(a, b)).toBe(false);
    expect(patched(patched(base(), a), b)).toEqual(patched(patched(base(), b), a));
  });
  test("at the same place meet, also when one holds the other", () => {
    expect(meet(patchesOf(updateStep("s0", { title: "A" })), patchesOf(updateStep("s0", { title: "B" })))).toBe(true);
    expect(meet(patchesOf(keep({ "slide.x": 3 })), patchesOf(removeStep("s0")))).toBe(true);
  });
  test("that reach for a prototype are refused", () => {
    expect(() => patched(base(), [{ op: "add", path: ["__proto__", "polluted"], value: true }])).toThrow(/not there/);
    expect(({} as { polluted?: boolean }).polluted).toBeUndefined();
  });
  test("an edit needs an id, a label and patches", () => {
    expect(
      EditSchema.safeParse({ id: freshId(), label: "x", patches: [{ op: "replace", path: ["name"], value: "y" }] })
        .success,
    ).toBe(true);
    expect(
      EditSchema.safeParse({ id: "short", label: "x", patches: [{ op: "replace", path: ["name"], value: "y" }] })
        .success,
    ).toBe(false);
    expect(EditSchema.safeParse({ id: freshId(), label: "x", patches: [] }).success).toBe(false);
  });
});

test("dissolving a group takes its joints and poses along, and no others", () => {
  const prepared = preparation();
  const arm = { type: "node", key: "root/arm" } as const;
  const own = { type: "group", id: "g" } as const;
  const other = { type: "group", id: "h" } as const;
  for (const id of ["g", "h"])
    prepared.groups[id] = {
      ...({ id, name: id, color: null, members: ["root/base"] } as Preparation["groups"][string]),
    };
  for (const [id, target] of [
    ["arm", arm],
    ["own", own],
    ["other", other],
  ] as const) {
    prepared.joints[id] = joint(id, target);
    prepared.poses[id] = { id, name: id, target, values: {} } as unknown as Preparation["poses"][string];
  }
  const done = runCommand(prepared, dissolveGroup("g")).document;
  expect(Object.keys(done.groups)).toEqual(["h"]);
  expect(Object.keys(done.joints)).toEqual(["arm", "other"]);
  expect(Object.keys(done.poses)).toEqual(["arm", "other"]);
});
