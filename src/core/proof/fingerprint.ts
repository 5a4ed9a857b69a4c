import type { Step } from "../document/sequence";
import type { Ease } from "../ease/ease";
import { nth } from "../math/packed";
import type { Placed } from "../program/layout";
import { type Pose, sample } from "../program/pose";
import type { Program } from "../program/program";
import { ticksPerFrame } from "../time/time";

/** What is asked of a program once for the prints of all its steps. */
export interface Hands {
  /** By step: what each channel does in it. */
  of: Map<number, Hash>;
  /** What goes on beyond its step. */
  beyond: string;
  /** What is the same for all steps. */
  shared: string;
}

/** What rows come to by step, and those of them that go on beyond it, for as long as a target's rows stay. */
const printed = new WeakMap<readonly Placed[], { of: Map<number, string>; beyond: string }>();

/** Gathers what each step's channels do: once for a whole proof. */
export function handsOf(program: Program): Hands {
  if (names.size > MOST_NAMES) names.clear();
  const of = new Map<number, Hash>();
  const beyond = new Hash();
  const { action } = program.steps;
  for (const [id, rows] of program.placed) {
    const print = printOf(rows);
    for (const [position, name] of print.of) {
      let hash = of.get(position);
      if (!hash) {
        hash = new Hash();
        of.set(position, hash);
      }
      const own = new Hash();
      own.text(id);
      own.text(name);
      // An edit may change the order in which targets come.
      hash.gather(own);
    }
    if (print.beyond === "") continue;
    const own = new Hash();
    own.text(id);
    own.text(print.beyond);
    for (const r of rows) if (r.after || r.before) own.number(nth(action, r.position));
    beyond.gather(own);
  }
  const { sequence } = program;
  const shared = JSON.stringify([
    ...[sequence.rate, sequence.picture, sequence.cameras, program.blocked, Object.keys(sequence.cameras)],
    // What a step puts back, or is put back by, is of other steps: whether they are on is what counts.
    sequence.stepOrder.map((s) => (sequence.steps[s]?.on ? 1 : 0)).join(""),
  ]);
  return { of, beyond: beyond.name(), shared };
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
const MOST_NAMES = 200_000;
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

/** Steps' own documents in short: an edit leaves most of them as they are. */
const documents = new WeakMap<Step, string>();
function printOfStep(step: Step): string {
  let print = documents.get(step);
  if (print === undefined) {
    const hash = new Hash();
    hash.text(JSON.stringify(step));
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
export function fingerprint(program: Program, position: number, at: Pose, hands: Hands): string {
  const { steps, sequence } = program;
  const step = sequence.steps[steps.ids[position] as string];
  const start = nth(steps.start, position);
  const frame = ticksPerFrame(sequence.rate);
  const hash = new Hash();
  // Run-on values depend on absolute times; what does not run on stands as it is asked here.
  hash.number(program.offsetBound.size > 0 ? start : 0);
  hash.number(start % frame);
  for (const times of [steps.action, steps.still, steps.end]) hash.number(nth(times, position) - start);
  hash.text(hands.shared);
  hash.text(step ? printOfStep(step) : "");
  hash.text(hands.of.get(position)?.name() ?? "");
  hash.text(hands.beyond);
  const before = Math.max(0, (Math.ceil(start / frame) - 1) * frame);
  for (const ticks of [before, start]) {
    sample(program, ticks, at);
    hash.numbers(at.values);
    hash.numbers(at.orientations);
  }
  return hash.name();
}

const _number = new Float64Array(1);
const _words = new Uint32Array(_number.buffer);

/** Two sums of 32 bits over everything given (FNV-1a, and the same over turned words). */
class Hash {
  private a = 0x811c9dc5;
  private b = 0x9747b28c;

  word(v: number): void {
    this.a = Math.imul(this.a ^ v, 0x01000193);
    this.b = Math.imul(((this.b << 13) | (this.b >>> 19)) ^ v, 0x85ebca6b);
  }
  text(s: string): this {
    for (let i = 0; i < s.length; i++) this.word(s.charCodeAt(i));
    this.word(-1);
    return this;
  }
  sum(): number {
    return this.a ^ this.b;
  }
  number(v: number): void {
    _number[0] = v;
    this.word(_words[0] as number);
    this.word(_words[1] as number);
  }
  numbers(list: Float64Array): void {
    const words = new Uint32Array(list.buffer, list.byteOffset, 2 * list.length);
    for (let i = 0; i < words.length; i += 2)
      this.word((words[i] as number) ^ Math.imul(words[i + 1] as number, 0x9e3779b1));
    this.word(-2);
  }
  /** Takes another in, whatever the order of those that are. */
  gather(other: Hash): void {
    this.a = (this.a + other.a) | 0;
    this.b = (this.b + other.b) | 0;
  }
  name(): string {
    return `${(this.a >>> 0).toString(36)}.${(this.b >>> 0).toString(36)}`;
  }
}
