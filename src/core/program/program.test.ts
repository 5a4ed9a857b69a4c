import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { CAMERA, key, preparation, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { real } from "../../../tests/support/real";
import type { Sequence } from "../document/sequence";
import { keysOf } from "../document/sequence";
import { runCommand } from "../edit/history";
import { keepArrivals, moveStep, removeKey, updateKey, updateStep } from "../edit/sequenceCommands";
import { invertedAffine, multiplied } from "../math/mat4";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import { compile, recompile, withPreparation } from "./compile";
import { pose } from "./pose";
import type { Program } from "./program";
import { createPose, type Pose } from "./sampling";

const ARM = "root/arm";
const A = "root/arm/a";

function at(program: Program, s: number, out: Pose = createPose(program)): Pose {
  pose(program, seconds(s), out);
  return out;
}
const matrix = (program: Program, p: Pose, k: string) => {
  const i = program.index.indexOf.get(k) as number;
  return Array.from(p.world.subarray(16 * i, 16 * i + 16));
};
const make = (sequence: Sequence) => compile(smallIndex(), preparation(), sequence);

describe("arrivals and holds", () => {
  // Step s0: still 0 to 0.5, action 0.5 to 2.5, still to 3. An arrival at 1.9 in the action is 2.4 in the step.
  const program = make(sequenceOf([{ [ARM]: [key("k", 1.9, 0.9, { "slide.z": 64, "turn.x": 35 })] }, {}]));
  const home = make(sequenceOf([{}, {}]));

  test("before its lead a part is at home, bit for bit", () => {
    for (const s of [0, 0.3, 1, 1.49, 1.5])
      expect(matrix(program, at(program, s), ARM)).toEqual(matrix(home, at(home, s), ARM));
    expect(matrix(program, at(program, 1.51), ARM)).not.toEqual(matrix(home, at(home, 0), ARM));
  });

  test("after the arrival it is still, bit for bit, through the rest of the sequence", () => {
    const there = matrix(program, at(program, 2.4), ARM);
    for (const s of [2.40001, 2.7, 3, 4.2, 5.9, 100]) expect(matrix(program, at(program, s), ARM)).toEqual(there);
  });

  test("children follow their sub-assembly and nothing else does", () => {
    const p = at(program, 2.4);
    const moved = (k: string) => multiplied(matrix(program, p, k), invertedAffine(matrix(home, at(home, 0), k)));
    moved(A).forEach((v, i) => {
      expect(v).toBeCloseTo(nth(moved(ARM), i), 9);
    });
    expect(matrix(program, p, "root/base")).toEqual(matrix(home, at(home, 0), "root/base"));
  });

  test("put back means 0: home again, bit for bit", () => {
    const back = make(
      sequenceOf([
        { [ARM]: [key("k", 1, 1, { "slide.z": 64, "turn.x": 35.7 }), key("l", 2, 0.7, { "slide.z": 0, "turn.x": 0 })] },
      ]),
    );
    expect(matrix(back, at(back, 2.6), ARM)).toEqual(matrix(home, at(home, 0), ARM));
  });

  test("a channel is bit-for-bit still outside its transitions, whatever the arrivals", () => {
    const arrival = fc.tuple(real(0.05, 6), real(0, 3), real(-500, 500));
    fc.assert(
      fc.property(
        fc.array(arrival, { minLength: 1, maxLength: 6 }),
        fc.array(real(0, 9), { minLength: 8, maxLength: 8 }),
        (arrivals, times) => {
          const keys = arrivals.map(([t, lead, v], i) => key(`k${i}`, t, lead, { "slide.x": v }));
          const p = make(sequenceOf([{ [A]: keys }]));
          const spans = p.transitions({ type: "node", key: A });
          const channel = p.channelOf({ type: "node", key: A }, "slide.x");
          const out = createPose(p);
          for (const s of times) {
            const t = seconds(s);
            const rel = t - nth(p.steps.action, 0);
            pose(p, t, out);
            if (spans.some((x) => rel > x.t0 && rel < x.t1)) continue;
            const last = spans.filter((x) => x.t1 <= rel).at(-1);
            expect(out.values[channel]).toBe(last ? last.to[0] : 0);
          }
        },
      ),
    );
  });
});

describe("leads", () => {
  const TARGET = { type: "node", key: A } as const;
  test("one that does not fit is shortened to the arrival before, and reported", () => {
    const p = make(sequenceOf([{ [A]: [key("a", 1, 0.5, { "slide.x": 10 }), key("b", 1.6, 5, { "slide.x": 20 })] }]));
    expect(p.reports.get(`n:${A}`)).toEqual([
      {
        code: "lead-shortened",
        step: "s0",
        move: "m-root_arm_a",
        key: "b",
        channel: "slide.x",
        askedTicks: seconds(5),
        usedTicks: seconds(0.6),
      },
    ]);
    expect(p.transitions(TARGET).map((t) => [t.t0, t.t1])).toEqual([
      [seconds(0.5), seconds(1)],
      [seconds(1), seconds(1.6)],
    ]);
  });
  test("one that reaches before the action is shortened to its start, so the still before stays still", () => {
    const p = make(sequenceOf([{ [A]: [key("a", 1, 5, { "slide.x": 10 })] }]));
    expect(at(p, 0.5).values[p.channelOf(TARGET, "slide.x")]).toBe(0);
    expect(p.reports.get(`n:${A}`)?.[0]?.usedTicks).toBe(seconds(1));
  });
  test("from the arrival before: moving all the way, nothing reported", () => {
    const p = make(
      sequenceOf([{ [A]: [key("a", 0.5, 0.5, { "slide.x": 10 }), key("b", 2, "previous", { "slide.x": 20 })] }]),
    );
    expect(p.reports.size).toBe(0);
    const v = (s: number) => nth(at(p, s).values, p.channelOf(TARGET, "slide.x"));
    expect(v(1.05)).toBeGreaterThan(10);
  });
  test("no lead is a snap at the arrival, not before", () => {
    const p = make(sequenceOf([{ [A]: [key("a", 1, 0, { "slide.x": 10 })] }]));
    const v = (ticks: number) => {
      const out = createPose(p);
      pose(p, ticks, out);
      return out.values[p.channelOf(TARGET, "slide.x")];
    };
    expect(v(seconds(1.5) - 1)).toBe(0);
    expect(v(seconds(1.5))).toBe(10);
  });
  test("never a jump: consecutive transitions meet in value", () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(real(0.1, 4), real(0, 6), fc.integer({ min: -90, max: 90 })), {
          minLength: 2,
          maxLength: 7,
        }),
        (list) => {
          const p = make(sequenceOf([{ [A]: list.map(([t, lead, v], i) => key(`k${i}`, t, lead, { "turn.y": v })) }]));
          const spans = p.transitions(TARGET);
          for (let i = 1; i < spans.length; i++) {
            expect(spans[i]?.from).toEqual(spans[i - 1]?.to);
            expect(spans[i]?.t0).toBeGreaterThanOrEqual(spans[i - 1]?.t1 as number);
          }
        },
      ),
    );
  });
});

describe("turns count", () => {
  test("0 to 720 passes 360 half way and ends two turns on; -135 turns back", () => {
    const p = make(
      sequenceOf([
        {
          [A]: [
            key("a", 1, 1, { "turn.z": 720 }, { kind: "soft", start: 0, stop: 0 }),
            key("b", 2, 1, { "turn.z": -135 }, { kind: "soft", start: 0, stop: 0 }),
          ],
        },
      ]),
    );
    const v = (s: number) => at(p, s).values[p.channelOf({ type: "node", key: A }, "turn.z")];
    expect(v(1)).toBeCloseTo(360, 9);
    expect(v(1.5)).toBe(720);
    expect(v(2)).toBeCloseTo(292.5, 9);
    expect(v(2.5)).toBe(-135);
  });
  test("a whole turn is home again, exactly", () => {
    const p = make(sequenceOf([{ [A]: [key("a", 1, 1, { "turn.z": 1080 })] }]));
    expect(matrix(p, at(p, 2), A)).toEqual(matrix(p, at(p, 0), A));
  });
  test("35 about X, then 20 about Y: the later axis is applied after, about the parent's frame", () => {
    const p = make(sequenceOf([{ [ARM]: [key("a", 1, 1, { "turn.x": 35, "turn.y": 20 })] }]));
    const home = make(sequenceOf([{}]));
    const turned = multiplied(matrix(p, at(p, 2), ARM), invertedAffine(matrix(home, at(home, 0), ARM)));
    const [cx, sx, cy, sy] = [
      Math.cos((35 * Math.PI) / 180),
      Math.sin((35 * Math.PI) / 180),
      Math.cos((20 * Math.PI) / 180),
      Math.sin((20 * Math.PI) / 180),
    ];
    // Ry(20) * Rx(35), written out, column-major.
    const expected = [cy, 0, -sy, sy * sx, cx, cy * sx, sy * cx, -sx, cy * cx];
    [0, 1, 2, 4, 5, 6, 8, 9, 10].forEach((m, i) => {
      expect(turned[m]).toBeCloseTo(nth(expected, i), 12);
    });
  });
  test("the pivot stays where it is under any turn", () => {
    fc.assert(
      fc.property(
        fc.tuple(
          fc.integer({ min: -720, max: 720 }),
          fc.integer({ min: -720, max: 720 }),
          fc.integer({ min: -720, max: 720 }),
        ),
        ([x, y, z]) => {
          const prepared = {
            ...preparation(),
            nodes: { [ARM]: { pivot: { at: [7, -3, 11] as Triple, in: "parent" as const } } },
          };
          const p = compile(
            smallIndex(),
            prepared,
            sequenceOf([{ [ARM]: [key("a", 1, 1, { "turn.x": x, "turn.y": y, "turn.z": z })] }]),
          );
          const home = matrix(p, at(p, 0), ARM);
          const delta = multiplied(matrix(p, at(p, 2), ARM), invertedAffine(home));
          const moved = [0, 1, 2].map(
            (k) => nth(delta, k) * 7 + nth(delta, 4 + k) * -3 + nth(delta, 8 + k) * 11 + nth(delta, 12 + k),
          );
          moved.forEach((v, k) => {
            expect(v).toBeCloseTo(nth([7, -3, 11], k), 8);
          });
        },
      ),
    );
  });
});

describe("orientation", () => {
  test("is blended as a rotation between unit quaternions", () => {
    const half = Math.SQRT1_2;
    const k = {
      ...key("a", 1, 1, {}, { kind: "soft", start: 0, stop: 0 }),
      orientation: [0, 0, half, half] as [number, number, number, number],
    };
    const p = make(sequenceOf([{ [A]: [k] }]));
    const q = Array.from(at(p, 1).orientations.subarray(0, 4));
    const i = (p.trackNode(A)?.orientation ?? 0) * 4;
    expect(q.length).toBe(4);
    const mid = at(p, 1).orientations;
    expect(mid[i + 2]).toBeCloseTo(Math.sin(Math.PI / 8), 9);
    expect(mid[i + 3]).toBeCloseTo(Math.cos(Math.PI / 8), 9);
  });
});

describe("steps", () => {
  const base = () =>
    sequenceOf([
      { [A]: [key("a", 1, 0.5, { "slide.x": 10 })] },
      { [A]: [key("b", 1, 0.5, { "slide.x": 25 })], camera: [key("c", 1.5, 1, { azimuth: 90 })] },
    ]);
  test("lengthening a still shifts what follows by exactly as much", () => {
    const p = make(base());
    const longer = make({
      ...base(),
      steps: { ...base().steps, s0: { ...(base().steps.s0 as Sequence["steps"][string]), stillAfter: seconds(1.75) } },
    });
    for (const s of [3.6, 4, 4.31, 4.9]) {
      expect(matrix(longer, at(longer, s + 1.25), A)).toEqual(matrix(p, at(p, s), A));
      expect(at(longer, s + 1.25).camera).toEqual(at(p, s).camera);
    }
  });
  test("an arrival beyond the action lengthens it", () => {
    const p = make(sequenceOf([{ [A]: [key("a", 5, 1, { "slide.x": 1 })] }]));
    expect(p.steps.length).toBe(seconds(6));
  });
  test("a step that is off takes no time and moves nothing", () => {
    const off = base();
    (off.steps.s0 as Sequence["steps"][string]).on = false;
    const p = make(off);
    expect(p.steps.length).toBe(seconds(3));
    expect(at(p, 0).values[p.channelOf({ type: "node", key: A }, "slide.x")]).toBe(0);
  });
  test("a target that is gone is reported and the rest plays", () => {
    const p = make(
      sequenceOf([{ "root/nothing": [key("a", 1, 1, { "slide.x": 1 })], [A]: [key("b", 1, 1, { "slide.x": 5 })] }]),
    );
    expect(p.reports.get("n:root/nothing")?.[0]?.code).toBe("target-gone");
    expect(at(p, 3).values[p.channelOf({ type: "node", key: A }, "slide.x")]).toBe(5);
  });
});

describe("any order of times gives the same numbers", () => {
  test("a used program and a fresh one agree", () => {
    const sequence = sequenceOf([
      {
        [A]: [key("a", 0.7, 0.5, { "slide.x": 10, "turn.z": 400 }), key("b", 1.9, "previous", { "slide.x": -4 })],
        [ARM]: [key("c", 1, 1, { "slide.y": 3 })],
      },
      { [ARM]: [key("d", 1.3, 0.8, { "turn.x": 90 })], camera: [key("e", 1, 1, { azimuth: 200, distance: 300 })] },
    ]);
    const used = make(sequence);
    const out = createPose(used);
    fc.assert(
      fc.property(fc.array(real(-1, 8), { minLength: 1, maxLength: 12 }), (times) => {
        for (const s of times) {
          pose(used, seconds(s), out);
          const fresh = make(sequence);
          const other = createPose(fresh);
          pose(fresh, seconds(s), other);
          expect(Array.from(out.world)).toEqual(Array.from(other.world));
          expect(Array.from(out.camera)).toEqual(Array.from(other.camera));
        }
      }),
      { numRuns: 40 },
    );
  });
});

describe("compiling again after an edit", () => {
  const start = () =>
    sequenceOf([
      { [A]: [key("a", 1, 0.5, { "slide.x": 10 })], [ARM]: [key("x", 1.2, 0.3, { "turn.x": 20 })] },
      { [A]: [key("b", 1, 0.5, { "turn.x": 25 })] },
      {},
    ]);
  type Edit = (s: Sequence) => void;
  const t = fc.integer({ min: 1, max: 90 }).map((f) => seconds(f / 30));
  const edit: fc.Arbitrary<Edit> = fc.oneof(
    fc
      .tuple(
        fc.constantFrom("s0", "s1", "s2"),
        fc.constantFrom(A, ARM, "root/base"),
        t,
        t,
        fc.integer({ min: -50, max: 50 }),
        fc.constantFrom("slide.x", "slide.y", "turn.x", "opacity"),
      )
      .map(
        ([s, target, time, lead, v, channel]): Edit =>
          keepArrivals(s, { at: time, lead, ease: { kind: "soft", start: 0, stop: 0.5 } }, [
            { target: { type: "node", key: target }, values: { [channel]: v }, name: "x" },
          ]),
      ),
    fc
      .tuple(fc.constantFrom("s0", "s1", "s2"), fc.constantFrom("stillBefore", "stillAfter", "action"), t)
      .map(([s, field, v]): Edit => updateStep(s, { [field]: v })),
    fc.tuple(fc.constantFrom("s0", "s1", "s2"), fc.boolean()).map(([s, on]): Edit => updateStep(s, { on })),
    fc.tuple(fc.constantFrom("s0", "s1", "s2"), fc.integer({ min: 0, max: 2 })).map(([s, i]): Edit => moveStep(s, i)),
    fc.tuple(t, t).map(
      ([time, lead]): Edit =>
        (s) => {
          const step = Object.values(s.steps).find((x) => Object.keys(x.moves).length > 0);
          const move = step && Object.values(step.moves)[0];
          const k = move && keysOf(move)[0]?.id;
          if (step && move && k) updateKey(step.id, move.id, k, { at: time, lead })(s);
        },
    ),
    fc.constant<Edit>((s) => {
      const step = Object.values(s.steps).find((x) => Object.keys(x.moves).length > 0);
      const move = step && Object.values(step.moves)[0];
      const k = move && keysOf(move)[0]?.id;
      if (step && move && k) removeKey(step.id, move.id, k)(s);
    }),
  );

  test("gives the same numbers as compiling whole, after any run of edits", () => {
    fc.assert(
      fc.property(fc.array(edit, { minLength: 1, maxLength: 12 }), (edits) => {
        let sequence = start();
        let program = make(sequence);
        for (const e of edits) {
          const r = runCommand(sequence, e);
          sequence = r.document;
          program = recompile(
            program,
            sequence,
            r.patches.map((p) => p.path),
          );
        }
        const whole = make(sequence);
        const one = createPose(program);
        const two = createPose(whole);
        for (const s of [0, 0.4, 0.9, 1.33, 2.2, 3.7, 4.4, 6.1, 9]) {
          pose(program, seconds(s), one);
          pose(whole, seconds(s), two);
          expect(Array.from(one.world)).toEqual(Array.from(two.world));
          expect(Array.from(one.opacity)).toEqual(Array.from(two.opacity));
        }
        expect(program.steps.length).toBe(whole.steps.length);
      }),
      { numRuns: 120 },
    );
  });

  test("an edit in one move leaves the groups of all other things alone", () => {
    const sequence = start();
    const program = make(sequence);
    const other = program.groupsOf.get(`n:${ARM}`);
    const r = runCommand(sequence, updateKey("s0", "m-root_arm_a", "a", { at: seconds(1.5) }));
    expect(
      recompile(
        program,
        r.document,
        r.patches.map((p) => p.path),
      ),
    ).toBe(program);
    expect(program.groupsOf.get(`n:${ARM}`)).toBe(other);
  });
});

describe("overrides and hidden parts", () => {
  test("an override shows and leaves no trace", () => {
    const p = make(sequenceOf([{}]));
    const tracks = p.trackNode(A);
    const out = createPose(p);
    pose(p, 0, out);
    const before = Array.from(out.world);
    pose(p, 0, out, { channels: new Map([[tracks?.first ?? 0, 12]]), orientations: new Map() });
    expect(Array.from(out.world)).not.toEqual(before);
    pose(p, 0, out);
    expect(Array.from(out.world)).toEqual(before);
  });
  test("hiding a sub-assembly hides what it holds", () => {
    const p = withPreparation(make(sequenceOf([{}])), { ...preparation(), nodes: { [ARM]: { hidden: true } } });
    const out = at(p, 0);
    expect([...out.visible]).toEqual([1, 0, 0, 0, 1]);
  });
  test("fading a sub-assembly fades what it holds", () => {
    const p = make(sequenceOf([{ [ARM]: [key("a", 1, 1, { opacity: 0.25 })] }]));
    const out = at(p, 2);
    expect(out.opacity[p.index.indexOf.get(A) as number]).toBe(0.25);
    expect(out.opacity[p.index.indexOf.get("root/base") as number]).toBe(1);
  });
  test("the camera begins at its home and counts turns", () => {
    const p = make(
      sequenceOf([
        { camera: [key("a", 2, 2, { azimuth: CAMERA.azimuth + 380 }, { kind: "soft", start: 0, stop: 0 })] },
      ]),
    );
    expect(at(p, 0).camera[3]).toBe(CAMERA.azimuth);
    expect(at(p, 1.5).camera[3]).toBeCloseTo(CAMERA.azimuth + 190, 9);
  });
});

describe("tracks", () => {
  test("what only looks makes none: it reads that a part stands at home, as it does once it has some", () => {
    const program = make(sequenceOf([{ [ARM]: [key("k", 1, 0.5, { "slide.z": 64 })] }]));
    const target = { type: "node" as const, key: A };
    const names = ["slide.x", "turn.x", "size.y", "opacity", "tint", "visible"];
    const structure = program.structure;
    const home = names.map((n) => program.atHome(target, n));
    expect(program.axesOf(target).map((a) => a.id)).toEqual(["x", "y", "z"]);
    expect(program.structure).toBe(structure);
    program.trackNode(A);
    expect(program.structure).toBeGreaterThan(structure);
    const out = at(program, 0);
    expect(names.map((n) => out.values[program.channelOf(target, n)])).toEqual(home);
    expect(program.atHome(target, "slide.x")).toBeNull();
    expect(program.atHome({ type: "node", key: ARM }, "slide.z")).toBeNull();
  });
  test("however many are added, what moves is listed once, when it is asked for", () => {
    const program = make(sequenceOf([{}]));
    expect([...program.moving]).toEqual([]);
    program.trackNode(A);
    program.trackNode(ARM);
    const { listed } = program;
    expect(program.listed).toBe(listed);
    const below = program.index.assembly.nodes.flatMap((n, i) => (n.key.startsWith(ARM) ? [i] : []));
    expect([...listed.moving]).toEqual(below);
    expect(listed.movingTracks.map((t) => t !== null)).toEqual(
      below.map((i) => [A, ARM].includes(program.index.assembly.nodes[i]?.key ?? "")),
    );
  });
});
