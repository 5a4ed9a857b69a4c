import { describe, expect, test } from "vitest";
import { joint, key, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { emptyPreparation, type Preparation } from "../document/preparation";
import { type HandMove, hand, type MadeMove, type Move, type Sequence, type Target } from "../document/sequence";
import { reversedEase } from "../ease/ease";
import { addCamera } from "../edit/cameraCommands";
import { runCommand } from "../edit/history";
import { addMove, makeMove, setSetting, updateMove } from "../edit/moveCommands";
import { type SequenceCommand, setPicture, setRate } from "../edit/sequenceCommands";
import { together } from "../edit/together";
import { allReports, compile, recompile } from "./compile";
import { liveCamera, pose } from "./pose";
import { createPose } from "./sampling";
import { actionLength, cycleOf, periodOf, spanOf } from "./spans";

const ARM = "root/arm";
const BASE = "root/base";
const index = smallIndex();
const arm: Target = { type: "node", key: ARM };
const at = (s: Sequence, t: number, p: Preparation = emptyPreparation()) => {
  const program = compile(index, p, s);
  const out = createPose(program);
  pose(program, seconds(t), out);
  return { program, out, of: (k: string) => index.indexOf.get(k) as number };
};
const after = (s: Sequence, ...c: SequenceCommand[]) => runCommand(s, together(c)).document;
const made = (
  kind: string,
  id: string,
  settings: Record<string, unknown> = {},
  more: Partial<MadeMove> = {},
  p = emptyPreparation(),
): MadeMove => {
  const context = { index, preparation: p, targets: [arm], camera: "main", nodesOf: () => [1], view: { lens: 50 } };
  const move = makeMove(kind, context, 0, id);
  return { ...move, id, length: seconds(1), ...more, settings: { ...move.settings, ...settings } } as MadeMove;
};
const groupMove = (values: Record<string, number>): HandMove => ({
  ...(hand(Object.values(sequenceOf([{ [ARM]: [key("k", 1, 0.5, values)] }]).steps.s0?.moves ?? {})[0]) as HandMove),
  id: "g",
  target: { type: "group", id: "g" },
});

describe("what a pose tells of parts", () => {
  test("opacity lies between nothing and all, whatever was keyed; what is below is as faint", () => {
    const s = sequenceOf([{ [ARM]: [key("a", 0.5, 0.2, { opacity: -2 }), key("b", 1.5, 0.2, { opacity: 3 })] }]);
    expect(at(s, 1.2).out.opacity[1]).toBe(0);
    const later = at(s, 2.2);
    expect([later.out.opacity[1], later.out.opacity[2]]).toEqual([1, 1]);
  });
  test("a group's tint shines where it is the stronger, with its own colour; hidden it hides its members", () => {
    const p = { ...emptyPreparation(), groups: { g: { id: "g", name: "G", members: [BASE] } } };
    const film = (own: number, shared: number, more = {}) => {
      const s = sequenceOf([{ [BASE]: [key("a", 1, 0.5, { tint: own, "tint-colour": 1 })] }]);
      return after(s, addMove("s0", groupMove({ tint: shared, "tint-colour": 3, ...more }) as Move));
    };
    const strong = at(film(0.2, 0.7), 2.2, p);
    expect([strong.out.tint[4], strong.out.tintColour[4]]).toEqual([0.7, 3]);
    const weak = at(film(0.6, 0.5), 2.2, p);
    expect([weak.out.tint[4], weak.out.tintColour[4], weak.out.tint[1]]).toEqual([0.6, 1, 0]);
    const gone = at(film(0, 0, { visible: 0, opacity: 0.5 }), 2.2, p);
    expect([gone.out.visible[4], gone.out.visible[1], gone.out.opacity[4]]).toEqual([0, 1, 0.5]);
  });
  test("values beyond what there is are let be", () => {
    const { program, out } = at(sequenceOf([{ [ARM]: [key("a", 1, 0.5, { "slide.x": 5 })] }]), 2);
    const before = Array.from(out.world);
    pose(program, seconds(2), out, { channels: new Map([[9999, 7]]), orientations: new Map([[999, [0, 0, 0, 1]]]) });
    expect(Array.from(out.world)).toEqual(before);
    pose(program, seconds(2), out, {
      channels: new Map([[program.channelOf(arm, "slide.x"), 50]]),
      orientations: new Map(),
    });
    expect(out.world[12 + 16]).toBeCloseTo((before[12 + 16] ?? 0) + 45, 9);
  });
});

describe("which moves count", () => {
  const inFolder = (on: boolean) => {
    const s = structuredClone(sequenceOf([{ [ARM]: [key("a", 3, 0.5, { "slide.x": 5 })] }]));
    const step = s.steps.s0;
    if (!step) throw new Error("no step");
    step.folders = { f: { id: "f", name: "F", on, colour: null } };
    for (const m of Object.values(step.moves)) m.folder = "f";
    return s;
  };
  test("those of a folder that is off neither act nor make their step longer", () => {
    const off = inFolder(false);
    expect(actionLength(off.steps.s0 as never, off)).toBe(seconds(2));
    expect(actionLength(inFolder(true).steps.s0 as never, off)).toBe(seconds(3));
    expect(at(off, 4).out.world[28]).toBe(at(sequenceOf([{}]), 1).out.world[28]);
    expect(at(inFolder(true), 4).out.world[28]).not.toBe(at(off, 4).out.world[28]);
  });
  test("a repeat never begins again before it has ended", () => {
    const move = made("slide", "m", {}, { repeat: { times: 3, period: seconds(0.2), way: "same" } } as never);
    const s = after(sequenceOf([{}]), addMove("s0", move));
    const m = s.steps.s0?.moves.m as Move;
    expect(periodOf(m, cycleOf(m, s))).toBe(seconds(1));
    expect(spanOf(m, s)).toEqual({ t0: 0, t1: seconds(3) });
    const slow = after(
      s,
      updateMove({ step: "s0", move: "m" }, { repeat: { times: 3, period: seconds(1.5), way: "same" } } as never),
    );
    expect(spanOf(slow.steps.s0?.moves.m as Move, slow).t1).toBe(seconds(4));
  });
  test("a limit is not passed by standing on it", () => {
    const p = (max: number) => ({
      ...emptyPreparation(),
      joints: { h: joint("h", { type: "node", key: ARM }, { limits: { min: -10, max, hard: false } }) },
    });
    const s = sequenceOf([{ [ARM]: [key("a", 1, 0.5, { "joint.h": 90 }), key("b", 1.8, 0.5, { "joint.h": -10 })] }]);
    const codes = (max: number) => allReports(compile(index, p(max), s)).map((r) => r.code);
    expect(codes(90)).toEqual([]);
    expect(codes(89.9)).toEqual(["beyond-limit"]);
  });
  test("turned round, an ease sets off as it came to rest", () => {
    expect(reversedEase({ kind: "soft", start: 0.2, stop: 0.6 })).toEqual({ kind: "soft", start: 0.6, stop: 0.2 });
    expect(reversedEase({ kind: "curve", x1: 0.1, y1: 0.2, x2: 0.7, y2: 1 })).toMatchObject({
      x1: expect.closeTo(0.3),
      y1: 0,
      x2: 0.9,
      y2: 0.8,
    });
  });
});

describe("cameras", () => {
  const second = {
    ...(sequenceOf([{}]).cameras.main?.home as NonNullable<Sequence["cameras"]["main"]>["home"]),
    azimuth: 222,
  };
  const film = () =>
    after(
      sequenceOf([{}, {}]),
      addCamera("two", "Second", second),
      addMove(
        "s0",
        made("camera-cut", "c", { camera: "two" }, { start: seconds(1), length: 0, targets: [{ type: "picture" }] }),
      ),
    );

  test("the live one is the first until a cut, and the one that was cut to after it", () => {
    const early = at(film(), 1.2);
    const late = at(film(), 2);
    expect([early.out.camera[3], late.out.camera[3]]).toEqual([30, 222]);
    expect(liveCamera(late.program, late.out)).toBe(late.program.cameras.get("two"));
    const plain = at(sequenceOf([{}]), 1);
    expect(liveCamera(plain.program, plain.out)).toBe(plain.program.cameras.get("main"));
  });
  test("a lens that keeps the size goes farther as it gets longer; a push comes no nearer than half a millimetre", () => {
    const lens = after(
      sequenceOf([{}]),
      addMove(
        "s0",
        made("camera-lens", "l", { way: "mm", mm: 100, keep: true }, { targets: [{ type: "camera", id: "main" }] }),
      ),
    );
    const end = at(lens, 2).out.camera;
    expect([end[7], end[5]]).toEqual([100, 1000]);
    const plain = at(after(lens, setSetting({ step: "s0", move: "l" }, "keep", false)), 2).out.camera;
    expect([plain[7], plain[5]]).toEqual([100, 500]);
    const push = (settings: Record<string, unknown>) =>
      at(
        after(
          sequenceOf([{}]),
          addMove("s0", made("camera-push", "p", settings, { targets: [{ type: "camera", id: "main" }] })),
        ),
        2,
      ).out.camera[5];
    expect([push({ way: "share", share: 0.5 }), push({ way: "mm", mm: 120 }), push({ way: "mm", mm: 9000 })]).toEqual([
      250, 380, 0.5,
    ]);
  });
  test("views that fit are worked out anew for another rate or picture", () => {
    const fit = after(
      sequenceOf([{}]),
      addMove("s0", made("camera-fit", "f", { parts: [arm] }, { targets: [{ type: "camera", id: "main" }] })),
    );
    for (const change of [setPicture(400, 900), setRate({ num: 12, den: 1 }, "frames")]) {
      const run = runCommand(fit, change);
      const program = recompile(
        compile(index, emptyPreparation(), fit),
        run.document,
        run.patches.map((p) => p.path),
      );
      const [a, b] = [createPose(program), createPose(program)];
      pose(program, program.steps.length, a);
      const whole = compile(index, emptyPreparation(), run.document);
      pose(whole, whole.steps.length, b);
      expect(Array.from(a.camera)).toEqual(Array.from(b.camera));
    }
    const low = at(after(fit, setPicture(1600, 200)), 2.4).out.camera[5] ?? 0;
    expect(low).toBeGreaterThan(at(fit, 2.4).out.camera[5] ?? 0);
  });
});
