import { nth } from "../../core/math/packed";
import type { Desk } from "../port";

/** An open comment in time, ticks of the sequence. */
export interface SaidAt {
  t0: number;
  t1: number;
  chosen: boolean;
}

/** Side of the sign, px. */
const SIDE = 8;

/** Where open comments of the round that is followed are, by time. */
export function commentsOf(desk: Desk): SaidAt[] {
  const { round, chosen } = desk.state.reviewing;
  if (!round) return [];
  const { position, start } = desk.program.steps;
  return round.comments
    .filter((c) => c.to === null && !c.settled && !c.takenBack)
    .flatMap((c) => {
      const at = position.get(c.step);
      if (at === undefined) return [];
      const from = nth(start, at);
      return [{ t0: from + c.from, t1: from + c.until, chosen: c.id === chosen }];
    })
    .sort((a, b) => a.t0 - b.t0);
}

/** Draws them as small signs whose lower edge is at `bottom`; a stretch has a line as long as it is. */
export function paintComments(
  ctx: CanvasRenderingContext2D,
  said: readonly SaidAt[],
  view: { perTick: number; left: number; width: number },
  inks: { brick: string; sheet: string },
  bottom: number,
): void {
  for (let i = 0; i < said.length; i++) {
    const s = said[i] as SaidAt;
    const x = s.t0 * view.perTick - view.left;
    const end = s.t1 * view.perTick - view.left;
    if (end < -SIDE || x > view.width + SIDE) continue;
    ctx.fillStyle = inks.brick;
    if (end > x + 2) ctx.fillRect(x, bottom - 2, end - x, 2);
    const side = s.chosen ? SIDE + 3 : SIDE;
    ctx.fillRect(x - side / 2, bottom - side, side, side);
    ctx.fillStyle = inks.sheet;
    ctx.fillRect(x - side / 2 + 2, bottom - side + 2, side - 4, 1);
    ctx.fillRect(x - side / 2 + 2, bottom - side + 4, side - 5, 1);
  }
}
