import { z } from "zod";

const finite = z.number().refine(Number.isFinite, "must be a finite number");
const triple = z.tuple([finite, finite, finite]);

/** An axis a part may turn about: a unit direction in the parent's home frame, through the part's pivot. */
export const TurnAxisSchema = z.object({
  id: z.string().regex(/^[a-z][a-z0-9-]{0,30}$/),
  name: z.string().min(1).max(60),
  direction: triple.refine((d) => Math.abs(Math.hypot(...d) - 1) < 1e-6, "must have length 1"),
});
export type TurnAxis = z.infer<typeof TurnAxisSchema>;

/** Declared on every part unless it has its own: the three axes of the parent's home frame, in this order. */
export const DEFAULT_AXES: readonly TurnAxis[] = [
  { id: "x", name: "X", direction: [1, 0, 0] },
  { id: "y", name: "Y", direction: [0, 1, 0] },
  { id: "z", name: "Z", direction: [0, 0, 1] },
];

export const NodePreparationSchema = z.object({
  name: z.string().min(1).max(200).optional(),
  hidden: z.boolean().optional(),
  /** Point the part turns about, in the parent's home frame, mm. Default: the middle of its bounds at home. */
  pivot: triple.optional(),
  axes: z.array(TurnAxisSchema).min(1).max(6).optional(),
});
export type NodePreparation = z.infer<typeof NodePreparationSchema>;

export const PREPARATION_VERSION = 1;

/** The animator's layer over the assembly. Nodes are named by stable key; nothing of the tree is copied. */
export const PreparationSchema = z.object({
  version: z.literal(PREPARATION_VERSION),
  displayUnit: z.enum(["mm", "cm", "m", "in"]),
  nodes: z.record(z.string(), NodePreparationSchema),
});
export type Preparation = z.infer<typeof PreparationSchema>;

/** A preparation with nothing prepared. */
export function emptyPreparation(): Preparation {
  return { version: PREPARATION_VERSION, displayUnit: "mm", nodes: {} };
}
