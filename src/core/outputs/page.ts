import { z } from "zod";
import { placedSounds } from "../sound/schedule";
import { TICKS_PER_SECOND } from "../time/time";
import { outputKind } from "./kind";

const pageSchema = z.object({
  /** Id of the look that it is shown in; "" for the one that the desk shows. */
  look: z.string().max(40),
  /** Whether there is a list of parts to show and hide. */
  parts: z.boolean(),
  sound: z.boolean(),
  /** Width of the pictures of steps, for paper and for browsers that cannot draw; pixels. */
  width: z.int().min(160).max(1920),
});
export type PageSettings = z.infer<typeof pageSchema>;

/** Bytes of the player, packed and written out, and of a triangle with its corners and edges. */
const PLAYER = 270_000;
const TRIANGLE = 26;

export const page = outputKind<PageSettings>({
  id: "page",
  title: "Interactive page",
  about: "One file that every browser opens, without a network: play, step, look around, show and hide parts.",
  draws: false,
  looks: true,
  needsBrowser: true,
  schema: pageSchema,
  defaults: () => ({ look: "", parts: true, sound: true, width: 640 }),
  fields: [
    { name: "look", label: "Look", type: "look" },
    { name: "parts", label: "List of parts", type: "switch", hint: "Readers show and hide parts by it" },
    { name: "sound", label: "Narration and music", type: "switch" },
    {
      name: "width",
      label: "Pictures of steps",
      type: "whole",
      unit: "px wide",
      min: 160,
      max: 1920,
      hint: "For paper, and in place of the model where a browser cannot draw it",
    },
  ],
  file: () => ({ ending: ".html", type: "text/html" }),
  plan: (s, { program, range }) => {
    const { sequence, steps, index } = program;
    const { width, height } = sequence.picture;
    const triangles = index.assembly.geometries.reduce((sum, g) => sum + g.triangles, 0);
    const inside = steps.ids.filter(
      (_, i) => (steps.end[i] as number) > range.from && (steps.start[i] as number) < range.to,
    );
    const picture = 0.16 * s.width * ((s.width * height) / width);
    const seconds = (range.to - range.from) / TICKS_PER_SECOND;
    const heard = s.sound ? placedSounds(sequence, steps).reduce((sum, p) => sum + p.sound.length, 0) : 0;
    const bytes = PLAYER + triangles * TRIANGLE + inside.length * picture + (heard / TICKS_PER_SECOND) * 6000;
    return { width: 0, height: 0, frames: 0, seconds, bytes };
  },
  remarks: (s, { looks }) =>
    s.look !== "" && !looks[s.look]
      ? [{ tone: "wrong", text: "Its look is gone. Choose another, or the one that the desk shows." }]
      : [],
});
