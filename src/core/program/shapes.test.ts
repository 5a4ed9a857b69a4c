import fc from "fast-check";
import { InterpolateDiscrete, InterpolateLinear, NumberKeyframeTrack } from "three";
import { describe, expect, test } from "vitest";
import { key, preparation, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { real } from "../../../tests/support/real";
import type { Beyond, Key, Repeat, Shape } from "../document/keys";
import { hand, type Sequence } from "../document/sequence";
import { runCommand } from "../edit/history";
import { updateStep } from "../edit/sequenceCommands";
import { nth } from "../math/packed";
import { compile, recompile } from "./compile";
import type { Program } from "./program";
import { createPose, sample } from "./sampling";
import { cycleOf } from "./spans";

const ARM = "root/arm";
const TARGET = { type: "node", key: ARM } as const;
const STEADY = { kind: "soft", start: 0, stop: 0 } as const;

const shaped = (k: Key, shape: Shape, channel = "slide.x"): Key => ({ ...k, shapes: { [channel]: shape } });
const steps = (list: Record<string, Key[]>[], still = 0): Sequence => {
  const s = sequenceOf(list);
  for (const step of Object.values(s.steps))
    Object.assign(step, { stillBefore: seconds(still), stillAfter: seconds(still), action: 0 });
  return s;
};
const make = (s: Sequence) => compile(smallIndex(), preparation(), s);
const reader = (p: Program, channel = "slide.x") => {
  const out = createPose(p);
  const c = p.channelOf(TARGET, channel);
  return (t: number) => {
    sample(p, seconds(t), out);
    return nth(out.values, c);
  };
};
const beyond = (s: Sequence, before: Beyond, after: Beyond, channel = "slide.x"): Sequence => {
  const move = hand(s.steps.s0?.moves["m-root_arm"]);
  if (move) move.beyond = { [channel]: { before, after } };
  return s;
};
/** From 1 s to 3 s: 10, then by way of 14 to 30. */
const cycle = () => [
  key("a", 1, 0, { "slide.x": 10 }),
  key("b", 2, "previous", { "slide.x": 14 }, STEADY),
  key("c", 3, "previous", { "slide.x": 30 }, STEADY),
];

describe("shapes between arrivals", () => {
  test("hold stays and jumps at the end", () => {
    const v = reader(
      make(
        steps([
          {
            [ARM]: [
              key("a", 1, 0, { "slide.x": 10 }),
              shaped(key("b", 2, "previous", { "slide.x": 20 }), { kind: "hold" }),
            ],
          },
        ]),
      ),
    );
    expect([v(1.99), v(2)]).toEqual([10, 20]);
  });

  test("held and straight agree with the interpolants of a renderer's library", () => {
    const list = [
      key("a", 0.5, 0, { "slide.x": 3 }),
      ...[7, -2, 5].map((x, i) => key(`k${i}`, 1 + i, "previous", { "slide.x": x })),
    ];
    const times = list.map((k) => k.at / seconds(1));
    const values = list.map((k) => k.values["slide.x"] as number);
    for (const [shape, mode] of [
      ["hold", InterpolateDiscrete],
      ["straight", InterpolateLinear],
    ] as const) {
      const v = reader(make(steps([{ [ARM]: list.map((k, i) => (i === 0 ? k : shaped(k, { kind: shape }))) }])));
      const track = new NumberKeyframeTrack("x", times, values, mode);
      const theirs = (
        track as unknown as { createInterpolant(): { evaluate(t: number): ArrayLike<number> } }
      ).createInterpolant();
      for (let t = 0.5; t < 3; t += 0.13) expect(v(t)).toBeCloseTo(nth(theirs.evaluate(t), 0), 4);
    }
  });

  test("smooth runs through its arrivals at a common speed without overshooting them", () => {
    const list = [0, 10, 11, 40, 38].map((x, i) =>
      i === 0
        ? key("k0", 0.5, 0, { "slide.x": x })
        : shaped(key(`k${i}`, i * 0.7 + 0.5, "previous", { "slide.x": x }), { kind: "smooth" }),
    );
    const v = reader(make(steps([{ [ARM]: list }])));
    for (const i of [1, 2, 3]) {
      const t = 0.5 + 0.7 * i;
      expect((v(t) - v(t - 1e-4)) / 1e-4).toBeCloseTo((v(t + 1e-4) - v(t)) / 1e-4, 0);
    }
    for (let t = 0.5; t <= 3.4; t += 0.01) expect(v(t)).toBeLessThanOrEqual(40 + 1e-9);
  });

  test("own handles may rise and come back to where they began", () => {
    const up: Shape = { kind: "handles", leave: { share: 0.3, value: 40 }, arrive: { share: 0.3, value: 40 } };
    const v = reader(
      make(
        steps([{ [ARM]: [key("a", 1, 0, { "slide.x": 5 }), shaped(key("b", 2, "previous", { "slide.x": 5 }), up)] }]),
      ),
    );
    expect(v(1.5)).toBeCloseTo(5 + 0.75 * 40, 9);
    expect([v(1), v(2)]).toEqual([5, 5]);
  });
});

test("blocked, every transition is a snap at its arrival; without it nothing has changed", () => {
  const p = make(steps([{ [ARM]: [key("a", 1, 0.5, { "slide.x": 10 }), key("b", 2, "previous", { "slide.x": 20 })] }]));
  const v = reader(p);
  const moving = v(1.5);
  p.blocked = true;
  expect([v(0.9), v(1), v(1.5), v(1.99), v(2)]).toEqual([0, 10, 10, 10, 20]);
  p.blocked = false;
  expect(v(1.5)).toBe(moving);
});

describe("beyond the first arrival and the last", () => {
  test.each<[Beyond, number, number]>([
    ["hold", 30, 30],
    ["straight", 30 + 16 * 0.5, 30 + 16 * 2.5],
    ["repeat", 12, 12],
    ["add", 32, 52],
    ["swing", 22, 22],
  ])("after the last, %s", (kind, soon, late) => {
    // Two seconds of cycle: half a second after its end, and two and a half; swinging back meets itself turned round.
    const v = reader(make(beyond(steps([{ [ARM]: cycle() }]), "hold", kind)));
    expect(v(3.5)).toBeCloseTo(soon, 9);
    expect(v(5.5)).toBeCloseTo(kind === "swing" ? 12 : late, 9);
  });
  test.each<[Beyond, number]>([
    ["hold", 0],
    ["straight", 8],
    ["repeat", 22],
    ["add", 2],
    ["swing", 12],
  ])("before the first, %s", (kind, value) => {
    expect(reader(make(beyond(steps([{ [ARM]: cycle() }]), kind, "hold")))(0.5)).toBeCloseTo(value, 9);
  });

  test("a shaft turns for ever at steady speed from two arrivals, beyond its step and whatever the stills", () => {
    const s = beyond(
      steps(
        [{ [ARM]: [key("a", 0, 0, { "turn.x": 0 }), key("b", 2, "previous", { "turn.x": 360 }, STEADY)] }, {}, {}],
        1,
      ),
      "hold",
      "straight",
      "turn.x",
    );
    const p = make(s);
    for (const t of [1, 2, 3, 4.5, 7, 100]) expect(reader(p, "turn.x")(t)).toBeCloseTo(180 * (t - 1), 7);
    const longer = runCommand(s, updateStep("s1", { stillBefore: seconds(9) }));
    const q = recompile(
      p,
      longer.document,
      longer.patches.map((x) => x.path),
    );
    for (const t of [4.5, 7, 12]) expect(reader(q, "turn.x")(t)).toBeCloseTo(180 * (t - 1), 7);
  });

  test("what takes over begins from where it has got to, also when a still is lengthened", () => {
    const build = () =>
      beyond(
        steps([{ [ARM]: cycle() }, { [ARM]: [key("z", 1, 1, { "slide.x": 0 }, STEADY)] }], 0.5),
        "hold",
        "straight",
      );
    const p = make(build());
    const begin = 0.5 + 3 + 0.5 + 0.5;
    expect(reader(p)(begin)).toBeCloseTo(30 + 16, 6);
    expect(reader(p)(begin + 0.5)).toBeCloseTo(23, 6);
    const longer = runCommand(build(), updateStep("s0", { stillAfter: seconds(1.5) }));
    const q = recompile(
      p,
      longer.document,
      longer.patches.map((x) => x.path),
    );
    expect(reader(q)(begin + 1)).toBeCloseTo(30 + 32, 6);
    expect(reader(q)(begin + 1.5)).toBeCloseTo(reader(make(longer.document))(begin + 1.5), 9);
  });

  test("one tells the same as the other: sampled, and where the next takes over", () => {
    fc.assert(
      fc.property(fc.constantFrom<Beyond>("straight", "repeat", "add", "swing"), real(0.1, 9), (kind, wait) => {
        // Where a cycle begins anew it may jump, and that jump is meant.
        fc.pre(Math.abs(((wait + 2) % 2) - 1) > 1e-3);
        const s = beyond(steps([{ [ARM]: cycle() }, { [ARM]: [key("z", 2, 1, { "slide.x": 0 })] }]), "hold", kind);
        const second = s.steps.s1;
        if (second) second.stillBefore = seconds(wait);
        const v = reader(make(s));
        expect(v(3 + wait + 1)).toBeCloseTo(v(3 + wait + 1 - 1e-7), 3);
      }),
    );
  });
});

describe("repeats", () => {
  test("a hand-keyed block does the same again, or adds up what it gains", () => {
    const s = steps([{ [ARM]: cycle() }]);
    const move = hand(s.steps.s0?.moves["m-root_arm"]);
    if (!move) throw new Error("no move");
    move.repeat = { times: 3, period: seconds(2), way: "same" };
    const same = reader(make(structuredClone(s)));
    expect([same(3.5), same(6.5)].map((x) => Math.round(x * 1e6) / 1e6)).toEqual([12, 22]);
    move.repeat = { times: 3, period: seconds(2), way: "add" };
    const p = make(structuredClone(s));
    const add = reader(p);
    expect(add(5)).toBeCloseTo(50, 9);
    expect(add(7)).toBeCloseTo(70, 9);
    expect(p.steps.length).toBe(seconds(7));
  });

  test("what adds up goes on from where the cycle before it ended, its first transition included", () => {
    const s = steps([
      { [ARM]: [key("a", 1, 1, { "turn.x": 60 }, STEADY), key("b", 2, 0.5, { "turn.x": 120 }, STEADY)] },
    ]);
    const move = hand(s.steps.s0?.moves["m-root_arm"]);
    if (move) move.repeat = { times: 3, period: seconds(3), way: "add" };
    const v = reader(make(s), "turn.x");
    for (const t of [0.4, 1.2, 1.8, 2.5]) for (const n of [1, 2]) expect(v(t + 3 * n)).toBeCloseTo(v(t) + 120 * n, 9);
  });

  test("a turn by an angle repeated goes on turning", () => {
    const s = steps([{}]);
    const step = s.steps.s0;
    if (!step) throw new Error("no step");
    step.moves.t = {
      ...{
        id: "t",
        name: "turn",
        on: true,
        folder: null,
        colour: null,
        note: "",
        kind: "turn",
        start: 0,
        length: seconds(1),
        ease: STEADY,
        targets: [TARGET],
      },
      settings: { axis: "turn.z", joints: [], way: "by", degrees: 90 },
      repeat: { times: 4, period: null, way: "same" },
    };
    const p = make(s);
    expect(p.steps.length).toBe(seconds(4));
    expect(reader(p, "turn.z")(4)).toBe(360);
    expect(reader(p, "turn.z")(2.5)).toBeCloseTo(225, 9);
  });

  /** A ready-made turn of half a second to a second, repeated somehow. */
  const turning = (settings: { way: "by" | "to"; degrees: number }, repeat: Partial<Repeat>) => {
    const s = steps([{}, {}]);
    const step = s.steps.s0;
    if (!step) throw new Error("no step");
    step.moves.t = {
      ...{ id: "t", name: "turn", on: true, folder: null, colour: null, note: "", kind: "turn", targets: [TARGET] },
      ...{ start: seconds(0.5), length: seconds(0.5), ease: STEADY },
      settings: { axis: "turn.z", joints: [], ...settings },
      repeat: { times: null, period: null, way: "same", ...repeat },
    };
    return make(s);
  };

  test("for good, a turn by an angle goes on through later steps, with its rest between", () => {
    const v = reader(turning({ way: "by", degrees: 90 }, {}), "turn.z");
    for (const t of [0.5, 0.75, 1, 1.6, 3, 6.25]) expect(v(t)).toBeCloseTo(180 * Math.max(0, t - 0.5), 9);
    const resting = reader(turning({ way: "by", degrees: 90 }, { period: seconds(2) }), "turn.z");
    expect([0.75, 1.5, 2.4, 2.75, 4, 5].map((t) => Math.round(resting(t) * 1e6) / 1e6)).toEqual([
      45, 90, 90, 135, 180, 270,
    ]);
  });

  test("for good, what goes to a value has nothing more to do, and what comes back does it again", () => {
    const to = reader(turning({ way: "to", degrees: 90 }, {}), "turn.z");
    expect([1, 2, 5].map(to)).toEqual([90, 90, 90]);
    const swing = reader(turning({ way: "to", degrees: 90 }, { way: "swing" }), "turn.z");
    expect([0.75, 1, 1.25, 1.5, 1.75, 2].map((t) => Math.round(swing(t) * 1e6) / 1e6)).toEqual([45, 90, 45, 0, 45, 90]);
  });

  test("counted, every other cycle runs back in the same time, and the step is as long as all of them", () => {
    const p = turning({ way: "by", degrees: 90 }, { way: "swing", times: 4 });
    const v = reader(p, "turn.z");
    expect([0.75, 1, 1.25, 1.5, 2, 2.25, 2.5, 3].map((t) => Math.round(v(t) * 1e6) / 1e6)).toEqual([
      45, 90, 45, 0, 90, 45, 0, 0,
    ]);
    expect(p.steps.still[0]).toBe(seconds(2.5));
  });

  test("arrivals by hand run back the way they came, shapes and eases mirrored", () => {
    const s = steps([{ [ARM]: cycle() }]);
    const move = hand(s.steps.s0?.moves["m-root_arm"]);
    if (!move) throw new Error("no move");
    const once = reader(make(structuredClone(s)));
    const span = cycleOf(move, s);
    move.repeat = { times: 2, period: null, way: "swing" };
    const both = reader(make(structuredClone(s)));
    const end = span.t1 / seconds(1);
    for (let t = 0.1; t < end - span.t0 / seconds(1); t += 0.17) expect(both(end + t)).toBeCloseTo(once(end - t), 6);
  });
});
