import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { key, preparation, seconds, sequenceOf, smallIndex } from "../../../../tests/support/assembly";
import { real } from "../../../../tests/support/real";
import { endSlope } from "../../curve/segment";
import type { Shape } from "../../document/keys";
import { hand, type Key, type Sequence } from "../../document/sequence";
import type { Ease } from "../../ease/ease";
import { nth } from "../../math/packed";
import { compile } from "../../program/compile";
import { createPose, sample } from "../../program/sampling";
import { runCommand } from "../history";
import { channelCurve, curveAt } from "./channel";
import {
  type CurveRef,
  clampedHandle,
  moveCurveKeys,
  ownHandles,
  restoreChannel,
  roundOff,
  scaleCurveKeys,
  setBeyond,
  setHandle,
  setShapes,
  unchanging,
} from "./edit";
import { insertKey } from "./insert";
import { deleteCurveKeys, dropPoints, removeKeys, thinOut } from "./remove";

const ARM = "root/arm";
const MOVE = "m-root_arm";
const TARGET = { type: "node", key: ARM } as const;
const X = "slide.x";
const STEADY = { kind: "soft", start: 0, stop: 0 } as const;
const compiled = (s: Sequence) => compile(smallIndex(), preparation(), s);
const run = (s: Sequence, command: (d: Sequence) => void) => runCommand(s, command).document;
const ref = (k: string, channel = X): CurveRef => ({ step: "s0", move: MOVE, key: k, channel });
const keysOf = (s: Sequence): Key[] =>
  Object.values(hand(s.steps.s0?.moves[MOVE])?.keys ?? {}).sort((a, b) => a.at - b.at);
const start = () => seconds(0.5);

function reader(s: Sequence, channel = X) {
  const p = compiled(s);
  const out = createPose(p);
  const c = p.channelOf(TARGET, channel);
  return (t: number) => {
    sample(p, t, out);
    return nth(out.values, c);
  };
}

const shape: fc.Arbitrary<Shape | undefined> = fc.oneof(
  fc.constant(undefined),
  fc.constantFrom<Shape>({ kind: "straight" }, { kind: "smooth" }, { kind: "free" }),
  fc
    .tuple(real(0.05, 0.8), real(-40, 40), real(0.05, 0.8), real(-40, 40))
    .map(([a, b, c, d]): Shape => ({ kind: "handles", leave: { share: a, value: b }, arrive: { share: c, value: d } })),
);
const ease: fc.Arbitrary<Ease> = fc.oneof(
  fc.tuple(real(0, 0.6), real(0, 0.4)).map(([a, b]): Ease => ({ kind: "soft", start: a, stop: b })),
  fc.constant<Ease>({ kind: "curve", x1: 0.4, y1: -0.2, x2: 0.3, y2: 1.3 }),
);
const chain = fc
  .array(fc.tuple(fc.integer({ min: -50, max: 50 }), shape, ease), { minLength: 2, maxLength: 5 })
  .map((list) =>
    sequenceOf([
      {
        [ARM]: [
          key("k0", 0.5, 0, { [X]: 3, "slide.y": 1 }),
          ...list.map(([v, s, e], i) => ({
            ...key(`k${i + 1}`, 1.5 + i, "previous", { [X]: v, "slide.y": i }, e),
            ...(s ? { shapes: { [X]: s } } : {}),
          })),
        ],
      },
    ]),
  );

describe("the curve of a channel", () => {
  test("is what is played", () => {
    fc.assert(
      fc.property(chain, real(0.6, 6), (s, t) => {
        // Soft ends are drawn exactly from the program; as handles they are only close.
        for (const k of keysOf(s))
          if (k.ease.kind === "soft") k.ease = { kind: "curve", x1: 0.2, y1: 0.6, x2: 0.5, y2: 1.1 };
        const got = curveAt(channelCurve(compiled(s), TARGET, X), seconds(t));
        expect(Math.abs(got - reader(s)(seconds(t)))).toBeLessThan(1e-6);
      }),
      { numRuns: 1000 },
    );
  });

  test("a piece that comes back to where it began is one point, though it is compiled as two halves", () => {
    const s = sequenceOf([
      {
        [ARM]: [
          key("a", 1, 0, { [X]: 7 }),
          {
            ...key("b", 3, "previous", { [X]: 7 }),
            shapes: { [X]: { kind: "handles", leave: { share: 0.58, value: 0 }, arrive: { share: 0.44, value: -40 } } },
          },
          key("c", 4, "previous", { [X]: 9 }, { kind: "curve", x1: 0.2, y1: 0.6, x2: 0.5, y2: 1.1 }),
        ],
      },
    ]);
    const p = compiled(s);
    const rows = [...p.placed.values()].flat().filter((r) => r.channel === X && r.key === "b");
    expect(rows.map((r) => r.continues)).toEqual([false, true]);
    expect(rows[0]?.t1).toBe(rows[1]?.t0);
    expect(Number.isInteger(rows[0]?.t1)).toBe(true);
    const curve = channelCurve(p, TARGET, X);
    expect(curve.keys.map((k) => k.key)).toEqual(["a", "b", "c"]);
    for (let t = 1; t < 5; t += 0.07) expect(curveAt(curve, seconds(t))).toBeCloseTo(reader(s)(seconds(t)), 7);
  });

  test("an inserted point changes nothing, to 1e-9 of the values", () => {
    fc.assert(
      fc.property(chain, real(1.1, 2.9), fc.array(real(0, 7), { minLength: 6, maxLength: 6 }), (s, at, probes) => {
        const t = Math.round(seconds(at));
        const p = compiled(s);
        fc.pre(!channelCurve(p, TARGET, X).keys.some((k) => Math.abs(k.at - t) < 10));
        const { command } = insertKey(p, TARGET, X, t);
        const [a, b] = [reader(s), reader(run(s, command))];
        // Beside the neighbours that smooth shapes take their slope from, the point itself changes them.
        fc.pre(keysOf(s).every((k) => k.shapes?.[X]?.kind !== "smooth" && k.shapes?.[X]?.kind !== "free"));
        for (const x of probes) expect(Math.abs(a(seconds(x)) - b(seconds(x)))).toBeLessThan(1e-9 * 300);
      }),
      { numRuns: 200 },
    );
  });

  test("a removed point leaves the curve as it was where one piece can say it, and tells how far off it is", () => {
    const s = sequenceOf([
      {
        [ARM]: [
          key("a", 1, 0, { [X]: 0 }),
          {
            ...key("b", 4, "previous", { [X]: 60 }),
            shapes: { [X]: { kind: "handles", leave: { share: 0.4, value: 5 }, arrive: { share: 0.3, value: -20 } } },
          },
        ],
      },
    ]);
    const p = compiled(s);
    const { command, ref: made } = insertKey(p, TARGET, X, seconds(2.7));
    const cut = run(s, command);
    expect(keysOf(cut)).toHaveLength(3);
    const gone = deleteCurveKeys(compiled(cut), TARGET, [made]);
    const back = run(cut, gone.command);
    expect(gone.error).toBeLessThan(0.2);
    for (const t of [2, 3, 4])
      expect(Math.abs(reader(back)(seconds(t)) - reader(s)(seconds(t)))).toBeLessThanOrEqual((gone.error ?? 0) + 1e-6);
  });

  test("thinning keeps within what was allowed", () => {
    const s = sequenceOf([
      {
        [ARM]: Array.from({ length: 21 }, (_, i) =>
          key(
            `k${i}`,
            0.5 + i * 0.2,
            i === 0 ? 0 : "previous",
            { [X]: 30 * Math.sin(i / 4) },
            { kind: "soft", start: 0, stop: 0 },
          ),
        ),
      },
    ]);
    const { command, removed, error } = thinOut(compiled(s), TARGET, X, 0.5);
    expect(removed).toBeGreaterThan(8);
    const [a, b] = [reader(s), reader(run(s, command))];
    for (let t = 1; t < 5; t += 0.03) expect(Math.abs(a(seconds(t)) - b(seconds(t)))).toBeLessThanOrEqual(error + 1e-6);
    expect(error).toBeLessThanOrEqual(0.5);
  });
});

/** The largest difference of two curves anywhere, looked for closely. */
function furthest(a: Sequence, b: Sequence, until = 12): number {
  const [p, q] = [reader(a), reader(b)];
  let most = 0;
  for (let t = 0; t < until; t += 0.004) most = Math.max(most, Math.abs(p(seconds(t)) - q(seconds(t))));
  return most;
}

test("a handle dragged onto its point keeps the other side in line with the curve there", () => {
  const s = sequenceOf([
    {
      [ARM]: [
        key("a", 1, 1, { [X]: 10 }, STEADY),
        key("b", 2, "previous", { [X]: 40 }, STEADY),
        key("c", 3, "previous", { [X]: 90 }, STEADY),
      ].map((k) => ({ ...k, shapes: { [X]: { kind: "free" } as Shape } })),
    },
  ]);
  const p = compiled(s);
  const done = run(s, setHandle(p, TARGET, ref("b"), "arrive", { share: 0, value: 0 }));
  const [, b, c] = channelCurve(compiled(done), TARGET, X).keys;
  if (!b || !c) throw new Error("gone");
  expect(b.segment.arrive).toEqual({ share: 0, value: 0 });
  expect(endSlope(c.segment, "start")).toBeCloseTo(endSlope(b.segment, "end"), 12);
  expect(endSlope(b.segment, "end")).toBeGreaterThan(0);
});

test("own handles take a cubic over exactly, and an ease as near as is said before", () => {
  const s = sequenceOf([
    {
      [ARM]: [
        key("a", 1, 1, { [X]: 50 }, { kind: "soft", start: 0.3, stop: 0.4 }),
        key("b", 2, 1, { [X]: 90 }, { kind: "curve", x1: 0.3, y1: 0, x2: 0.4, y2: 1.2 }),
        key("c", 3, 1, { [X]: 10 }, STEADY),
      ],
    },
  ]);
  const p = compiled(s);
  for (const id of ["b", "c"]) {
    expect(ownHandles(p, TARGET, [ref(id)]).error).toBe(0);
    expect(furthest(s, run(s, setShapes(p, TARGET, [ref(id)], "handles")), 4)).toBeLessThan(1e-6);
  }
  const { error } = ownHandles(p, TARGET, [ref("a")]);
  const really = furthest(s, run(s, setShapes(p, TARGET, [ref("a")], "handles")), 4);
  expect(error).toBeGreaterThan(0.01);
  expect(really).toBeLessThanOrEqual(error * 1.02);
  expect(error).toBeLessThan(1);
});

describe("removing with the shape kept", () => {
  const chain = fc
    .array(fc.record({ gap: fc.integer({ min: 2, max: 20 }), v: fc.integer({ min: -60, max: 60 }), shape, ease }), {
      minLength: 4,
      maxLength: 9,
    })
    .map((list) => {
      let at = 0;
      const keys = list.map(({ gap, v, shape: own, ease: e }, i) => {
        at += gap / 10;
        return {
          ...key(`k${i}`, at, "previous", { [X]: v, "slide.y": i }, e),
          ...(own ? { shapes: { [X]: own } } : {}),
        };
      });
      return sequenceOf([{ [ARM]: keys }]);
    });
  test("the error told is the largest there is, whatever eases and shapes the points have", () => {
    fc.assert(
      fc.property(chain, fc.integer({ min: 0, max: 6 }), fc.integer({ min: 1, max: 2 }), (s, from, count) => {
        const keys = keysOf(s);
        const refs = keys
          .slice(0, -1)
          .slice(from, from + count)
          .map((k) => ref(k.id));
        if (refs.length === 0) return;
        const { command, error } = deleteCurveKeys(compiled(s), TARGET, refs);
        const really = furthest(s, run(s, command));
        expect(error).not.toBeNull();
        expect(really).toBeLessThanOrEqual((error as number) * 1.02 + 1e-3);
        // Nor is it told larger than it is.
        expect(error as number).toBeLessThanOrEqual(really * 1.05 + 1e-2);
      }),
    );
  });
  test("thinning out never goes beyond what is allowed", () => {
    fc.assert(
      fc.property(chain, fc.constantFrom(0.05, 1, 8, 30), (s, slack) => {
        const { command, removed, error } = thinOut(compiled(s), TARGET, X, slack);
        const done = run(s, command);
        expect(furthest(s, done)).toBeLessThanOrEqual(slack * 1.02 + 1e-3);
        expect(error).toBeLessThanOrEqual(slack);
        expect(channelCurve(compiled(done), TARGET, X).keys).toHaveLength(keysOf(s).length - removed);
      }),
    );
  });
  test("a cycle that goes on keeps its beginning", () => {
    const s = run(
      sequenceOf([{ [ARM]: [1, 2, 3, 4].map((t) => key(`k${t}`, t, "previous", { [X]: 10 * t }, STEADY)) }]),
      setBeyond([{ step: "s0", move: MOVE, channels: [X] }], null, "add"),
    );
    const done = run(s, thinOut(compiled(s), TARGET, X, 0.5).command);
    expect(keysOf(done).map((k) => k.id)).toEqual(["k1", "k4"]);
    expect(furthest(s, done)).toBeLessThan(1e-3);
  });
});

describe("removing", () => {
  const s = () =>
    sequenceOf([
      {
        [ARM]: [
          key("a", 1, 1, { [X]: 10, "slide.y": 4 }, STEADY),
          key("b", 2, 1, { [X]: 90 }, STEADY),
          key("c", 3, 1, { [X]: 30, "slide.y": 8 }, STEADY),
          key("d", 5, 0.5, { [X]: 50 }, STEADY),
        ],
      },
    ]);
  const rows = (q: Sequence, channel = X) =>
    channelCurve(compiled(q), TARGET, channel).keys.map((k) => [k.segment.t0, k.at].map((t) => t / seconds(1) - 0.5));
  test("what set off from a point that goes sets off where that one did; others keep their lead", () => {
    expect(rows(run(s(), dropPoints([ref("b")])))).toEqual([
      [0, 1],
      [1, 3],
      [4.5, 5],
    ]);
    expect(rows(run(s(), dropPoints([ref("a"), ref("b")])))).toEqual([
      [0, 3],
      [4.5, 5],
    ]);
    // A rest before the one behind stays a rest.
    expect(rows(run(s(), dropPoints([ref("c")])))).toEqual([
      [0, 1],
      [1, 2],
      [4.5, 5],
    ]);
    // Its companion at the arrival behind keeps its own lead.
    expect(rows(run(s(), dropPoints([ref("b")])), "slide.y")).toEqual([
      [0, 1],
      [2, 3],
    ]);
  });
  test("what sets off a tick behind the point that goes, by rounding, sets off with it all the same", () => {
    const off = (by: number) =>
      run(s(), (d) => {
        const b = hand(d.steps.s0?.moves[MOVE])?.keys.b;
        if (b) b.lead = seconds(1) - by;
      });
    expect(rows(run(off(1), dropPoints([ref("a")])))[0]).toEqual([0, 2]);
    // Two ticks are a rest, and stay one.
    expect(rows(run(off(2), dropPoints([ref("a")])))[0]?.[0]).toBeCloseTo(1, 5);
  });
  test("a snap that goes leaves what sets off from it where it was", () => {
    const snap = run(s(), (d) => {
      const b = hand(d.steps.s0?.moves[MOVE])?.keys.b;
      if (b) b.lead = 0;
    });
    expect(rows(run(snap, dropPoints([ref("b")])))[1]).toEqual([2, 3]);
  });
  test("whole arrivals go alike, and the move with the last of them", () => {
    const done = run(s(), removeKeys([{ step: "s0", move: MOVE, key: "b" }]));
    expect(rows(done)).toEqual([
      [0, 1],
      [1, 3],
      [4.5, 5],
    ]);
    const none = run(s(), removeKeys(["a", "b", "c", "d"].map((k) => ({ step: "s0", move: MOVE, key: k }))));
    expect(none.steps.s0?.moves).toEqual({});
  });
});

describe("editing points", () => {
  const s = () =>
    sequenceOf([
      { [ARM]: [key("a", 1, 0.5, { [X]: 10, "slide.y": 4 }), key("b", 2, "previous", { [X]: 20.123, "slide.y": 4 })] },
    ]);
  test("a channel moved in time leaves its companions where they are", () => {
    const { command, refs } = moveCurveKeys([ref("b")], { by: seconds(0.5), rise: 2 });
    const done = run(s(), command);
    expect(keysOf(done).map((k) => [k.at / seconds(1), Object.keys(k.values)])).toEqual([
      [1, [X, "slide.y"]],
      [2, ["slide.y"]],
      [2.5, [X]],
    ]);
    expect(refs[0]?.key).not.toBe("b");
    expect(
      keysOf(run(s(), moveCurveKeys([ref("b"), ref("b", "slide.y")], { by: seconds(0.5), rise: 0 }).command)),
    ).toHaveLength(2);
  });
  test("scaled, flipped and rounded", () => {
    const both = [ref("a"), ref("b")];
    const flipped = run(s(), scaleCurveKeys(both, { at: seconds(1.5), value: 10 }, { time: 1, value: -1 }, start));
    expect(keysOf(flipped).map((k) => k.values[X])).toEqual([10, -0.12300000000000111]);
    const { command, changed } = roundOff(s(), both, 0.5);
    expect([changed, keysOf(run(s(), command)).map((k) => k.values[X])]).toEqual([1, [10, 20]]);
  });
  test("what never changes is found", () => {
    expect(unchanging(compiled(s())).map((r) => r.channel)).toEqual([]);
    const still = sequenceOf([
      { [ARM]: [key("a", 1, 0.5, { [X]: 10, "slide.y": 0 }), key("b", 2, "previous", { [X]: 20, "slide.y": 0 })] },
    ]);
    expect(unchanging(compiled(still)).map((r) => [r.key, r.channel])).toEqual([
      ["a", "slide.y"],
      ["b", "slide.y"],
    ]);
  });
  test("a handle dragged backwards in time is held at nothing; linked ones turn together", () => {
    expect(clampedHandle({ share: -0.4, value: 3 })).toEqual({ handle: { share: 0, value: 3 }, held: true });
    const list = sequenceOf([
      {
        [ARM]: [
          key("a", 0.5, 0, { [X]: 0 }),
          key("b", 1.5, "previous", { [X]: 10 }),
          key("c", 3.5, "previous", { [X]: 20 }),
        ],
      },
    ]);
    const done = run(list, setHandle(compiled(list), TARGET, ref("b"), "arrive", { share: 0.5, value: -20 }));
    const v = reader(done);
    const t = seconds(2);
    const h = seconds(0.001);
    expect((v(t) - v(t - h)) / 0.001).toBeCloseTo(40, 0);
    expect((v(t + h) - v(t)) / 0.001).toBeCloseTo(40, 0);
  });
  test("shapes and what lies beyond are set for many at once, and an earlier curve comes back exactly", () => {
    const before = s();
    const shaped = run(before, setShapes(compiled(before), TARGET, [ref("a"), ref("b")], "handles"));
    expect(keysOf(shaped).map((k) => k.shapes?.[X]?.kind)).toEqual(["handles", "handles"]);
    const beyond = run(shaped, setBeyond([{ step: "s0", move: MOVE, channels: "all" }], null, "swing"));
    expect(hand(beyond.steps.s0?.moves[MOVE])?.beyond).toEqual({
      [X]: { before: "hold", after: "swing" },
      "slide.y": { before: "hold", after: "swing" },
    });
    const moved = run(beyond, moveCurveKeys([ref("b")], { by: seconds(1), rise: 5 }).command);
    const back = reader(run(moved, restoreChannel(before, TARGET, X)));
    for (const t of [1.2, 1.6, 2.2, 4]) expect(back(seconds(t))).toBeCloseTo(reader(before)(seconds(t)), 9);
  });
  test("an earlier curve comes back with its ease, and the channels beside it keep theirs", () => {
    const before = s();
    const eased = run(before, (draft) => {
      for (const k of keysOf(draft)) k.ease = { kind: "soft", start: 0.9, stop: 0.05 };
    });
    const restored = run(eased, restoreChannel(before, TARGET, X));
    const other = (list: Sequence, t: number) => reader(list, "slide.y")(seconds(t));
    for (const t of [0.7, 1.2, 1.6, 2.2, 4]) {
      expect(reader(restored)(seconds(t))).toBeCloseTo(reader(before)(seconds(t)), 9);
      expect(other(restored, t)).toBeCloseTo(other(eased, t) as number, 9);
    }
  });
});
