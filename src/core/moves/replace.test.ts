import { describe, expect, test } from "vitest";
import { preparation, seconds, sequenceOf, smallAssembly } from "../../../tests/support/assembly";
import { indexAssembly } from "../assembly/assembly";
import { copyKey, preparedAssembly } from "../assembly/prepared";
import { parseDocument } from "../document/parse";
import type { Sequence, Target } from "../document/sequence";
import { runCommand } from "../edit/history";
import { addMove } from "../edit/moveCommands";
import { addCopy } from "../edit/preparationCommands";
import { nth } from "../math/packed";
import { allReports, compile } from "../program/compile";
import { pose } from "../program/pose";
import { createPose } from "../program/sampling";
import { besideWay, replaceMoves } from "./replace";

const ARM = "root/arm";
const FRESH = copyKey(ARM, "f");
const prepared = runCommand(preparation(), addCopy("f", ARM, "Arm, fresh")).document;
const index = indexAssembly(preparedAssembly(smallAssembly(), prepared));
const context = {
  index,
  preparation: prepared,
  targets: [] as Target[],
  camera: "main",
  nodesOf: (t: Target) => (t.type === "node" ? [index.indexOf.get(t.key) as number] : []),
  view: {},
};

describe("an old part replaced by a fresh one", () => {
  let n = 0;
  const moves = replaceMoves({
    context,
    old: { key: ARM, name: "Arm" },
    fresh: { key: FRESH, name: "Arm, fresh" },
    direction: [0, 0, 1],
    distance: 60,
    side: [1, 0, 0],
    apart: 40,
    start: seconds(0.25),
    folder: "f",
    freshId: () => `r${n++}`,
  });
  let sequence: Sequence = sequenceOf([{}]);
  sequence = runCommand(sequence, (draft: Sequence) => {
    (draft.steps.s0 as Sequence["steps"][string]).folders.f = { id: "f", name: "Replace", on: true, colour: null };
  }).document;
  for (const m of moves) sequence = runCommand(sequence, addMove("s0", m)).document;
  const program = compile(index, prepared, parseDocument("sequence", sequence));
  const [old, fresh] = [ARM, FRESH].map((k) => index.indexOf.get(k) as number) as [number, number];
  const at = (t: number) => {
    const out = createPose(program);
    pose(program, seconds(0.5 + 0.25 + t), out);
    const from = (node: number) =>
      [12, 13, 14].map(
        (k) => Math.round((nth(out.world, 16 * node + k) - nth(index.homeWorld, 16 * node + k)) * 1e6) / 1e6 + 0,
      );
    return {
      old: from(old),
      fresh: from(fresh),
      seen: [out.visible[old], out.visible[fresh]],
      opacity: [out.opacity[old], out.opacity[fresh]],
    };
  };

  test("nothing fights for a channel, and every move is stored and valid", () => {
    expect(allReports(program)).toEqual([]);
    expect(new Set(moves.map((m) => m.folder))).toEqual(new Set(["f"]));
  });
  test("the old one comes out and is set beside; only then the fresh one is seen, on the other side", () => {
    expect(at(0)).toMatchObject({ old: [0, 0, 0], seen: [1, 0] });
    expect(at(1.8)).toMatchObject({ old: [0, 0, 60], seen: [1, 0] });
    expect(at(2.8)).toMatchObject({ old: [40, 0, 60] });
    expect(at(4)).toMatchObject({ old: [40, 0, 60], fresh: [-40, 0, 60], seen: [1, 1], opacity: [1, 1] });
  });
  test("the fresh one ends at home bit for bit, the old one is gone", () => {
    const end = at(9);
    expect(end.seen).toEqual([0, 1]);
    const out = createPose(program);
    pose(program, program.steps.length, out);
    expect(Array.from(out.world.subarray(16 * fresh, 16 * fresh + 16))).toEqual(
      Array.from(index.homeWorld.subarray(16 * fresh, 16 * fresh + 16)),
    );
  });
  test("beside is level and square to the way out, and far enough apart", () => {
    for (const direction of [
      [0, 0, 1],
      [0, -1, 0],
      [0.6, 0.8, 0],
      [0, 0.6, 0.8],
    ] as [number, number, number][]) {
      const { side, apart } = besideWay(index, [old], direction);
      expect(Math.hypot(...side)).toBeCloseTo(1, 12);
      expect(side[2]).toBeCloseTo(0, 12);
      expect(side[0] * direction[0] + side[1] * direction[1] + side[2] * direction[2]).toBeCloseTo(0, 12);
      expect(apart).toBeGreaterThan(10);
    }
  });
});
