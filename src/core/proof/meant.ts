import type { Meant, Sequence } from "../document/sequence";
import type { Finding } from "./check";
import { findingId } from "./proof";

/**
 * The facts of a finding as one text: what it says and its numbers to three figures. Who meant them so did not mean
 * others.
 */
export const factsOf = (f: Pick<Finding, "what" | "severity" | "channel" | "numbers">): string =>
  [
    f.what,
    f.severity,
    f.channel ?? "",
    ...Object.entries(f.numbers)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, q]) => `${name}=${Number(q.value.toPrecision(3))}${q.unit}`),
  ].join(" ");

/** Which of the sequence's findings are meant so: those whose facts are still as they were accepted. */
export function meantOf(sequence: Sequence, findings: readonly Finding[]): Map<Finding, Meant> {
  const known = new Map(Object.values(sequence.meant ?? {}).map((m) => [findingId(m), m]));
  const out = new Map<Finding, Meant>();
  for (const f of findings) {
    const m = known.get(findingId(f));
    if (m && m.facts === factsOf(f)) out.set(f, m);
  }
  return out;
}
