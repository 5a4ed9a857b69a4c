import { applyPatches, enablePatches, type Patch } from "immer";
import { z } from "zod";

enablePatches();

export type { Patch } from "immer";

const segment = z.union([z.string().max(500), z.int().min(0).max(1_000_000)]);

/** A change of one value in a document, as Immer writes it. */
export const PatchSchema = z.object({
  op: z.enum(["add", "remove", "replace"]),
  path: z.array(segment).min(1).max(20),
  value: z.unknown().optional(),
});

/** One edit: what a user did, with its label, as a unit of undo and of saving. */
export const EditSchema = z.object({
  id: z.string().regex(/^[a-z0-9]{20}$/),
  label: z.string().min(1).max(300),
  patches: z.array(PatchSchema).min(1).max(100_000),
});
export type Edit = z.infer<typeof EditSchema>;

/** Names that would reach into an object's prototype. */
const FORBIDDEN = new Set(["__proto__", "prototype", "constructor"]);

/** Applies patches to a frozen or plain document and gives the new one. @throws Error when a path leads nowhere. */
export function patched<T extends object>(document: T, patches: readonly z.infer<typeof PatchSchema>[]): T {
  for (const p of patches) if (p.path.some((s) => FORBIDDEN.has(String(s)))) throw new Error("A patch names a forbidden path.");
  return applyPatches(document, patches as Patch[]);
}

/**
 * True when two lists of patches touch the same place: one path equals the other or leads through it. Edits that do
 * not meet can be applied in either order, so one can be rebased over the other.
 */
export function meet(a: readonly { path: (string | number)[] }[], b: readonly { path: (string | number)[] }[]): boolean {
  for (const p of a) {
    for (const q of b) {
      const n = Math.min(p.path.length, q.path.length);
      let same = true;
      for (let i = 0; i < n && same; i++) same = String(p.path[i]) === String(q.path[i]);
      if (same) return true;
    }
  }
  return false;
}
