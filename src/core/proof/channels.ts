import type { Target } from "../document/sequence";
import { EASE_STRIDE, easeAt } from "../ease/ease";
import { nth } from "../math/packed";
import { targetFrom } from "../program/compileTarget";
import type { Placed } from "../program/layout";
import type { Program } from "../program/program";

/** Rows by channel, for as long as a target's rows stay: several checks ask, and an edit leaves most targets alone. */
const channels = new WeakMap<readonly Placed[], ReadonlyMap<string, readonly Placed[]>>();

/** The transitions of one target by channel, each channel's in the order of time. */
export function byChannel(rows: readonly Placed[]): ReadonlyMap<string, readonly Placed[]> {
  const known = channels.get(rows);
  if (known) return known;
  const lists = new Map<string, Placed[]>();
  for (const row of rows) {
    const list = lists.get(row.channel);
    if (list) list.push(row);
    else lists.set(row.channel, [row]);
  }
  for (const list of lists.values()) list.sort((a, b) => a.position - b.position || a.t0 - b.t0);
  channels.set(rows, lists);
  return lists;
}

/** Tells everything that moves: the target and its channels, worked out when they are asked for, and all its rows. */
export function eachTarget(
  program: Program,
  tell: (target: () => Target, channels: () => ReadonlyMap<string, readonly Placed[]>, rows: readonly Placed[]) => void,
): void {
  for (const [id, rows] of program.placed)
    if (!id.startsWith("m:"))
      tell(
        // What is drawn over the picture is left out already.
        () => targetFrom(id) as Target,
        () => byChannel(rows),
        rows,
      );
}

/** How far a transition goes, in its channel's unit. */
export const rise = (r: Placed): number => nth(r.to, 0) - nth(r.from, 0);

/** Start and end of a transition, ticks of the sequence. */
export const spanIn = (program: Program, r: Placed): [number, number] => {
  const action = nth(program.steps.action, r.position);
  return [action + r.t0, action + r.t1];
};

/** Farthest that a transition goes below its beginning and beyond its end, as shares of the way between. */
export function excursion(program: Program, r: Placed): { below: number; beyond: number } {
  let below = 0;
  let beyond = 0;
  for (let i = 1; i < 48; i++) {
    const u = easeAt(program.easeTable, r.ease * EASE_STRIDE, i / 48);
    below = Math.max(below, -u);
    beyond = Math.max(beyond, u - 1);
  }
  return { below, beyond };
}
