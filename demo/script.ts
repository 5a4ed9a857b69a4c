import type { AssemblyIndex } from "../src/core/assembly/assembly";
import type { PartTarget } from "../src/core/document/parts";
import type { Preparation } from "../src/core/document/preparation";
import {
  type CameraValues,
  type MadeMove,
  type Move,
  newSequence,
  newStep,
  type Repeat,
  type Sequence,
  type Step,
  type Target,
} from "../src/core/document/sequence";
import type { Ease } from "../src/core/ease/ease";
import { makeMove } from "../src/core/edit/moveCommands";
import { compile } from "../src/core/program/compile";
import { spanOf } from "../src/core/program/spans";
import { TICKS_PER_SECOND } from "../src/core/time/time";

export const part = (key: string): PartTarget => ({ type: "node", key: key === "" ? "Rill H2" : `Rill H2/${key}` });
export const group = (id: string): PartTarget => ({ type: "group", id });

const ticks = (s: number) => Math.round(s * 30) * (TICKS_PER_SECOND / 30);

export interface MakeOptions {
  settings?: Record<string, unknown>;
  ease?: Ease;
  name?: string;
}

/** Writes a sequence of ready-made moves in seconds. Ids are counted, so the same script gives the same document. */
export class Script {
  readonly sequence: Sequence;
  private count = 0;
  private step: Step;

  constructor(
    name: string,
    home: CameraValues,
    private readonly index: AssemblyIndex,
    private readonly preparation: Preparation,
  ) {
    this.sequence = newSequence(name, home, "step1");
    this.sequence.steps = {};
    this.sequence.stepOrder = [];
    this.step = newStep("none", "");
  }

  /** Begins the next step. Stills in seconds. */
  next(title: string, caption: string, stillBefore: number, stillAfter: number, note = ""): void {
    const id = `step${this.sequence.stepOrder.length + 1}`;
    this.step = {
      ...newStep(id, title),
      caption,
      note,
      stillBefore: ticks(stillBefore),
      stillAfter: ticks(stillAfter),
      action: 0,
    };
    this.sequence.steps[id] = this.step;
    this.sequence.stepOrder.push(id);
  }

  /** Puts a move into the step; the moves before it stand as they are then. @returns how it is referred to */
  make(
    kind: string,
    targets: readonly PartTarget[],
    at: number,
    takes: number,
    options: MakeOptions = {},
  ): { step: string; move: string } {
    const program = compile(this.index, this.preparation, this.sequence);
    const context = {
      index: this.index,
      preparation: this.preparation,
      targets,
      camera: "main",
      nodesOf: (t: Target) => program.nodesOf(t),
      view: { lens: 50 },
    };
    const first = targets[0];
    const of = first
      ? first.type === "group"
        ? (this.preparation.groups[first.id]?.name ?? "")
        : (first.key.split("/").pop() ?? "")
      : "";
    const made = makeMove(kind, context, ticks(at), options.name ?? (of ? `${of}: ${kind}` : kind));
    const id = `m${++this.count}`;
    this.put({
      ...made,
      id,
      length: ticks(takes),
      ...(options.ease ? { ease: options.ease } : {}),
      settings: { ...made.settings, ...options.settings },
    } as MadeMove);
    return { step: this.step.id, move: id };
  }

  /** Puts moves back, each at its time in this step. */
  back(of: { step: string; move: string }, at: number, name: string): void {
    const it = this.sequence.steps[of.step]?.moves[of.move];
    if (!it || it.kind === "hand") throw new Error(`There is no move ${of.move} to put back.`);
    const span = spanOf(it, this.sequence);
    const id = `m${++this.count}`;
    this.put({
      ...it,
      id,
      name,
      start: ticks(at),
      length: span.t1 - span.t0,
      kind: "back",
      settings: { of, companions: false, own: false },
    } as MadeMove);
  }

  /** Arrivals set by hand on one target; times in seconds from the start of the action. */
  hand(
    target: PartTarget,
    name: string,
    arrivals: readonly { at: number; lead: number; values: Record<string, number>; ease?: Ease }[],
    repeat?: Repeat,
  ): void {
    const id = `m${++this.count}`;
    this.put({
      ...{ id, name, on: true, folder: null, colour: null, note: "", kind: "hand", target },
      ...(repeat ? { repeat } : {}),
      keys: Object.fromEntries(
        arrivals.map(({ at, lead, values, ease }, i) => {
          const key = `${id}k${i}`;
          return [
            key,
            {
              id: key,
              at: ticks(at),
              lead: ticks(lead),
              ease: ease ?? { kind: "soft", start: 0.3, stop: 0.4 },
              values,
            },
          ];
        }),
      ),
    });
  }

  /** A step is a new one after each change, as everywhere: what is known of it is kept by which it is. */
  private put(move: Move): void {
    this.step = { ...this.step, moves: { ...this.step.moves, [move.id]: move } };
    this.sequence.steps[this.step.id] = this.step;
  }
}
