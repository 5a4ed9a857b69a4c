import { describe, expect, test } from "vitest";
import { key, seconds, sequenceOf } from "../../../../tests/support/assembly";
import { hand, type Sequence } from "../../document/sequence";
import { runCommand } from "../history";
import { itemSpan, type TimeItem } from "./items";
import { eachLater, easeOfItems, inTurn, laterEach, setEases } from "./order";

const start = () => 0;
const STEADY = { kind: "soft", start: 0, stop: 0 } as const;
/** Three parts that set off at 0, 0.2 and 0 s, and take 1, 0.5 and 0.3 s. */
const film = () =>
  sequenceOf([
    {
      "root/arm": [key("a", 1, 1, { "slide.x": 5 })],
      "root/base": [key("b", 0.7, 0.5, { "slide.x": 5 })],
      "root/arm/a": [key("c", 0.3, 0.3, { "slide.x": 5 })],
    },
  ]);
const items: TimeItem[] = [
  { step: "s0", move: "m-root_arm", key: "a" },
  { step: "s0", move: "m-root_base", key: "b" },
  { step: "s0", move: "m-root_arm_a" },
];
const spans = (s: Sequence) =>
  items.map((i) => {
    const { t0, t1 } = itemSpan(s, i);
    return [t0, t1].map((t) => Math.round((t / seconds(1)) * 100) / 100);
  });

describe("things put one after another", () => {
  test("directly: each begins where the one before it ends, in the order in which they began", () => {
    expect(spans(runCommand(film(), inTurn(film(), items, start)).document)).toEqual([
      [0, 1],
      [1.3, 1.8],
      [1, 1.3],
    ]);
  });
  test("each so much later than the one before it, and that is read back", () => {
    const s = runCommand(film(), eachLater(film(), items, seconds(0.25), start)).document;
    expect(spans(s)).toEqual([
      [0, 1],
      [0.5, 1],
      [0.25, 0.55],
    ]);
    expect([laterEach(s, items, start), laterEach(film(), items, start)]).toEqual([seconds(0.25), null]);
    expect(laterEach(s, items.slice(0, 1), start)).toBeNull();
  });
  test("one alone has nothing to follow", () => {
    expect(() => inTurn(film(), items.slice(0, 1), start)).toThrow(/at least two/);
  });
  test("arrivals of one part keep running into one another", () => {
    const s = sequenceOf([
      {
        "root/arm": [
          key("a", 1, 1, { "slide.x": 5 }),
          key("b", 2, 0.5, { "slide.x": 9 }),
          key("c", 2.5, 0.5, { "slide.x": 1 }),
        ],
      },
    ]);
    const two = ["a", "b"].map((k) => ({ step: "s0", move: "m-root_arm", key: k }));
    const move = hand(runCommand(s, inTurn(s, two, start)).document.steps.s0?.moves["m-root_arm"]);
    expect([move?.keys.b?.at, move?.keys.c?.lead]).toEqual([seconds(1.5), seconds(1)]);
  });
});

test("one ease for all: arrivals lose shapes of their own, and what differs is told", () => {
  const s = film();
  const shaped = hand(s.steps.s0?.moves["m-root_arm"])?.keys.a;
  if (shaped) shaped.shapes = { "slide.x": { kind: "hold" } };
  const done = runCommand(s, setEases(items.slice(0, 2), STEADY)).document;
  expect(hand(done.steps.s0?.moves["m-root_arm"])?.keys.a).toMatchObject({ ease: STEADY });
  expect(hand(done.steps.s0?.moves["m-root_arm"])?.keys.a).not.toHaveProperty("shapes");
  expect([easeOfItems(done, items.slice(0, 2)), easeOfItems(done, items)]).toEqual([STEADY, null]);
});
