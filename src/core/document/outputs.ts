import { z } from "zod";

const id = z.string().min(1).max(40);
const ticks = z.number().finite().min(0);

/** What part of a sequence an output is made of. */
export const OutputRangeSchema = z.discriminatedUnion("of", [
  z.object({ of: z.literal("all") }),
  /** From the beginning of one step to the end of another. */
  z.object({ of: z.literal("steps"), first: id, last: id }),
  /** Ticks of the sequence; the frame at the end is not in it. */
  z.object({ of: z.literal("time"), from: ticks, to: ticks }),
]);
export type OutputRange = z.infer<typeof OutputRangeSchema>;

export const OUTPUT_NAME_MAX = 120;

/**
 * An output: what is made of a sequence, under a name, again at will. Its settings are what its kind makes of them, so
 * that a kind that this version does not know is kept as it came.
 */
export const OutputSchema = z.object({
  id,
  name: z.string().min(1, "An output needs a name.").max(OUTPUT_NAME_MAX),
  kind: z.string().min(1).max(40),
  range: OutputRangeSchema,
  settings: z.record(z.string().max(40), z.union([z.string().max(400), z.number().finite(), z.boolean(), z.null()])),
});
export type Output = z.infer<typeof OutputSchema>;
