import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { key, preparation, seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { hand } from "../../core/document/sequence";
import { addMove } from "../../core/edit/moveCommands";
import { updateStep } from "../../core/edit/sequenceCommands";
import { nth } from "../../core/math/packed";
import { findingId, prove } from "../../core/proof/proof";
import type { Desk } from "../port";
import { findingsOf, paintFindings } from "../timeline/findings";
import {
  accept,
  choose,
  chooseBeside,
  listed,
  mend,
  openFindings,
  preview,
  sentence,
  setCheck,
  setProofing,
  shownFindings,
  stepFindings,
  stopPlanning,
  takeBack,
  toggleProof,
} from "./proofing";

let desk: Desk;
/** What the background would do once all is quiet. */
function proof(only = ["spins-back", "reading", "creep"]): void {
  const { ids, start } = desk.program.steps;
  desk.set({
    proof: {
      ...prove(desk.program, { only, chosen: desk.state.preparation.body.proof }),
      film: "now",
      starts: Object.fromEntries(ids.map((id, i) => [id, nth(start, i)])),
    },
  });
}
beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal("fetch", async () => Response.json({ revision: 1 }));
  vi.stubGlobal("cancelAnimationFrame", () => {});
  const s = sequenceOf([
    {},
    { "root/arm": [key("a", 1, 0.8, { "turn.x": 350 }), key("b", 2, 0.8, { "turn.x": 10 })] },
    { "root/base": [key("c", 1, 1, { "slide.x": 12 }), key("d", 2, "previous", { "slide.x": 12.2 })] },
  ]);
  if (s.steps.s0) s.steps.s0.caption = "one two three four five six seven eight nine ten";
  desk = smallDesk(s, preparation());
  proof();
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});
const ids = () => shownFindings(desk).map((l) => l.finding.check);

describe("the list of findings", () => {
  test("is in the order of the steps, counted, and filtered by check and by how bad", () => {
    expect(ids()).toEqual(["reading", "spins-back", "creep"]);
    expect(openFindings(desk)).toEqual({ wrong: 1, look: 2 });
    expect(stepFindings(desk, "s1")).toEqual({ wrong: 1, look: 0 });
    setProofing(desk, { show: "wrong" });
    expect(ids()).toEqual(["spins-back"]);
    setProofing(desk, { show: "open", check: "creep" });
    expect(ids()).toEqual(["creep"]);
    setProofing(desk, { show: "meant", check: null });
    expect(ids()).toEqual([]);
  });
  test("goes along with its steps until it is looked at again", () => {
    const before = listed(desk).map((l) => l.finding.from);
    desk.edit("longer", updateStep("s0", { stillAfter: seconds(2) }));
    const after = listed(desk).map((l) => l.finding.from);
    expect(after[0]).toBe(before[0]);
    expect(nth(after, 1) - nth(before, 1)).toBe(seconds(1.5));
    expect(findingsOf(desk).map((f) => f.wrong)).toEqual([false, false, true]);
    desk.edit("off", updateStep("s1", { on: false }));
    expect(ids()).toEqual(["reading", "creep"]);
  });
  test("choosing one goes there, with what it is about; the arrow keys go through and stop at the ends", () => {
    toggleProof(desk);
    chooseBeside(desk, 1);
    expect(desk.state.ticks).toBe(0);
    chooseBeside(desk, 1);
    expect(desk.state.ticks).toBe(listed(desk)[1]?.finding.from);
    expect(desk.state.selection).toEqual([desk.index.indexOf.get("root/arm")]);
    chooseBeside(desk, 1);
    chooseBeside(desk, 1);
    expect(desk.state.proofing.chosen).toBe(listed(desk)[2]?.id);
    chooseBeside(desk, -1);
    expect(desk.state.proofing.chosen).toBe(listed(desk)[1]?.id);
    toggleProof(desk);
    expect(desk.state.proofing).toMatchObject({ open: false, chosen: null });
  });
  test("a place on the stage is pointed at for as long as its finding is chosen", () => {
    const it = listed(desk)[1];
    const node = (k: string) => ({ type: "node" as const, key: k });
    const place = {
      ...(it?.finding as NonNullable<typeof it>["finding"]),
      ...{ place: [1, 2, 3] as [number, number, number], targets: [node("root/arm/a"), node("root/base")] },
    };
    desk.set({ proof: { findings: [place], unjudged: [], film: "x", starts: desk.state.proof?.starts ?? {} } });
    choose(desk, findingId(place));
    expect(desk.state.spot).toEqual({ place: [1, 2, 3], keys: ["root/arm/a", "root/base"] });
    choose(desk, null);
    expect(desk.state.spot).toBeNull();
  });
});

describe("what is done about one", () => {
  const turned = () =>
    Object.values(hand(desk.body().steps.s1?.moves["m-root_arm"])?.keys ?? {}).map((k) => k.values["turn.x"]);
  test("a mend is seen before it is taken, is one entry of undo, and the next one is chosen", () => {
    const it = listed(desk)[1] as NonNullable<ReturnType<typeof listed>[number]>;
    choose(desk, it.id);
    preview(desk, { finding: it.finding, mend: "carry-on" });
    expect(turned()).toEqual([350, 10]);
    desk.seek(desk.program.steps.length);
    expect(desk.valueOf({ type: "node", key: "root/arm" }, "turn.x")).toBe(370);
    preview(desk, null);
    expect(desk.valueOf({ type: "node", key: "root/arm" }, "turn.x")).toBe(10);
    void mend(desk, it.finding, "carry-on");
    expect(turned()).toEqual([350, 370]);
    expect(ids()).toEqual(["reading", "creep"]);
    expect(desk.state.proofing.chosen?.startsWith("creep")).toBe(true);
    desk.undo();
    expect(turned()).toEqual([350, 10]);
  });
  test("what cannot be mended any more says so, and nothing is changed", () => {
    const it = listed(desk)[1] as NonNullable<ReturnType<typeof listed>[number]>;
    desk.edit("gone", (d) => {
      delete d.steps.s1?.moves["m-root_arm"];
    });
    void mend(desk, it.finding, "carry-on");
    expect(desk.state.notice).toMatchObject({ tone: "problem", text: "This arrival no longer exists." });
    expect(desk.state.undoLabel).toBe("gone");
  });
  test("meant so, with a reason, who and when; it stays over other edits, lapses with its facts, and can be undone", () => {
    const it = listed(desk)[0] as NonNullable<ReturnType<typeof listed>[number]>;
    expect(accept(desk, it.finding, "   ")).toBe(false);
    expect(desk.state.notice?.text).toMatch(/why/);
    expect(accept(desk, it.finding, " Everybody knows it by heart ")).toBe(true);
    expect(ids()).toEqual(["spins-back", "creep"]);
    setProofing(desk, { show: "meant" });
    expect(shownFindings(desk)[0]?.meant).toMatchObject({
      reason: "Everybody knows it by heart",
      by: "Animator",
      step: "s0",
    });
    desk.edit("title", updateStep("s0", { title: "Another" }));
    proof();
    expect(ids()).toEqual(["reading"]);
    // Other words are other facts.
    desk.edit("caption", updateStep("s0", { caption: "word ".repeat(30) }));
    proof();
    expect(ids()).toEqual([]);
    desk.undo();
    proof();
    expect(ids()).toEqual(["reading"]);
    const meant = shownFindings(desk)[0]?.meant;
    if (meant) takeBack(desk, meant);
    expect(ids()).toEqual([]);
    expect(desk.body().meant).toBeUndefined();
    desk.undo();
    expect(ids()).toEqual(["reading"]);
  });
  test("a threshold is the project's: chosen, and put back to the usual", () => {
    setCheck(desk, "reading", "speed", 6);
    expect(desk.state.preparation.body.proof).toEqual({ reading: { speed: 6 } });
    proof();
    expect(ids()).toEqual(["spins-back", "creep"]);
    setCheck(desk, "reading", "speed", null);
    expect(desk.state.preparation.body.proof).toBeUndefined();
  });
  test("is said with the names that were given", () => {
    expect(sentence(desk, listed(desk)[1]?.finding as never)).toBe(
      "arm (Turn X) spins back from 350° to 10°; going on, the same direction is 370°.",
    );
  });
});

test("the strip in the timeline shows each where it is, what is wrong higher than what is to be looked at", () => {
  const drawn: unknown[][] = [];
  const ctx = { fillStyle: "", fillRect: (...a: number[]) => drawn.push([ctx.fillStyle, ...a]) };
  const list = [
    { t0: 0, t1: 1000, wrong: false },
    { t0: 2000, t1: 2000, wrong: true },
    { t0: 90_000, t1: 91_000, wrong: true },
  ];
  paintFindings(ctx as never, list, { perTick: 0.1, left: 50, width: 400 }, { brick: "b", look: "l" }, 50);
  expect(drawn).toEqual([
    ["l", -50, 48, 100, 2],
    ["b", 150, 46, 4, 4],
  ]);
});

test("what is pointed at is solid and told apart by colour, all else is seen through, owners of parts left alone", () => {
  const set = vi.fn();
  desk.attach(stageStub({ setLook: set }) as never);
  desk.showSpot({ place: [1, 2, 3], keys: ["root/arm/a", "root/base"] });
  const [nodes] = set.mock.lastCall as [Record<string, { ghost?: boolean; finish?: { color: string } }>];
  expect(Object.keys(nodes).sort()).toEqual(["root/arm/a", "root/arm/b", "root/base"]);
  expect(nodes["root/arm/b"]).toEqual({ ghost: true });
  expect(nodes["root/arm/a"]?.finish?.color).not.toBe(nodes["root/base"]?.finish?.color);
  desk.showSpot(null);
  expect(set.mock.lastCall?.[0]).toEqual({});
  desk.attach(null);
});

/** Takes what the desk tells a stage, without one. */
function stageStub(own: Record<string, unknown>) {
  return new Proxy(own, { get: (it, name) => it[String(name)] ?? vi.fn() });
}

describe("a way that is planned again", () => {
  /** A planner that answers with these ways, when it is told to. */
  function planner(ways: object[]) {
    const asked: { id: number; name: string; input: unknown }[] = [];
    let worker: { onmessage: ((e: { data: object }) => void) | null } | null = null;
    vi.stubGlobal(
      "Worker",
      class {
        onmessage: ((e: { data: object }) => void) | null = null;
        onerror = null;
        constructor() {
          worker = this;
        }
        postMessage(m: { id: number; name: string; input: unknown }) {
          if (m.name === "ways") asked.push(m);
        }
        terminate() {}
      },
    );
    return {
      asked,
      answer: () => worker?.onmessage?.({ data: { id: asked[asked.length - 1]?.id, value: ways } }),
    };
  }
  const finding = {
    ...{ check: "contact", severity: "wrong" as const, what: "through", step: "s0", from: 0, to: seconds(5) },
    ...{ targets: [{ type: "node" as const, key: "root/arm" }], numbers: {}, mends: ["plan"], about: "through x" },
  };
  const settings = () => {
    const move = desk.body().steps.s0?.moves.off;
    return move?.kind === "take-off" ? move.settings : null;
  };
  beforeEach(() => {
    desk.edit(
      "Take off",
      addMove("s0", {
        ...{ id: "off", kind: "take-off", name: "", on: true, folder: null, colour: null, note: "" },
        ...{ start: 0, length: seconds(1), ease: { kind: "soft", start: 0, stop: 0 } },
        targets: [{ type: "node", key: "root/arm" }],
        settings: {
          ...{ direction: [1, 0, 0], distance: 20, leaving: { on: false, length: 0 } },
          attention: { on: false, length: 0, times: 1, colour: "ochre" },
        },
      }),
    );
    desk.set({ proof: { findings: [finding], unjudged: [], film: "now", starts: { s0: 0 } } });
  });
  const way = { direction: [0, 0, 1], clear: 41.2, travel: null, blockers: [] };

  test("takes the free way, far enough to be clear, as one entry of undo", async () => {
    const { asked, answer } = planner([{ ...way, direction: [0, 1, 0], travel: 3 }, way]);
    const done = mend(desk, finding, "plan");
    expect(desk.state.proofing.planning).not.toBeNull();
    expect(asked).toHaveLength(1);
    answer();
    await done;
    expect(settings()).toMatchObject({ direction: [0, 0, 1], distance: 52 });
    expect(desk.state.proofing.planning).toBeNull();
    expect(ids()).toEqual([]);
    desk.undo();
    expect(settings()).toMatchObject({ direction: [1, 0, 0], distance: 20 });
  });
  test("where none is free it says so; stopped, nothing comes of it", async () => {
    const held = planner([{ ...way, travel: 3 }]);
    const done = mend(desk, finding, "plan");
    held.answer();
    await done;
    expect(desk.state.notice?.text).toMatch(/no straight way/);
    expect(settings()?.distance).toBe(20);
    const stopped = mend(desk, finding, "plan");
    expect(stopPlanning(desk)).toBe(true);
    await stopped;
    expect(desk.state.proofing.planning).toBeNull();
    expect(settings()?.distance).toBe(20);
    expect(stopPlanning(desk)).toBe(false);
  });
});
