import { z } from "zod";
import { parseDocument } from "../document/parse";
import type { Preparation } from "../document/preparation";
import type { Sequence } from "../document/sequence";
import type { Identities } from "../revision/identity";
import { cleanText } from "../text/name";
import { PrintsSchema, type StepPrint } from "./prints";
import { type Comment, CommentSchema, type Decision, ROUND_NOTE_MAX, saidSchema, VERDICTS, type Voice } from "./said";

/** A round as a project file keeps it: what was shown, and what was said about it. */
export interface KeptRound {
  /** Which document of the file was sent, counted from 0. */
  document: number;
  number: number;
  name: string;
  note: string;
  at: string;
  /** The CAD file that was shown, and the SHA-256 of its package. */
  fileName: string;
  packageSha256: string;
  identities: Identities;
  preparation: Preparation;
  sequence: Sequence;
  prints: [step: string, print: StepPrint][];
  /** Roots before their answers. */
  comments: Omit<Comment, "mine" | "picture">[];
  decisions: Decision[];
}

const at = z.iso.datetime();
const called = z.string().max(4000).transform(cleanText).pipe(z.string().min(1).max(200));
const voice: z.ZodType<Voice> = z.object({ id: z.string().min(1).max(64), name: called, guest: z.boolean() });
const carriedFrom = z.int().min(1).max(1e6).nullable();

const KeptCommentSchema = CommentSchema.extend({
  // What was taken back has no words any longer.
  text: saidSchema("A comment", 4000),
  by: voice,
  at,
  edited: at.nullable(),
  takenBack: z.boolean(),
  settled: z.object({ by: called, at, edit: z.string().max(300).transform(cleanText).nullable() }).nullable(),
  carriedFrom,
});

const KeptSchema = z.object({
  document: z.int().min(0),
  number: z.int().min(1).max(1e6),
  name: called,
  note: saidSchema("A note", ROUND_NOTE_MAX),
  at,
  fileName: z.string().min(1).max(255),
  packageSha256: z.string().regex(/^[0-9a-f]{64}$/),
  identities: z.record(z.string(), z.string().min(1)),
  preparation: z.unknown(),
  sequence: z.unknown(),
  prints: PrintsSchema,
  comments: z.array(KeptCommentSchema).max(5000),
  decisions: z
    .array(z.object({ step: z.string().min(1).max(64), verdict: z.enum(VERDICTS), by: voice, at, carriedFrom }))
    .max(20_000),
});

/**
 * Checks a round from a project file.
 * @throws ZodError, or DocumentError when what it shows cannot be read
 */
export function parseKeptRound(json: unknown): KeptRound {
  const read = KeptSchema.parse(json);
  const wrong = (message: string, input: unknown) =>
    new z.ZodError([{ code: "custom", path: ["comments"], message, input }]);
  const ids = new Set<string>();
  const roots = new Set<string>();
  for (const c of read.comments) {
    if (ids.has(c.id)) throw wrong("holds a comment twice", c.id);
    ids.add(c.id);
    // Answers are to what stands before them and answers nothing itself.
    if (c.to === null) roots.add(c.id);
    else if (!roots.has(c.to)) throw wrong("answers something that is not there", c.to);
  }
  return {
    ...read,
    preparation: parseDocument("preparation", read.preparation),
    sequence: parseDocument("sequence", read.sequence),
  };
}
