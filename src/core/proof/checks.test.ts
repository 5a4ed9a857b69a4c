import { describe, expect, test } from "vitest";
import { joint, key, preparation, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { sound } from "../../../tests/support/sound";
import { hand, type MadeMove, newStep, type Sequence } from "../document/sequence";
import type { Sound } from "../document/sounds";
import { runCommand } from "../edit/history";
import { compile } from "../program/compile";
import { findingText } from "../text/findings";
import type { Finding } from "./check";
import { checkOf } from "./checks";
import { prove } from "./proof";

const prepared = preparation();
prepared.joints.h = joint("h", { type: "node", key: "root/arm" }, { limits: { min: -10, max: 90, hard: false } });
const programOf = (s: Sequence) => compile(smallIndex(), prepared, s);
/** What a check finds; each begins in its step and ends within the film, and what it is about is there. */
const found = (s: Sequence, only: string) => {
  const program = programOf(s);
  const { findings } = prove(program, { only: [only] });
  for (const f of findings) {
    const position = program.steps.position.get(f.step) ?? -1;
    expect(position, f.what).toBeGreaterThanOrEqual(0);
    // It begins there; what goes on into the next steps ends there.
    const [start, end] = [program.steps.start[position] as number, program.steps.length];
    const where = `${f.what}: ${f.from}–${f.to} in ${start}–${end}`;
    expect(f.from >= start && f.from <= f.to && f.to <= end, where).toBe(true);
    for (const t of f.targets)
      if (t.type === "node" && f.what !== "gone") expect(program.index.indexOf.has(t.key), f.what).toBe(true);
  }
  return findings;
};
const brief = (list: Finding[]) => list.map((f) => `${f.what} ${f.severity}`);
const STEADY = { kind: "soft", start: 0, stop: 0 } as const;
const move = (s: Sequence, id = "m-root_arm", step = "s0") => {
  const m = hand(s.steps[step]?.moves[id]);
  if (!m) throw new Error("no move");
  return m;
};
/** Puts a finding right by one of its mends. */
function mended(s: Sequence, f: Finding | undefined, mend = f?.mends[0]): Sequence {
  const command = f && checkOf(f.check)?.mends[mend as string]?.command?.({ program: programOf(s), thresholds: {} }, f);
  if (!command) throw new Error("no mend");
  return runCommand(s, command).document;
}
const arm = (...keys: ReturnType<typeof key>[]) => sequenceOf([{ "root/arm": keys }]);
/** Adds a ready-made move. */
function made(s: Sequence, step: string, id: string, kind: string, more: object): Sequence {
  const it = s.steps[step];
  if (it)
    it.moves[id] = {
      ...{ id, name: id, on: true, folder: null, colour: null, note: "", start: 0, length: seconds(1) },
      ...{ ease: STEADY, targets: [{ type: "node", key: "root/arm" }], kind, settings: {} },
      ...more,
    } as unknown as MadeMove;
  return s;
}

describe("between two arrivals", () => {
  const pulled = (leave: number, arrive: number, from = 0, to = 40) => {
    const s = arm(key("a", 0.5, 0.5, { "slide.x": from }), key("b", 2, "previous", { "slide.x": to }));
    const b = move(s).keys.b;
    if (b)
      b.shapes = {
        "slide.x": { kind: "handles", leave: { share: 1 / 3, value: leave }, arrive: { share: 1 / 3, value: arrive } },
      };
    return s;
  };
  test("handles that send it back first are wrong, past its end to be looked at; a mend keeps it within", () => {
    const s = pulled(-30, -5);
    const list = found(s, "wrong-way");
    expect(brief(list)).toEqual(["backs wrong"]);
    expect(list[0]?.numbers).toMatchObject({ from: { value: 0 }, to: { value: 40 } });
    expect(list[0]?.numbers.off?.value).toBeGreaterThan(3);
    const done = mended(s, list[0]);
    expect(move(done).keys.b?.shapes).toEqual({ "slide.x": { kind: "smooth" } });
    expect(found(done, "wrong-way")).toEqual([]);
    expect(brief(found(pulled(5, 30), "wrong-way"))).toEqual(["passes look"]);
  });
  test("wandering between two equal arrivals is told", () => {
    const s = pulled(20, 20, 10, 10);
    expect(brief(found(s, "wrong-way"))).toEqual(["wanders look"]);
    expect(found(mended(s, found(s, "wrong-way")[0]), "wrong-way")).toEqual([]);
  });
  test("handles within, a shape that is free to, and an ease drawn to overshoot were chosen", () => {
    expect(found(pulled(5, -5), "wrong-way")).toEqual([]);
    const free = pulled(-30, -5);
    const b = move(free).keys.b;
    if (b) b.shapes = { "slide.x": { kind: "free" } };
    expect(found(free, "wrong-way")).toEqual([]);
    const drawn = arm(key("a", 2, 1.5, { "slide.x": 40 }, { kind: "curve", x1: 0.3, y1: -0.5, x2: 0.6, y2: 1.4 }));
    expect(found(drawn, "wrong-way")).toEqual([]);
  });
});

describe("evenness", () => {
  const swings = (...takes: number[]) => {
    let at = 0;
    return arm(
      key("k0", 0, 0, { "turn.z": -20 }),
      ...takes.map((t, i) => {
        at += t;
        return key(`k${i + 1}`, at, "previous", { "turn.z": i % 2 ? -20 : 20 });
      }),
    );
  };
  test("a swing that takes longer than its like is told, and made equal all later ones come along", () => {
    const s = swings(0.5, 0.5, 0.8, 0.5);
    const list = found(s, "unequal");
    expect(brief(list)).toEqual(["swings look"]);
    expect(list[0]?.numbers).toMatchObject({
      takes: { value: 0.8 },
      usual: { value: 0.5 },
      by: { value: 40, unit: "°" },
    });
    const done = mended(s, list[0]);
    expect(move(done).keys.k3?.at).toBe(seconds(1.5));
    expect(move(done).keys.k4?.at).toBe(seconds(2));
    expect(found(done, "unequal")).toEqual([]);
  });
  test("a frame more, two takts in turn, and swings of other sizes are not", () => {
    expect(found(swings(0.5, 0.5, 0.53, 0.5), "unequal")).toEqual([]);
    expect(found(swings(0.5, 0.9, 0.5, 0.9), "unequal")).toEqual([]);
    const grows = swings(0.5, 0.5, 0.8, 0.5);
    const k = move(grows).keys.k3;
    if (k) k.values["turn.z"] = 60;
    expect(found(grows, "unequal")).toEqual([]);
  });
  test("parts of one shape that set off at unequal intervals are told, and made equal", () => {
    const at = (...starts: number[]) => {
      const s = sequenceOf([{}]);
      for (const [i, key] of ["root/arm/a", "root/arm/b", "root/base"].entries())
        made(s, "s0", `m${i}`, "slide", {
          start: seconds(starts[i] as number),
          targets: [{ type: "node", key }],
          settings: { way: "by", direction: [0, 0, 1], distance: 10 },
        });
      return s;
    };
    // A pattern takes four at least: three may start as they like.
    expect(found(at(0, 0.2, 0.9), "unequal")).toEqual([]);
  });
});

test("what is to be made equal without a usual time is refused", () => {
  const f = { check: "unequal", step: "s0", about: "swings m-root_arm a", numbers: {} } as unknown as Finding;
  expect(() => mended(arm(key("a", 1, 1, { "slide.x": 5 })), f, "equal")).toThrow();
});

describe("stills", () => {
  test("a hair's breadth in a second creeps, and stands when it is mended", () => {
    const s = arm(key("a", 1, 1, { "slide.x": 12 }), key("b", 2, "previous", { "slide.x": 12.2 }));
    const list = found(s, "creep");
    expect(brief(list)).toEqual(["creeps look"]);
    const done = mended(s, list[0]);
    expect(move(done).keys.b?.values["slide.x"]).toBe(12);
    expect(found(done, "creep")).toEqual([]);
    // More than a hair, or in a blink, is meant.
    expect(found(arm(key("a", 1, 1, { "slide.x": 12 }), key("b", 2, 1, { "slide.x": 13 })), "creep")).toEqual([]);
    expect(found(arm(key("a", 1, 1, { "slide.x": 12 }), key("b", 2, 0.2, { "slide.x": 12.2 })), "creep")).toEqual([]);
    expect(found(arm(key("a", 1, 1, { opacity: 0.9 })), "creep")).toEqual([]);
  });
  test("what runs straight on through the still is told; a cycle for good is meant", () => {
    const s = arm(key("a", 1, 1, { "slide.x": 20 }, STEADY));
    move(s).beyond = { "slide.x": { before: "hold", after: "straight" } };
    const list = found(s, "creep");
    expect(brief(list)).toEqual(["runs-on look"]);
    expect(list[0]?.numbers).toMatchObject({ speed: { value: 20, unit: "mm/s" }, still: { value: 0.5 } });
    expect(move(mended(s, list[0])).beyond?.["slide.x"]).toEqual({ before: "hold", after: "hold" });
    move(s).beyond = { "slide.x": { before: "hold", after: "repeat" } };
    expect(found(s, "creep")).toEqual([]);
  });
});

describe("repeats", () => {
  test("one that stands a frame at its seam in mid-motion shows it twice", () => {
    const round = (period: number | null, ease: typeof STEADY | undefined = STEADY) => {
      const s = arm(key("a", 1, 1, { "turn.z": 90 }, ease));
      move(s).repeat = { times: 3, period: period === null ? null : seconds(period), way: "add" };
      return s;
    };
    const s = round(1 + 1 / 30);
    const list = found(s, "seam");
    expect(brief(list)).toEqual(["doubled wrong"]);
    expect(list[0]?.numbers.frames?.value).toBeCloseTo(1, 1);
    expect(found(mended(s, list[0]), "seam")).toEqual([]);
    expect(found(round(null), "seam")).toEqual([]);
    // A rest that can be seen as one, and a stop that is soft anyway.
    expect(found(round(1.5), "seam")).toEqual([]);
    expect(found(round(1 + 1 / 30, { kind: "soft", start: 0.3, stop: 0.4 } as never), "seam")).toEqual([]);
  });
  test("cycles that do not meet while they run are told with when they would", () => {
    const two = (a: number, b: number) => {
      const s = sequenceOf([
        { "root/arm": [key("a", a, a, { "slide.x": 10 })], "root/base": [key("b", b, b, { "slide.x": 10 })] },
      ]);
      move(s).repeat = { times: 2, period: null, way: "swing" };
      move(s, "m-root_base").repeat = { times: 2, period: null, way: "swing" };
      return s;
    };
    const list = found(two(1, 0.7), "seam");
    expect(brief(list)).toEqual(["apart look"]);
    expect(list[0]?.numbers).toMatchObject({ first: { value: 1 }, second: { value: 0.7 }, meet: { value: 7 } });
    expect(found(two(1, 1), "seam")).toEqual([]);
    expect(found(two(1, 0.5), "seam")).toEqual([]);
  });
});

describe("moves that cannot be made", () => {
  test("what is gone, beyond its limits, fought over, hidden or locked is told; a mend switches it off", () => {
    const gone = sequenceOf([{ "root/nothing": [key("a", 1, 1, { "slide.x": 5 })] }]);
    expect(brief(found(gone, "fault"))).toEqual(["gone wrong"]);
    expect(found(mended(gone, found(gone, "fault")[0]), "fault")).toEqual([]);
    expect(brief(found(arm(key("a", 1, 1, { "joint.h": 120 })), "fault"))).toEqual(["limit wrong"]);
    expect(found(arm(key("a", 1, 1, { "joint.h": 80 })), "fault")).toEqual([]);
    const s = arm(key("a", 1, 1, { "slide.x": 5 }));
    prepared.nodes["root/arm"] = { locked: true };
    expect(found(s, "fault")).toMatchObject([
      { what: "locked", severity: "look", about: "locked m-root_arm root/arm" },
    ]);
    prepared.nodes["root/arm"] = { hidden: true };
    expect(brief(found(s, "fault"))).toEqual(["hidden look"]);
    delete prepared.nodes["root/arm"];
    expect(found(s, "fault")).toEqual([]);
    const settings = { way: "by", direction: [1, 0, 0], distance: 10 };
    made(s, "s0", "x", "slide", { settings });
    made(s, "s0", "y", "slide", { settings, start: seconds(0.5) });
    expect(new Set(brief(found(s, "fault")))).toEqual(new Set(["fights look"]));
  });
  test("a put back whose original is switched off is told where the step can be switched on again", () => {
    const s = sequenceOf([{}, {}]);
    made(s, "s0", "out", "slide", { settings: { way: "by", direction: [0, 0, 1], distance: 30 } });
    made(s, "s1", "in", "back", { settings: { of: { step: "s0", move: "out" }, companions: false, own: false } });
    expect(found(s, "left-out")).toEqual([]);
    if (s.steps.s0) s.steps.s0.on = false;
    const list = found(s, "left-out");
    expect(brief(list)).toEqual(["depends wrong"]);
    expect(found(mended(s, list[0]), "left-out")).toEqual([]);
  });
});

describe("left out", () => {
  const slide = (s: Sequence, step: string, id: string, key: string, distance: number) =>
    made(s, step, id, "slide", {
      targets: [{ type: "node", key }],
      settings: { way: "by", direction: [0, 0, 1], distance },
    });
  const two = (back: boolean) => {
    const s = sequenceOf([{}, {}]);
    slide(s, "s0", "a", "root/arm", 30);
    slide(s, "s0", "b", "root/base", 30);
    slide(s, "s1", "c", "root/arm", -30);
    if (back) slide(s, "s1", "d", "root/base", -30);
    return s;
  };
  test("what was taken off and not put back while another was is told, at the step that took it off", () => {
    const list = found(two(false), "left-out");
    expect(brief(list)).toEqual(["off wrong"]);
    expect(list[0]).toMatchObject({
      step: "s0",
      targets: [{ type: "node", key: "root/base" }],
      numbers: { away: { value: 30 } },
    });
    expect(found(two(true), "left-out")).toEqual([]);
    // Where nothing comes back it ends taken apart, as it was meant to.
    const apart = two(false);
    delete apart.steps.s1?.moves.c;
    expect(found(apart, "left-out")).toEqual([]);
  });
  test("what comes or goes in one frame is told unless the camera cuts; it may fade instead", () => {
    const s = sequenceOf([{}]);
    made(s, "s0", "gone", "leave", { length: 0, settings: { fade: false, direction: [0, 0, 1], distance: 0 } });
    const list = found(s, "left-out");
    expect(brief(list)).toEqual(["vanishes look"]);
    const done = mended(s, list[0]);
    expect(found(done, "left-out")).toEqual([]);
    expect(done.steps.s0?.moves.gone).toMatchObject({ length: seconds(0.5), settings: { fade: true } });
    const fades = sequenceOf([{}]);
    made(fades, "s0", "gone", "leave", { settings: { fade: true, direction: [0, 0, 1], distance: 0 } });
    expect(found(fades, "left-out")).toEqual([]);
  });
  test("what is only dimmed in one frame neither comes nor goes", () => {
    const dimmed = (to: number) => arm(key("a", 1, 0, { opacity: to }));
    expect(found(dimmed(0.8), "left-out")).toEqual([]);
    expect(brief(found(dimmed(0), "left-out"))).toEqual(["vanishes look"]);
  });
});

describe("waiting", () => {
  test("nothing for too long is told, and shortened by what is too much", () => {
    const s = arm(key("a", 1, 1, { "slide.x": 5 }));
    if (s.steps.s0) s.steps.s0.stillAfter = seconds(9);
    const list = found(s, "idle");
    expect(brief(list)).toEqual(["nothing look"]);
    // The action's empty second belongs to it.
    expect(list[0]?.numbers.lasts?.value).toBeCloseTo(10, 5);
    expect(found(mended(s, list[0]), "idle")).toEqual([]);
    if (s.steps.s0) s.steps.s0.stillAfter = seconds(3);
    expect(found(s, "idle")).toEqual([]);
  });
  test("a caption takes time to read: that is not nothing", () => {
    const s = arm(key("a", 1, 1, { "slide.x": 5 }));
    if (s.steps.s0) Object.assign(s.steps.s0, { stillAfter: seconds(5), caption: "word ".repeat(12) });
    expect(found(s, "idle")).toEqual([]);
  });
  test("a step that begins with nothing in it interrupts nothing", () => {
    const s = sequenceOf([{ "root/arm": [key("a", 1, 1, { "slide.x": 5 })] }, {}, {}]);
    const [f, ...rest] = found(s, "idle");
    expect(rest).toEqual([]);
    expect(f?.numbers.lasts?.value).toBeCloseTo(1.5 + 3 + 3, 5);
  });
  test("motion a moment after a cut is told, and waits when it is mended", () => {
    const cut = (after: number) => {
      const s = sequenceOf([{}]);
      s.cameras.other = { id: "other", name: "Other", home: { ...(s.cameras.main?.home as never as object) } as never };
      made(s, "s0", "cut", "camera-cut", {
        start: seconds(0.5),
        length: 0,
        targets: [{ type: "picture" }],
        settings: { camera: "other" },
      });
      made(s, "s0", "go", "slide", {
        start: seconds(0.5 + after),
        settings: { way: "by", direction: [0, 0, 1], distance: 9 },
      });
      return s;
    };
    const list = found(cut(0.1), "idle");
    expect(brief(list)).toEqual(["soon look"]);
    expect(found(mended(cut(0.1), list[0]), "idle")).toEqual([]);
    expect(found(cut(0.5), "idle")).toEqual([]);
  });
});

describe("labels", () => {
  test("one that is gone before it is read is told, and shown for longer", () => {
    const label = (length: number, text = "Spent cartridge: 600 litres") =>
      made(sequenceOf([{}]), "s0", "l", "label", {
        length: seconds(length),
        settings: { text, right: 0.2, up: 0.1, stays: false },
      });
    const s = label(0.9);
    const list = found(s, "reading");
    expect(brief(list)).toEqual(["label-short look"]);
    expect(list[0]?.targets).toEqual([{ type: "node", key: "root/arm" }]);
    expect(found(mended(s, list[0]), "reading")).toEqual([]);
    expect(found(label(2), "reading")).toEqual([]);
    expect(brief(found(label(60, "much too long ".repeat(20)), "reading"))).toContain("label-wide wrong");
  });
  test("captions: lines, words that do not fit, and letters too small for the picture", () => {
    const captioned = (caption: string, height = 720) => {
      const s = sequenceOf([{}]);
      if (s.steps.s0) Object.assign(s.steps.s0, { caption, stillAfter: seconds(60) });
      s.picture = { width: Math.round((height * 16) / 9), height };
      return brief(found(s, "reading"));
    };
    expect(captioned("A short one.")).toEqual([]);
    expect(captioned("line\nline\nline\nline")).toEqual(["lines look"]);
    expect(captioned(`${"x".repeat(90)}`)).toEqual(["wide wrong"]);
    expect(captioned("A short one.", 240)).toEqual(["small look"]);
  });
});

test("a hand-keyed part in a step of its own is told in words, with its channel", () => {
  const s = arm(key("a", 1, 1, { "slide.x": 12 }), key("b", 2, "previous", { "slide.x": 12.2 }));
  expect(
    found(s, "creep").map((f) =>
      findingText(
        f,
        () => "Arm",
        () => "Slide X",
      ),
    ),
  ).toEqual(["Arm (Slide X) creeps from 12 mm to 12.2 mm in 1 s; it looks as if it should stand."]);
  expect(newStep("x", "X").moves).toEqual({});
});

describe("narration", () => {
  const spoken = (...sounds: Sound[]) => ({
    ...sequenceOf([{}, {}]),
    sounds: Object.fromEntries(sounds.map((v) => [v.id, v])),
  });
  const said = (film: Sequence) => found(film, "narration").map((f) => findingText(f, () => ""));

  test("that goes on after its step is told, and the still is fitted to it", () => {
    const film = spoken(sound("Hello", 3, "s0", 0.5));
    const list = found(film, "narration");
    expect(brief(list)).toEqual(["over look"]);
    expect(said(film)).toEqual(['"Hello" goes on for 0.5 s after its step has ended.']);
    const put = mended(film, list[0]);
    expect(found(put, "narration")).toEqual([]);
    expect(put.steps.s0?.stillAfter).toBe(seconds(1));
    expect(said(spoken(sound("Hello", 2.65, "s0", 0.5)))).toEqual([]);
  });
  test("that the end of the film cuts off is wrong; music may be cut", () => {
    const film = spoken(sound("Bye", 3, "s1", 1));
    expect(brief(found(film, "narration"))).toEqual(["cut wrong"]);
    expect(said(film)).toEqual(['"Bye" is cut off by the end of the film: 1 s of it are not heard.']);
    expect(found(mended(film, found(film, "narration")[0]), "narration")).toEqual([]);
    expect(said(spoken(sound("Bed", 60, null, 0, { role: "music" })))).toEqual([]);
  });
  test("over other narration is told, and said after it", () => {
    const film = spoken(sound("One", 1.5, "s0", 0), sound("Two", 1, "s0", 1));
    const list = found(film, "narration");
    expect(said(film)).toEqual(["One and Two are heard at once for 0.5 s."]);
    const put = mended(film, list[0]);
    expect(put.sounds?.Two?.at).toBe(seconds(1.5));
    expect(found(put, "narration")).toEqual([]);
    expect(said(spoken(sound("One", 1.5, "s0", 0), sound("Two", 1, "s0", 1, { on: false })))).toEqual([]);
  });
  test("is something to listen to: while it lasts it is not that nothing happens", () => {
    const film = spoken(sound("Long", 7, "s0", 0));
    if (film.steps.s0) film.steps.s0.stillAfter = seconds(6);
    expect(found(film, "idle")).toEqual([]);
    (film.sounds.Long as Sound).on = false;
    expect(brief(found(film, "idle"))).toEqual(["nothing look"]);
  });
});
