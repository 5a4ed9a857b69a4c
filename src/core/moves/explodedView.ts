import { z } from "zod";
import { targetId } from "../document/keys";
import { type Made, moveKind, type Piece, SETTINGS, slideBy } from "./kind";

/** One part's share of an exploded view. */
export const ExplodedPartSchema = z.object({
  /** Unit, assembly frame. */
  direction: SETTINGS.direction,
  /** mm at a spread of 1. */
  distance: SETTINGS.mm,
  /** 0 goes first. */
  order: z.int().min(0).max(10_000),
  /** Changed by hand: planning again leaves it as it is. */
  byHand: z.boolean(),
});
export type ExplodedPart = z.infer<typeof ExplodedPartSchema>;

/** When each target of an exploded view goes, ticks from the move's start, by its place in the order. */
export function staggered(move: Made<{ stagger: number }>, order: number, last: number): { t0: number; t1: number } {
  // With a stagger of 1 each starts when the one before has arrived; with 0 all go together.
  const s = move.settings.stagger;
  const each = move.length / (1 + s * last);
  const t0 = Math.round(order * s * each);
  return { t0, t1: Math.min(move.length, Math.round(order * s * each + each)) };
}

/** Parts go apart as planned, as one block. */
export const explode = moveKind({
  kind: "explode",
  title: "Exploded view",
  about: "Takes parts apart along free directions, planned so that nothing collides.",
  words: ["apart", "explosion", "disassemble", "separate", "spread"],
  acts: "parts",
  seconds: 4,
  shape: {
    parts: z.record(z.string(), ExplodedPartSchema),
    spread: z.number().min(0).max(20),
    stagger: z.number().min(0).max(1),
    lines: z.boolean(),
    gap: SETTINGS.mm,
  },
  defaults: () => ({ parts: {}, spread: 1, stagger: 0.35, lines: true, gap: 12 }),
  fields: [
    { name: "spread", label: "Spread", type: "number", hint: "1 is as planned", own: true },
    { name: "stagger", label: "Stagger", type: "share", hint: "0 all together, 1 one after the other" },
    { name: "gap", label: "Gap", type: "mm", hint: "Between neighbours, used when planning" },
    { name: "lines", label: "Explosion lines", type: "switch" },
  ],
  overlay: (move) =>
    move.settings.lines ? [{ channel: "shown", t0: move.start, t1: move.start, ease: move.ease, to: 1 }] : [],
  pieces: (move, c): Piece[] => {
    const part = move.settings.parts[targetId(c.target)] as ExplodedPart | undefined;
    if (!part) return [];
    const last = Math.max(0, ...Object.values(move.settings.parts as Record<string, ExplodedPart>).map((p) => p.order));
    const { t0, t1 } = staggered(move, part.order, last);
    return slideBy(
      c,
      part.direction,
      part.distance * move.settings.spread,
      move.start + t0,
      move.start + t1,
      move.ease,
    );
  },
  describe: (m) =>
    `${Object.keys(m.settings.parts).length} parts go apart${m.settings.spread === 1 ? "" : `, spread ${m.settings.spread}`}`,
});
