import type { Move, Step } from "../document/sequence";
import type { Ease } from "../ease/ease";
import { Hash } from "../math/hash";
import { nth } from "../math/packed";
import type { Placed } from "../program/layout";
import type { Program } from "../program/program";
import { type Pose, sample } from "../program/sampling";
import { ticksPerFrame } from "../time/time";

/** What rows come to by step, and those of them that go on beyond it, for as long as a target's rows stay. */
const printed = new WeakMap<readonly Placed[], { of: Map<number, string>; beyond: string }>();

/** What is the same for all steps of a program. */
interface Shared {
  /** What goes on beyond its step. */
  beyond: string;
  settings: string;
  /** How long each step and its stills are, and where it begins in a frame. */
  lengths: string;
}

function sharedOf(program: Program): Shared {
  const { sequence, steps } = program;
  const beyond = new Hash();
  for (const [id, rows] of program.placed) {
    const print = printOf(rows);
    if (print.beyond === "") continue;
    const own = new Hash();
    own.text(id);
    own.text(print.beyond);
    for (const r of rows) if (r.after || r.before) own.number(nth(steps.action, r.position));
    // An edit may change the order in which targets come.
    beyond.gather(own);
  }
  const settings = JSON.stringify([
    ...[sequence.rate, sequence.picture, sequence.cameras, program.blocked, Object.keys(sequence.cameras)],
    // What a step puts back, or is put back by, is of other steps: whether they are on is what counts.
    sequence.stepOrder.map((s) => (sequence.steps[s]?.on ? 1 : 0)).join(""),
  ]);
  const lengths = steps.ids
    .map((id, p) => `${id} ${steps.start[p]} ${steps.action[p]} ${steps.still[p]} ${steps.end[p]}`)
    .join("|");
  return { beyond: beyond.name(), settings, lengths };
}

/** What all targets do in a step. */
function handsIn(program: Program, position: number): string {
  const hash = new Hash();
  for (const [id, rows] of program.placed) {
    const print = printOf(rows).of.get(position);
    if (print === undefined) continue;
    const own = new Hash();
    own.text(id);
    own.text(print);
    hash.gather(own);
  }
  return hash.name();
}

function printOf(rows: readonly Placed[]): { of: Map<number, string>; beyond: string } {
  const known = printed.get(rows);
  if (known) return known;
  const hashes = new Map<number, Hash>();
  const beyond = new Hash();
  let any = false;
  for (const r of rows) {
    let hash = hashes.get(r.position);
    if (!hash) {
      hash = new Hash();
      hashes.set(r.position, hash);
    }
    addRow(hash, r);
    if (!r.after && !r.before) continue;
    any = true;
    addRow(beyond, r);
  }
  const print = {
    of: new Map([...hashes].map(([position, hash]) => [position, hash.name()])),
    beyond: any ? beyond.name() : "",
  };
  printed.set(rows, print);
  return print;
}

const shapes = new WeakMap<Ease, number>();
const shapeOf = (ease: Ease): number => {
  let sum = shapes.get(ease);
  if (sum === undefined) {
    sum = new Hash().text(JSON.stringify(ease)).sum();
    shapes.set(ease, sum);
  }
  return sum;
};

/** Names in short: rows have them in common. */
const names = new Map<string, number>();
const _MOST_NAMES = 200_000;
function short(name: string): number {
  let n = names.get(name);
  if (n === undefined) {
    n = new Hash().text(name).sum();
    names.set(name, n);
  }
  return n;
}

/** What of a row is printed: all but where it lies in the order of steps and of eases, which says nothing of it. */
type Printed =
  | ("move" | "key" | "channel" | "t0" | "t1" | "shape" | "from" | "to")
  | ("companion" | "continues" | "after" | "before" | "span");
/** A row that gets another field has to have it printed. */
type Left = Exclude<keyof Placed, Printed | "step" | "position" | "ease">;
const _complete: [Left] extends [never] ? true : Left = true;

function addRow(hash: Hash, r: Placed): void {
  hash.word(short(r.move));
  hash.word(short(r.key));
  hash.word(short(r.channel));
  hash.number(r.t0);
  hash.number(r.t1);
  hash.word(shapeOf(r.shape));
  for (let i = 0; i < r.from.length; i++) hash.number(r.from[i] as number);
  for (let i = 0; i < r.to.length; i++) hash.number(r.to[i] as number);
  hash.word((r.companion ? 1 : 0) + (r.continues ? 2 : 0));
  if (r.after || r.before) hash.text(`${JSON.stringify(r.after)} ${JSON.stringify(r.before)}`);
  if (r.span) for (const v of r.span) hash.number(v);
}

/** Moves in short: an edit leaves most of a step's as they are. */
const moveSums = new WeakMap<Move, number>();
function sumOfMove(move: Move): number {
  let sum = moveSums.get(move);
  if (sum === undefined) {
    sum = new Hash().text(JSON.stringify(move)).sum();
    moveSums.set(move, sum);
  }
  return sum;
}

/** Steps' own documents in short: an edit leaves most of them as they are. */
const documents = new WeakMap<Step, string>();
function printOfStep(step: Step): string {
  let print = documents.get(step);
  if (print === undefined) {
    const { moves, ...rest } = step;
    const hash = new Hash();
    hash.text(JSON.stringify(rest));
    for (const id in moves) hash.word(sumOfMove(moves[id] as Move));
    print = hash.name();
    documents.set(step, print);
  }
  return print;
}

/**
 * Everything that a step's frames follow from, in short: what it compiles to, how all stands at the frame before it
 * and when it begins, and its own document. The preparation and the meshes are not in it: whoever remembers forgets
 * all when they change.
 */
function fingerprint(program: Program, position: number, at: Pose, shared: Shared): string {
  const { steps, sequence } = program;
  const step = sequence.steps[steps.ids[position] as string];
  const start = nth(steps.start, position);
  const frame = ticksPerFrame(sequence.rate);
  const hash = new Hash();
  // Run-on values depend on absolute times; what does not run on stands as it is asked here.
  hash.number(program.offsetBound.size > 0 ? start : 0);
  hash.number(start % frame);
  for (const times of [steps.action, steps.still, steps.end]) hash.number(nth(times, position) - start);
  hash.text(shared.settings);
  hash.text(step ? printOfStep(step) : "");
  hash.text(handsIn(program, position));
  hash.text(shared.beyond);
  const before = Math.max(0, (Math.ceil(start / frame) - 1) * frame);
  for (const ticks of [before, start]) {
    sample(program, ticks, at);
    hash.numbers(at.values);
    hash.numbers(at.orientations);
  }
  return hash.name();
}

/** More targets than this changed at once: then all is worked out anew. */
const FEW = 24;

/** Prints of a program's steps, worked out again only where an edit may have changed them. */
export class Prints {
  private last: {
    placed: ReadonlyMap<string, readonly Placed[]>;
    shared: Shared;
    steps: readonly (Step | undefined)[];
    prints: readonly string[];
    structure: number;
  } | null = null;

  /** @param at is written over */
  of(program: Program, at: Pose): readonly string[] {
    const { steps, sequence, placed } = program;
    const shared = sharedOf(program);
    const documents = steps.ids.map((id) => sequence.steps[id]);
    const maybe = this.changed(program, shared, documents);
    const prints = steps.ids.map((_, p) =>
      maybe === null || maybe.has(p) ? fingerprint(program, p, at, shared) : (this.last?.prints[p] as string),
    );
    this.last = { placed: new Map(placed), shared, steps: documents, prints, structure: program.structure };
    return prints;
  }

  /** Steps whose print may have changed since; null where all may. */
  private changed(
    program: Program,
    shared: Shared,
    documents: readonly (Step | undefined)[],
  ): ReadonlySet<number> | null {
    const { last } = this;
    // With other channels every state is written otherwise.
    if (!last || last.structure !== program.structure || program.offsetBound.size > 0) return null;
    for (const name of ["beyond", "settings", "lengths"] as const) if (last.shared[name] !== shared[name]) return null;
    const edited: [was: readonly Placed[], is: readonly Placed[]][] = [];
    for (const [id, rows] of program.placed) {
      const was = last.placed.get(id);
      if (was !== rows) edited.push([was ?? [], rows]);
    }
    for (const [id, rows] of last.placed) if (!program.placed.has(id)) edited.push([rows, []]);
    if (edited.length > FEW) return null;
    const out = new Set<number>();
    documents.forEach((d, p) => {
      if (d !== last.steps[p]) out.add(p);
    });
    for (const [was, is] of edited) {
      const [a, b] = [printOf(was), printOf(is)];
      // What goes on beyond its step is anywhere.
      if (a.beyond !== "" || b.beyond !== "") return null;
      documents.forEach((_, p) => {
        // The frame before a step is the one before's; how things stand follows from what was last done to them.
        if (a.of.get(p) !== b.of.get(p)) out.add(p).add(p + 1);
        else if (lastBefore(was, p) !== lastBefore(is, p)) out.add(p);
      });
    }
    return out;
  }
}

/** What each channel of a target was brought to last before a step, as text. */
function lastBefore(rows: readonly Placed[], position: number): string {
  const values = new Map<string, { at: number; to: readonly number[] }>();
  for (const r of rows) {
    if (r.position >= position) continue;
    const at = r.position * 1e12 + r.t1;
    const known = values.get(r.channel);
    if (!known || at >= known.at) values.set(r.channel, { at, to: r.to });
  }
  return [...values]
    .sort(([p], [q]) => (p < q ? -1 : 1))
    .map(([channel, { to }]) => `${channel} ${to.join(" ")}`)
    .join("|");
}
