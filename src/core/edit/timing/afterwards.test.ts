import { expect, test } from "vitest";
import { key, seconds, sequenceOf } from "../../../../tests/support/assembly";
import type { Sequence } from "../../document/sequence";
import { runCommand } from "../history";
import { afterwardsOf, setAfterwards } from "./afterwards";

const HAND = { step: "s0", move: "m-root_arm" };
const MADE = { step: "s0", move: "t" };

function both(): Sequence {
  const s = sequenceOf([{ "root/arm": [key("a", 1, 1, { "slide.x": 5, "turn.z": 20 })] }]);
  const step = s.steps.s0;
  if (!step) throw new Error("no step");
  step.moves.t = {
    ...{ id: "t", name: "Arm: turn", on: true, folder: null, colour: null, note: "", kind: "turn", targets: [] },
    ...{ start: 0, length: seconds(1), ease: { kind: "soft", start: 0, stop: 0 } },
    settings: { axis: "turn.z", joints: [], way: "by", degrees: 90 },
  };
  return s;
}
const run = (s: Sequence, ...args: Parameters<typeof setAfterwards>) =>
  runCommand(s, setAfterwards(...args)).document ?? s;

test("for good is kept by channels of arrivals and by the cycle of ready-made moves, and read back as one", () => {
  const s = run(both(), [HAND, MADE], { kind: "swing", times: null }, null);
  expect(s.steps.s0?.moves).toMatchObject({
    [HAND.move]: { beyond: { "slide.x": { after: "swing" }, "turn.z": { after: "swing" } } },
    t: { repeat: { times: null, way: "swing" } },
  });
  expect(afterwardsOf(s, [HAND, MADE])).toEqual({ kind: "swing", times: null });
});

test("a number of times takes the place of what was for good, and once of all", () => {
  const good = run(both(), [HAND, MADE], { kind: "repeat", times: null }, null);
  const three = run(good, [HAND, MADE], { kind: "repeat", times: 3 }, seconds(2));
  expect(three.steps.s0?.moves[HAND.move]).toMatchObject({ repeat: { times: 3, period: seconds(2), way: "same" } });
  expect(three.steps.s0?.moves[HAND.move]).not.toHaveProperty("beyond");
  expect(afterwardsOf(three, [HAND, MADE])).toEqual({ kind: "repeat", times: 3 });
  const once = run(three, [HAND, MADE], { kind: "hold", times: null }, null);
  expect(once).toEqual(both());
  expect(afterwardsOf(once, [HAND, MADE])).toEqual({ kind: "hold", times: null });
});

test("what differs is said to, and what has no speed or no length cannot go on with it", () => {
  const s = run(both(), [MADE], { kind: "repeat", times: 2 }, null);
  expect(afterwardsOf(s, [HAND, MADE])).toBeNull();
  expect(() => run(s, [MADE], { kind: "straight", times: null }, null)).toThrow(/hand keys/);
  const move = s.steps.s0?.moves.t;
  const cut = structuredClone(s);
  if (move) Object.assign(cut.steps.s0?.moves.t ?? {}, { length: 0 });
  expect(() => run(cut, [MADE], { kind: "repeat", times: 2 }, null)).toThrow(/no time/);
});

test("of a move that is gone nothing is told", () => {
  expect(afterwardsOf(both(), [{ step: "s0", move: "gone" }])).toBeNull();
  expect(afterwardsOf(both(), [HAND, { step: "s9", move: "gone" }])).toBeNull();
});
