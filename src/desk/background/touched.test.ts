import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { key, preparation, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { updateStep } from "../../core/edit/sequenceCommands";
import { compile } from "../../core/program/compile";
import { printSteps } from "../../core/review/prints";
import type { Comment, Round } from "../../core/review/said";
import { commentsOf } from "../timeline/comments";
import { watchTouched } from "./touched";

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

const film = () =>
  sequenceOf([
    { "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] },
    { "root/arm": [key("b", 1, 0.5, { "slide.z": 5 })] },
  ]);
const comment = (id: string, change: Partial<Comment>): Comment => ({
  ...{ id, to: null, text: "x", step: "s0", from: 0, until: 0, pin: null, seen: null, strokes: [] },
  ...{ by: { id: "g", name: "Mette", guest: true }, at: "", edited: null, takenBack: false, settled: null },
  ...{ carriedFrom: null, mine: false, picture: false },
  ...change,
});
const round = (comments: Comment[]): Round => ({
  ...{ id: "r", sequence: "seq", number: 1, name: "", note: "", at: "", version: 1, changes: null, decisions: [] },
  ...{ me: { id: "i", name: "Ines", guest: false, may: "decide" as const }, comments },
  newer: null,
  prints: printSteps(compile(smallIndex(), preparation(), film())),
});

function reviewed(comments: Comment[]) {
  const desk = smallDesk(film());
  const stop = watchTouched(desk);
  desk.set({ reviewing: { ...desk.state.reviewing, round: round(comments) } });
  return { desk, stop, touched: () => desk.state.reviewing.touched, quiet: () => vi.advanceTimersByTimeAsync(600) };
}
const farther = (x: number) => (d: ReturnType<typeof film>) => {
  for (const m of Object.values(d.steps.s0?.moves ?? {}))
    if (m.kind === "hand") for (const k of Object.values(m.keys)) k.values["slide.x"] = x;
};

test("an edit of the pinned part in its step offers to settle; of other things, in other steps, or taken back it does not", async () => {
  const pin = { node: "root/arm", point: [0, 0, 0] as [number, number, number] };
  const r = reviewed([
    comment("arm", { pin }),
    comment("plate", { pin: { ...pin, node: "root/base" } }),
    comment("next", { step: "s1" }),
    comment("answer", { to: "arm", pin }),
  ]);
  await r.quiet();
  expect(r.touched()).toEqual([]);
  r.desk.edit("Words", updateStep("s0", { caption: "new words" }));
  await r.quiet();
  expect(r.touched()).toEqual([]);
  r.desk.edit("Words of the next", updateStep("s1", { caption: "new words" }));
  await r.quiet();
  expect(r.touched()).toEqual(["next"]);
  r.desk.undo();
  r.desk.edit("Farther", farther(30));
  await r.quiet();
  // What follows it is elsewhere, in the next step too.
  expect(r.touched()).toEqual(["arm", "next"]);
  r.desk.undo();
  await r.quiet();
  expect(r.touched()).toEqual([]);
  r.stop();
});

test("a change that shows in the last moments of a step counts", async () => {
  const late = (x: number) => {
    const s = sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 10 }), key("b", 2, 0.05, { "slide.x": x })] }]);
    if (s.steps.s0) s.steps.s0.stillAfter = 0;
    return s;
  };
  const desk = smallDesk(late(20));
  const pin = { node: "root/arm", point: [0, 0, 0] as [number, number, number] };
  const prints = printSteps(compile(smallIndex(), preparation(), late(20)));
  const stop = watchTouched(desk);
  desk.set({ reviewing: { ...desk.state.reviewing, round: { ...round([comment("arm", { pin })]), prints } } });
  await vi.advanceTimersByTimeAsync(600);
  expect(desk.state.reviewing.touched).toEqual([]);
  desk.edit("Farther at the end", (d) => {
    for (const m of Object.values(d.steps.s0?.moves ?? {}))
      if (m.kind === "hand" && m.keys.b) m.keys.b.values["slide.x"] = 35;
  });
  await vi.advanceTimersByTimeAsync(600);
  expect(desk.state.reviewing.touched).toEqual(["arm"]);
  stop();
});

test("what was changed before the desk was opened is known by the round itself", async () => {
  const pin = { node: "root/arm", point: [0, 0, 0] as [number, number, number] };
  const desk = smallDesk(film());
  desk.edit("Farther", farther(30));
  const stop = watchTouched(desk);
  desk.set({
    reviewing: { ...desk.state.reviewing, round: round([comment("arm", { pin }), comment("gone", { step: "s9" })]) },
  });
  await vi.advanceTimersByTimeAsync(600);
  expect(desk.state.reviewing.touched).toEqual(["arm", "gone"]);
  stop();
});

test("comments stand on the timeline while they are open, by time", () => {
  const r = reviewed([
    comment("b", { step: "s1", from: 5, until: 9 }),
    comment("a", { step: "s0", from: 7 }),
    comment("settled", { settled: { by: "Ines", at: "", edit: null } }),
    comment("back", { takenBack: true }),
    comment("gone", { step: "s9" }),
    comment("answer", { to: "a" }),
  ]);
  const start = r.desk.program.steps.start[1] as number;
  expect(commentsOf(r.desk)).toEqual([
    { t0: 7, t1: 0, chosen: false },
    { t0: start + 5, t1: start + 9, chosen: false },
  ]);
  r.stop();
});
