import { isDraft } from "immer";
import type { AssemblyIndex } from "../assembly/assembly";
import type { PartTarget } from "../document/parts";
import type { MadeMove, Move, Step } from "../document/sequence";
import { turns } from "../kinematics/jointKinds";
import { multiplyAffine, transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import type { ReadonlyTriple, Triple } from "../math/triple";
import { formatLength, type LengthUnit } from "../units/units";
import { localMiddle } from "./path";
import type { Program } from "./program";
import type { Pose } from "./sampling";

/** A text over the picture with a leader to a part, as a program has it. */
export interface Note {
  move: string;
  step: string;
  node: number;
  /** Anchor in the node's own frame, mm: the middle of its bounds at home. */
  anchor: ReadonlyTriple;
  /** Of the text from the anchor, shares of the picture's height. */
  right: number;
  up: number;
  /** Channel of how much of it is shown. */
  shown: number;
  /** The text, or the channel whose value is written. */
  text: string;
  reading: { channel: number; decimals: number; unit: "°" | LengthUnit } | null;
}

const DRAWING: ReadonlySet<Move["kind"]> = new Set(["label", "dimension", "explode"]);

/** Moves of a step that draw over the picture; known as long as the step stays. */
const drawn = new WeakMap<Step, readonly Move[]>();
export function drawnBy(step: Step): readonly Move[] {
  const known = drawn.get(step);
  if (known) return known;
  const list = Object.values(step.moves).filter((m) => DRAWING.has(m.kind));
  // A draft is changed in place.
  if (!isDraft(step)) drawn.set(step, list);
  return list;
}

const lists = new WeakMap<Program, { of: unknown; structure: number; notes: Note[] }>();

/** The labels and live dimensions of a program. The same list until the program changes. */
export function notesOf(program: Program): readonly Note[] {
  const known = lists.get(program);
  if (known && known.of === program.sequence && known.structure === program.structure) return known.notes;
  const notes: Note[] = [];
  for (const step of Object.values(program.sequence.steps)) {
    for (const move of drawnBy(step)) {
      if ((move.kind !== "label" && move.kind !== "dimension") || !program.overlays.has(move.id)) continue;
      for (const target of move.targets) {
        const node = program.nodesOf(target)[0];
        if (node !== undefined) notes.push(noteOf(program, step.id, move, target as PartTarget, node));
      }
    }
  }
  lists.set(program, { of: program.sequence, structure: program.structure, notes });
  return notes;
}

function noteOf(
  program: Program,
  step: string,
  move: Extract<MadeMove, { kind: "label" | "dimension" }>,
  target: PartTarget,
  node: number,
): Note {
  const base = {
    move: move.id,
    step,
    node,
    anchor: localMiddle(program.index, node),
    right: move.settings.right,
    up: move.settings.up,
    shown: program.overlays.get(move.id) as number,
  };
  if (move.kind === "label") return { ...base, text: move.settings.text, reading: null };
  const id = move.settings.joints[0] as string;
  const joint = program.preparation.joints[id];
  const channel = program.channelOf(target, `joint.${id}`);
  if (!joint || channel < 0) return { ...base, text: "?", reading: null };
  return {
    ...base,
    text: "",
    reading: { channel, decimals: move.settings.decimals, unit: turns(joint) ? "°" : program.preparation.displayUnit },
  };
}

/** What a note says in a pose. */
export function noteText(note: Note, pose: Pose): string {
  if (!note.reading) return note.text;
  const { channel, decimals, unit } = note.reading;
  const value = nth(pose.values, channel);
  // Rounded first, so that no "-0" shows.
  if (unit === "°") return `${(Math.round(value * 10 ** decimals) / 10 ** decimals + 0).toFixed(decimals)}°`;
  return formatLength(value, unit, decimals);
}

/** Where a note's anchor is in a pose, mm. */
export function noteAnchor(note: Note, pose: Pose): Triple {
  return transformPoint(pose.world, note.anchor, 16 * note.node);
}

/** An explosion line: from where a part would be had it not been taken away, to where it is. */
export interface ExplosionLine {
  node: number;
  /** Channel of how much of it is shown. */
  shown: number;
  middle: ReadonlyTriple;
}

const lineLists = new WeakMap<Program, { of: unknown; structure: number; lines: ExplosionLine[] }>();

/** The explosion lines of a program. The same list until the program changes. */
export function explosionLinesOf(program: Program): readonly ExplosionLine[] {
  const known = lineLists.get(program);
  if (known && known.of === program.sequence && known.structure === program.structure) return known.lines;
  const lines: ExplosionLine[] = [];
  for (const step of Object.values(program.sequence.steps)) {
    for (const move of drawnBy(step)) {
      const shown = program.overlays.get(move.id);
      if (move.kind !== "explode" || !move.settings.lines || shown === undefined) continue;
      for (const target of move.targets) {
        for (const node of program.nodesOf(target)) {
          const middle = localMiddle(program.index, node);
          if (middle.every(Number.isFinite)) lines.push({ node, shown, middle });
        }
      }
    }
  }
  lineLists.set(program, { of: program.sequence, structure: program.structure, lines });
  return lines;
}

/** Shorter explosion lines are not drawn, mm. */
export const SHORTEST_LINE = 0.5;
const _home = new Float64Array(16);

/** Where a node would be if it had not departed from home itself, 16 doubles. */
function homeNow(index: AssemblyIndex, pose: Pose, node: number): Float64Array {
  const parent = nth(index.parent, node);
  if (parent < 0) for (let k = 0; k < 16; k++) _home[k] = nth(index.homeLocal, 16 * node + k);
  else multiplyAffine(_home, 0, pose.world, 16 * parent, index.homeLocal, 16 * node);
  return _home;
}

/**
 * Writes the ends of an explosion line in a pose (xyz xyz, world mm): where its node would be, and where it is.
 * Allocates nothing.
 * @returns its length, mm
 */
export function explosionSegment(
  index: AssemblyIndex,
  pose: Pose,
  line: ExplosionLine,
  out: Float32Array | Float64Array,
  o: number,
): number {
  const a = homeNow(index, pose, line.node);
  const b = pose.world;
  const bo = 16 * line.node;
  const p = line.middle;
  let sum = 0;
  for (let r = 0; r < 3; r++) {
    const from = nth(a, r) * nth(p, 0) + nth(a, 4 + r) * nth(p, 1) + nth(a, 8 + r) * nth(p, 2) + nth(a, 12 + r);
    const to =
      nth(b, bo + r) * nth(p, 0) +
      nth(b, bo + 4 + r) * nth(p, 1) +
      nth(b, bo + 8 + r) * nth(p, 2) +
      nth(b, bo + 12 + r);
    out[o + r] = from;
    out[o + 3 + r] = to;
    sum += (to - from) ** 2;
  }
  return Math.sqrt(sum);
}
