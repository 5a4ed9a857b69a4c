import { z } from "zod";
import type { Triple } from "../math/triple";
import { leaving } from "./appear";
import { pulses } from "./attention";
import { brief, type Made, moveKind, type Piece, SECOND, SETTINGS, slideBy } from "./kind";

type Companions = Made<{ attention: { on: boolean; length: number }; leaving: { on: boolean; length: number } }>;
const attentionLength = (m: Companions) => (m.settings.attention.on ? m.settings.attention.length : 0);
const leavingLength = (m: Companions) => (m.settings.leaving.on ? m.settings.leaving.length : 0);

/**
 * Parts are taken off along a direction. One motion; attention before it and leaving after it are companions, each
 * with its own length, each on or off.
 */
export const takeOff = moveKind({
  kind: "take-off",
  title: "Take off",
  about: "Parts come off along a free direction; before it they may light up, after it they may leave.",
  words: ["remove", "pull out", "lift", "disassemble", "dismount", "extract"],
  acts: "parts",
  seconds: 1.6,
  shape: {
    direction: SETTINGS.direction,
    distance: SETTINGS.mm,
    attention: z.object({
      on: z.boolean(),
      length: SETTINGS.ticks,
      times: z.int().min(1).max(50),
      colour: SETTINGS.colour,
    }),
    leaving: z.object({ on: z.boolean(), length: SETTINGS.ticks }),
  },
  defaults: () => ({
    direction: [0, 0, 1] as Triple,
    distance: 100,
    attention: { on: false, length: Math.round(1.2 * SECOND), times: 2, colour: "ochre" as const },
    leaving: { on: false, length: Math.round(0.6 * SECOND) },
  }),
  fields: [
    { name: "distance", label: "Distance", type: "mm" },
    { name: "direction", label: "Along", type: "direction" },
    { name: "attention.on", label: "Attention before", type: "switch" },
    { name: "attention.times", label: "How often", type: "count", when: (s) => (s.attention as { on: boolean }).on },
    { name: "attention.colour", label: "Colour", type: "colour", when: (s) => (s.attention as { on: boolean }).on },
    {
      name: "attention.length",
      label: "Attention takes",
      type: "time",
      when: (s) => (s.attention as { on: boolean }).on,
    },
    { name: "leaving.on", label: "Leaves after", type: "switch" },
    { name: "leaving.length", label: "Leaving takes", type: "time", when: (s) => (s.leaving as { on: boolean }).on },
  ],
  span: (m) => attentionLength(m) + m.length + leavingLength(m),
  main: (m) => ({ t0: m.start + attentionLength(m), t1: m.start + attentionLength(m) + m.length + leavingLength(m) }),
  pieces: (move, c): Piece[] => {
    const { direction, distance, attention } = move.settings;
    const off = move.start + attentionLength(move);
    const gone = off + move.length;
    return [
      ...(attention.on ? pulses(move.start, attention.length, attention.times, attention.colour, false) : []),
      ...slideBy(c, direction, distance, off, gone, move.ease),
      ...(move.settings.leaving.on
        ? leaving(c, gone, leavingLength(move), move.ease, { fade: true, direction, distance: 0 })
        : []),
    ];
  },
  describe: (m) => `comes off by ${brief(m.settings.distance)} mm${m.settings.leaving.on ? " and leaves" : ""}`,
});
