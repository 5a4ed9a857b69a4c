import { describe, expect, test } from "vitest";
import { CAMERA, key, preparation, seconds, sequenceOf, smallAssembly, smallIndex } from "../../../tests/support/assembly";
import { indexAssembly } from "../assembly/assembly";
import { keysOf, type MadeMove, type Sequence, SequenceSchema } from "../document/sequence";
import { MOVE_KINDS } from "../moves/kinds";
import { compile } from "../program/compile";
import { createPose, pose } from "../program/pose";
import { addCamera, removeCamera } from "./cameraCommands";
import { runCommand } from "./history";
import { addMove, reversedCopies } from "./moveCommands";
import { rescalePreparation } from "./rescaleWork";
import { setRate } from "./sequenceCommands";
import { removeStepOf } from "./stepCommands";
import { fitTo, sequenceLength } from "./timing/goal";
import { keepTiming } from "./timing/versions";
import { mapMoveTimes, mapSettings } from "./traverse";

const ARM = { type: "node", key: "root/arm" } as const;
const EASE = { kind: "soft", start: 0, stop: 0 } as const;
const made = (kind: string, settings: Record<string, unknown>, more: Partial<MadeMove> = {}): MadeMove =>
  ({ id: "m", name: "m", on: true, folder: null, colour: null, note: "", start: 0, length: seconds(1), ease: EASE, targets: [ARM], kind, settings, ...more }) as MadeMove;
const takeOff = () =>
  made("take-off", {
    direction: [0, 0, 1],
    distance: 30,
    attention: { on: true, length: seconds(1.2), times: 2, colour: "ochre" },
    leaving: { on: true, length: seconds(0.6) },
  });
const withMove = (move: MadeMove, steps = 1): Sequence => runCommand(sequenceOf(Array.from({ length: steps }, () => ({}))), addMove("s0", move)).document;
const compiled = (s: Sequence) => compile(smallIndex(), preparation(), s);
const film = (s: Sequence, times: number[]) => {
  const p = compiled(s);
  const out = createPose(p);
  return times.map((t) => {
    pose(p, seconds(t), out);
    return Array.from(out.world);
  });
};

describe("every time of a move", () => {
  test("is reached, those inside settings as well", () => {
    const move = takeOff();
    mapMoveTimes(
      move,
      (t) => t + 5,
      (l) => l / 2,
    );
    expect(move).toMatchObject({ start: 5, length: seconds(0.5), settings: { attention: { length: seconds(0.6) }, leaving: { length: seconds(0.3) } } });
  });
  test("each kind's fields lead to a setting that is there", () => {
    for (const kind of MOVE_KINDS) {
      if (kind.kind === "back") continue;
      let settings: Record<string, unknown>;
      try {
        settings = kind.defaults({ index: smallIndex(), preparation: preparation(), targets: [ARM], camera: "main", nodesOf: () => [1], view: { ...CAMERA } }) as Record<
          string,
          unknown
        >;
      } catch {
        continue; // Needs a joint, a pose or a look first.
      }
      for (const f of kind.fields) {
        const holder = f.name.split(".").reduce<unknown>((at, part) => (at as Record<string, unknown> | undefined)?.[part], settings);
        expect([kind.kind, f.name, holder === undefined]).toEqual([kind.kind, f.name, false]);
      }
    }
  });
  test("scales when the frame rate changes with frame numbers kept", () => {
    const s = withMove(takeOff());
    const slower = runCommand(s, setRate({ num: 15, den: 1 }, "frames")).document;
    expect(slower.steps.s0?.moves.m).toMatchObject({ length: seconds(2), settings: { attention: { length: seconds(2.4) }, leaving: { length: seconds(1.2) } } });
    expect(sequenceLength(slower)).toBe(2 * sequenceLength(s));
  });
  test("scales when the whole is fitted to a length that stills alone cannot give", () => {
    const s = withMove(takeOff());
    const fitted = runCommand(s, fitTo(s, seconds(2))).document;
    expect(sequenceLength(fitted)).toBe(seconds(2));
    expect(fitted.steps.s0?.stillAfter).toBe(0);
  });
});

test("settings of a type are mapped wherever they lie, lists too", () => {
  const orbit = made("camera-orbit", { degrees: 90, rise: 0, about: [1, 2, 3], axis: null }, { targets: [{ type: "camera", id: "main" }] });
  mapSettings(orbit, ["point", "degrees"], (v, type) => (type === "point" ? v * 10 : -v));
  expect(orbit.settings).toMatchObject({ degrees: -90, about: [10, 20, 30] });
});

test("a moved home grows with the assembly when its unit changes", () => {
  const K = 25.4;
  const p = { ...preparation(), nodes: { "root/arm": { home: [0, 1, 0, 0, -1, 0, 0, 0, 0, 0, 1, 0, 4, 5, 6, 1] } } };
  const grown = runCommand(p, rescalePreparation(K)).document;
  expect(grown.nodes["root/arm"]?.home).toEqual([0, 1, 0, 0, -1, 0, 0, 0, 0, 0, 1, 0, 4 * K, 5 * K, 6 * K, 1]);
  expect(indexAssembly(smallAssembly()).roots).toEqual([0]);
});

test("removing a step leaves nothing hanging: what put its moves back moves as before, by hand keys", () => {
  let s = withMove(made("slide", { way: "by", direction: [0, 0, 1], distance: 30 }), 3);
  const { command } = reversedCopies(s, [{ step: "s0", move: "m" }], "s2", 0, () => "back");
  s = runCommand(s, command).document;
  expect(Object.values(s.steps.s2?.moves ?? {})[0]?.kind).toBe("back");
  const program = compiled(s);
  const kept = runCommand(s, keepTiming(s, "v", "Before", ["s0", "s1"])).document;
  const after = runCommand(kept, removeStepOf(program, "s0")).document;
  expect(SequenceSchema.safeParse(after).success).toBe(true);
  expect(Object.values(after.steps.s2?.moves ?? {}).map((m) => m.kind)).toEqual(["hand"]);
  expect(keysOf(Object.values(after.steps.s2?.moves ?? {})[0]).length).toBeGreaterThan(0);
  expect(Object.keys(after.timings.v?.steps ?? {})).toEqual(["s1"]);
  // The last step's film ends where it ended; it begins where nothing has moved now.
  const end = (program.steps.length as number) / seconds(1);
  expect(film(after, [compiled(after).steps.length / seconds(1)])[0]).toEqual(film(s, [end])[0]);
});

test("removing a camera takes cuts to it out of the timings that are kept", () => {
  let s = runCommand(sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 1 })] }]), addCamera("side", "Side", CAMERA)).document;
  s = runCommand(s, addMove("s0", made("camera-cut", { camera: "side" }, { targets: [{ type: "picture" }], length: 0 }))).document;
  s = runCommand(s, keepTiming(s, "v", "With a cut", ["s0"])).document;
  expect(Object.keys(s.timings.v?.steps.s0?.moves ?? {})).toContain("m");
  const after = runCommand(s, removeCamera("side")).document;
  expect(Object.keys(after.timings.v?.steps.s0?.moves ?? {})).not.toContain("m");
  expect(Object.keys(after.steps.s0?.moves ?? {})).not.toContain("m");
});
