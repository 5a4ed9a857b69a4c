import { z } from "zod";
import type { Triple } from "../math/triple";
import { brief, moveKind, SETTINGS, SLIDES, slideBy } from "./kind";

/** Parts slide along a direction. */
export const slide = moveKind({
  kind: "slide",
  title: "Slide",
  about: "Parts go a distance along a direction, or back to where they belong.",
  words: ["move", "shift", "push", "pull", "travel", "translate"],
  acts: "parts",
  seconds: 1.2,
  shape: { way: z.enum(["by", "home"]), direction: SETTINGS.direction, distance: SETTINGS.mm },
  defaults: () => ({ way: "by" as const, direction: [0, 0, 1] as Triple, distance: 50 }),
  fields: [
    {
      name: "way",
      label: "Goes",
      type: "choice",
      choices: [
        { value: "by", label: "a distance" },
        { value: "home", label: "home" },
      ],
    },
    { name: "distance", label: "Distance", type: "mm", when: (s) => s.way === "by" },
    { name: "direction", label: "Along", type: "direction", when: (s) => s.way === "by" },
  ],
  pieces: (move, c) => {
    const { way, direction, distance } = move.settings;
    const t1 = move.start + move.length;
    if (way === "home") return SLIDES.map((channel) => ({ channel, t0: move.start, t1, ease: move.ease, to: 0 }));
    return slideBy(c, direction, distance, move.start, t1, move.ease);
  },
  describe: (m) => (m.settings.way === "home" ? "slides home" : `slides ${brief(m.settings.distance)} mm`),
});
