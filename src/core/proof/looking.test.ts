import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { CAMERA, key, preparation, seconds, sequenceOf } from "../../../tests/support/assembly";
import { assemblyOf, box, gear, mesh } from "../../../tests/support/shapes";
import { hand, type MadeMove, type Sequence } from "../document/sequence";
import { differences, withDifferences } from "../edit/differences";
import { runCommand } from "../edit/history";
import { compile, recompile } from "../program/compile";
import { createPose } from "../program/sampling";
import type { Finding } from "./check";
import { checkOf } from "./checks";
import { Prints } from "./fingerprint";
import { ProofMemory, prove, proving } from "./proof";
import { Shapes } from "./shapes";

type Parts = Parameters<typeof assemblyOf>[0];
const STEADY = { kind: "soft", start: 0, stop: 0 } as const;

/** A machine of parts, and what is found when a sequence moves them. */
function machine(parts: Parts, prepared = preparation()) {
  const { index, geometries } = assemblyOf(parts);
  const shapes = new Shapes(index, geometries);
  const program = (s: Sequence) => compile(index, prepared, s);
  return {
    ...{ index, shapes, program },
    prove: (s: Sequence, only: string, more = {}) => prove(program(s), { only: [only], shapes, ...more }),
    found: (s: Sequence, only: string) => prove(program(s), { only: [only], shapes }).findings,
  };
}
const brief = (list: Finding[]) => list.map((f) => `${f.what} ${f.severity}`);
const camera = (s: Sequence, more: Partial<typeof CAMERA>) => {
  const main = s.cameras.main;
  if (main) main.home = { ...CAMERA, ...more };
  return s;
};
function made(s: Sequence, id: string, kind: string, more: object): Sequence {
  const it = s.steps.s0;
  if (it)
    it.moves[id] = {
      ...{ id, name: id, on: true, folder: null, colour: null, note: "", start: 0, length: seconds(1) },
      ...{ ease: STEADY, targets: [], kind, settings: {} },
      ...more,
    } as unknown as MadeMove;
  return s;
}

describe("the camera", () => {
  const m = machine({ block: { shape: box("b", 40, 40, 40) } });
  const round = (degrees: number, takes: number, ease: object = { kind: "soft", start: 0.4, stop: 0.4 }) => {
    const s = sequenceOf([{ camera: [key("a", 0.2 + takes, takes, { azimuth: 30 + degrees }, ease as never)] }]);
    return camera(s, { distance: 200 });
  };
  test("that whips round is wrong, and takes as long as it needs when it is mended; a calm turn is not told", () => {
    const s = round(170, 0.4);
    const list = m.found(s, "camera").filter((f) => f.what === "whips");
    expect(brief(list)).toEqual(["whips wrong"]);
    const f = list[0] as Finding;
    const done = runCommand(
      s,
      checkOf("camera")?.mends.lengthen?.command?.({ program: m.program(s), thresholds: {} }, f) as never,
    );
    expect(m.found(done.document, "camera").filter((x) => x.what === "whips")).toEqual([]);
    expect(m.found(round(40, 2), "camera")).toEqual([]);
  });
  test("of two that whip in one step each gets the time that it needs itself", () => {
    const s = made(
      camera(sequenceOf([{ camera: [key("a", 0.3, 0.2, { azimuth: 230 }, STEADY)] }]), { distance: 200 }),
      "orbit",
      "camera-orbit",
      {
        ...{ start: seconds(1), length: seconds(0.25), targets: [{ type: "camera", id: "main" }] },
        settings: { degrees: 110, rise: 0, about: null, axis: null },
      },
    );
    const list = m.found(s, "camera").filter((f) => f.what === "whips");

    expect(list.length).toBe(2);
    const [fast, slow] = list.toSorted((a, b) => (b.numbers.speed?.value ?? 0) - (a.numbers.speed?.value ?? 0));
    const moves = (f: Finding) =>
      runCommand(s, checkOf("camera")?.mends.lengthen?.command?.({ program: m.program(s), thresholds: {} }, f) as never)
        .document.steps.s0?.moves;
    // What is a little too fast needs a little more, however fast the other is.
    const orbit = moves(slow as Finding)?.orbit as MadeMove;
    expect(orbit.length / seconds(0.25)).toBeGreaterThan(1.02);
    expect(orbit.length / seconds(0.25)).toBeLessThan(2.5);
    const turned = hand(moves(fast as Finding)?.["m-camera"]);
    expect((turned?.keys.a?.lead as number) / seconds(0.2)).toBeGreaterThan(2.5);
  });
  test("what more time does not make slower is refused with what does, not made an hour long", () => {
    const s = camera(sequenceOf([{ camera: [key("a", 1, 1, { azimuth: 900_000 }, STEADY)] }]), {});
    const f = m.found(s, "camera").find((it) => it.what === "whips") as Finding;
    expect(() =>
      runCommand(
        s,
        checkOf("camera")?.mends.lengthen?.command?.({ program: m.program(s), thresholds: {} }, f) as never,
      ),
    ).toThrow("Let it turn less");
  });
  test("that stops dead is told and smoothed", () => {
    const s = round(60, 1.5, STEADY);
    const list = m.found(s, "camera");
    expect(new Set(list.map((f) => f.what))).toEqual(new Set(["starts", "stops"]));
    const stops = list.find((f) => f.what === "stops") as Finding;
    const done = runCommand(
      s,
      checkOf("camera")?.mends.smooth?.command?.({ program: m.program(s), thresholds: {} }, stops) as never,
    );
    expect(m.found(done.document, "camera")).toEqual([]);
  });
  test("a cut to the other side of the same is told; a quarter round, or to something else, is not", () => {
    const cut = (azimuth: number, aim = 0) => {
      const s = sequenceOf([{}]);
      s.cameras.other = { id: "other", name: "Other", home: { ...CAMERA, elevation: 0, azimuth, "aim.x": aim } };
      camera(s, { elevation: 0 });
      return made(s, "cut", "camera-cut", {
        start: seconds(1),
        length: 0,
        targets: [{ type: "picture" }],
        settings: { camera: "other" },
      });
    };
    expect(brief(m.found(cut(200), "camera"))).toEqual(["across look"]);
    expect(m.found(cut(120), "camera")).toEqual([]);
    expect(m.found(cut(200, 900), "camera")).toEqual([]);
  });
});

describe("what can be seen", () => {
  const parts: Parts = {
    block: { shape: box("b", 20, 20, 20) },
    wall: { shape: box("w", 4, 120, 120), at: [300, 0, 0] },
  };
  const m = machine(parts);
  /** Looks from +X. */
  const front = (s: Sequence) => camera(s, { azimuth: 90, elevation: 0, distance: 200 });
  const slide = (channel: string, to: number) =>
    front(sequenceOf([{ "root/block": [key("a", 1, 1, { [channel]: to })] }]));
  test("what leaves the picture while it acts is told with how much of its time", () => {
    const list = m.found(slide("slide.y", 300), "seen");
    expect(brief(list)).toEqual(["out wrong"]);
    expect(list[0]?.numbers.part?.value).toBeGreaterThan(30);
    expect(m.found(slide("slide.y", 20), "seen")).toEqual([]);
  });
  test("after its last move it may be where it likes", () => {
    const s = slide("slide.y", 20);
    const it = hand(s.steps.s0?.moves["m-root_block"]);
    // It goes out in the next step, with a move that is switched off here.
    expect(it && m.found(s, "seen")).toEqual([]);
  });
  test("what stands behind a wall all the while can hardly be seen; a wall that can be looked through covers nothing", () => {
    const wall = { ...parts, wall: { shape: box("w", 4, 120, 120), at: [60, 0, 0] as const } };
    const list = machine(wall).found(slide("slide.y", 10), "seen");
    expect(brief(list)).toEqual(["covered wrong"]);
    expect(list[0]?.targets.map((t) => t.type === "node" && t.key)).toEqual(["root/block", "root/wall"]);
    const ghost = preparation();
    ghost.nodes["root/wall"] = { ghost: true };
    expect(machine(wall, ghost).found(slide("slide.y", 10), "seen")).toEqual([]);
  });
  test("too small to be told, and a camera inside a part", () => {
    const far = slide("slide.y", 20);
    camera(far, { azimuth: -90, elevation: 0, distance: 4000 });
    expect(brief(m.found(far, "seen"))).toEqual(["small look"]);
    const inside = slide("slide.y", 20);
    camera(inside, { azimuth: 90, elevation: 0, distance: 300 });
    expect(brief(m.found(inside, "seen")).filter((w) => w.startsWith("inside"))).toEqual(["inside wrong"]);
  });
  test("what comes nearer than where the picture begins is cut open; what is a hand farther is not", () => {
    // The picture begins where all there is at home, and a good deal more, begins: 114 mm before the eye here.
    const near = (x: number) => {
      const s = sequenceOf([{ "root/block": [key("a", 1, 1, { "slide.x": x })] }]);
      return camera(s, { azimuth: 90, elevation: 0, distance: 700 });
    };
    const cut = (x: number) => brief(m.found(near(x), "seen")).filter((w) => w.startsWith("cut"));
    expect(cut(700 - 10 - 100)).toEqual(["cut wrong"]);
    expect(cut(700 - 10 - 130)).toEqual([]);
  });
  test("a label over what acts is told, one beside it is not, nor one that is there for a moment", () => {
    const labelled = (right: number, up: number, lasts = 1.5) => {
      const s = front(sequenceOf([{ "root/block": [key("a", 1, 1, { "slide.y": 30 })] }]));
      camera(s, { azimuth: 90, elevation: 0, distance: 2500 });
      return made(s, "l", "label", {
        ...{ start: 0, length: seconds(lasts), targets: [{ type: "node", key: "root/wall" }] },
        settings: { text: "A name that is rather long for so small a thing", right, up, stays: false },
      });
    };
    const over = m.found(labelled(0, 0), "caption-over");
    expect(brief(over)).toEqual(["label-over look"]);
    expect(over[0]?.targets).toEqual([{ type: "node", key: "root/block" }]);
    expect(m.found(labelled(0, 0.4), "caption-over")).toEqual([]);
    expect(m.found(labelled(0, 0, 0.6), "caption-over")).toEqual([]);
  });
  test("a caption over what acts is told, one beside it is not", () => {
    const low = (z: number) => {
      const s = front(sequenceOf([{ "root/block": [key("a", 1, 1, { "slide.y": 10 })] }]));
      camera(s, { azimuth: 90, elevation: 0, distance: 700, "aim.z": z });
      if (s.steps.s0) s.steps.s0.caption = "This is what the block does when it is pushed over to the left";
      return s;
    };
    expect(brief(m.found(low(118), "caption-over"))).toEqual(["over look"]);
    expect(m.found(low(0), "caption-over")).toEqual([]);
  });
  test("what has no shape cannot be judged, which is said", () => {
    const bare = machine({ block: { shape: null }, other: { shape: box("o", 5, 5, 5) } });
    const { findings, unjudged } = bare.prove(slide("slide.y", 20), "seen");
    expect(findings).toEqual([]);
    expect(unjudged).toMatchObject([
      { check: "seen", what: "no-mesh", targets: [{ type: "node", key: "root/block" }] },
    ]);
    expect(prove(bare.program(slide("slide.y", 20)), { only: ["contact"] }).unjudged).toMatchObject([
      { what: "no-meshes" },
    ]);
  });
});

describe("flashes", () => {
  const m = machine({ wall: { shape: box("w", 4, 400, 400) } });
  const blinking = (times: number, takes: number, distance = 200) => {
    const keys = Array.from({ length: 2 * times }, (_, i) =>
      key(`k${i}`, 0.2 + (takes * i) / (2 * times), 0, { opacity: i % 2 ? 1 : 0.2 }),
    );
    return camera(sequenceOf([{ "root/wall": keys }]), { azimuth: 90, elevation: 0, distance });
  };
  test("more than three in a second over a quarter of the picture are told", () => {
    const list = m.found(blinking(6, 1), "flashes");
    expect(brief(list)).toEqual(["flashes wrong"]);
    expect(list[0]?.numbers.share?.value).toBe(100);
    expect(list[0]?.numbers.flashes?.value).toBeGreaterThan(3);
  });
  test("three in a second, and a small thing far off, may flash", () => {
    expect(m.found(blinking(3, 1.2), "flashes")).toEqual([]);
    expect(m.found(blinking(6, 1, 3000), "flashes")).toEqual([]);
  });
});

describe("one through another", () => {
  const parts: Parts = {
    block: { shape: box("b", 20, 20, 20) },
    post: { shape: box("p", 10, 10, 60), at: [50, 0, 0] },
    plate: { shape: box("l", 60, 60, 1), at: [0, 0, 200] },
  };
  const m = machine(parts);
  const to = (values: Record<string, number>, takes = 1) =>
    sequenceOf([{ "root/block": [key("a", takes, takes, values, STEADY)] }]);
  test("a way that was planned can be planned again, one that was keyed by hand cannot", () => {
    const off = made(sequenceOf([{}]), "off", "take-off", {
      ...{ start: seconds(0.5), targets: [{ type: "node", key: "root/block" }] },
      settings: {
        ...{ direction: [1, 0, 0], distance: 60, leaving: { on: false, length: 0 } },
        attention: { on: false, length: 0, times: 1, colour: "ochre" },
      },
    });
    const [f] = m.found(off, "contact");
    expect(f?.mends).toEqual(["plan"]);
    const context = { program: m.program(off), thresholds: {} };
    expect(checkOf("contact")?.mends.plan?.plans?.(context, f as Finding)).toEqual({ step: "s0", move: "off" });
    expect(m.found(to({ "slide.x": 50 }), "contact")[0]?.mends).toEqual([]);
    // Another that comes off at the same time has nothing to do with it.
    const other = made(to({ "slide.x": 50 }), "off", "take-off", {
      ...{ targets: [{ type: "node", key: "root/plate" }] },
      settings: off.steps.s0?.moves.off && "settings" in off.steps.s0.moves.off ? off.steps.s0.moves.off.settings : {},
    });
    expect(m.found(other, "contact").find((c) => c.targets.length === 2)?.mends).toEqual([]);
  });
  test("is told with how deep, where, and from when to when", () => {
    const list = m.found(to({ "slide.x": 50 }), "contact");
    expect(brief(list)).toEqual(["through wrong"]);
    const f = list[0] as Finding;
    expect(f.targets.map((t) => t.type === "node" && t.key)).toEqual(["root/block", "root/post"]);
    // The post is 10 thick and lies wholly inside at the end: no place of it is deeper than its middle.
    expect(f.numbers.depth?.value).toBeGreaterThan(4);
    expect(f.place?.[0]).toBeGreaterThan(44);
    // It touches after 35 of 50 mm.
    expect((f.from - seconds(0.5)) / seconds(1)).toBeCloseTo(0.71, 1);
    expect(m.found(to({ "slide.x": 35.3 }), "contact")).toEqual([]);
    expect(brief(m.found(to({ "slide.x": 37 }), "contact"))).toEqual(["through wrong"]);
  });
  test("is seen between two frames: a thin plate passed in one", () => {
    expect(brief(m.found(to({ "slide.z": 400 }, 2 / 30), "contact"))).toEqual(["through wrong"]);
  });
  test("what is drawn into one another at home is meant so, and what fades out does not count", () => {
    const pressed = machine({ ...parts, post: { shape: box("p", 10, 10, 60), at: [8, 0, 0] } });
    expect(pressed.found(to({ "slide.z": 3 }), "contact")).toEqual([]);
    const faded = to({ "slide.x": 50 });
    const it = hand(faded.steps.s0?.moves["m-root_block"]);
    if (it) it.keys.f = key("f", 0.1, 0.1, { opacity: 0.1 });
    expect(m.found(faded, "contact")).toEqual([]);
  });
  test("what is carried by the same is not looked at, and inverted or open meshes do no harm", () => {
    const carried = machine({ ...parts, rider: { shape: box("r", 8, 8, 8), at: [0, 0, 8], below: "block" } });
    expect(carried.found(to({ "slide.y": 60 }), "contact")).toEqual([]);
    const b = box("i", 20, 20, 20);
    const inverted = mesh("i", Array.from(b.positions), Array.from(b.indices).reverse());
    expect(brief(machine({ ...parts, block: { shape: inverted } }).found(to({ "slide.x": 50 }), "contact"))).toEqual([
      "through wrong",
    ]);
    const open = mesh("o", Array.from(b.positions), Array.from(b.indices).slice(6));
    const { unjudged } = machine({ ...parts, block: { shape: open } }).prove(to({ "slide.x": 50 }), "contact");
    expect(unjudged).toEqual([
      { check: "contact", step: "s0", what: "open-mesh", targets: [{ type: "node", key: "root/block" }] },
    ]);
    expect(m.prove(to({ "slide.x": 50 }), "contact").unjudged).toEqual([]);
    const none = machine({ ...parts, block: { shape: mesh("n", [], []) } });
    expect(none.found(to({ "slide.x": 50 }), "contact")).toEqual([]);
  });
});

describe("a pattern", () => {
  const screw = box("screw", 4, 4, 12);
  const names = ["a", "b", "c", "d", "e"];
  const m = machine(Object.fromEntries(names.map((n, i) => [n, { shape: screw, at: [20 * i, 0, 0] as const }])));
  const outAt = (...starts: number[]) => {
    const s = sequenceOf([{}]);
    names.forEach((n, i) => {
      made(s, n, "slide", {
        start: seconds(starts[i] ?? 0),
        length: seconds(0.5),
        targets: [{ type: "node", key: `root/${n}` }],
        settings: { way: "by", direction: [0, 0, 1], distance: 20 },
      });
    });
    return s;
  };
  test("one of its like that sets off late is told, and its mend lets all after it follow evenly", () => {
    const s = outAt(0, 0.2, 0.4, 0.9, 1.1);
    const list = m.found(s, "unequal");
    expect(brief(list)).toEqual(["pattern look"]);
    expect(list[0]).toMatchObject({
      ...{ targets: [{ type: "node", key: "root/d" }], mends: ["equal"] },
      numbers: { takes: { value: 0.5 }, usual: { value: 0.2 } },
    });
    const command = checkOf("unequal")?.mends.equal?.command?.(
      { program: m.program(s), thresholds: {} },
      list[0] as Finding,
    );
    const done = runCommand(s, command as never).document;
    const starts = names.map((n) => {
      const start = (done.steps.s0?.moves[n] as MadeMove | undefined)?.start ?? -1;
      return Math.round((start / seconds(1)) * 100) / 100;
    });
    expect(starts).toEqual([0, 0.2, 0.4, 0.6, 0.8]);
    expect(m.found(done, "unequal")).toEqual([]);
    expect(m.found(outAt(0, 0.2, 0.4, 0.6, 0.8), "unequal")).toEqual([]);
    expect(m.found(outAt(0, 0, 0, 0, 0), "unequal")).toEqual([]);
  });
});

describe("going on after an edit", () => {
  const m = machine({
    block: { shape: box("b", 20, 20, 20) },
    post: { shape: box("p", 10, 10, 60), at: [50, 0, 0] },
    wheel: { shape: gear(9), at: [-60, 0, 0] },
  });
  const value = fc.integer({ min: -60, max: 60 });
  const story = fc.array(
    fc.record({
      // Null where it is left alone in the step.
      block: fc.option(value),
      turn: fc.option(fc.integer({ min: -900, max: 900 })),
      stills: fc.boolean(),
      at: fc.integer({ min: 2, max: 18 }),
      caption: fc.constantFrom("", "A few words", "word ".repeat(20)),
    }),
    { minLength: 2, maxLength: 4 },
  );
  interface Told {
    block: number | null;
    turn: number | null;
    stills: boolean;
    at: number;
    caption: string;
  }
  const sequence = (list: readonly Told[]) => {
    const s = sequenceOf(
      list.map(({ block, turn, at }) => ({
        ...(block === null ? {} : { "root/block": [key("a", at / 10, "previous", { "slide.x": block })] }),
        ...(turn === null ? {} : { "root/wheel": [key("b", at / 10, "previous", { "turn.z": turn }, STEADY)] }),
      })),
    );
    list.forEach(({ caption, stills, at }, i) => {
      const step = s.steps[`s${i}`];
      if (step)
        Object.assign(step, {
          caption,
          ...(stills ? {} : { stillBefore: 0, stillAfter: 0, action: seconds(at / 10) }),
        });
    });
    return s;
  };
  test("what is remembered and what is looked at anew come to the same, whatever was edited", () => {
    fc.assert(
      fc.property(story, story, (before, after) => {
        const memory = new ProofMemory();
        const film = m.program(sequence(before));
        prove(film, { shapes: m.shapes, memory });
        const now = m.program(sequence(after));
        // As the worker has it: what differs is brought in, and no more than that is compiled again.
        const changes = differences(film.sequence, now.sequence);
        const updated = recompile(
          film,
          withDifferences(film.sequence, changes),
          changes.map((c) => c.path),
        );
        expect(prove(updated, { shapes: m.shapes, memory })).toEqual(prove(now, { shapes: m.shapes }));
        expect(prove(now, { shapes: m.shapes, memory })).toEqual(prove(now, { shapes: m.shapes }));
        // And once more, when all of it is known.
        expect(prove(now, { shapes: m.shapes, memory })).toEqual(prove(now, { shapes: m.shapes }));
      }),
      { numRuns: 25 },
    );
  });
  test("one arrival after another moved, each remembered from the one before, come to what is looked at anew", () => {
    const edit = fc.record({
      step: fc.nat(),
      what: fc.constantFrom("block" as const, "turn" as const, "at" as const),
      by: value,
    });
    fc.assert(
      fc.property(story, fc.array(edit, { minLength: 1, maxLength: 4 }), (begun, edits) => {
        const memory = new ProofMemory();
        let now = begun;
        let film = m.program(sequence(now));
        prove(film, { shapes: m.shapes, memory });
        for (const { step, what, by } of edits) {
          now = now.map((s, i) =>
            i !== step % Math.max(1, now.length)
              ? s
              : { ...s, [what]: what === "at" ? 2 + (Math.abs(by) % 17) : what === "turn" ? 15 * by : by },
          );
          const next = sequence(now);
          const changes = differences(film.sequence, next);
          film = recompile(
            film,
            withDifferences(film.sequence, changes),
            changes.map((c) => c.path),
          );
          expect(prove(film, { shapes: m.shapes, memory })).toEqual(prove(m.program(next), { shapes: m.shapes }));
          // What a step's print is does not depend on what was printed before.
          const at = createPose(film);
          expect(memory.prints.of(film, at)).toEqual(new Prints().of(film, at));
        }
      }),
      { numRuns: 25 },
    );
  });
  test("can be given up at any frame, and yields how far it is", () => {
    const long = sequence([{ block: 10, turn: 20, stills: true, at: 18, caption: "" }]);
    if (long.steps.s0) long.steps.s0.stillAfter = seconds(3600);
    const going = proving(m.program(long), { shapes: m.shapes });
    let shares = 0;
    for (let i = 0; i < 60; i++) {
      const next = going.next();
      if (!next.done) shares = Math.max(shares, next.value);
    }
    expect(shares).toBeGreaterThan(0);
    expect(shares).toBeLessThan(0.1);
    going.return({ findings: [], unjudged: [] });
    expect(going.next().done).toBe(true);
  });
});
