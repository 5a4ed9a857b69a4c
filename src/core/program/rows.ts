import { nth } from "../math/packed";
import { beyondNumber } from "./beyond";
import type { Placed } from "./layout";
import type { GroupSpec, Row } from "./tracks";

/** One channel's transitions while they are gathered. */
export interface ChannelRows {
  rows: Placed[];
  rest: readonly number[];
}

/** Rows of a channel as the tables have them. */
export function rowsOf(rows: readonly Placed[]): Row[] {
  return rows.map((r, i) => {
    const [span0, span1] = r.span ?? [0, 0];
    return {
      step: r.position,
      t0: r.t0,
      t1: r.t1,
      ease: r.ease,
      after: beyondNumber(r.after),
      before: beyondNumber(r.before),
      span0,
      span1,
      mate: r.span ? mateOf(rows, i, r.span) : 0,
    };
  });
}

/**
 * How many rows away the other end of a cycle is: its first row for one that goes on, its last for one that comes
 * from before.
 */
function mateOf(rows: readonly Placed[], at: number, [span0, span1]: readonly [number, number]): number {
  const row = rows[at] as Placed;
  const inside = (r: Placed | undefined): boolean =>
    r !== undefined && r.position === row.position && r.move === row.move && r.t1 >= span0 && r.t1 <= span1;
  let i = at;
  if (row.after) while (inside(rows[i - 1])) i--;
  else while (inside(rows[i + 1])) i++;
  return i - at;
}

/** Puts channels with the very same times and eases into one group each. */
export function grouped(channels: Map<number, ChannelRows>): GroupSpec[] {
  const buckets: { rows: Placed[]; members: number[]; lists: ChannelRows[] }[] = [];
  for (const [channel, list] of channels) {
    if (list.rows.length === 0) continue;
    const bucket = buckets.find((b) => sameRows(b.rows, list.rows));
    if (bucket) {
      bucket.members.push(channel);
      bucket.lists.push(list);
    } else buckets.push({ rows: list.rows, members: [channel], lists: [list] });
  }
  return buckets.map(({ rows, members, lists }) => ({
    members,
    rows: rowsOf(rows),
    starts: rows.flatMap((_, i) => lists.map((l) => l.rows[i]?.from[0] as number)),
    values: rows.flatMap((_, i) => lists.map((l) => l.rows[i]?.to[0] as number)),
    rest: lists.map((l) => nth(l.rest, 0)),
  }));
}

function sameRows(a: readonly Placed[], b: readonly Placed[]): boolean {
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i++) {
    const p = a[i] as Placed;
    const q = b[i] as Placed;
    if (p.t0 !== q.t0 || p.t1 !== q.t1 || p.position !== q.position || p.ease !== q.ease) return false;
    if (p.after !== q.after || p.before !== q.before || p.span?.[0] !== q.span?.[0] || p.span?.[1] !== q.span?.[1])
      return false;
  }
  return true;
}
