import { z } from "zod";
import { Hash } from "../math/hash";
import { nth } from "../math/packed";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose, type Pose } from "../program/sampling";

/** What a step comes to, in short: two steps with the same print look, last and read the same. */
export interface StepPrint {
  /** Title and caption. */
  words: string;
  /** Its length and stills, and what is heard. */
  time: string;
  /** Everything that moves, shows or looks on. */
  motion: string;
}

const print = z.string().min(1).max(40);
/** The schema of what each step of a round comes to, in order. */
export const PrintsSchema = z
  .array(z.tuple([z.string().min(1).max(64), z.strictObject({ words: print, time: print, motion: print })]))
  .max(2000);

/** A step is looked at at so many moments, evenly from its beginning on, and at its end. */
const MOMENTS = 16;
/** Places closer than this are one, mm; for angles and shares it is finer than can be seen. */
const GRAIN = 1e-4;

/** Prints the steps of a program, one call a step: all at once may take longer than a frame. */
export class StepPrinter {
  private readonly at: Pose;
  private readonly names: number[];

  constructor(private readonly program: Program) {
    this.at = createPose(program);
    this.names = program.index.assembly.nodes.map((n) => new Hash().text(n.key).sum());
  }

  /** Ids of the steps that are on, in order. */
  get steps(): readonly string[] {
    return this.program.steps.ids;
  }

  /** @param position of the step among those that are on */
  print(position: number): StepPrint {
    const parts = this.printing(position);
    for (;;) {
      const { done, value } = parts.next();
      if (done) return value;
    }
  }

  /** The same in parts, none of which takes longer than posing the assembly once. */
  *printing(position: number): Generator<void, StepPrint> {
    const { program } = this;
    const { steps, sequence } = program;
    const id = steps.ids[position] ?? "";
    const step = sequence.steps[id];
    const words = new Hash().text(step?.title ?? "").text(step?.caption.trim() ?? "");
    const [start, end] = [nth(steps.start, position), nth(steps.end, position)];
    const time = new Hash();
    for (const t of [end, nth(steps.action, position), nth(steps.still, position)]) time.number(t - start);
    const heard = Object.values(sequence.sounds ?? {}).filter((s) => s.step === id);
    for (const s of heard.sort((a, b) => (a.id < b.id ? -1 : 1))) time.text(JSON.stringify(s));
    const motion = new Hash();
    for (let i = 0; i <= MOMENTS; i++) {
      pose(program, start + Math.round(((end - start - 1) * i) / MOMENTS), this.at);
      this.take(motion);
      yield;
    }
    return { words: words.name(), time: time.name(), motion: motion.name() };
  }

  private take(hash: Hash): void {
    const { world, opacity, tint, tintColour, visible, camera } = this.at;
    const round = (v: number) => hash.number(Math.round(v / GRAIN));
    for (const v of camera) round(v);
    for (let node = 0; node < this.names.length; node++) {
      hash.word(nth(this.names, node));
      hash.word(nth(visible, node));
      // What is not seen has no place.
      if (nth(visible, node) === 0) continue;
      round(nth(opacity, node));
      round(nth(tint, node));
      hash.word(nth(tintColour, node));
      for (let k = 0; k < 16; k++) round(nth(world, 16 * node + k));
    }
  }
}

/** The prints of all steps that are on, in order. */
export function printSteps(program: Program): [id: string, print: StepPrint][] {
  const printer = new StepPrinter(program);
  return printer.steps.map((id, i) => [id, printer.print(i)]);
}

/** What became of a step since the round before. */
export type StepChange =
  | { step: string; kind: "same" }
  | { step: string; kind: "new" }
  | { step: string; kind: "changed"; what: (keyof StepPrint)[] };

/**
 * Compares a round with the one before it, by what its steps come to.
 * @returns a line for each step of `now`, and the ids of those that are no longer there
 */
export function changesSince(
  before: readonly (readonly [string, StepPrint])[],
  now: readonly (readonly [string, StepPrint])[],
): { steps: StepChange[]; gone: string[] } {
  const old = new Map(before);
  const steps = now.map(([step, print]): StepChange => {
    const was = old.get(step);
    if (!was) return { step, kind: "new" };
    const what = (["words", "time", "motion"] as const).filter((k) => was[k] !== print[k]);
    return what.length === 0 ? { step, kind: "same" } : { step, kind: "changed", what };
  });
  const left = new Set(now.map(([id]) => id));
  return { steps, gone: before.map(([id]) => id).filter((id) => !left.has(id)) };
}
