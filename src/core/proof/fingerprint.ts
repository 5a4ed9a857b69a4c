import { nth } from "../math/packed";
import type { Placed } from "../program/layout";
import { type Pose, sample } from "../program/pose";
import type { Program } from "../program/program";
import { ticksPerFrame } from "../time/time";

/** Rows of a program by the step they lie in, and those that go on beyond their step. */
export interface Hands {
  of: Map<number, string>;
  beyond: string;
}

/** Gathers what each step's channels do, as text: once for a whole proof. */
export function handsOf(program: Program): Hands {
  const lists = new Map<number, string[]>();
  const beyond: string[] = [];
  for (const [id, rows] of program.placed) {
    for (const r of rows) {
      const text = `${id} ${rowText(r)}`;
      const list = lists.get(r.position);
      if (list) list.push(text);
      else lists.set(r.position, [text]);
      if (r.after || r.before) beyond.push(`${text} ${nth(program.steps.action, r.position)}`);
    }
  }
  return {
    of: new Map([...lists].map(([position, list]) => [position, list.join("\n")])),
    beyond: beyond.join("\n"),
  };
}

const rowText = (r: Placed): string => {
  const { from, to, shape, step: _step, position: _position, ease: _ease, ...rest } = r;
  return JSON.stringify([rest, from, to, shape]);
};

/**
 * Everything that a step's frames follow from, in short: what it compiles to, how all stands at the frame before it
 * and when it begins, and its own document. The preparation and the meshes are not in it: whoever remembers forgets
 * all when they change.
 */
export function fingerprint(program: Program, position: number, at: Pose, hands: Hands): string {
  const { steps, sequence } = program;
  const id = steps.ids[position] as string;
  const [start, action, still, end] = [steps.start, steps.action, steps.still, steps.end].map((t) => nth(t, position));
  const hash = new Hash();
  // Run-on values depend on absolute times; what does not run on stands as it is asked here.
  const offset = program.offsetBound.size > 0 ? start : 0;
  hash.text(
    JSON.stringify([
      ...[
        offset,
        (start as number) % ticksPerFrame(sequence.rate),
        (action as number) - (start as number),
        (still as number) - (start as number),
      ],
      ...[(end as number) - (start as number), sequence.rate, sequence.picture, sequence.cameras, program.blocked],
      sequence.steps[id],
      Object.keys(sequence.cameras),
      // What it puts back, or is put back by, is of other steps: whether they are on is what counts.
      sequence.stepOrder.map((s) => (sequence.steps[s]?.on ? 1 : 0)).join(""),
    ]),
  );
  hash.text(hands.of.get(position) ?? "");
  hash.text(hands.beyond);
  const frame = ticksPerFrame(sequence.rate);
  const before = Math.max(0, (Math.ceil((start as number) / frame) - 1) * frame);
  for (const ticks of [before, start as number]) {
    sample(program, ticks, at);
    hash.numbers(at.values);
    hash.numbers(at.orientations);
  }
  return hash.name();
}

/** Two sums of 32 bits over everything given (FNV-1a, and the same over turned words). */
class Hash {
  private a = 0x811c9dc5;
  private b = 0x9747b28c;

  private word(v: number): void {
    this.a = Math.imul(this.a ^ v, 0x01000193);
    this.b = Math.imul(((this.b << 13) | (this.b >>> 19)) ^ v, 0x85ebca6b);
  }
  text(s: string): void {
    for (let i = 0; i < s.length; i++) this.word(s.charCodeAt(i));
    this.word(-1);
  }
  numbers(list: Float64Array): void {
    const words = new Uint32Array(list.buffer, list.byteOffset, 2 * list.length);
    for (let i = 0; i < words.length; i++) this.word(words[i] as number);
    this.word(-2);
  }
  name(): string {
    return `${(this.a >>> 0).toString(36)}.${(this.b >>> 0).toString(36)}`;
  }
}
