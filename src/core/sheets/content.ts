import type { OutputRange } from "../document/outputs";
import { nth } from "../math/packed";
import { stepRange } from "../outputs/range";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose } from "../program/sampling";
import { noteWords } from "./notes";
import { type PartUsed, partsUsed } from "./parts";

/** Which moment of a step is drawn, or both. */
export const SHEET_MOMENTS = ["both", "before", "middle", "after", "marker"] as const;
export type SheetMoments = (typeof SHEET_MOMENTS)[number];

/** A moment of a step that is drawn. */
export interface SheetMoment {
  /** Ticks of the sequence. */
  ticks: number;
  /** What stands below the picture; "" where it is the only one. */
  word: "" | "Before" | "After";
}

/** What a sheet says of a step. */
export interface SheetStep {
  id: string;
  /** Position among the steps that are on. */
  at: number;
  /** As it is counted in the whole sequence, from 1. */
  number: number;
  title: string;
  caption: string;
  /** Without what is listed as tools and torque. */
  note: string;
  parts: PartUsed[];
  tools: string[];
  torque: string[];
  moments: SheetMoment[];
}

/** The steps of a range as sheets say them. Steps of which the range has any part are whole. */
export function sheetSteps(program: Program, range: { from: number; to: number }, moments: SheetMoments): SheetStep[] {
  const { steps, sequence } = program;
  return steps.ids.flatMap((id, at) => {
    const own = stepRange({ of: "steps", first: id, last: id } satisfies OutputRange, program);
    const step = sequence.steps[id];
    if (!step || !own || own.to <= range.from || own.from >= range.to) return [];
    const words = noteWords(step.note);
    return [
      {
        ...{ id, at, number: at + 1, title: step.title.trim() || `Step ${at + 1}`, caption: step.caption.trim() },
        ...{ note: words.rest, tools: words.tools, torque: words.torque, parts: partsUsed(program, step) },
        moments: momentsOf(program, at, moments),
      },
    ];
  });
}

/** The moments of a step that are drawn, ticks of the sequence. */
export function momentsOf(program: Program, at: number, moments: SheetMoments): SheetMoment[] {
  const { steps } = program;
  const begin = nth(steps.action, at);
  // A moment before what shows only in the action is gone.
  const end = Math.max(begin, nth(steps.still, at) - 1);
  const one = (ticks: number): SheetMoment[] => [{ ticks, word: "" }];
  switch (moments) {
    case "before":
      return one(begin);
    case "middle":
      return one((begin + nth(steps.still, at)) / 2);
    case "after":
      return one(end);
    case "marker": {
      const first = firstMarker(program, at);
      const ticks = first ? nth(steps.start, at) + first.at : end;
      return one(Math.min(Math.max(ticks, nth(steps.start, at)), nth(steps.end, at) - 1));
    }
    default:
      // Where nothing but the camera moves, or all comes back to where it was, one picture says all.
      return end > begin && !sameScene(program, begin, end)
        ? [
            { ticks: begin, word: "Before" },
            { ticks: end, word: "After" },
          ]
        : one(end);
  }
}

/** The first marker of a step. @param at position among the steps that are on */
function firstMarker({ steps, sequence }: Program, at: number) {
  const id = steps.ids[at];
  return Object.values(sequence.markers)
    .filter((m) => m.step === id)
    .sort((a, b) => a.at - b.at)[0];
}

/** Whether a step's first marker lies after its end, so that the end is drawn in its place. */
export function markerBeyond(program: Program, at: number): boolean {
  const first = firstMarker(program, at);
  return first !== undefined && nth(program.steps.start, at) + first.at >= nth(program.steps.end, at);
}

/** Whether everything stands and looks the same at two times, whoever looks at it. */
function sameScene(program: Program, a: number, b: number): boolean {
  const [p, q] = [createPose(program), createPose(program)];
  pose(program, a, p);
  pose(program, b, q);
  const near = (u: ArrayLike<number>, v: ArrayLike<number>) => {
    for (let i = 0; i < u.length; i++) if (Math.abs(nth(u, i) - nth(v, i)) > 1e-3) return false;
    return true;
  };
  return near(p.world, q.world) && near(p.visible, q.visible) && near(p.opacity, q.opacity) && near(p.tint, q.tint);
}
