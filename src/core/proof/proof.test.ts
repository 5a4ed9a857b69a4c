import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { joint, key, preparation, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { hand, type Sequence } from "../document/sequence";
import { runCommand } from "../edit/history";
import { patched } from "../edit/patches";
import { compile } from "../program/compile";
import { FINDING_SENTENCES, findingText } from "../text/findings";
import type { Finding } from "./check";
import { CHECKS, checkOf } from "./checks";
import { prove, thresholdsOf } from "./proof";

const prepared = preparation();
prepared.joints.h = joint("h", { type: "node", key: "root/arm" });
prepared.joints.s = joint("s", { type: "node", key: "root/base" }, { kind: "slide" });
const programOf = (s: Sequence) => compile(smallIndex(), prepared, s);
/** What these tests are about; the others have tests of their own. */
const THESE = ["seam", "spins-back", "reading"];
const found = (s: Sequence, only: string[] = THESE) => prove(programOf(s), { only }).findings;
const brief = (list: Finding[]) =>
  list.map((f) => [f.check, f.what, f.severity, f.channel ?? ""].filter(Boolean).join(" "));
const STEADY = { kind: "soft", start: 0, stop: 0 } as const;

/** Puts a finding right by one of its mends. */
function applied(s: Sequence, f: Finding, mend = f.mends[0] as string) {
  const program = programOf(s);
  const command = checkOf(f.check)?.mends[mend]?.command?.({ program, thresholds: {} }, f);
  if (!command) throw new Error("no mend");
  return runCommand(s, command);
}
const mended = (s: Sequence, f: Finding) => applied(s, f).document;

/** Arrivals of the arm in one step, with what it does afterwards. */
function arm(keys: ReturnType<typeof key>[], more: (s: Sequence) => void = () => {}): Sequence {
  const s = sequenceOf([{ "root/arm": keys }]);
  if (s.steps.s0) s.steps.s0.action = seconds(8);
  more(s);
  return s;
}
const move = (s: Sequence) => {
  const m = hand(s.steps.s0?.moves["m-root_arm"]);
  if (!m) throw new Error("no move");
  return m;
};
/** A stroke out and back whose end is off its beginning by so much. */
const stroke = (off: number, repeat: "same" | "swing" | "add" | null = "same") =>
  arm(
    [key("o", 0, 0, { "slide.x": 0 }), key("a", 1, 1, { "slide.x": 40 }), key("b", 2, 1, { "slide.x": off })],
    (s) => {
      if (repeat) move(s).repeat = { times: 3, period: null, way: repeat };
    },
  );

describe("what repeats", () => {
  test("jumps where its end is not its beginning; closed it does not, and undone it is as it was", () => {
    const s = stroke(5);
    const [f, ...rest] = found(s);
    expect(rest).toEqual([]);
    expect(f).toMatchObject({
      ...{ check: "seam", what: "jumps", severity: "wrong", channel: "slide.x", step: "s0", mends: ["close"] },
      targets: [{ type: "node", key: "root/arm" }],
      numbers: { begins: { value: 0, unit: "mm" }, ends: { unit: "mm" } },
    });
    expect(f?.numbers.ends?.value).toBeCloseTo(5, 3);
    expect([f?.from, f?.to]).toEqual([seconds(0.5), seconds(2.5)]);
    const { document, inverse } = applied(s, f as Finding);
    expect(found(document)).toEqual([]);
    expect(patched(document, inverse)).toEqual(s);
  });
  test("a slide is not where it began after 360 mm, as a turn is after 360 degrees", () => {
    const ran = (channel: string) => {
      const s = sequenceOf([
        { "root/base": [key("o", 0, 0, { [channel]: 0 }), key("a", 2, 2, { [channel]: 360 }, STEADY)] },
      ]);
      const m = hand(s.steps.s0?.moves["m-root_base"]);
      if (m) m.repeat = { times: 2, period: null, way: "same" };
      return brief(found(s));
    };
    expect(ran("joint.s")).toEqual(["seam jumps wrong joint.s"]);
    expect(ran("turn.x")).toEqual([]);
  });
  test("does not where it meets, adds up, or comes back the way it went, or is done once", () => {
    for (const s of [stroke(0), stroke(5, "swing"), stroke(5, "add"), stroke(5, null)]) expect(found(s)).toEqual([]);
  });
  test("jerks where it goes on through the seam at another speed, and not where the speed is the same", () => {
    const round = (first: number) =>
      arm(
        [
          key("o", 0, 0, { "turn.x": 0 }),
          key("a", first, first, { "turn.x": 180 }, STEADY),
          key("b", 2, 2 - first, { "turn.x": 360 }, STEADY),
        ],
        (s) => {
          move(s).repeat = { times: 4, period: null, way: "same" };
        },
      );
    expect(brief(found(round(0.5)))).toEqual(["seam jerks look turn.x"]);
    expect(found(round(1))).toEqual([]);
  });
  test("for good: a channel that goes on is looked at, and one that stops beside it is told", () => {
    const s = arm(
      [
        key("o", 0, 0, { "slide.x": 0, "turn.z": 0, "slide.y": 7 }),
        key("a", 1, 1, { "slide.x": 40, "turn.z": 30 }),
        key("b", 2, 1, { "slide.x": 0, "turn.z": 0, "slide.y": 7 }),
      ],
      (d) => {
        move(d).beyond = { "slide.x": { before: "hold", after: "repeat" } };
      },
    );
    // What never changes does not stop.
    const list = found(s);
    expect(brief(list)).toEqual(["seam stops look turn.z"]);
    const done = mended(s, list[0] as Finding);
    expect(move(done).beyond?.["turn.z"]).toEqual({ before: "hold", after: "repeat" });
    expect(found(done)).toEqual([]);
  });
});

describe("a turn", () => {
  const turned = (...values: number[]) => arm(values.map((v, i) => key(`k${i}`, 1 + i, 0.8, { "joint.h": v }, STEADY)));
  test("that spins back is told, and carried on goes the way it went, later arrivals too", () => {
    const s = turned(350, 10, 40);
    const list = found(s);
    expect(brief(list)).toEqual(["spins-back back wrong joint.h"]);
    expect(list[0]?.numbers).toEqual({
      from: { value: 350, unit: "°" },
      to: { value: 10, unit: "°" },
      whole: { value: 360, unit: "°" },
    });
    const done = mended(s, list[0] as Finding);
    expect(Object.values(move(done).keys).map((k) => k.values["joint.h"])).toEqual([350, 370, 400]);
    expect(found(done)).toEqual([]);
    // The other way round.
    const left = turned(-350, -10);
    expect(brief(found(left))).toEqual(["spins-back back wrong joint.h"]);
    expect(Object.values(move(mended(left, found(left)[0] as Finding)).keys).map((k) => k.values["joint.h"])).toEqual([
      -350, -370,
    ]);
  });
  test("later steps are carried along", () => {
    const s = sequenceOf([
      { "root/arm": [key("a", 1, 0.8, { "turn.y": 340 }), key("b", 2, 0.8, { "turn.y": 20 })] },
      { "root/arm": [key("c", 1, 0.8, { "turn.y": 90 })], "root/base": [key("d", 1, 0.8, { "turn.y": 5 })] },
    ]);
    const done = mended(s, found(s)[0] as Finding);
    const values = (step: string, m: string) =>
      Object.values(hand(done.steps[step]?.moves[m])?.keys ?? {}).map((k) => k.values["turn.y"]);
    expect(values("s0", "m-root_arm")).toEqual([340, 380]);
    expect(values("s1", "m-root_arm")).toEqual([450]);
    expect(values("s1", "m-root_base")).toEqual([5]);
    expect(found(done)).toEqual([]);
  });
  test("whole turns undone are to be looked at; a way back, a swing, an unwinding and a slide are not", () => {
    expect(brief(found(turned(720, 0)))).toEqual(["spins-back undone look joint.h"]);
    for (const values of [
      [300, 0],
      [120, -120],
      [350, 330],
      [-20, -340],
      [350, 370],
      [90, 0, 90],
    ])
      expect(found(turned(...values))).toEqual([]);
    const slid = sequenceOf([{ "root/base": [key("a", 1, 1, { "joint.s": 350 }), key("b", 2, 1, { "joint.s": 10 })] }]);
    expect(found(slid)).toEqual([]);
  });
});

describe("a caption", () => {
  const captioned = (words: number, still = 0.5) => {
    const s = sequenceOf([{}]);
    if (s.steps.s0)
      Object.assign(s.steps.s0, {
        caption: Array.from({ length: words }, (_, i) => `word${i},`).join(" "),
        ...{ stillBefore: seconds(0.5), action: seconds(2), stillAfter: seconds(still) },
      });
    return s;
  };
  test("too short for its words is told with how long it takes, and the still is lengthened by just enough", () => {
    // Three seconds are there; seven and a half words can be read in them.
    expect(found(captioned(7))).toEqual([]);
    const list = found(captioned(9));
    expect(brief(list)).toEqual(["reading short look"]);
    expect(list[0]?.numbers).toMatchObject({ words: { value: 9 }, shown: { value: 3 }, needed: { value: 3.6 } });
    const done = mended(captioned(9), list[0] as Finding);
    expect(done.steps.s0?.stillAfter).toBe(seconds(1.1));
    expect(found(done)).toEqual([]);
    expect(brief(found(captioned(40)))).toEqual(["reading short wrong", "reading lines look"]);
    expect(found(captioned(0))).toEqual([]);
  });
  test("is read at the speed that was chosen; what is beyond its range is not taken", () => {
    const p = programOf(captioned(9));
    expect(prove(p, { chosen: { reading: { speed: 4 } }, only: THESE }).findings).toEqual([]);
    expect(prove(p, { chosen: { reading: { speed: 400 } }, only: THESE }).findings).toHaveLength(1);
    const check = checkOf("reading");
    expect(check && thresholdsOf(check, { reading: { least: 2 } })).toMatchObject({ speed: 2.5, least: 2 });
  });
});

test("a finding is the same over edits that do not change what it is about, and told worst first, step by step", () => {
  const s = stroke(5);
  const [before] = found(s);
  const titled = runCommand(s, (d) => {
    if (d.steps.s0) Object.assign(d.steps.s0, { title: "Another", note: "x", stillBefore: seconds(2) });
  }).document;
  const [after] = found(titled);
  expect(after).toMatchObject({ about: before?.about, numbers: before?.numbers });
  const both = runCommand(s, (d) => {
    if (d.steps.s0) d.steps.s0.caption = "one two three ".repeat(9);
    const k = Object.values(move(d).keys);
    k.forEach((one, i) => {
      one.values["turn.x"] = [0, 350, 10][i] as number;
    });
  }).document;
  expect(found(both).map((f) => f.severity)).toEqual([...found(both).map((f) => f.severity)].sort().reverse());
  expect(found(both, ["reading"]).map((f) => f.check)).toEqual(["reading"]);
});

test("an empty sequence, steps without moves, and steps that are off have no findings", () => {
  const s = sequenceOf([{}, {}]);
  expect(found(s)).toEqual([]);
  const off = stroke(5);
  if (off.steps.s0) off.steps.s0.on = false;
  expect(found(off)).toEqual([]);
  const moveOff = stroke(5);
  move(moveOff).on = false;
  expect(found(moveOff)).toEqual([]);
});

test("every check has its words, its mends' and its thresholds' names, and every sentence is a whole one", () => {
  for (const c of CHECKS) {
    expect(c.title.length).toBeGreaterThan(8);
    expect(c.why).toMatch(/^[A-Z0-9].*\.$/);
    expect(FINDING_SENTENCES.some((w) => w.startsWith(`${c.id} `))).toBe(true);
    for (const t of Object.values(c.thresholds)) {
      expect(t.usual).toBeGreaterThanOrEqual(t.min);
      expect(t.usual).toBeLessThanOrEqual(t.max);
    }
  }
  expect(new Set(CHECKS.map((c) => c.id)).size).toBe(CHECKS.length);
  const texts = [stroke(5), arm([key("a", 1, 1, { "turn.x": 350 }), key("b", 2, 1, { "turn.x": 10 })])].flatMap((s) =>
    found(s).map((f) => findingText(f, () => "Arm")),
  );
  expect(texts).toEqual([
    "Arm (slide.x) jumps at every round: it ends at 5 mm and begins at 0 mm.",
    "Arm (turn.x) spins back from 350° to 10°; going on, the same direction is 370°.",
  ]);
});

test("whatever is keyed, a spin that is mended is gone, and nothing that goes one way is told", () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: 1, max: 170 }), { minLength: 2, maxLength: 6 }), (steps) => {
      let at = 0;
      const values = steps.map((v) => {
        at += v;
        return at;
      });
      const on = (list: number[]) => arm(list.map((v, i) => key(`k${i}`, 1 + i, 0.8, { "turn.z": v }, STEADY)));
      expect(found(on(values))).toEqual([]);
      // As they are typed by who forgets the whole turns.
      const typed = on(values.map((v) => v % 360));
      for (const f of found(typed)) {
        expect(f.check).toBe("spins-back");
        const left = found(mended(typed, f)).map((g) => g.about);
        expect(left).not.toContain(f.about);
      }
    }),
  );
});
