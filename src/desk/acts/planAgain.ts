import { targetId } from "../../core/document/keys";
import { setSettings } from "../../core/edit/moveCommands";
import type { SequenceCommand } from "../../core/edit/sequenceCommands";
import { nth } from "../../core/math/packed";
import type { ExplodedPart } from "../../core/moves/explodedView";
import { Refusal } from "../../core/text/refusal";
import { findWays, planExploded } from "../background/planner";
import type { Desk } from "../port";

/** Beyond where it is clear, mm: so that it is seen to be. */
const AIR = 10;

/**
 * Plans the way of a take off or an exploded view again, as all stands when it begins. What was set by hand in an
 * exploded view stays.
 * @throws Refusal where nothing comes off free, AbortError
 */
export async function planAgain(
  desk: Desk,
  ref: { step: string; move: string },
  signal: AbortSignal,
): Promise<SequenceCommand> {
  const move = desk.sequence.steps[ref.step]?.moves[ref.move];
  const position = desk.program.steps.position.get(ref.step);
  if (position === undefined || (move?.kind !== "take-off" && move?.kind !== "explode"))
    throw new Refusal("gone", { what: "move" });
  const ticks = nth(desk.program.steps.action, position) + move.start;
  if (move.kind === "take-off") {
    const way = (await findWays(desk, move.targets, ticks, signal)).find((w) => w.travel === null);
    if (!way) throw new Refusal("no-free-way");
    const distance = Math.max(move.settings.distance, Math.ceil(way.clear + AIR));
    return setSettings(ref, { direction: way.direction, distance });
  }
  const { gap, stagger, parts } = move.settings;
  const plan = await planExploded(desk, move.targets, { gap, stagger, mind: true }, ticks, signal, () => {});
  const made: Record<string, ExplodedPart> = {};
  for (const [id, part] of Object.entries(plan.parts)) made[id] = { ...part, byHand: false };
  for (const target of move.targets) {
    const id = targetId(target);
    const own = parts[id];
    // What is held all the same keeps the way it had.
    if (own && (own.byHand || !made[id])) made[id] = own;
  }
  return setSettings(ref, { parts: made });
}
