import { changeText, threadsOf } from "./reading";
import { type Comment, type Round, standings } from "./said";

/** A cell that spreadsheets take for a formula begins with one of these. */
const FORMULA = /^[=+\-@\t\r]/;

/** A cell of a CSV file (RFC 4180): quoted where it must be, never a formula. */
const cell = (text: string): string => {
  const safe = FORMULA.test(text) ? `'${text}` : text;
  return /[",\n\r]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
};

const VERDICT = { fine: "fine", change: "change this", open: "not decided" } as const;

const who = (c: Pick<Comment, "by">): string => (c.by.guest ? `${c.by.name} (guest)` : c.by.name);

/**
 * What a round brought, as CSV with a head line: for each step how it stands and what changed, then who decided what, and
 * what was said.
 * @param steps ids and titles, in order
 */
export function roundCsv(
  round: Round,
  steps: readonly { id: string; title: string; start: number }[],
  second: number,
): string {
  const { steps: stands } = standings(
    steps.map((s) => s.id),
    round.decisions,
  );
  const rows: string[][] = [["step", "title", "kind", "time (s)", "who", "when", "what", "settled by"]];
  for (const [i, step] of steps.entries()) {
    const number = String(i + 1);
    const change = changeText(round.changes?.steps.find((s) => s.step === step.id));
    rows.push([number, step.title, "state", "", "", "", VERDICT[stands.get(step.id) ?? "open"], ""]);
    if (change) rows.push([number, step.title, "change", "", "", "", change, ""]);
    for (const d of round.decisions.filter((k) => k.step === step.id))
      rows.push([number, step.title, "decision", "", who(d), d.at, VERDICT[d.verdict], ""]);
  }
  const order = steps.map((s) => s.id);
  for (const { comment, answers } of threadsOf(round.comments, order))
    for (const c of [comment, ...answers]) {
      const at = order.indexOf(c.step);
      const start = steps[at]?.start ?? 0;
      const time = ((start + c.from) / second).toFixed(2);
      const settled = c.settled ? [c.settled.by, c.settled.edit].filter(Boolean).join(": ") : "";
      const kind = c.to === null ? "comment" : "answer";
      rows.push([
        at < 0 ? "" : String(at + 1),
        steps[at]?.title ?? "gone",
        kind,
        time,
        who(c),
        c.at,
        c.takenBack ? "taken back" : c.text,
        settled,
      ]);
    }
  return `${rows.map((r) => r.map(cell).join(",")).join("\r\n")}\r\n`;
}
