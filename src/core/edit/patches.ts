import { enablePatches, type Patch, produce } from "immer";
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

/** Why an edit can never be taken; the message is for the user. */
export class EditError extends Error {
  override readonly name = "EditError";

  constructor(
    message: string,
    readonly code: "path" | "index" | "name" | "text" | "number" | "depth" | "size",
  ) {
    super(message);
  }
}

/** Most levels that a value in a patch may have. Documents have about ten. */
export const VALUE_DEPTH_MAX = 60;
/** Most bytes of one edit, as JSON; what a request carries is cut to less where it can be. */
export const EDIT_MAX_BYTES = 8 * 1024 * 1024;

/** Names that would reach into an object's prototype. */
const FORBIDDEN = new Set(["__proto__", "prototype", "constructor"]);
/** Half of a letter: no text, and no database keeps it. */
const LONE_SURROGATE = /\p{Surrogate}/u;

/**
 * Checks what can be said of an edit by itself, in time that grows with its size alone: names that reach into
 * prototypes, halves of letters, numbers that are none, values nested too deep. The client asks before it queues an
 * edit, the server before it touches the document.
 * @throws EditError
 */
export function checkEdit(edit: Edit): void {
  for (const p of edit.patches) {
    for (const s of p.path) checkName(s);
    // By hand and not by recursion: a hostile value must not use up the stack.
    const open: { value: unknown; depth: number }[] = [{ value: p.value, depth: 1 }];
    for (let next = open.pop(); next; next = open.pop()) {
      const { value, depth } = next;
      if (typeof value === "string") checkText(value);
      else if (typeof value === "number" && !Number.isFinite(value))
        throw new EditError("The change holds a number that is not finite.", "number");
      if (typeof value !== "object" || value === null) continue;
      if (depth > VALUE_DEPTH_MAX)
        throw new EditError(`The change nests values deeper than ${VALUE_DEPTH_MAX} levels.`, "depth");
      if (Array.isArray(value)) for (const v of value) open.push({ value: v, depth: depth + 1 });
      else
        for (const [key, v] of Object.entries(value)) {
          checkName(key);
          open.push({ value: v, depth: depth + 1 });
        }
    }
  }
  checkText(edit.label);
}

function checkName(name: string | number): void {
  if (typeof name !== "string") return;
  if (FORBIDDEN.has(name)) throw new EditError(`The change uses the name "${name}", which is not allowed.`, "name");
  checkText(name);
}

function checkText(text: string): void {
  if (LONE_SURROGATE.test(text))
    throw new EditError("The change holds half of a letter (a lone surrogate). Type the text again.", "text");
}

/**
 * Applies patches to a frozen or plain document and gives the new one. Every step of a path must be there, and an
 * index must lie in its list, so no patch can grow a list by more than the one value it brings.
 * @throws EditError when a path leads nowhere
 */
export function patched<T extends object>(document: T, patches: readonly Edit["patches"][number][]): T {
  return produce(document, (draft) => applyTo(draft as object, patches));
}

/** The same to a draft. @throws EditError when a path leads nowhere; the draft is to be thrown away then */
export function applyTo(draft: object, patches: readonly Edit["patches"][number][]): void {
  for (const p of patches) applyOne(draft, p);
}

function applyOne(root: object, { op, path, value }: Edit["patches"][number]): void {
  let at = root as Record<string | number, unknown>;
  const last = path.length - 1;
  for (let i = 0; i < last; i++) {
    const key = path[i] as string | number;
    const next = has(at, key) ? at[key] : undefined;
    if (typeof next !== "object" || next === null) throw nowhere(path.slice(0, i + 1));
    at = next as Record<string | number, unknown>;
  }
  const key = path[last] as string | number;
  if (FORBIDDEN.has(String(key))) throw nowhere(path);
  if (Array.isArray(at)) {
    const limit = op === "add" ? at.length : at.length - 1;
    if (typeof key !== "number" || key > limit)
      throw new EditError(
        `The change names place ${String(key).slice(0, 20)} of a list that has ${at.length}.`,
        "index",
      );
    if (op === "add") at.splice(key, 0, copied(value));
    else if (op === "replace") at[key] = copied(value);
    else at.splice(key, 1);
  } else if (op === "remove") delete at[key];
  // What is undefined here is absent in the stored document: "replace" may find nothing to replace there.
  else at[key] = copied(value);
}

const has = (at: object, key: string | number) =>
  !FORBIDDEN.has(String(key)) &&
  (Array.isArray(at) ? typeof key === "number" && key < at.length : Object.hasOwn(at, key));

const nowhere = (path: readonly (string | number)[]) =>
  new EditError(`The change leads to "${path.join(".").slice(0, 120)}", which is not there.`, "path");

/** A later patch may change what an earlier one brought; the patch itself stays as it is. */
function copied(value: unknown): unknown {
  if (typeof value !== "object" || value === null) return value;
  if (Array.isArray(value)) return value.map(copied);
  const out: Record<string, unknown> = {};
  for (const [k, v] of Object.entries(value)) out[k] = copied(v);
  return out;
}

/** Where patches lead, as a tree. */
interface Reached {
  next: Map<string, Reached>;
  /** A patch ends here. */
  end: boolean;
  /** Something is put into or taken out of the list here, so what follows it has other places. */
  shifts: boolean;
  /** The next step of some path is a place in a list. */
  listed: boolean;
}
const reached = (): Reached => ({ next: new Map(), end: false, shifts: false, listed: false });

/**
 * True when two lists of patches touch the same: one path equals the other or leads through it, or one shifts a list
 * that the other reaches into. Edits that do not meet give the same in either order, so one can be laid over the
 * other. Takes time in proportion to the patches, not to their product.
 */
export function meet(a: readonly Patch[], b: readonly Patch[]): boolean {
  const root = reached();
  for (const p of a) {
    let at = root;
    p.path.forEach((s, i) => {
      if (typeof s === "number") {
        at.listed = true;
        if (i === p.path.length - 1 && p.op !== "replace") at.shifts = true;
      }
      let next = at.next.get(String(s));
      if (!next) {
        next = reached();
        at.next.set(String(s), next);
      }
      at = next;
    });
    at.end = true;
  }
  return b.some((q) => {
    let at: Reached | undefined = root;
    for (let i = 0; i < q.path.length; i++) {
      if (at.end) return true;
      const s = q.path[i] as string | number;
      if (typeof s === "number" && (at.shifts || (at.listed && i === q.path.length - 1 && q.op !== "replace")))
        return true;
      at = at.next.get(String(s));
      if (!at) return false;
    }
    return true;
  });
}

/** Rough size of an edit on its way, bytes. */
export function editBytes(edit: Edit): number {
  return JSON.stringify(edit).length;
}
