import { z } from "zod";
import { MOVE_COLOURS, moveKind, type Piece, SECOND, SETTINGS } from "./kind";

const SOFT = { kind: "soft", start: 0.5, stop: 0.5 } as const;

/** Pieces that make a target light up: `times` pulses between two times, the last one staying on request. */
export function pulses(
  t0: number,
  length: number,
  times: number,
  colour: (typeof MOVE_COLOURS)[number],
  stays: boolean,
): Piece[] {
  const out: Piece[] = [
    { channel: "tint-colour", t0, t1: t0, ease: SOFT, to: MOVE_COLOURS.indexOf(colour), companion: true },
  ];
  const halves = 2 * times - (stays ? 1 : 0);
  const at = (i: number) => t0 + Math.round((length * i) / halves);
  for (let i = 0; i < halves; i++)
    out.push({ channel: "tint", t0: at(i), t1: at(i + 1), ease: SOFT, to: i % 2 === 0 ? 1 : 0, companion: true });
  return out;
}

/** Draws the eye to parts: they light up, the rest may step back, what covers them may be seen through. */
export const attention = moveKind({
  kind: "attention",
  title: "Draw attention",
  about: "Parts light up as often as you say; the rest may be dimmed.",
  words: ["highlight", "blink", "flash", "dim", "show", "look here"],
  acts: "parts",
  seconds: 1.8,
  shape: {
    times: z.int().min(1).max(50),
    colour: SETTINGS.colour,
    stays: z.boolean(),
    /** How far everything else steps back, 0 not at all. */
    dim: SETTINGS.share,
    /** Parts that cover the targets and are seen through meanwhile. */
    covers: z.array(SETTINGS.part).max(500),
  },
  defaults: () => ({ times: 3, colour: "ochre" as const, stays: false, dim: 0, covers: [] }),
  fields: [
    { name: "times", label: "How often", type: "count" },
    { name: "colour", label: "Colour", type: "colour" },
    { name: "stays", label: "Stays lit", type: "switch" },
    { name: "dim", label: "Dim the rest", type: "share", hint: "0 leaves everything else as it is, 1 takes it away" },
  ],
  also: (s) => s.covers,
  overlay: (move) => (move.settings.dim > 0 ? fades(move.start, move.length, move.settings.stays) : []),
  pieces: (move, c) =>
    c.at < move.targets.length
      ? pulses(move.start, move.length, move.settings.times, move.settings.colour, move.settings.stays)
      : fades(move.start, move.length, move.settings.stays).map((p) => ({
          ...p,
          channel: "opacity",
          to: p.to === 1 ? 0.18 : 1,
          companion: true,
        })),
  describe: (m) =>
    `lights up ${m.settings.times} ${m.settings.times === 1 ? "time" : "times"}${m.settings.stays ? " and stays lit" : ""}${m.settings.dim > 0 ? ", the rest dimmed" : ""}`,
});

/** Pieces of "shown" that come up at a time and go again at its end, unless they stay. */
export function fades(start: number, length: number, stays: boolean): Piece[] {
  const fade = Math.min(Math.round(SECOND * 0.3), Math.floor(length / 2));
  const up: Piece = { channel: "shown", t0: start, t1: start + fade, ease: SOFT, to: 1 };
  return stays ? [up] : [up, { channel: "shown", t0: start + length - fade, t1: start + length, ease: SOFT, to: 0 }];
}
