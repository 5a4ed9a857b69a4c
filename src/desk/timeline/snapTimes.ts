import { nth } from "../../core/math/packed";
import { formatSeconds, snapToFrame } from "../../core/time/time";
import type { Scene } from "./paint";
import { lanesIn } from "./rows";
import type { View } from "./view";

/** A time that dragging may snap to, and what it is. */
export interface SnapTime {
  at: number;
  what: string;
}

/**
 * Times worth snapping to: arrivals and ends of moves that are not dragged, edges of steps, markers, the playhead. In
 * order.
 */
export function snapTimes(
  s: Scene,
  playhead: number,
  dragged: (step: string, move: string, key: string) => boolean,
): SnapTime[] {
  const out: SnapTime[] = [{ at: playhead, what: "playhead" }];
  const { action } = s.steps;
  for (const row of s.rows) {
    for (const lane of lanesIn(row)) {
      for (const p of lane.pins)
        if (!dragged(p.step, p.move, p.key)) out.push({ at: nth(action, p.position) + p.at, what: "arrival" });
      for (const b of lane.blocks) {
        if (dragged(b.step, b.move, "")) continue;
        out.push(
          { at: nth(action, b.position) + b.t0, what: "start of a move" },
          { at: nth(action, b.position) + b.t1, what: "end of a move" },
        );
      }
    }
  }
  for (let i = 0; i < s.steps.ids.length; i++) {
    out.push(
      { at: nth(s.steps.start, i), what: "start of a step" },
      { at: nth(s.steps.action, i), what: "start of an action" },
      { at: nth(s.steps.end, i), what: "end of a step" },
    );
  }
  for (const m of s.markers) out.push({ at: m.at, what: m.name });
  return out.sort((a, b) => a.at - b.at);
}

/** Px within which a time is caught. */
const CATCH = 7;

/**
 * Snaps a time: to one of the list within a few pixels, else to the nearest frame.
 * @returns the time, and the guide to show; no guide for a plain frame
 */
export function snapped(
  list: readonly SnapTime[],
  t: number,
  s: Scene,
  view: View,
  on: boolean,
): { at: number; guide: Scene["guide"] } {
  if (!on) return { at: Math.max(0, Math.round(t)), guide: null };
  let lo = 0;
  let hi = list.length;
  while (lo < hi) {
    const mid = (lo + hi) >> 1;
    if ((list[mid] as SnapTime).at < t) lo = mid + 1;
    else hi = mid;
  }
  let best: SnapTime | undefined;
  for (const c of [list[lo - 1], list[lo]]) if (c && (!best || Math.abs(c.at - t) < Math.abs(best.at - t))) best = c;
  if (best && Math.abs(best.at - t) * view.perTick < CATCH)
    return { at: best.at, guide: { at: best.at, label: `${formatSeconds(best.at)} s · ${best.what}` } };
  return { at: Math.max(0, snapToFrame(t, s.rate)), guide: null };
}
