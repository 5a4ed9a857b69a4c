import type { HandMove, Sequence, Target } from "../../src/core/document/sequence";
import { removeCamera, shiftViews, smoothCamera } from "../../src/core/edit/cameraCommands";
import {
  type CurveRef,
  moveCurveKeys,
  restoreChannel,
  roundOff,
  scaleCurveKeys,
  setBeyond,
  setHandle,
  setShapes,
  setSplit,
} from "../../src/core/edit/curves/edit";
import { insertKey } from "../../src/core/edit/curves/insert";
import { deleteCurveKeys, dropChannels, dropPoints, removeKeys, thinOut } from "../../src/core/edit/curves/remove";
import { toHandKeys } from "../../src/core/edit/handKeys";
import { runCommand } from "../../src/core/edit/history";
import { keepPoses } from "../../src/core/edit/jointChanges";
import {
  duplicateMoves,
  handKeysOf,
  type MoveRef,
  removeMoves,
  reversedCopies,
} from "../../src/core/edit/moveCommands";
import { keepPosesOverPivot } from "../../src/core/edit/pivotChanges";
import { rescaleSequence } from "../../src/core/edit/rescaleWork";
import {
  dropStills,
  duplicateStep,
  moveStep,
  removeStep,
  type SequenceCommand,
  setRate,
  shiftKey,
} from "../../src/core/edit/sequenceCommands";
import { fitStill } from "../../src/core/edit/soundCommands";
import { mergeSteps, removeStepOf, splitStep } from "../../src/core/edit/stepCommands";
import { againUntil, setAfterwards } from "../../src/core/edit/timing/afterwards";
import { copyItems, pasteItems } from "../../src/core/edit/timing/clip";
import { closeCycle } from "../../src/core/edit/timing/cycles";
import { snapAll } from "../../src/core/edit/timing/frames";
import { fitTo } from "../../src/core/edit/timing/goal";
import { itemsOf, shiftItems, type TimeItem } from "../../src/core/edit/timing/items";
import { eachLater, inTurn } from "../../src/core/edit/timing/order";
import {
  alignItems,
  distributeGaps,
  distributeSpeed,
  reverseItems,
  scaleItems,
  setEnd,
  setLengths,
} from "../../src/core/edit/timing/retime";
import { chooseTiming, keepTiming } from "../../src/core/edit/timing/versions";
import { nth } from "../../src/core/math/packed";
import { compile } from "../../src/core/program/compile";
import type { Program } from "../../src/core/program/program";
import { seconds } from "./assembly";
import { type MadeUp, madeUpFilm } from "./films";

/** A film with what an act may be done to. */
export interface Site extends MadeUp {
  s: Sequence;
  program: Program;
  /** The action of a step, ticks of the sequence. */
  start: (step: string) => number;
  /** All in the first step that is in time. */
  items: TimeItem[];
  moves: MoveRef[];
  made: MoveRef[];
  /** A move by hand in the first step and the points of one of its channels. */
  hand: HandMove;
  channel: string;
  points: CurveRef[];
}

export function siteOf(seed: number): Site {
  const made = madeUpFilm(seed);
  const s = made.sequence;
  const program = compile(made.index, made.preparation, s);
  const start = (step: string) => nth(program.steps.action, program.steps.position.get(step) ?? 0);
  const moves = Object.values(s.steps.s0?.moves ?? {});
  const hand = moves.find((m): m is HandMove => m.kind === "hand" && m.target.type === "node") as HandMove;
  const counts = new Map<string, number>();
  for (const k of Object.values(hand.keys))
    for (const c of Object.keys(k.values)) counts.set(c, (counts.get(c) ?? 0) + 1);
  const channel = [...counts].sort((a, b) => b[1] - a[1])[0]?.[0] as string;
  const points = Object.values(hand.keys)
    .filter((k) => channel in k.values)
    .map((k) => ({ step: "s0", move: hand.id, key: k.id, channel }));
  const ref = (m: { id: string }) => ({ step: "s0", move: m.id });
  return {
    ...{ ...made, s, program, start, hand, channel, points },
    items: itemsOf(s, (step) => step === "s0"),
    moves: moves.map(ref),
    made: moves.filter((m) => m.kind !== "hand").map(ref),
  };
}

const target = (c: Site): Target => c.hand.target;
const half = <T>(list: readonly T[]): T[] => list.filter((_, i) => i % 2 === 0);

/** Acts by name; each is done to a film as it was made up. */
export const ACTS: Record<string, (c: Site) => SequenceCommand> = {
  "shift later": (c) => shiftItems(c.s, half(c.items), seconds(0.4), "alone"),
  "shift with all after": (c) => shiftItems(c.s, half(c.items).slice(0, 1), seconds(0.3), "along"),
  "shift earlier than the step": (c) => shiftItems(c.s, c.items, -seconds(9), "alone"),
  "twice as slow": (c) => scaleItems(c.items, c.start("s0"), 2, c.start),
  "half as long, about its middle": (c) => scaleItems(half(c.items), c.start("s0") + seconds(1), 0.5, c.start),
  "an end": (c) => setEnd(c.items[0] as TimeItem, "end", seconds(2.2)),
  "a start": (c) => setEnd(c.items.at(-1) as TimeItem, "start", seconds(0.1)),
  "all as long": (c) => setLengths(c.items, seconds(0.35)),
  "starts in line": (c) => alignItems(c.items, "start", c.start("s0") + seconds(0.6), c.start),
  "ends in line": (c) => alignItems(c.items, "end", c.start("s0") + seconds(1.6), c.start),
  "equal gaps": (c) => distributeGaps(c.s, c.items, c.start),
  "equal speed": (c) => distributeSpeed(c.program, c.points),
  backward: (c) => reverseItems(c.s, c.items, c.start),
  "in turn": (c) => inTurn(c.s, c.items, c.start),
  "each later": (c) => eachLater(c.s, c.items, seconds(0.2), c.start),
  "copied and pasted": (c) =>
    pasteItems(copyItems(c.s, half(c.items), c.start), "s2", seconds(0.7), null, () => true).command,
  "to a length": (c) => fitTo(c.s, seconds(9)),
  "to whole frames": () => snapAll(),
  "another rate, same time": () => setRate({ num: 50, den: 1 }, "seconds"),
  "another rate, same frames": () => setRate({ num: 48, den: 1 }, "frames"),
  "goes on swinging": (c) => setAfterwards(c.moves, { kind: "swing", times: 3 }, seconds(1.4)),
  "again until": (c) => againUntil(c.s, c.moves[0] as MoveRef, seconds(6)).command,
  "closes a cycle": (c) => closeCycle(c.program, c.moves.slice(0, 1)).command,
  "closes a longer cycle": (c) => closeCycle(c.program, c.moves.slice(0, 1), seconds(3)).command,
  "no stills": () => dropStills(),
  "a still that fits its voice": (c) => fitStill(c.s.stepOrder[1] as string),
  split: (c) =>
    splitStep(c.program, "s0", nth(c.program.steps.start, 0) + Math.round(nth(c.program.steps.end, 0) / 2), "half"),
  "split while it is still": (c) => splitStep(c.program, "s1", nth(c.program.steps.start, 1) + 1, "half"),
  merged: () => mergeSteps("s1"),
  "step removed": () => removeStep("s1"),
  "step removed, the rest as it was": (c) => removeStepOf(c.program, "s1"),
  "step to the front": () => moveStep("s3", 0),
  "step twice": () => duplicateStep("s0", "copy"),
  "moves twice": (c) => duplicateMoves(c.s, c.moves, "s2", seconds(0.5)).command,
  "moves removed": (c) => removeMoves(c.program, half(c.moves)),
  "put back": (c) => reversedCopies(c.s, c.moves, "s3", seconds(0.2), (m) => `${m.name}, back`).command,
  "one keyed by hand": (c) => toHandKeys(c.program, c.made[0] as MoveRef).command,
  "all keyed by hand": (c) => handKeysOf(c.program, c.made),
  "smooth camera": (c) => smoothCamera(c.program, "s0", "main"),
  "smooth camera, another step": (c) => smoothCamera(c.program, "s1", "main", { stand: seconds(0.6) }),
  "views shifted": () => shiftViews("main", [12, -3, 7]),
  "camera removed": () => removeCamera("near"),
  "inches taken for mm": (c) => rescaleSequence(c.preparation, 25.4),
  "pivot moved, poses kept": (c) => {
    const after = structuredClone(c.preparation);
    after.nodes["root/bracket"] = { pivot: { at: [5, -4, 11], in: "part" } };
    return keepPosesOverPivot(c.index, c.preparation, after, c.s, { type: "node", key: "root/bracket" });
  },
  "joint moved, poses kept": (c) => {
    const before = c.preparation.joints.h as NonNullable<typeof c.preparation.joints.h>;
    return keepPoses(c.index, c.preparation, c.s, before, { ...before, zero: 15, flipped: true });
  },
  "points later and higher": (c) => moveCurveKeys(c.points, { by: seconds(0.2), rise: 3 }).command,
  "points scaled": (c) =>
    scaleCurveKeys(c.points, { at: c.start("s0"), value: 2 }, { time: 1.5, value: -0.5 }, c.start),
  "points smooth": (c) => setShapes(c.program, target(c), c.points, "smooth"),
  "points straight": (c) => setShapes(c.program, target(c), c.points, "straight"),
  "points with handles": (c) => setShapes(c.program, target(c), c.points, "handles"),
  "a handle": (c) => setHandle(c.program, target(c), c.points.at(-1) as CurveRef, "arrive", { share: 0.5, value: -4 }),
  "apart and together": (c) => setSplit(c.program, target(c), c.points, true),
  "round numbers": (c) => roundOff(c.s, c.points, 5).command,
  "runs on": (c) => setBeyond([{ step: "s0", move: c.hand.id, channels: "all" }], null, "straight"),
  "ran before": (c) => setBeyond([{ step: "s0", move: c.hand.id, channels: [c.channel] }], "add", "repeat"),
  "a point between": (c) => insertKey(c.program, target(c), c.channel, c.start("s0") + seconds(0.55)).command,
  "channel left out": (c) => dropChannels(c.points),
  "points left out": (c) => dropPoints(half(c.points)),
  "points out, curve kept": (c) => deleteCurveKeys(c.program, target(c), c.points.slice(0, 1)).command,
  "arrivals removed": (c) => removeKeys(c.points.slice(1)),
  "thinned out": (c) => thinOut(c.program, target(c), c.channel, 4).command,
  "a channel as it was": (c) =>
    restoreChannel(runCommand(c.s, roundOff(c.s, c.points, 7).command).document, target(c), c.channel),
  "slid from where it was": (c) =>
    shiftKey(
      "s0",
      c.hand.id,
      c.points[0]?.key as string,
      { "slide.x": 4 },
      { "slide.x": 0, "slide.y": 2, "slide.z": 0 },
    ),
  "a timing kept, changed and chosen": (c) => (draft) => {
    keepTiming(c.s, "slow", "Slow", ["s0", "s1"])(draft);
    setLengths(c.items, seconds(0.5))(draft);
    chooseTiming("slow", "as it was")(draft);
  },
};
