import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { key, preparation, seconds, sequenceOf } from "../../tests/support/assembly";
import { smallDesk } from "../../tests/support/desk";
import { EditServer } from "../../tests/support/editServer";
import type { Sequence } from "../core/document/sequence";
import { keysOf } from "../core/document/sequence";
import { setFlag } from "../core/edit/preparationCommands";
import { removeStep } from "../core/edit/sequenceCommands";
import { combo, SHORTCUTS } from "../ui/desk/shortcuts";
import { keepPending } from "./acts/keeping";
import { bringHere, dropPending } from "./acts/pending";
import { pend } from "./acts/posing";
import { removeFocused } from "./acts/removing";
import { selectTimed } from "./acts/timingActions";
import { dropAside } from "./documents/asides";
import { readChanges, writeChanges } from "./documents/changesFile";
import { openSequence } from "./documents/otherSequences";
import type { Desk } from "./port";
import { climb, select, selectGroup } from "./selection/selecting";

const ARM = { type: "node", key: "root/arm" } as const;

let server: EditServer<Sequence>;
let desk: Desk;
const start = () => sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] }, {}]);
beforeEach(() => {
  vi.useFakeTimers();
  server = new EditServer(start());
  vi.stubGlobal("fetch", server.answer);
  vi.stubGlobal("cancelAnimationFrame", () => {});
  desk = smallDesk(start());
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});
const settle = () => vi.advanceTimersByTimeAsync(500);
const rename = (title: string, step = "s0") =>
  desk.edit("Title of step", (d) => {
    (d.steps[step] as Sequence["steps"][string]).title = title;
  });

describe("saving", () => {
  test("edits arrive in order; undo and redo are edits too", async () => {
    rename("one");
    rename("two");
    desk.undo();
    desk.redo();
    expect(desk.state.save.state).toBe("saving");
    await settle();
    expect(server.body.steps.s0?.title).toBe("two");
    expect(server.log.map((l) => l.label)).toEqual([
      "Title of step",
      "Title of step",
      "Undo: Title of step",
      "Redo: Title of step",
    ]);
    expect(desk.state.save).toEqual({ state: "saved", waiting: 0, onlyHere: 0 });
  });
  test("while the server is away they wait, and are sent when it is back", async () => {
    server.down = true;
    rename("offline");
    await settle();
    expect(desk.state.save).toEqual({ state: "offline", waiting: 1, onlyHere: 0 });
    server.down = false;
    await vi.advanceTimersByTimeAsync(10_000);
    expect(server.body.steps.s0?.title).toBe("offline");
    expect(desk.state.save.state).toBe("saved");
  });
  test("another's edit elsewhere is laid under ours", async () => {
    server.apply([
      {
        id: "x".repeat(20),
        label: "theirs",
        patches: [{ op: "replace", path: ["steps", "s1", "title"], value: "theirs" }],
      },
    ]);
    rename("mine");
    await settle();
    expect([server.body.steps.s0?.title, server.body.steps.s1?.title]).toEqual(["mine", "theirs"]);
    expect(desk.sequence.steps.s1?.title).toBe("theirs");
  });
  test("another's edit of the same thing: theirs stays, ours is kept as a copy, and it is said", async () => {
    server.apply([
      {
        id: "x".repeat(20),
        label: "theirs",
        patches: [{ op: "replace", path: ["steps", "s0", "title"], value: "theirs" }],
      },
    ]);
    rename("mine");
    await settle();
    expect(desk.sequence.steps.s0?.title).toBe("theirs");
    expect(server.documents).toMatchObject([
      { kind: "sequence", body: { name: "Test (kept copy)", steps: { s0: { title: "mine" } } } },
    ]);
    expect(desk.state.sequences.map((s) => s.body.name)).toEqual(["Test", "Test (kept copy)"]);
    expect(desk.state.notice?.text).toMatch(/Both are kept/);
  });
  test("another's edit elsewhere leaves undo as it was; one of the same thing takes that entry alone out of it", async () => {
    rename("mine", "s0");
    rename("mine too", "s1");
    await settle();
    server.apply([
      {
        id: "x".repeat(20),
        label: "theirs",
        patches: [{ op: "replace", path: ["steps", "s1", "title"], value: "theirs" }],
      },
    ]);
    desk.edit("Caption", (d) => {
      (d.steps.s0 as Sequence["steps"][string]).caption = "words";
    });
    await settle();
    expect(desk.sequence.steps.s1?.title).toBe("theirs");
    desk.undo();
    expect([desk.sequence.steps.s0?.caption, desk.state.undoLabel]).toEqual(["", "Title of step"]);
    desk.undo();
    expect([desk.sequence.steps.s0?.title, desk.sequence.steps.s1?.title]).toEqual(["Step 0", "theirs"]);
    expect(desk.state.undoLabel).toBeNull();
  });
  test("what meets another's and cannot be kept as a copy is set aside, and can be made again", async () => {
    server.full = true;
    server.apply([
      {
        id: "x".repeat(20),
        label: "theirs",
        patches: [{ op: "replace", path: ["steps", "s0", "title"], value: "theirs" }],
      },
    ]);
    rename("mine");
    await settle();
    expect(desk.sequence.steps.s0?.title).toBe("theirs");
    expect(desk.state.asides).toMatchObject([
      { document: "seq", name: "Test", reason: "conflict", edits: [{ label: "Title of step" }] },
    ]);
    const [aside] = desk.state.asides;
    expect(desk.documents.again("seq", aside?.edits ?? [])).toBeNull();
    expect(desk.sequence.steps.s0?.title).toBe("mine");
    await dropAside(desk, aside?.id ?? "");
    await settle();
    expect(server.body.steps.s0?.title).toBe("mine");
    expect(desk.state.asides).toEqual([]);
    desk.undo();
    expect(desk.sequence.steps.s0?.title).toBe("theirs");
    expect(
      desk.documents.again("seq", [
        {
          id: "y".repeat(20),
          label: "late",
          patches: [{ op: "replace", path: ["steps", "gone", "title"], value: "" }],
        },
      ]),
    ).toMatch(/is not there/);
    expect(desk.documents.again("elsewhere", aside?.edits ?? [])).toMatch(/no longer in this project/);
  });
  test("what the server will never take is set aside with its reason, and what was done after it is saved", async () => {
    server.refused.add("Bad");
    desk.edit("Bad", (d) => {
      (d.steps.s0 as Sequence["steps"][string]).title = "refused";
    });
    rename("after", "s1");
    await settle();
    expect([desk.sequence.steps.s0?.title, desk.sequence.steps.s1?.title]).toEqual(["Step 0", "after"]);
    expect([server.body.steps.s0?.title, server.body.steps.s1?.title]).toEqual(["Step 0", "after"]);
    expect(desk.state.save.state).toBe("saved");
    expect(desk.state.asides).toMatchObject([
      { reason: "refused", message: "It is not valid.", edits: [{ label: "Bad" }] },
    ]);
    expect(desk.state.notice).toMatchObject({ tone: "problem", text: expect.stringContaining("It is not valid.") });
  });
  test("what could never be saved is not made at all", () => {
    rename("half a letter \ud800");
    expect(desk.sequence.steps.s0?.title).toBe("Step 0");
    expect(desk.state.notice?.text).toMatch(/lone surrogate/);
    expect(desk.state.undoLabel).toBeNull();
    expect(desk.state.save.waiting).toBe(0);
  });
  test("without storage the page says that edits are in it alone, and a file of them can be taken in again", async () => {
    const bare = smallDesk(start(), preparation(), 0, null);
    server.down = true;
    bare.edit("Title", (d) => {
      (d.steps.s0 as Sequence["steps"][string]).title = "only here";
    });
    await settle();
    expect(bare.state.save).toEqual({ state: "offline", waiting: 1, onlyHere: 1 });
    const text = writeChanges({
      project: "p",
      documents: bare.documents.waiting().map(({ document, edits }) => ({ id: document, name: "Test", edits })),
    });
    server.down = false;
    const other = smallDesk(start());
    for (const d of readChanges(text).documents) expect(other.documents.again(d.id, d.edits)).toBeNull();
    await settle();
    expect(server.body.steps.s0?.title).toBe("only here");
    for (const bad of ["{", "{}", '{"format":"plextan-changes","version":2}'])
      expect(() => readChanges(bad)).toThrow(/not a file of changes/);
  });
});

describe("a pending pose", () => {
  test("waits where it was made, is kept as an arrival of only what changed, and then is gone", () => {
    desk.seek(seconds(5));
    pend(desk, ARM, { "slide.z": 64 });
    pend(desk, ARM, { "turn.x": 35 });
    desk.seek(seconds(1));
    expect(desk.valueOf(ARM, "slide.z")).toBe(0);
    desk.seek(seconds(5));
    expect(desk.valueOf(ARM, "slide.z")).toBe(64);
    desk.set({ arriving: { ...desk.state.arriving, lead: seconds(0.9) } });
    expect(keepPending(desk)).toBe(true);
    expect(desk.state.pending).toEqual({});
    const arrival = keysOf(Object.values(desk.sequence.steps.s1?.moves ?? {})[0])[0];
    expect(arrival).toMatchObject({ at: seconds(1.5), lead: seconds(0.9), values: { "slide.z": 64, "turn.x": 35 } });
    expect(Object.keys(arrival?.values ?? {})).toHaveLength(2);
    desk.undo();
    expect(desk.sequence).toEqual(start());
  });
  test("elsewhere it stays, and another begins; each is kept at its own time", () => {
    desk.seek(seconds(2));
    pend(desk, ARM, { "slide.z": 5 });
    desk.seek(seconds(2.4));
    expect(desk.valueOf(ARM, "slide.z")).toBe(0);
    expect(pend(desk, ARM, { "slide.z": 9 })).toBe(true);
    expect([desk.valueOf(ARM, "slide.z"), Object.keys(desk.state.pending)]).toEqual([
      9,
      ["n:root/arm", `n:root/arm@${seconds(2.4)}`],
    ]);
    desk.seek(seconds(2));
    expect(desk.valueOf(ARM, "slide.z")).toBe(5);
    desk.set({ arriving: { lead: "previous", ease: desk.state.arriving.ease } });
    expect(keepPending(desk)).toBe(true);
    const kept = keysOf(desk.sequence.steps.s0?.moves["m-root_arm"]).filter((k) => "slide.z" in k.values);
    expect(kept.map((k) => [k.at / seconds(1), k.values["slide.z"], k.lead])).toEqual([
      [1.5, 5, "previous"],
      [1.9, 9, "previous"],
    ]);
  });
  test("brought along, poses of one thing become one; dropped they are gone", () => {
    for (const [t, v] of [
      [2, { "slide.z": 5, "slide.x": 1 }],
      [2.4, { "slide.z": 9 }],
    ] as const) {
      desk.seek(seconds(t));
      pend(desk, ARM, v);
    }
    desk.seek(seconds(4));
    bringHere(desk);
    expect(Object.values(desk.state.pending)).toMatchObject([
      { at: seconds(4), values: { "slide.z": 9, "slide.x": 1 } },
    ]);
    dropPending(desk);
    expect(desk.valueOf(ARM, "slide.z")).toBe(0);
    expect(desk.sequence).toEqual(start());
  });
  test("is not lost by opening another sequence", () => {
    const other = { id: "other", body: { ...start(), name: "Other" } };
    desk.set({ sequences: [...desk.state.sequences, other] });
    desk.seek(seconds(2));
    pend(desk, ARM, { "slide.z": 5 });
    openSequence(desk, "other");
    expect(desk.state.sequenceId).toBe("seq");
    expect(Object.values(desk.state.pending)).toHaveLength(1);
    expect(desk.state.notice?.text).toMatch(/Keep or drop it/);
    dropPending(desk);
    openSequence(desk, "other");
    expect(desk.sequence.name).toBe("Other");
  });
  test("of a part or a group is there again with its sequence, and with no other", () => {
    const kept = new Map<string, string>();
    vi.stubGlobal("localStorage", {
      getItem: (k: string) => kept.get(k) ?? null,
      setItem: (k: string, v: string) => kept.set(k, v),
      removeItem: (k: string) => kept.delete(k),
    });
    const prepared = { ...preparation(), groups: { g: { id: "g", name: "Pair", members: ["root/base"] } } };
    const GROUP = { type: "group", id: "g" } as const;
    const opened = () => {
      const made = smallDesk(start(), prepared);
      made.set({ sequences: [...made.state.sequences, { id: "other", body: { ...start(), name: "Other" } }] });
      return made;
    };
    const first = opened();
    first.seek(seconds(2));
    select(first, [first.index.indexOf.get("root/arm") as number]);
    pend(first, ARM, { "slide.z": 5 });
    selectGroup(first, "g");
    pend(first, GROUP, { "slide.x": 7 });
    expect(Object.keys(first.state.pending)).toHaveLength(2);
    const again = opened();
    again.seek(seconds(2));
    expect([again.valueOf(ARM, "slide.z"), again.valueOf(GROUP, "slide.x")]).toEqual([5, 7]);
    dropPending(again);
    openSequence(again, "other");
    again.seek(seconds(3));
    pend(again, ARM, { "slide.z": 1 });
    expect(opened().state.pending).toEqual({});
    expect(kept.get("plextan-sequence-p")).toContain("other");
    vi.unstubAllGlobals();
  });
  test("in a still it is not kept but not lost either; at the first frame it snaps", () => {
    desk.seek(seconds(3.2));
    pend(desk, ARM, { "slide.z": 5 });
    expect(keepPending(desk)).toBe(false);
    expect(desk.state.notice?.text).toMatch(/still before "Step 1".*Go past 3.5 s/);
    desk.seek(seconds(3.5));
    bringHere(desk);
    // At the step's first frame there is nothing to lead: it is there at once.
    expect(keepPending(desk)).toBe(true);
    expect(keysOf(Object.values(desk.sequence.steps.s1?.moves ?? {})[0]).map((k) => [k.at, k.lead])).toEqual([[0, 0]]);
  });
  test("what arrives there already is not kept again, and that is said", () => {
    desk.seek(seconds(1.5));
    pend(desk, ARM, { "slide.x": 10 });
    keepPending(desk);
    expect([desk.sequence, desk.state.pending]).toEqual([start(), {}]);
    expect(desk.state.notice?.text).toMatch(/^It arrives there with these values already/);
  });
  test("a lead that was shortened is said so", () => {
    desk.seek(seconds(4));
    pend(desk, ARM, { "slide.z": 5 });
    desk.set({ arriving: { ...desk.state.arriving, lead: seconds(3) } });
    keepPending(desk);
    expect(desk.state.notice).toMatchObject({
      tone: "info",
      text: "The lead of 3 s did not fit and was shortened to 0.5 s.",
    });
  });
});

describe("going about", () => {
  test("frames land on frame starts; jumps go to arrivals and step edges", () => {
    desk.seek(seconds(1.01));
    desk.stepFrames(1);
    expect(desk.state.ticks).toBe(seconds(31 / 30));
    desk.stepFrames(-1);
    expect(desk.state.ticks).toBe(seconds(1));
    const stops: number[] = [];
    desk.seek(0);
    for (let i = 0; i < 4; i++) {
      desk.jump(1);
      stops.push(desk.state.ticks / seconds(1));
    }
    expect(stops).toEqual([1.5, 3, 6, 6]);
    desk.jump(-1);
    expect(desk.state.ticks).toBe(seconds(3));
  });
  test("put beyond the end, the playhead stays there whatever is edited; within, it ends with the sequence", () => {
    desk.seek(seconds(20));
    desk.prepare("Hide", setFlag(["root/arm"], "hidden", true));
    rename("Other");
    expect(desk.state.ticks).toBe(seconds(20));
    desk.seek(seconds(6));
    desk.edit("Remove", removeStep("s1"));
    expect(desk.state.ticks).toBe(desk.program.steps.length);
  });
  test("climbing goes to the owner and stops at the top", () => {
    select(desk, [2]);
    climb(desk);
    expect(desk.state.selection).toEqual([1]);
    climb(desk);
    climb(desk);
    expect(desk.state.selection).toEqual([0]);
  });
  test("a step's details follow the playhead; removing what is shown falls back", () => {
    desk.seek(seconds(4));
    expect(desk.state.focus).toEqual({ kind: "step", id: "s1" });
    selectTimed(desk, [{ step: "s0", move: "m-root_arm", key: "a" }], []);
    removeFocused(desk);
    expect(desk.sequence.steps.s0?.moves).toEqual({});
    // What it moved stays selected.
    expect(desk.state.focus.kind).toBe("parts");
    select(desk, []);
    expect(desk.state.focus).toEqual({ kind: "step", id: "s1" });
  });
});

describe("shortcuts", () => {
  test("are each given once and documented", async () => {
    const { readFile } = await import("node:fs/promises");
    const doc = await readFile("docs/shortcuts.md", "utf8");
    expect(new Set(SHORTCUTS.map((s) => s.keys)).size).toBe(SHORTCUTS.length);
    for (const s of SHORTCUTS) expect(doc).toContain(`| ${s.keys} | ${s.what} |`);
  });
  test("no bare letter is one", () => {
    expect(SHORTCUTS.filter((s) => /^[A-Z0-9]$/.test(s.keys))).toEqual([]);
  });
  test("key presses are named in one way", () => {
    const press = (k: string, m: Partial<KeyboardEvent> = {}) =>
      combo({ key: k, ctrlKey: false, metaKey: false, shiftKey: false, altKey: false, ...m });
    expect(press(" ")).toBe("Space");
    expect(press("z", { metaKey: true, shiftKey: true })).toBe("Ctrl+Shift+Z");
    expect(press("ArrowUp", { altKey: true })).toBe("Alt+ArrowUp");
  });
});
