import { setHome } from "../../core/edit/preparationCommands";
import { multiplied } from "../../core/math/mat4";
import { nth } from "../../core/math/packed";
import type { Triple } from "../../core/math/triple";
import { departureNow } from "../../core/program/pose";
import { createPose, sample } from "../../core/program/sampling";
import { nameOf } from "../names";
import type { Desk } from "../port";
import { pendingHere, setPending } from "./pending";

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

/** How far the home of a part was moved from where CAD has it, mm; null where it was not. */
export function homeShift(desk: Desk, key: string): Triple | null {
  const home = desk.state.preparation.body.nodes[key]?.home;
  return home ? [nth(home, 12), nth(home, 13), nth(home, 14)] : null;
}

/**
 * Makes where a part is shown now its home, as an act of its own: all that it does moves with it, and it stays where it
 * is shown. A pending pose is used up by it.
 */
export function makeHome(desk: Desk, key: string): boolean {
  const tracks = desk.program.trackNode(key);
  if (!tracks) return false;
  const [kept, shown] = [new Float64Array(16), new Float64Array(16)];
  const at = createPose(desk.program);
  sample(desk.program, desk.state.ticks, at);
  departureNow(tracks, at, kept);
  sample(desk.program, desk.state.ticks, at, desk.overrides());
  departureNow(tracks, at, shown);
  if (shown.every((v, k) => Math.abs(v - nth(kept, k)) < 1e-9)) {
    desk.notify("info", "Drag or type where its home should be first; nothing is pending here.");
    return false;
  }
  if (!rigid(shown)) {
    desk.notify("problem", "A home cannot be stretched. Bring its size back to 1 first.");
    return false;
  }
  if (IDENTITY.slice(0, 12).some((v, k) => Math.abs(v - nth(kept, k)) > 1e-9)) {
    desk.notify(
      "problem",
      "It is turned by its sequence here. Go to a moment when it is not, pose it there, then make that its home.",
    );
    return false;
  }
  const back = [...IDENTITY.slice(0, 12), 0 - nth(kept, 12), 0 - nth(kept, 13), 0 - nth(kept, 14), 1];
  const home = multiplied(back, multiplied(shown, desk.state.preparation.body.nodes[key]?.home ?? IDENTITY));
  const pending = { ...desk.state.pending };
  const here = pendingHere(desk, { type: "node", key });
  if (here) delete pending[here.id];
  setPending(desk, pending);
  return desk.prepare(`Move the home of ${nameOf(desk, tracks.node)}`, setHome(key, home));
}

function rigid(m: Float64Array): boolean {
  for (let c = 0; c < 12; c += 4)
    if (Math.abs(Math.hypot(nth(m, c), nth(m, c + 1), nth(m, c + 2)) - 1) > 1e-9) return false;
  return true;
}
