import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { joint, key, preparation, seconds, sequenceOf, smallIndex } from "../../../../tests/support/assembly";
import { parseDocument } from "../../document/parse";
import { hand, type Key, type MadeMove, type Sequence, targetId } from "../../document/sequence";
import { nth } from "../../math/packed";
import type { Triple } from "../../math/triple";
import { compile } from "../../program/compile";
import { pose } from "../../program/pose";
import type { Program } from "../../program/program";
import { createPose, sample } from "../../program/sampling";
import { moveCurveKeys } from "../curves/edit";
import { runCommand } from "../history";
import { keepPoses } from "../jointChanges";
import { handKeysOf } from "../moveCommands";
import { rescaleSequence } from "../rescaleWork";
import { setRate, updateKey } from "../sequenceCommands";
import { setAfterwards } from "./afterwards";
import { copyItems, lacking, pasteItems } from "./clip";
import { closeCycle, cycleChannels, cycleFrames, periodsOf, timesUntil, wholeRepeats } from "./cycles";
import { betweenFrames, snapAll } from "./frames";
import { fitTo, sequenceLength, setGoal } from "./goal";
import { itemSpan, roomBefore, shiftItems, type TimeItem } from "./items";
import { alignItems, distributeGaps, distributeSpeed, reverseItems, scaleItems, setEnd, setLengths } from "./retime";
import { chooseTiming, keepTiming, timingDifferences, withTiming } from "./versions";

const ARM = "root/arm";
const A = "root/arm/a";
const MOVE = "m-root_arm";
const STEADY = { kind: "soft", start: 0, stop: 0 } as const;
const target = (k: string) => ({ type: "node", key: k }) as const;
const near = (x: number) => expect.closeTo(x, 6);

const compiled = (s: Sequence): Program => compile(smallIndex(), preparation(), s);
const startOf = (s: Sequence) => {
  const p = compiled(s);
  return (step: string) => nth(p.steps.action, p.steps.position.get(step) ?? 0);
};
const run = (s: Sequence, command: (d: Sequence) => void) => runCommand(s, command).document;
const keysOf = (s: Sequence, step = "s0", move = MOVE): Key[] =>
  Object.values(hand(s.steps[step]?.moves[move])?.keys ?? {}).sort((a, b) => a.at - b.at);
const times = (s: Sequence, step = "s0", move = MOVE) => keysOf(s, step, move).map((k) => k.at / seconds(1));
const item = (k: string, step = "s0", move = MOVE): TimeItem => ({ step, move, key: k });
const turn = (id: string, start: number, length: number): MadeMove =>
  ({
    ...{
      id,
      name: id,
      on: true,
      folder: null,
      colour: null,
      note: "",
      kind: "turn",
      start: seconds(start),
      length: seconds(length),
      ease: STEADY,
      targets: [target(A)],
    },
    settings: { axis: "turn.z", joints: [], way: "by", degrees: 90 },
  }) as MadeMove;
const withMoves = (s: Sequence, moves: MadeMove[], step = "s0"): Sequence =>
  run(s, (d) => Object.assign(d.steps[step]?.moves ?? {}, Object.fromEntries(moves.map((m) => [m.id, m]))));
const three = () =>
  sequenceOf([
    {
      [ARM]: [
        key("a", 1, 0.5, { "slide.x": 10 }),
        key("b", 1.5, 0.2, { "slide.x": 20 }),
        key("c", 4, 1, { "slide.x": 50 }),
      ],
    },
    {},
  ]);

describe("shifting", () => {
  test("alone moves only what is selected; along takes everything later with it", () => {
    expect(times(run(three(), shiftItems(three(), [item("b")], seconds(0.5), "alone")))).toEqual([1, 2, 4]);
    expect(times(run(three(), shiftItems(three(), [item("b")], seconds(0.5), "along")))).toEqual([1, 2, 4.5]);
  });
  test("an arrival that lands on another takes its place", () => {
    const s = run(three(), shiftItems(three(), [item("a")], seconds(0.5), "alone"));
    expect(keysOf(s).map((k) => [k.id, k.values["slide.x"]])).toEqual([
      ["a", 10],
      ["c", 50],
    ]);
  });
  test("nothing leaves its step or goes beyond an hour, and no time is not a number", () => {
    expect(roomBefore(three(), [item("b"), item("a")])).toBe(-seconds(1));
    expect(() => run(three(), shiftItems(three(), [item("a")], -seconds(1.1), "alone"))).toThrow(
      "before the step's action",
    );
    expect(() => run(three(), shiftItems(three(), [item("a")], seconds(4000), "alone"))).toThrow("beyond an hour");
    expect(() => run(three(), shiftItems(three(), [item("a")], Number.NaN, "alone"))).toThrow("not a time");
  });
});

describe("arrivals that run into one another", () => {
  const chain = () =>
    sequenceOf([
      {
        [ARM]: [
          key("a", 1, 1, { "slide.x": 10, "slide.y": 1 }, STEADY),
          key("b", 2, 1, { "slide.x": 20, "slide.y": 2 }, STEADY),
          key("c", 4, 2, { "slide.x": 50, "slide.y": 9 }, STEADY),
          key("d", 6, 0.5, { "slide.x": 60 }, STEADY),
        ],
      },
    ]);
  const leads = (s: Sequence) => keysOf(s).map((k) => (k.lead === "previous" ? k.lead : k.lead / seconds(1)));
  const reports = (s: Sequence) => compiled(s).reports.size;
  test("one moved alone leaves no stop before or after it, earlier or later", () => {
    for (const by of [-0.5, 0.75]) {
      const s = run(chain(), shiftItems(chain(), [item("b")], seconds(by), "alone"));
      expect(times(s)).toEqual([1, 2 + by, 4, 6]);
      expect(leads(s)).toEqual([1, 1 + by, 2 - by, 0.5]);
      expect(reports(s)).toBe(0);
    }
    expect(leads(run(chain(), setEnd(item("b"), "end", seconds(2.5))))).toEqual([1, 1.5, 1.5, 0.5]);
    expect(leads(run(chain(), updateKey("s0", MOVE, "b", { at: seconds(2.5) })))).toEqual([1, 1.5, 1.5, 0.5]);
    expect(
      leads(run(chain(), alignItems([item("b")], "end", startOf(chain())("s0") + seconds(3), startOf(chain())))),
    ).toEqual([1, 2, 1, 0.5]);
  });
  test("two moved together keep what is between them; a rest stays a rest", () => {
    const s = run(chain(), shiftItems(chain(), [item("b"), item("c")], seconds(0.5), "alone"));
    expect(leads(s)).toEqual([1, 1.5, 2, 0.5]);
    expect(leads(run(chain(), shiftItems(chain(), [item("d")], seconds(1), "alone")))).toEqual([1, 1, 2, 0.5]);
  });
  test("of a point that shared its arrivals only its own channel is led otherwise", () => {
    const ref = { step: "s0", move: MOVE, key: "b", channel: "slide.x" };
    const s = run(chain(), moveCurveKeys([ref], { by: seconds(0.5), rise: 0 }).command);
    const rows = compiled(s).placed.get(targetId(target(ARM))) ?? [];
    const of = (c: string) => rows.filter((r) => r.channel === c).map((r) => [r.t0 / seconds(1), r.t1 / seconds(1)]);
    expect(of("slide.x")).toEqual([
      [0, 1],
      [1, 2.5],
      [2.5, 4],
      [5.5, 6],
    ]);
    expect(of("slide.y")).toEqual([
      [0, 1],
      [1, 2],
      [2, 4],
    ]);
  });
});

describe("retiming", () => {
  test("scaling by k and then by 1/k is where it began", () => {
    const list = fc.array(fc.integer({ min: 1, max: 4000 }), { minLength: 1, maxLength: 6 });
    fc.assert(
      fc.property(list, fc.constantFrom(2, 4, 0.5, 0.25), fc.integer({ min: 0, max: 3000 }), (ats, k, pivot) => {
        // Milliseconds are whole ticks, and stay so when halved or doubled.
        const s = sequenceOf([
          { [ARM]: [...new Set(ats)].map((t, i) => key(`k${i}`, 10 + t / 1000, 0.4, { "slide.x": i })) },
        ]);
        const items = keysOf(s).map((x) => item(x.id));
        const start = startOf(s);
        const there = run(s, scaleItems(items, seconds(0.5) + seconds(9 + pivot / 1000), k, start));
        expect(keysOf(run(there, scaleItems(items, seconds(0.5) + seconds(9 + pivot / 1000), 1 / k, start)))).toEqual(
          keysOf(s),
        );
      }),
    );
  });
  test("the ends of moves and leads are set by themselves", () => {
    const s = withMoves(three(), [turn("t", 1, 2)]);
    const spanOf = (q: Sequence, i: TimeItem) => Object.values(itemSpan(q, i)).map((t) => t / seconds(1));
    const t = { step: "s0", move: "t" };
    expect(spanOf(run(s, setEnd(t, "start", seconds(0.5))), t)).toEqual([0.5, 3]);
    expect(spanOf(run(s, setEnd(t, "end", seconds(2))), t)).toEqual([1, 2]);
    expect(spanOf(run(s, setEnd(item("c"), "start", seconds(2))), item("c"))).toEqual([2, 4]);
    const shorter = run(s, setLengths([t, item("c")], seconds(0.25)));
    expect(spanOf(shorter, t)).toEqual([1, 1.25]);
    // An arrival stays where it is: its length is its lead.
    expect(spanOf(shorter, item("c"))).toEqual([3.75, 4]);
    expect(() => run(s, setEnd(t, "end", seconds(0.5)))).toThrow("before the start");
  });
  test("aligns starts or ends, spreads gaps and speeds evenly", () => {
    const s = withMoves(sequenceOf([{}]), [turn("p", 0, 1), turn("q", 1.2, 0.5), turn("r", 5, 1)]);
    const all = ["p", "q", "r"].map((move) => ({ step: "s0", move }));
    const starts = (q: Sequence) => all.map((i) => itemSpan(q, i).t0 / seconds(1));
    expect(starts(run(s, alignItems(all, "start", startOf(s)("s0") + seconds(2), startOf(s))))).toEqual([2, 2, 2]);
    expect(starts(run(s, alignItems(all, "end", startOf(s)("s0") + seconds(6), startOf(s))))).toEqual([5, 5.5, 5]);
    expect(starts(run(s, distributeGaps(s, all, startOf(s))))).toEqual([0, 2.75, 5]);
    const even = (of: Sequence) =>
      run(
        of,
        distributeSpeed(
          compiled(of),
          keysOf(of).map((k) => item(k.id)),
        ),
      );
    // 10, 10 and 30 mm from the start of what leads to the first, at half a second.
    expect(times(even(three()))).toEqual([1.2, 1.9, 4]);
    expect(keysOf(even(three())).map((k) => Number(k.lead) / seconds(1))).toEqual([0.7, 0.7, 2.1].map(near));
    // A snap has no way.
    const snap = run(three(), (d) => {
      const first = hand(d.steps.s0?.moves[MOVE])?.keys.a;
      if (first) first.lead = 0;
    });
    expect(times(even(snap))).toEqual([1, 1.75, 4]);
    expect(() => distributeGaps(s, all.slice(1), startOf(s))).toThrow("at least three");
  });
  test("reversed, a part runs back through its values; twice is as before", () => {
    const all = (s: Sequence) => keysOf(s).map((k) => item(k.id));
    const chained = sequenceOf([
      {
        [ARM]: [
          key("a", 1, 0.5, { "slide.x": 10 }, STEADY),
          key("b", 2, 1, { "slide.x": 20 }, STEADY),
          key("c", 5, 3, { "slide.x": 50 }, STEADY),
        ],
      },
    ]);
    const back = run(chained, reverseItems(chained, all(chained), startOf(chained)));
    expect(keysOf(back).map((k) => [k.at / seconds(1), k.values["slide.x"]])).toEqual([
      [1, 50],
      [4, 20],
      [5, 10],
    ]);
    const again = run(back, reverseItems(back, all(back), startOf(back)));
    expect(keysOf(again).map(({ at, lead, values }) => ({ at, lead, values }))).toEqual(
      keysOf(chained).map(({ at, lead, values }) => ({ at, lead, values })),
    );
  });
});

describe("reversing what was turned freely", () => {
  const q = (deg: number): [number, number, number, number] => [
    0,
    0,
    Math.sin((deg * Math.PI) / 360),
    Math.cos((deg * Math.PI) / 360),
  ];
  test("the orientation runs back as well, together with what arrived with it", () => {
    const turned = (id: string, at: number, lead: number, deg: number, x: number) => ({
      ...key(id, at, lead, { "slide.x": x }, STEADY),
      orientation: q(deg),
    });
    const s = sequenceOf([
      { [ARM]: [turned("a", 1, 0.5, 10, 5), turned("b", 2, 1, 40, 9), turned("c", 5, 3, 90, 20)] },
    ]);
    const all = keysOf(s).map((k) => item(k.id));
    const back = run(s, reverseItems(s, all, startOf(s)));
    expect(keysOf(back).map((k) => [k.at / seconds(1), k.values["slide.x"], k.orientation])).toEqual([
      [1, 20, q(90)],
      [4, 9, q(40)],
      [5, 5, q(10)],
    ]);
    const again = run(
      back,
      reverseItems(
        back,
        keysOf(back).map((k) => item(k.id)),
        startOf(back),
      ),
    );
    const bare = (list: Sequence) =>
      keysOf(list).map(({ at, lead, values, orientation }) => ({ at, lead, values, orientation }));
    expect(bare(again)).toEqual(bare(s));
  });
});

describe("copying", () => {
  const has = (k: { type: string }, c: string) => k.type === "node" && !c.startsWith("joint.");
  test("pasting keeps the times between what is pasted, wherever it goes", () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 9000 }), { minLength: 1, maxLength: 5 }),
        fc.integer({ min: 0, max: 20_000 }),
        (ats, at) => {
          const s = sequenceOf([
            { [ARM]: [...new Set(ats)].map((t, i) => key(`k${i}`, t / 1000, 0.3, { "slide.x": i })) },
            {},
          ]);
          const items = keysOf(s).map((k) => item(k.id));
          const clip = copyItems(s, items, startOf(s));
          const { command, items: made } = pasteItems(clip, "s1", seconds(at / 1000), null, has);
          const pasted = run(s, command);
          expect(made).toHaveLength(items.length);
          const move = made[0]?.move ?? "";
          const [x, y] = [times(s), times(pasted, "s1", move)];
          x.forEach((t, i) => {
            expect(nth(y, i) - nth(y, 0)).toBeCloseTo(t - nth(x, 0), 9);
          });
        },
      ),
    );
  });
  test("onto others it says what they lack, and gives them the rest", () => {
    const s = sequenceOf([{ [ARM]: [key("a", 1, 0.5, { "slide.x": 10, "joint.j": 5 })] }]);
    const clip = copyItems(s, [item("a")], startOf(s));
    expect(lacking(clip, [target(A)], has)).toEqual([{ target: target(A), channels: ["joint.j"] }]);
    const { command, items } = pasteItems(clip, "s0", seconds(3), [{ target: target(A), name: "a" }], has);
    const made = keysOf(run(s, command), "s0", items[0]?.move);
    expect(made.map((k) => [k.at, k.lead, k.values])).toEqual([[seconds(3), seconds(0.5), { "slide.x": 10 }]]);
    expect(() => pasteItems(clip, "s0", 0, [{ target: target(A), name: "a" }], () => false)).toThrow(
      "Nothing of what was copied",
    );
  });
});

describe("cycles", () => {
  const stroke = () => {
    const s = sequenceOf([
      {
        [ARM]: [
          key("a", 0, 0, { "slide.x": 0 }),
          key("b", 1, "previous", { "slide.x": 40 }),
          key("c", 3, "previous", { "slide.x": 5 }),
        ],
      },
    ]);
    return run(s, (d) => Object.assign(d.steps.s0 ?? {}, { stillBefore: 0, stillAfter: 0, action: 0 }));
  };
  const refs = [{ step: "s0", move: MOVE }];
  test("closing meets in value and speed, and four seconds at 25 a second are 100 frames", () => {
    const p = compiled(stroke());
    const period = seconds(4);
    expect(cycleChannels(p, refs, period).channels.map((c) => [c.channel, c.value])).toEqual([["slide.x", false]]);
    const { command, closed, leftOut } = closeCycle(p, refs, period);
    expect([closed.length, leftOut]).toEqual([1, []]);
    const done = run(stroke(), command);
    const q = compiled(done);
    expect(cycleChannels(q, refs, period).channels.map((c) => [c.value, c.speed])).toEqual([[true, true]]);
    expect(cycleFrames(q.steps.length, { num: 25, den: 1 })).toBe(100);
  });
  test("a value meets where it is the same again, not where it is the opposite", () => {
    const between = (first: number, last: number) => {
      const s = sequenceOf([
        {
          [ARM]: [
            key("a", 0.5, 0.5, { "slide.x": first }),
            key("b", 1.5, 1, { "slide.x": 40 }),
            key("c", 2.5, 1, { "slide.x": last }),
          ],
        },
      ]);
      // The cycle begins at its first arrival, where the value is what that one makes it.
      const move = hand(s.steps.s0?.moves[MOVE]);
      if (move?.keys.a) Object.assign(move.keys.a, { at: 0, lead: 0 });
      return cycleChannels(compiled(s), refs, seconds(2.5)).channels.map((c) => [c.begin, c.end, c.value]);
    };
    expect(between(-30, -30)).toEqual([[-30, expect.closeTo(-30, 3), true]]);
    expect(between(-30, 30)).toEqual([[-30, expect.closeTo(30, 3), false]]);
  });
  test("what meets already is left as it is: steady with a rest behind it, a turn, a whole turn", () => {
    const steady = (d: Sequence) => {
      for (const k of Object.values(hand(d.steps.s0?.moves[MOVE])?.keys ?? {})) k.ease = { ...STEADY };
    };
    const rest = run(stroke(), (d) => {
      steady(d);
      const move = hand(d.steps.s0?.moves[MOVE]);
      if (move) move.repeat = { times: 2, period: seconds(4), way: "add" };
    });
    const turned = run(stroke(), (d) => {
      steady(d);
      const last = hand(d.steps.s0?.moves[MOVE])?.keys.c;
      if (last) last.values["slide.x"] = 0;
    });
    // One arrival beside a longer move of the block: it rests from its end to the end of the cycle.
    const whole = withMoves(sequenceOf([{ [ARM]: [key("w", 3, 3, { "turn.z": 360 }, STEADY)] }]), [turn("t", 0, 4)]);
    for (const [s, list, period] of [
      [rest, refs, seconds(4)],
      [turned, refs, undefined],
      [whole, [...refs, { step: "s0", move: "t" }], undefined],
    ] as const) {
      const { command, closed } = closeCycle(compiled(s), list, period);
      expect(closed).toEqual([]);
      expect(run(s, command)).toEqual(s);
    }
  });
  test("only the seam changes: what is steady elsewhere stays so, and the way back arrives as the first leaves", () => {
    const s = sequenceOf([
      {
        [ARM]: [
          key("a", 1, 1, { "slide.x": 30 }, STEADY),
          key("b", 2, 1, { "slide.x": 60 }, STEADY),
          key("c", 3, 1, { "slide.x": -15 }, STEADY),
        ],
      },
    ]);
    const done = run(s, closeCycle(compiled(s), refs, seconds(4)).command);
    const q = compiled(done);
    const out = createPose(q);
    const v = (t: number) => {
      sample(q, startOf(done)("s0") + seconds(t), out);
      return nth(out.values, q.channelOf(target(ARM), "slide.x"));
    };
    expect([0.5, 1.5, 2.5].map(v).map((x) => Number(x.toFixed(6)))).toEqual([15, 45, 22.5]);
    expect(v(4 - 1e-3)).toBeCloseTo(-0.03, 3);
    expect(hand(done.steps.s0?.moves[MOVE])?.repeat).toBeUndefined();
  });
  test("several channels close in one arrival", () => {
    const s = sequenceOf([
      { [ARM]: [key("a", 1, 1, { "slide.x": 30, "slide.y": 5, "turn.z": 20 }), key("b", 2, 1, { "slide.x": 35 })] },
    ]);
    const done = run(s, closeCycle(compiled(s), refs, seconds(3)).command);
    expect(keysOf(done).map((k) => k.at / seconds(1))).toEqual([1, 2, 3]);
    expect(keysOf(done)[2]?.values).toEqual({ "slide.x": 0, "slide.y": 0, "turn.z": 0 });
  });
  test("what only switches is left out by name", () => {
    const s = run(stroke(), (d) => {
      const k = hand(d.steps.s0?.moves[MOVE])?.keys.b;
      if (k) k.values.visible = 0;
    });
    expect(closeCycle(compiled(s), refs).leftOut).toEqual([{ target: target(ARM), channel: "visible" }]);
  });
  test("five times over, each cycle is the first again", () => {
    const closed = run(stroke(), closeCycle(compiled(stroke()), refs, seconds(4)).command);
    const s = run(closed, setAfterwards(refs, { kind: "repeat", times: 5 }, null));
    const p = compiled(s);
    expect(p.steps.length).toBe(seconds(20));
    const out = createPose(p);
    const c = p.channelOf(target(ARM), "slide.x");
    const v = (t: number) => {
      sample(p, seconds(t), out);
      return nth(out.values, c);
    };
    for (const t of [0.3, 1.7, 3.9]) for (const n of [1, 2, 4]) expect(v(t + 4 * n)).toBeCloseTo(v(t), 6);
    expect(periodsOf(s, "s0").map((x) => x.period)).toEqual([seconds(4)]);
    expect(timesUntil(closed, refs, seconds(11))).toEqual({ times: 2, left: seconds(3) });
  });
  test("cycles of different length say when the whole repeats", () => {
    expect(wholeRepeats([seconds(4), seconds(6)])).toBe(seconds(12));
    expect(wholeRepeats([seconds(4), 1])).toBe(seconds(4));
    expect(wholeRepeats([705_600_001, 705_599_999])).toBeNull();
  });
});

describe("a length to keep to", () => {
  test("stills give first, moves only for the rest; the whole is exact", () => {
    const s = withMoves(three(), [turn("t", 0, 1)]);
    const length = sequenceLength(s) / seconds(1);
    for (const goal of [length + 3, length - 1.2, length - 5, 3.3333]) {
      const done = run(s, fitTo(s, seconds(goal)));
      expect(sequenceLength(done)).toBe(seconds(goal));
      if (goal > length - 2) expect(times(done)).toEqual(times(s));
    }
    expect(run(s, setGoal(seconds(60))).goal).toBe(seconds(60));
    expect(() => run(s, setGoal(0))).toThrow("at least one frame");
  });
});

describe("frames", () => {
  test("lists what lies between frames after a change of rate, and puts it on them", () => {
    const s = run(withMoves(three(), [turn("t", 1 / 30, 1)]), setRate({ num: 25, den: 1 }, "seconds"));
    expect(betweenFrames(s).map((b) => b.item.key ?? b.item.move)).toEqual(["b", "t"]);
    expect(betweenFrames(run(s, snapAll()))).toEqual([]);
    expect(betweenFrames(run(three(), setRate({ num: 25, den: 1 }, "frames")))).toEqual([]);
  });
});

describe("timing versions", () => {
  test("kept, compared in numbers and chosen; the one in its place may be kept too", () => {
    const kept = run(three(), keepTiming(three(), "v", "Calm", ["s0"]));
    const faster = run(kept, shiftItems(kept, [item("c")], -seconds(1), "alone"));
    expect(timingDifferences(faster, withTiming(faster, "v")).map((d) => [d.what, d.now?.t1, d.was?.t1])).toEqual([
      ["arrival", seconds(3), seconds(4)],
      ["step", seconds(4), seconds(5)],
    ]);
    const again = run(kept, setAfterwards([{ step: "s0", move: MOVE }], { kind: "repeat", times: 2 }, null));
    expect(timingDifferences(again, withTiming(again, "v")).map((d) => [d.what, d.name])).toEqual([
      ["move", ARM],
      ["step", ""],
    ]);
    const chosen = run(faster, chooseTiming("v", "Quick"));
    expect(times(chosen)).toEqual([1, 1.5, 4]);
    const quick = Object.values(chosen.timings)[0];
    expect(quick?.name).toBe("Quick");
    expect(times(withTiming(chosen, quick?.id ?? ""))).toEqual([1, 1.5, 3]);
  });
});

describe("what else must follow", () => {
  const shaped = () =>
    run(sequenceOf([{ [ARM]: [key("a", 1, 0.5, { "slide.x": 10, "joint.j": 5 })] }, {}]), (d) => {
      const k = hand(d.steps.s0?.moves[MOVE])?.keys.a;
      const handles = { kind: "handles", leave: { share: 0.3, value: 4 }, arrive: { share: 0.3, value: -2 } } as const;
      if (k) k.shapes = { "slide.x": structuredClone(handles), "joint.j": structuredClone(handles) };
    });
  const handlesOf = (s: Sequence, channel: string) => keysOf(s).map((k) => k.shapes?.[channel]);
  test("another unit makes handles and kept timings longer too", () => {
    const kept = run(shaped(), keepTiming(shaped(), "v", "Kept", ["s0"]));
    const inches = run(kept, rescaleSequence(preparation(), 2));
    for (const s of [inches, withTiming(inches, "v")]) {
      expect(keysOf(s)[0]?.values["slide.x"]).toBe(20);
      expect(handlesOf(s, "slide.x")).toMatchObject([{ leave: { value: 8 }, arrive: { value: -4 } }]);
    }
  });
  test("a joint whose sense is turned round turns its handles and its kept readings", () => {
    const before = joint("j", target(ARM));
    const after = { ...before, flipped: true };
    const kept = run(shaped(), keepTiming(shaped(), "v", "Kept", ["s0"]));
    const turned = run(kept, keepPoses(smallIndex(), preparation(), kept, before, after));
    for (const s of [turned, withTiming(turned, "v")]) {
      expect(keysOf(s)[0]?.values["joint.j"]).toBe(-5);
      expect(handlesOf(s, "joint.j")).toMatchObject([{ leave: { value: -4 }, arrive: { value: 2 } }]);
    }
  });
  test("a joint whose axis is turned keeps the poses of kept timings too", () => {
    const before = joint("j", target(ARM));
    const after = { ...before, direction: [0.6, 0, 0.8] as Triple };
    const prepared = { ...preparation(), joints: { j: before } };
    const now = sequenceOf([{ [ARM]: [key("a", 1, 0.5, { "joint.j": 30 })] }]);
    const kept = run(
      now,
      keepTiming(sequenceOf([{ [ARM]: [key("a", 1.5, 0.5, { "joint.j": 75 })] }]), "v", "Kept", ["s0"]),
    );
    const turned = run(kept, keepPoses(smallIndex(), prepared, kept, before, after));
    const worlds = (s: Sequence, by: typeof before) => {
      const p = compile(smallIndex(), { ...prepared, joints: { j: by } }, s);
      const out = createPose(p);
      pose(p, seconds(2.1), out);
      return Array.from(out.world);
    };
    for (const as of [(s: Sequence) => s, (s: Sequence) => withTiming(s, "v")]) {
      const [a, b] = [worlds(as(kept), before), worlds(as(turned), after)];
      for (const [i, v] of a.entries()) expect(b[i]).toBeCloseTo(v, 6);
    }
    // It is really turned, and not the same in both timings.
    expect(worlds(kept, before)).not.toEqual(worlds(withTiming(kept, "v"), before));
  });
  test("what reverses a steep curve becomes hand keys that can be stored, the same curve", () => {
    const steep = run(sequenceOf([{ [ARM]: [key("a", 1, 1, { "slide.x": 1 })] }]), (d) => {
      const k = hand(d.steps.s0?.moves[MOVE])?.keys.a;
      if (k)
        k.shapes = {
          "slide.x": { kind: "handles", leave: { share: 0.3, value: 30 }, arrive: { share: 0.3, value: 20 } },
        };
      const step = d.steps.s0;
      if (step)
        step.moves.back = {
          ...{
            id: "back",
            name: "back",
            on: true,
            folder: null,
            colour: null,
            note: "",
            kind: "back",
            start: seconds(1.5),
            length: seconds(1),
            ease: STEADY,
            targets: [target(ARM)],
          },
          settings: { of: { step: "s0", move: MOVE }, companions: false, own: false },
        } as MadeMove;
    });
    const before = compiled(steep);
    const after = run(steep, handKeysOf(before, [{ step: "s0", move: "back" }]));
    expect(() => parseDocument("sequence", structuredClone(after))).not.toThrow();
    const [p, q] = [createPose(before), compiled(after)];
    const r = createPose(q);
    for (const t of [2.1, 2.4, 2.8]) {
      sample(before, seconds(t), p);
      sample(q, seconds(t), r);
      expect(r.values[q.channelOf(target(ARM), "slide.x")]).toBeCloseTo(
        nth(p.values, before.channelOf(target(ARM), "slide.x")),
        6,
      );
    }
  });
});
