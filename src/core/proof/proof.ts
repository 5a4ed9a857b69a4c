import type { Program } from "../program/program";
import type { Check, Finding } from "./check";
import { CHECKS } from "./checks";

/** Thresholds that were chosen, by check and name. */
export type Chosen = Readonly<Record<string, Readonly<Record<string, number>>>>;

/** A check's thresholds: what was chosen where it is allowed, else the usual. */
export function thresholdsOf(check: Check, chosen: Chosen = {}): Record<string, number> {
  return Object.fromEntries(
    Object.entries(check.thresholds).map(([name, t]) => {
      const own = chosen[check.id]?.[name];
      return [name, own !== undefined && own >= t.min && own <= t.max ? own : t.usual];
    }),
  );
}

/**
 * Looks through a whole sequence.
 * @param only ids of the checks that are run; all by default
 * @returns the findings in the order of their time, what is wrong before what is to be looked at
 */
export function prove(program: Program, chosen: Chosen = {}, only?: readonly string[]): Finding[] {
  const out: Finding[] = [];
  // What repeats is found at every round; the first tells it.
  const known = new Set<string>();
  for (const check of CHECKS) {
    if (only && !only.includes(check.id)) continue;
    check.run({ program, thresholds: thresholdsOf(check, chosen) }, (f) => {
      const about = [f.what, ...f.about].join(" ");
      const name = `${check.id} ${f.step} ${about}`;
      if (!known.has(name)) out.push({ ...f, check: check.id, about });
      known.add(name);
    });
  }
  const position = (f: Finding) => program.steps.position.get(f.step) ?? 0;
  return out.sort(
    (a, b) =>
      position(a) - position(b) ||
      Number(a.severity === "look") - Number(b.severity === "look") ||
      a.from - b.from ||
      (a.about < b.about ? -1 : 1),
  );
}
