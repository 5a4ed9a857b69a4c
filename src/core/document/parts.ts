import { z } from "zod";

/** Pieces that documents share. */
export const finite = z.number().refine(Number.isFinite, "must be a finite number");
export const unitShare = finite.refine((v) => v >= 0 && v <= 1, "must be between 0 and 1");
export const triple = z.tuple([finite, finite, finite]);
export const unitTriple = triple.refine((d) => Math.abs(Math.hypot(...d) - 1) < 1e-6, "must have length 1");
export const id = z.string().regex(/^[A-Za-z0-9_-]{1,40}$/, "must be an id of letters, digits, - and _");

/** Something that can be moved: a node of the assembly by stable key, or a group by id. */
export const PartTargetSchema = z.discriminatedUnion("type", [
  z.object({ type: z.literal("node"), key: z.string().min(1) }),
  z.object({ type: z.literal("group"), id }),
]);
export type PartTarget = z.infer<typeof PartTargetSchema>;
