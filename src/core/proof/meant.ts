import type { Meant, Sequence } from "../document/sequence";
import type { Finding } from "./check";
import { findingId } from "./proof";

/** Numbers that differ by less than this share are the same: frames may fall elsewhere after an edit before them. */
const SAME_SHARE = 0.05;
/** And such as differ by less than this, whatever their unit. */
const SAME_ANYWAY = 0.02;

/** The facts of a finding as one text: which of its sentences it is, how bad, and its numbers. */
export const factsOf = (f: Pick<Finding, "what" | "severity" | "channel" | "numbers">): string =>
  [
    `${f.what}|${f.severity}|${f.channel ?? ""}`,
    ...Object.entries(f.numbers)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, q]) => `${name}=${Number(q.value.toPrecision(5))}`),
  ].join(" ");

/** Whether two facts say the same, but for what is not worth to be told. Who meant one did not mean others. */
export function sameFacts(a: string, b: string): boolean {
  const [p, q] = [a.split(" "), b.split(" ")];
  if (p.length !== q.length || p[0] !== q[0]) return false;
  return p.slice(1).every((x, i) => {
    const [name, value] = x.split("=");
    const [other, second] = (q[i + 1] ?? "").split("=");
    const [u, v] = [Number(value), Number(second)];
    return name === other && Math.abs(u - v) <= Math.max(SAME_ANYWAY, SAME_SHARE * Math.max(Math.abs(u), Math.abs(v)));
  });
}

/** Which of the sequence's findings are meant so: those whose facts are still as they were accepted. */
export function meantOf(sequence: Sequence, findings: readonly Finding[]): Map<Finding, Meant> {
  const known = new Map(Object.values(sequence.meant ?? {}).map((m) => [findingId(m), m]));
  const out = new Map<Finding, Meant>();
  for (const f of findings) {
    const m = known.get(findingId(f));
    if (m && sameFacts(m.facts, factsOf(f))) out.set(f, m);
  }
  return out;
}
