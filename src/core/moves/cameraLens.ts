import { z } from "zod";
import { angleOfView, SENSOR_WIDTH_MM } from "../camera/camera";
import { plain } from "./cameraPieces";
import { brief, moveKind, type Piece } from "./kind";

/** Changes the lens. */
export const cameraLens = moveKind({
  kind: "camera-lens",
  title: "Camera: lens",
  about: "Changes the focal length or angle of view; the subject may keep its size meanwhile.",
  words: ["zoom", "focal length", "angle of view", "wide", "tele"],
  acts: "camera",
  seconds: 1.5,
  shape: {
    way: z.enum(["mm", "angle"]),
    mm: z.number().min(4).max(1200),
    angle: z.number().min(1.8).max(154),
    /** Where it begins, given in the same way; null: as it is then. */
    from: z.number().min(1.8).max(1200).nullable().default(null),
    keep: z.boolean(),
  },
  defaults: (c) => ({
    way: "mm" as const,
    mm: 85,
    angle: Math.round(10 * angleOfView(c.view.lens ?? 50)) / 10,
    from: null,
    keep: false,
  }),
  fields: [
    {
      name: "way",
      label: "Given as",
      type: "choice",
      choices: [
        { value: "mm", label: "focal length" },
        { value: "angle", label: "angle of view" },
      ],
    },
    {
      name: "mm",
      label: "Focal length",
      type: "number",
      when: (s) => s.way === "mm",
      hint: "mm on a sensor 36 mm wide",
    },
    {
      name: "angle",
      label: "Angle of view",
      type: "degrees",
      when: (s) => s.way === "angle",
      hint: "Across the picture's width",
    },
    {
      name: "from",
      label: "Begins at",
      type: "number",
      empty: "as it is then",
      hint: "Jumps there when the move begins; mm or degrees, as given above",
    },
    {
      name: "keep",
      label: "Keep the size",
      type: "switch",
      hint: "Goes nearer or farther so that what is looked at stays as large",
    },
  ],
  pieces: (move, c): Piece[] => {
    const s = move.settings;
    const focal = (v: number) => (s.way === "mm" ? v : SENSOR_WIDTH_MM / 2 / Math.tan((v * Math.PI) / 360));
    const lens = focal(s.way === "mm" ? s.mm : s.angle);
    const from = s.from === null ? null : Math.min(1200, Math.max(4, focal(s.from)));
    const cut = (channel: string, to: number): Piece => ({
      channel,
      t0: move.start,
      t1: move.start,
      ease: move.ease,
      to,
    });
    const size = (to: number) => (c.now("distance") * to) / (c.now("lens") || to);
    return [
      ...(from === null ? [] : [cut("lens", from), ...(s.keep ? [cut("distance", size(from))] : [])]),
      plain("lens", move, lens),
      ...(s.keep ? [plain("distance", move, size(lens))] : []),
    ];
  },
  describe: (m) =>
    `${m.settings.way === "mm" ? "lens" : "angle of view"} ${m.settings.from === null ? "" : `${brief(m.settings.from)} to `}${m.settings.way === "mm" ? `${brief(m.settings.mm)} mm` : `${brief(m.settings.angle)}°`}`,
});
