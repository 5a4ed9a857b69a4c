import { z } from "zod";
import { id } from "./parts";
import { FinishSchema, SurroundingsSchema } from "./surroundings";

/** What a look says about one part. */
export const LookNodeSchema = z.object({
  finish: FinishSchema.optional(),
  hidden: z.boolean().optional(),
  ghost: z.boolean().optional(),
});
export type LookNode = z.infer<typeof LookNodeSchema>;

/** Finishes, visibility and surroundings under a name. Parts it does not name have their CAD finish and are shown. */
export const LookSchema = z.object({
  id,
  name: z.string().min(1, "A look needs a name.").max(200),
  nodes: z.record(z.string(), LookNodeSchema),
  surroundings: SurroundingsSchema,
  /** A small picture as a data address, or null. */
  thumbnail: z
    .string()
    .max(80_000)
    .regex(/^data:image\/(png|jpeg|webp);base64,[A-Za-z0-9+/=]+$/)
    .nullable(),
});
export type Look = z.infer<typeof LookSchema>;
