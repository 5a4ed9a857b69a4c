import { filesNamedIn, stepText } from "./declared";
import type { StepPart } from "./model";

const base = (name: string) => (name.split(/[/\\]/).pop() ?? name).toLowerCase();

export const isStepName = (name: string) => /\.(step|stp|p21)$/i.test(name);

/** The files of a set that no other one names: the master, if it is one alone. */
export function mastersOf(files: readonly StepPart[]): string[] {
  const named = new Map<string, string>();
  for (const f of files)
    for (const n of filesNamedIn(stepText(f.bytes))) if (base(n) !== base(f.name)) named.set(base(n), f.name);
  const roots = files.filter((f) => !named.has(base(f.name)));
  const naming = roots.filter((f) => filesNamedIn(stepText(f.bytes)).length > 0);
  const [only] = naming;
  if (roots.length > 1 && naming.length === 1 && only) {
    // Parts of a sub-assembly whose own file is not there are named by nobody; while something is missing they may be
    // such.
    const byName = new Map(files.map((f) => [base(f.name), f.bytes]));
    if (partsOf(only, (name) => byName.get(base(name)) ?? null).missing.length > 0) return [only.name];
  }
  return roots.map((f) => f.name);
}

/**
 * What a master needs beside it, and what of that is there: files found without regard to letter case and folders,
 * given under the very names that are asked for. Goes on through files that name further ones.
 */
export function partsOf(
  master: StepPart,
  find: (name: string) => Uint8Array | null,
): { parts: StepPart[]; missing: string[] } {
  const parts = new Map<string, StepPart>();
  const missing = new Set<string>();
  const open = [master];
  for (let next = open.pop(); next; next = open.pop()) {
    for (const name of filesNamedIn(stepText(next.bytes))) {
      if (parts.has(name) || missing.has(name) || base(name) === base(master.name)) continue;
      const bytes = find(name);
      if (!bytes) {
        missing.add(name);
        continue;
      }
      const part = { name, bytes };
      parts.set(name, part);
      open.push(part);
    }
  }
  return { parts: [...parts.values()], missing: [...missing].sort() };
}
