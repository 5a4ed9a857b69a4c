import { z } from "zod";
import { emptyBounds, growByBox } from "../assembly/assembly";
import { nth, tripleAt } from "../math/packed";
import { minus } from "../math/triple";
import { brief, moveKind, type Piece, type PieceContext, SETTINGS } from "./kind";

const AXES = ["x", "y", "z"] as const;

/** Parts grow along an axis while one end stays, and come back on request: springs, bellows. */
export const stretch = moveKind({
  kind: "stretch",
  title: "Stretch and restore",
  about: "Grows or presses parts along an axis while one end stays put, as a spring does.",
  words: ["spring", "compress", "squeeze", "scale", "bellows", "extend"],
  acts: "parts",
  seconds: 1.5,
  shape: {
    axis: z.enum(AXES),
    factor: SETTINGS.factor,
    stays: z.enum(["low", "middle", "high"]),
    restore: z.boolean(),
    /** Time at full stretch before it is restored. */
    hold: SETTINGS.ticks,
  },
  defaults: () => ({ axis: "z" as const, factor: 0.7, stays: "low" as const, restore: true, hold: 0 }),
  fields: [
    { name: "factor", label: "To", type: "number", hint: "1 is the length at home, 0.5 half of it" },
    { name: "axis", label: "Along", type: "choice", choices: AXES.map((a) => ({ value: a, label: a.toUpperCase() })) },
    {
      name: "stays",
      label: "Stays put",
      type: "choice",
      choices: [
        { value: "low", label: "its low end" },
        { value: "middle", label: "its middle" },
        { value: "high", label: "its high end" },
      ],
    },
    { name: "restore", label: "And back", type: "switch" },
    { name: "hold", label: "Held between", type: "time", when: (s) => s.restore === true },
  ],
  pieces: (move, c): Piece[] => {
    const { axis, factor, stays, restore } = move.settings;
    const k = AXES.indexOf(axis);
    const size = `size.${axis}`;
    const slide = `slide.${axis}`;
    const anchor = endOf(c, k, stays);
    const pivot = c.tracks?.pivot[k] ?? 0;
    const hold = restore ? Math.min(move.settings.hold, move.length) : 0;
    const half = restore ? Math.floor((move.length - hold) / 2) : move.length;
    const before = c.now(size);
    // About the pivot the anchor would go by (factor - 1)(anchor - pivot); the slide takes that back.
    const shift = -(factor - before) * (anchor - pivot);
    const t1 = move.start + half;
    const out: Piece[] = [
      { channel: size, t0: move.start, t1, ease: move.ease, to: factor },
      { channel: slide, t0: move.start, t1, ease: move.ease, by: shift },
    ];
    if (restore) {
      const end = move.start + move.length;
      out.push(
        { channel: size, t0: t1 + hold, t1: end, ease: move.ease, to: before },
        { channel: slide, t0: t1 + hold, t1: end, ease: move.ease, to: c.now(slide) },
      );
    }
    return out;
  },
  describe: (m) =>
    `${m.settings.factor < 1 ? "pressed" : "stretched"} to ${brief(m.settings.factor)} along ${m.settings.axis.toUpperCase()}${m.settings.restore ? " and back" : ""}`,
});

/** Parts grow or shrink about their pivot in all directions, and come back on request. */
export const grow = moveKind({
  kind: "grow",
  title: "Grow or shrink",
  about: "Parts swell or shrink about their pivot, the same along all axes, and come back if asked to.",
  words: ["scale", "size", "swell", "pulse", "bigger", "smaller"],
  acts: "parts",
  seconds: 1.2,
  shape: {
    factor: SETTINGS.factor,
    restore: z.boolean(),
    /** Time at full size before it is restored. */
    hold: SETTINGS.ticks,
  },
  defaults: () => ({ factor: 1.2, restore: true, hold: 0 }),
  fields: [
    { name: "factor", label: "To", type: "number", hint: "1 is the size at home, 2 twice that" },
    { name: "restore", label: "And back", type: "switch" },
    { name: "hold", label: "Held between", type: "time", when: (s) => s.restore === true },
  ],
  pieces: (move, c): Piece[] => {
    const { factor, restore } = move.settings;
    const hold = restore ? Math.min(move.settings.hold, move.length) : 0;
    const half = restore ? Math.floor((move.length - hold) / 2) : move.length;
    const t1 = move.start + half;
    return AXES.flatMap((axis): Piece[] => {
      const channel = `size.${axis}`;
      const there = { channel, t0: move.start, t1, ease: move.ease, to: factor };
      const back = { channel, t0: t1 + hold, t1: move.start + move.length, ease: move.ease, to: c.now(channel) };
      return restore ? [there, back] : [there];
    });
  },
  describe: (m) =>
    `${m.settings.factor < 1 ? "shrinks" : "grows"} to ${brief(m.settings.factor)}${m.settings.restore ? " and back" : ""}`,
});

/** Where an end of the target lies at home, in the frame it departs in. */
function endOf(c: PieceContext, k: number, which: "low" | "middle" | "high"): number {
  const box = new Float64Array(6);
  emptyBounds(box);
  const { index } = c;
  const pieces = new Float64Array(16);
  for (const root of c.nodesOf(c.target)) {
    for (let i = root; i < nth(index.end, root); i++) {
      const g = index.assembly.geometries[index.assembly.nodes[i]?.geometry ?? -1];
      if (!g) continue;
      for (let j = 0; j < 4; j++) {
        const column = tripleAt(index.homeWorld, 16 * i + 4 * j);
        pieces.set(c.own(j < 3 ? column : minus(column, c.origin())), 4 * j);
      }
      growByBox(box, 0, g.bounds, pieces, 0);
    }
  }
  const low = nth(box, k);
  const high = nth(box, 3 + k);
  if (!(low <= high)) return c.tracks?.pivot[k] ?? 0;
  return which === "low" ? low : which === "high" ? high : (low + high) / 2;
}
