import { type Move, type Sequence, type Target, targetId } from "../document/sequence";
import { moveKindOf } from "../moves/kinds";
import { compile } from "../program/compile";
import { linkedBy } from "../program/linking";
import type { Program } from "../program/program";
import { actionLength, actsOn } from "../program/spans";
import { Refusal } from "../text/refusal";
import { frameCount, frameToTicks } from "../time/time";
import { ChannelReader } from "./curves/reader";
import { handKeysOf, type MoveRef, moveOf, reversalsOf } from "./moveCommands";
import { plainCopy, type SequenceCommand } from "./sequenceCommands";

/** Kinds that have no channels that could be keyed. */
const NOT_KEYED = new Set(["label", "dimension", "camera-cut"]);

/**
 * Turns a ready-made move into hand keys in place, and what reverses it with it. Exact where it is made of eased
 * pieces; worked out frame by frame it is exact at every frame.
 * @returns the command, and the largest departure from before at any frame (mm, degrees or plain, whichever is largest)
 * @throws Refusal where the move has nothing that can be keyed
 */
export function toHandKeys(program: Program, ref: MoveRef): { command: SequenceCommand; error: number } {
  const { sequence } = program;
  const move = moveOf(sequence, ref);
  if (move.kind === "hand") throw new Refusal("by-hand-already");
  if (NOT_KEYED.has(move.kind)) throw new Refusal("nothing-to-key", { title: moveKindOf(move.kind).title });
  const refs = [ref, ...reversalsOf(sequence, [ref])];
  const command = handKeysOf(program, refs);
  const targets = actsOn(move, sequence);
  const after = plainCopy(onlyFor(sequence, targets));
  command(after);
  for (const target of targets) {
    const tracks = target.type === "node" || target.type === "group" ? program.trackPart(target) : null;
    const rows = program.placed.get(targetId(target)) ?? [];
    if (tracks && rows.some((r) => r.step === ref.step && r.move === ref.move && linkedBy(tracks, r.channel))) {
      throw new Refusal("takes-off-follower");
    }
  }
  return { command, error: difference(program, compile(program.index, program.preparation, after), targets) };
}

/**
 * A sequence with only the moves that act on some targets, and those they put back: as the targets move in it, they do
 * in the whole, for moves that read poses of others are cameras' and read nothing of themselves.
 */
function onlyFor(sequence: Sequence, targets: readonly Target[]): Sequence {
  const wanted = new Set(targets.map(targetId));
  const reads = (m: Move) => m.kind !== "hand" && moveKindOf(m.kind).readsParts === true;
  const all = Object.values(sequence.steps).flatMap((s) => Object.values(s.moves));
  // What reads poses may read them of anything.
  if (all.some((m) => reads(m) && actsOn(m, sequence).some((t) => wanted.has(targetId(t))))) return sequence;
  const steps = Object.entries(sequence.steps).map(([id, step]) => {
    const moves = Object.entries(step.moves).filter(([, m]) =>
      actsOn(m, sequence).some((t) => wanted.has(targetId(t))),
    );
    return [id, { ...step, action: actionLength(step, sequence), moves: Object.fromEntries(moves) }] as const;
  });
  return { ...sequence, steps: Object.fromEntries(steps), timings: {} };
}

/** The largest difference of any channel of targets between two programs of one length, at the frames. */
export function difference(a: Program, b: Program, targets: readonly Target[]): number {
  let worst = 0;
  const frames = frameCount(a.steps.length, a.sequence.rate);
  for (const target of targets) {
    const rows = [...(a.placed.get(targetId(target)) ?? []), ...(b.placed.get(targetId(target)) ?? [])];
    for (const channel of new Set(rows.map((r) => r.channel))) {
      if (channel === "orientation" || a.channelOf(target, channel) < 0 || b.channelOf(target, channel) < 0) continue;
      const [ra, rb] = [new ChannelReader(a, target, channel), new ChannelReader(b, target, channel)];
      for (let f = 0; f < frames; f++) {
        const t = frameToTicks(f, a.sequence.rate);
        worst = Math.max(worst, Math.abs(ra.at(t) - rb.at(t)));
      }
    }
  }
  return worst;
}
