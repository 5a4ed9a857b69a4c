import { expect, test } from "vitest";
import { smallIndex } from "../../../../tests/support/assembly";
import { node, richFilm, richPreparation } from "../../../../tests/support/richFilm";
import { hand, type Sequence } from "../../document/sequence";
import { compile } from "../../program/compile";
import { runCommand } from "../history";
import type { SequenceCommand } from "../sequenceCommands";
import { channelCurve, channelNames, curveAt } from "./channel";
import {
  type CurveRef,
  moveCurveKeys,
  roundOff,
  scaleCurveKeys,
  setBeyond,
  setCurveKey,
  setEases,
  setHandle,
  setShapes,
  setSplit,
  unchanging,
} from "./edit";
import { insertKey } from "./insert";
import { deleteCurveKeys, dropChannels, thinOut } from "./remove";

const film = richFilm();
const program = compile(smallIndex(), richPreparation, film);
const ARM = node("root/arm");
const MOVE = Object.values(film.steps.s0?.moves ?? {}).find((m) => m.kind === "hand" && m.keys.a1)?.id as string;
const ref = (key: string, channel = "slide.x"): CurveRef => ({ step: "s0", move: MOVE, key, channel });
const short = (v: unknown): unknown => (typeof v === "number" ? Number(v.toPrecision(8)) : v);
/** What an edit makes of the arm's arrivals, and the values its two curves then have at fifteen times. */
function shown(command: SequenceCommand): string {
  const after: Sequence = runCommand(film, command).document;
  const p = compile(smallIndex(), richPreparation, after);
  const keys = Object.values(hand(after.steps.s0?.moves[MOVE])?.keys ?? {}).map((k) =>
    JSON.stringify({ ...k, id: k.id.length > 3 ? "new" : k.id }, (_, v) => short(v)),
  );
  const curves = ["slide.x", "turn.z"].map((c) => {
    if (!channelNames(p, ARM).includes(c)) return `${c} none`;
    const curve = channelCurve(p, ARM, c);
    return `${c} ${Array.from({ length: 15 }, (_, i) => short(curveAt(curve, (p.steps.length / 14) * i)))}`;
  });
  return [...keys, ...curves].join("\n");
}

const EDITS: readonly (readonly [string, () => SequenceCommand])[] = [
  ["as it is", () => () => {}],
  ["moved in time and value", () => moveCurveKeys([ref("a1"), ref("a2")], { by: 40_000_000, rise: 3 }).command],
  ["moved past a neighbour", () => moveCurveKeys([ref("a1")], { by: 900_000_000, rise: 0 }).command],
  [
    "scaled",
    () =>
      scaleCurveKeys(
        [ref("a1"), ref("a2"), ref("a3")],
        { at: 900_000_000, value: 2 },
        { time: 0.8, value: 1.5 },
        (step) => program.steps.action[program.steps.position.get(step) ?? 0] ?? 0,
      ),
  ],
  ["typed", () => setCurveKey(ref("a2"), { at: 1_100_000_000, value: 4, lead: 300_000_000 })],
  ["straight", () => setShapes(program, ARM, [ref("a1"), ref("a2")], "straight")],
  ["free", () => setShapes(program, ARM, [ref("a3")], "free")],
  ["smooth", () => setShapes(program, ARM, [ref("a2"), ref("a3")], "smooth")],
  ["held", () => setShapes(program, ARM, [ref("a3")], "hold")],
  ["by the ease again", () => setShapes(program, ARM, [ref("a2"), ref("a3")], "ease")],
  [
    "another ease",
    () => setEases([ref("a2", "turn.z")], { kind: "cubic", x1: 0.1, y1: 0.2, x2: 0.4, y2: 1.2 } as never),
  ],
  ["a handle", () => setHandle(program, ARM, ref("a2"), "leave", { share: 0.5, value: 14 })],
  ["a handle on the other side", () => setHandle(program, ARM, ref("a2"), "arrive", { share: 0.2, value: -3 })],
  ["handles set apart", () => setSplit(program, ARM, [ref("a2")], true)],
  ["one removed", () => deleteCurveKeys(program, ARM, [ref("a2")]).command],
  ["two removed", () => deleteCurveKeys(program, ARM, [ref("a1"), ref("a2")]).command],
  ["thinned out", () => thinOut(program, ARM, "slide.x", 25).command],
  ["rounded", () => roundOff(film, [ref("a1"), ref("a2"), ref("a2", "turn.z")], 5).command],
  ["running on", () => setBeyond([{ step: "s0", move: MOVE, channels: ["turn.z"] }], "straight", "add")],
  ["a channel dropped", () => dropChannels([ref("a1", "turn.z"), ref("a2", "turn.z")])],
  ["a point put in", () => insertKey(program, ARM, "slide.x", (program.steps.action[0] ?? 0) + 800_000_000).command],
  [
    "a point put in where it is straight",
    () => insertKey(program, ARM, "turn.z", (program.steps.action[0] ?? 0) + 700_000_000).command,
  ],
];

test("what every act on a curve makes of it is as recorded", async () => {
  const lines = EDITS.map(([name, make]) => {
    try {
      return `== ${name}\n${shown(make())}`;
    } catch (error) {
      return `== ${name}\nrefused: ${(error as Error).message}`;
    }
  });
  await expect(lines.join("\n")).toMatchFileSnapshot("record.txt");
});

test("what never changes is found", () => {
  expect(unchanging(program).every((r) => film.steps[r.step]?.moves[r.move] !== undefined)).toBe(true);
});
