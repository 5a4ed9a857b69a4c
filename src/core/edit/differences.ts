import { produce } from "immer";

/** What differs at a place of a document: a value that is put there, or that what was there is gone. */
export type Difference = { path: readonly string[]; value: unknown } | { path: readonly string[]; gone: true };

type Tree = Record<string, unknown>;
const isTree = (v: unknown): v is Tree => typeof v === "object" && v !== null && !Array.isArray(v);

/**
 * In what a newer document differs from an older one. Documents are never changed in place, so that what is the same
 * object is the same: only what an edit touched is gone into. A list that differs is told as a whole, and so is an
 * object of which the order differs that adding and removing would make.
 */
export function differences(before: object, now: object): Difference[] {
  const out: Difference[] = [];
  compare(before, now, [], out);
  return out;
}

function compare(before: unknown, now: unknown, path: string[], out: Difference[]): void {
  if (Object.is(before, now)) return;
  if (!isTree(before) || !isTree(now)) {
    out.push({ path: [...path], value: now });
    return;
  }
  const keys = Object.keys(now);
  const kept = Object.keys(before).filter((k) => Object.hasOwn(now, k));
  // What is added comes last.
  if (path.length > 0 && kept.some((k, i) => keys[i] !== k)) {
    out.push({ path: [...path], value: now });
    return;
  }
  for (const key of Object.keys(before)) if (!Object.hasOwn(now, key)) out.push({ path: [...path, key], gone: true });
  for (const key of keys) {
    path.push(key);
    if (Object.hasOwn(before, key)) compare(before[key], now[key], path, out);
    else out.push({ path: [...path], value: now[key] });
    path.pop();
  }
}

/**
 * A document with differences brought in; what they do not touch stays the same object.
 * @throws RangeError where a path leads nowhere: they were taken from another document
 */
export function withDifferences<T extends object>(before: T, list: readonly Difference[]): T {
  return produce(before, (draft) => {
    for (const d of list) {
      let at = draft as unknown as Tree;
      for (const key of d.path.slice(0, -1)) {
        const next = at[key];
        if (!isTree(next)) throw new RangeError(`Nothing is at ${d.path.join(" / ")} in this document.`);
        at = next;
      }
      const last = d.path[d.path.length - 1] ?? "";
      if ("gone" in d) delete at[last];
      else at[last] = d.value;
    }
  });
}
