import { z } from "zod";
import { PartTargetSchema } from "./parts";

const id = z.string().min(1).max(40);

/**
 * Something that whoever reads the page may set going: a click on a part, or a key, plays a move or a whole step, and
 * the same again plays it back.
 */
export const TriggerSchema = z.object({
  id,
  step: id,
  /** Null plays all of the step. */
  move: id.nullable(),
  /** What is clicked; null where only the key does it. */
  on: PartTargetSchema.nullable(),
  /** A letter or a digit; null for none. */
  key: z
    .string()
    .regex(/^[a-z0-9]$/, "A key is one letter or digit.")
    .nullable(),
});
export type Trigger = z.infer<typeof TriggerSchema>;
