import type { Target } from "../document/sequence";
import type { Finding, Quantity } from "../proof/check";
import { formatNumber } from "../units/units";

/** A quantity as it is read: 3.4 s, 20°, -5 mm. */
const said = (q: Quantity | undefined): string => {
  if (!q) return "?";
  const unit = q.unit.startsWith("°") || q.unit === "" ? q.unit : ` ${q.unit}`;
  return `${formatNumber(q.value, 3)}${unit}`;
};

/** What each check says, by which of its sentences it is. `name` is what is concerned, with its channel. */
const SENTENCES: Readonly<Record<string, (n: Finding["numbers"], name: string) => string>> = {
  "seam jumps": (n, name) =>
    `${name} jumps at every round: it ends at ${said(n.ends)} and begins at ${said(n.begins)}.`,
  "seam jerks": (n, name) =>
    `${name} jerks at every round: it arrives with ${said(n.arrives)} and sets off with ${said(n.leaves)}.`,
  "seam stops": (_, name) => `${name} stops after its last arrival while the rest of it goes on.`,
  "spins-back back": (n, name) =>
    `${name} spins back from ${said(n.from)} to ${said(n.to)}; going on, the same direction is ${said(
      n.to && n.whole ? { value: n.to.value + n.whole.value, unit: "°" } : undefined,
    )}.`,
  "spins-back undone": (n, name) =>
    `${name} turns back from ${said(n.from)} to ${said(n.to)}: whole turns are undone, and it ends as it began.`,
  "reading short": (n) =>
    `The caption of ${said(n.words)} words is there for ${said(n.shown)}; reading it takes ${said(n.needed)}.`,
};

/** Every sentence there is, by check and what; for the test that none is missing. */
export const FINDING_SENTENCES = Object.keys(SENTENCES);

/** A finding in one sentence. @param nameOf the name of what can be moved @param channelName of a channel */
export function findingText(
  finding: Finding,
  nameOf: (target: Target) => string,
  channelName: (channel: string) => string = (c) => c,
): string {
  const names = finding.targets.map(nameOf).join(", ");
  const name = finding.channel === undefined ? names : `${names} (${channelName(finding.channel)})`;
  return SENTENCES[`${finding.check} ${finding.what}`]?.(finding.numbers, name) ?? finding.check;
}
