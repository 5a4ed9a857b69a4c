import { z } from "zod";
import { type Edit, EditSchema } from "../../core/edit/patches";
import { Refusal } from "../../core/text/refusal";

/** Changes of a project that are not on the server, as a file: to be put by, and taken in again. */
export interface ChangesFile {
  project: string;
  documents: { id: string; name: string; edits: Edit[] }[];
}

const Schema = z.object({
  format: z.literal("plextan-changes"),
  version: z.literal(1),
  project: z.string(),
  documents: z.array(z.object({ id: z.string(), name: z.string(), edits: z.array(EditSchema) })).max(1000),
});

export const CHANGES_EXTENSION = ".plextan-changes.json";

export function writeChanges(file: ChangesFile): string {
  return JSON.stringify({ format: "plextan-changes", version: 1, ...file }, null, 1);
}

/** @throws Error in words for the user */
export function readChanges(text: string): ChangesFile {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    throw new Refusal("not-changes");
  }
  const parsed = Schema.safeParse(json);
  if (!parsed.success)
    throw new Refusal("not-these-changes", { path: parsed.error.issues[0]?.path.join(".") || "its root" });
  return parsed.data;
}
