import { type Beyond, hand, type Sequence } from "../../document/sequence";
import { cycleOf, periodOf } from "../../program/spans";
import { Refusal } from "../../text/refusal";
import { setBeyond } from "../curves/edit";
import type { MoveRef } from "../moveCommands";
import type { SequenceCommand } from "../sequenceCommands";

/** How moves go on once they have ended, and how often in all; null times: for good. */
export interface Afterwards {
  kind: Beyond;
  times: number | null;
}

const WAY = { repeat: "same", add: "add", swing: "swing" } as const;
const KIND = { same: "repeat", add: "add", swing: "swing" } as const;

/** How one move goes on: as it repeats, else as all channels that it keys by hand go on; null where they differ. */
function oneAfterwards(sequence: Sequence, ref: MoveRef): Afterwards | null {
  const move = sequence.steps[ref.step]?.moves[ref.move];
  if (!move) return null;
  const keyed = hand(move);
  // A ready-made move goes on from where it ended either way.
  if (move.repeat)
    return {
      kind: keyed || move.repeat.way === "swing" ? KIND[move.repeat.way] : "repeat",
      times: move.repeat.times,
    };
  if (!keyed) return { kind: "hold", times: null };
  const channels = new Set(Object.values(keyed.keys).flatMap((k) => Object.keys(k.values)));
  const kinds = new Set([...channels].map((c) => keyed.beyond?.[c]?.after ?? "hold"));
  const [kind] = kinds;
  return kinds.size === 1 && kind ? { kind, times: null } : null;
}

/** How moves go on where all go on alike; null where they differ. */
export function afterwardsOf(sequence: Sequence, refs: readonly MoveRef[]): Afterwards | null {
  const all = refs.map((r) => oneAfterwards(sequence, r));
  const [first] = all;
  return first && all.every((a) => a?.kind === first.kind && a.times === first.times) ? first : null;
}

/**
 * Says how moves go on once they have ended: `times` in all, as one block with one period, or for good (null). Arrivals
 * by hand then go on by their channels, ready-made moves by their cycle.
 * @param period ticks from one beginning to the next; null: as long as it takes
 * @throws Refusal where a ready-made move is to keep its speed, for it has no speed of its own
 */
export function setAfterwards(
  refs: readonly MoveRef[],
  { kind, times }: Afterwards,
  period: number | null,
): SequenceCommand {
  return (draft) => {
    for (const ref of refs) {
      const move = draft.steps[ref.step]?.moves[ref.move];
      if (!move) throw new Refusal("gone", { what: "move" });
      const byHand = hand(move) !== undefined;
      if (kind === "straight" && !byHand) throw new Refusal("keeps-no-speed", { name: move.name });
      const cycles = kind === "repeat" || kind === "add" || kind === "swing";
      const span = cycleOf(move, draft);
      if (cycles && !(span.t1 > span.t0)) throw new Refusal("cycle-no-time");
      delete move.repeat;
      const all = [{ ...ref, channels: "all" as const }];
      if (byHand) setBeyond(all, null, cycles && times !== null ? "hold" : kind)(draft);
      if (cycles && (times === null ? !byHand : times > 1)) move.repeat = { times, period, way: WAY[kind] };
    }
  };
}

/**
 * Doing a move again until a time, in whole cycles, each the way that it goes on already.
 * @param until ticks in the step's action @returns how often in all, and the command that makes it so
 */
export function againUntil(
  sequence: Sequence,
  ref: MoveRef,
  until: number,
): { times: number; command: SequenceCommand } {
  const move = sequence.steps[ref.step]?.moves[ref.move];
  if (!move) throw new Refusal("gone", { what: "move" });
  const once = cycleOf(move, sequence);
  const each = periodOf(move, once);
  const times = each > 0 ? Math.min(10_000, Math.max(1, Math.round((until - once.t0) / each))) : 1;
  const now = oneAfterwards(sequence, ref);
  const kind = now && (now.kind === "add" || now.kind === "swing") ? now.kind : "repeat";
  const period = move.repeat?.period ?? null;
  return { times, command: setAfterwards([ref], { kind: times === 1 ? "hold" : kind, times }, period) };
}
