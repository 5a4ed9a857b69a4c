import { z } from "zod";
import { nth } from "../math/packed";
import type { ReadonlyTriple, Triple } from "../math/triple";
import { moveKind, type Piece, type PieceContext, SETTINGS, SLIDES, slideBy } from "./kind";

const shape = {
  fade: z.boolean(),
  /** Where it comes from or goes to, mm along the direction; 0: stays in its place. */
  direction: SETTINGS.direction,
  distance: SETTINGS.mm,
};
const fields = [
  { name: "fade", label: "Fade", type: "switch" as const },
  { name: "distance", label: "Travel", type: "mm" as const },
  { name: "direction", label: "Along", type: "direction" as const },
];
const defaults = () => ({ fade: true, direction: [0, 0, 1] as Triple, distance: 0 });

/** Parts that were not to be seen come up. Hidden from the sequence's start by a cut placed before it. */
export const appear = moveKind({
  kind: "appear",
  title: "Appear",
  about: "Parts come up, by fading or from a distance, until they stand where they belong.",
  words: ["fade in", "show", "enter", "come"],
  acts: "parts",
  seconds: 1,
  shape,
  defaults,
  fields,
  pieces: (move, c): Piece[] => {
    const { fade, direction, distance } = move.settings;
    const { start: t0, length, ease } = move;
    const t1 = t0 + length;
    const cut = { t0, t1: t0, ease };
    const out: Piece[] = [
      { channel: "visible", ...cut, to: 1 },
      { channel: "opacity", ...cut, to: fade && length > 0 ? 0 : 1 },
    ];
    if (fade && length > 0) out.push({ channel: "opacity", t0, t1, ease, to: 1 });
    if (distance !== 0) {
      const own = c.own(direction);
      SLIDES.forEach((channel, k) => {
        if (own[k] === 0) return;
        const end = c.now(channel);
        out.push({ channel, ...cut, to: end + nth(own, k) * distance }, { channel, t0, t1, ease, to: end });
      });
    }
    return out;
  },
  describe: (m) => `${m.settings.fade ? "fades in" : "appears"}${m.settings.distance ? " on the way in" : ""}`,
});

/** Pieces that take a target out of the picture. */
export function leaving(
  c: PieceContext,
  t0: number,
  length: number,
  ease: Piece["ease"],
  settings: { fade: boolean; direction: ReadonlyTriple; distance: number },
): Piece[] {
  const t1 = t0 + length;
  const out: Piece[] = settings.distance !== 0 ? slideBy(c, settings.direction, settings.distance, t0, t1, ease) : [];
  if (settings.fade) out.push({ channel: "opacity", t0, t1, ease, to: 0 });
  out.push({ channel: "visible", t0: t1, t1, ease, to: 0 });
  return out;
}

/** Parts go out of the picture. */
export const leave = moveKind({
  kind: "leave",
  title: "Leave",
  about: "Parts go, by fading or to a distance, and are no longer seen.",
  words: ["fade out", "hide", "disappear", "exit", "go"],
  acts: "parts",
  seconds: 1,
  shape,
  defaults,
  fields,
  pieces: (move, c) => leaving(c, move.start, move.length, move.ease, move.settings),
  describe: (m) => `${m.settings.fade ? "fades out" : "leaves"}${m.settings.distance ? " on the way out" : ""}`,
});
