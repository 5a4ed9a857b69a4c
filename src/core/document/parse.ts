import type { z } from "zod";
import {
  PREPARATION_VERSION,
  type Preparation,
  PreparationSchema,
  preparationFrom1,
  preparationFrom2,
} from "./preparation";
import { SEQUENCE_VERSION, type Sequence, SequenceSchema, sequenceFrom1, sequenceFrom2 } from "./sequence";

/** What is edited: each kind is its own document with its own revision. */
export type DocumentKind = "preparation" | "sequence";
export type DocumentBody = Preparation | Sequence;

/** Why a document could not be taken. `path` is where, `message` what to do about it. */
export class DocumentError extends Error {
  override readonly name = "DocumentError";
  constructor(
    message: string,
    readonly code: "newer-version" | "invalid",
    readonly path: string = "",
  ) {
    super(message);
  }
}

export type Migration = (old: Record<string, unknown>) => Record<string, unknown>;

/** One entry a version: takes a document of that version to the next. */
const MIGRATIONS: Record<DocumentKind, Record<number, Migration>> = {
  preparation: { 1: preparationFrom1, 2: preparationFrom2 },
  sequence: { 1: sequenceFrom1, 2: sequenceFrom2 },
};

const VERSIONS: Record<DocumentKind, number> = { preparation: PREPARATION_VERSION, sequence: SEQUENCE_VERSION };
const SCHEMAS: Record<DocumentKind, z.ZodType<DocumentBody>> = {
  preparation: PreparationSchema,
  sequence: SequenceSchema,
};

/**
 * Reads a document of any known version, upgrading it.
 * @throws DocumentError when it is newer than this program or not valid.
 */
export function parseDocument(kind: "sequence", input: unknown): Sequence;
export function parseDocument(kind: "preparation", input: unknown): Preparation;
export function parseDocument(kind: DocumentKind, input: unknown): DocumentBody;
export function parseDocument(kind: DocumentKind, input: unknown): DocumentBody {
  if (typeof input !== "object" || input === null) throw new DocumentError(`The ${kind} is not a document.`, "invalid");
  const doc = upgrade(kind, input as Record<string, unknown>, VERSIONS[kind], MIGRATIONS[kind]);
  const parsed = SCHEMAS[kind].safeParse(doc);
  if (!parsed.success) {
    const issue = parsed.error.issues[0];
    const path = issue?.path.join(".") ?? "";
    throw new DocumentError(
      `The ${kind} is not valid${path ? ` at ${path}` : ""}: ${issue?.message ?? "unknown fault"}.`,
      "invalid",
      path,
    );
  }
  return parsed.data;
}

/**
 * Takes a document from the version it states to `target`, one migration after another.
 * @throws DocumentError when it states no version, a newer one, or one that no migration leads on from.
 */
export function upgrade(
  kind: string,
  input: Record<string, unknown>,
  target: number,
  migrations: Record<number, Migration>,
): Record<string, unknown> {
  const version = input.version;
  if (typeof version !== "number" || !Number.isInteger(version) || version < 1) {
    throw new DocumentError(`The ${kind} does not say its version.`, "invalid", "version");
  }
  if (version > target) {
    throw new DocumentError(
      `The ${kind} was made by a newer Plextan (document version ${version}; this one reads up to ${target}). Update Plextan to open it.`,
      "newer-version",
      "version",
    );
  }
  let doc = input;
  for (let v = version; v < target; v++) {
    const migrate = migrations[v];
    if (!migrate)
      throw new DocumentError(`The ${kind} has version ${v}, which can no longer be read.`, "invalid", "version");
    doc = { ...migrate(doc), version: v + 1 };
  }
  return doc;
}
