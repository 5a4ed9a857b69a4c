import { z } from "zod";
import { TICKS_PER_SECOND } from "../time/time";
import { outputKind } from "./kind";

/** Bytes of a triangle with its corners, about, and of the motion of a part for a second. */
const TRIANGLE = 34;
const SECOND = 260;

export const scene = outputKind<{ visibility: "extension" | "plain"; steps: boolean; packed: boolean }>({
  id: "scene",
  title: "Animated scene",
  about: "The parts with their motion as a GLB, for other programs that draw in 3D.",
  draws: false,
  schema: z.object({ visibility: z.enum(["extension", "plain"]), steps: z.boolean(), packed: z.boolean() }),
  defaults: () => ({ visibility: "extension", steps: true, packed: false }),
  fields: [
    {
      name: "visibility",
      label: "What is not shown",
      type: "choice",
      options: [
        { value: "extension", label: "is hidden (newer readers)" },
        { value: "plain", label: "is made too small to be seen" },
      ],
      hint: "Readers that know nothing of visibility show everything otherwise",
    },
    { name: "steps", label: "An animation a step too", type: "switch" },
    {
      name: "packed",
      label: "Packed (meshopt)",
      type: "switch",
      hint: "About half as large, exactly the same; for readers that know EXT_meshopt_compression",
    },
  ],
  file: () => ({ ending: ".glb", type: "model/gltf-binary" }),
  plan: (s, { program, range }) => {
    const seconds = (range.to - range.from) / TICKS_PER_SECOND;
    const triangles = program.index.assembly.geometries.reduce((sum, g) => sum + g.triangles, 0);
    const motion = program.moving.length * seconds * SECOND * (s.steps ? 2 : 1);
    return {
      width: 0,
      height: 0,
      frames: 0,
      seconds,
      bytes: 2000 + (triangles * TRIANGLE + motion) * (s.packed ? 0.4 : 1),
    };
  },
  remarks: () => [],
});
