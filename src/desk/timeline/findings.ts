import { listed } from "../acts/proofing";
import type { Desk } from "../port";

/** A finding in time, ticks of the sequence. */
export interface Found {
  t0: number;
  t1: number;
  wrong: boolean;
}

/** Height of the strip under the ruler, px. */
const STRIP = 4;
/** A moment is as wide as this, px. */
const LEAST = 4;

/** Where open findings are, those that are wrong last, so that they are drawn over the others. */
export function findingsOf(desk: Desk): Found[] {
  return listed(desk)
    .filter((l) => !l.meant)
    .map(({ finding }) => ({ t0: finding.from, t1: finding.to, wrong: finding.severity === "wrong" }))
    .sort((a, b) => Number(a.wrong) - Number(b.wrong));
}

/** Draws them as a slim strip whose lower edge is at `bottom`. */
export function paintFindings(
  ctx: CanvasRenderingContext2D,
  findings: readonly Found[],
  view: { perTick: number; left: number; width: number },
  inks: { brick: string; look: string },
  bottom: number,
): void {
  for (let i = 0; i < findings.length; i++) {
    const f = findings[i] as Found;
    const x = f.t0 * view.perTick - view.left;
    const width = Math.max(LEAST, (f.t1 - f.t0) * view.perTick);
    if (x + width < 0 || x > view.width) continue;
    ctx.fillStyle = f.wrong ? inks.brick : inks.look;
    // What is only to be looked at is lower, so that the two are told apart without their colours.
    const height = f.wrong ? STRIP : STRIP / 2;
    ctx.fillRect(x, bottom - height, width, height);
  }
}
