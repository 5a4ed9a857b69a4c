"use client";
import { Tooltip } from "antd";
import { nth } from "../../core/math/packed";
import { openSequence } from "../../desk/documents/otherSequences";
import type { Other } from "../../desk/state";
import { useDesk, useDeskState } from "./context";

/** The names of those who are at a step, each once; "" for none. */
export const namesAt = (others: readonly Other[], sequence: string, step: string): string =>
  // Asked for by every card at every change of the desk, mostly of who works alone.
  others.length === 0
    ? ""
    : [...new Set(others.filter((o) => o.sequence === sequence && o.step === step).map((o) => o.name))].join(", ");

const initials = (name: string): string =>
  name
    .split(/\s+/)
    .map((w) => [...w][0] ?? "")
    .join("")
    .slice(0, 2)
    .toUpperCase();

/** Who else has the project open; a click goes to where they are. */
export function Others() {
  const desk = useDesk();
  const others = useDeskState((s) => s.others);
  const sequences = useDeskState((s) => s.sequences);
  if (others.length === 0) return null;
  const where = (o: Other) => {
    const sequence = sequences.find((s) => s.id === o.sequence)?.body;
    const step = sequence?.steps[o.step]?.title;
    return `${o.name} is here${step ? `, at "${step}"` : ""}${sequence && o.sequence !== desk.state.sequenceId ? ` of ${sequence.name}` : ""}`;
  };
  const go = (o: Other) => {
    if (o.sequence !== desk.state.sequenceId) openSequence(desk, o.sequence);
    const at = desk.program.steps.position.get(o.step);
    if (at === undefined) return;
    desk.pause();
    desk.seek(nth(desk.program.steps.start, at));
  };
  return (
    <div className="others">
      {others.slice(0, 6).map((o) => (
        <Tooltip key={o.tab} title={where(o)}>
          <button type="button" className="other" aria-label={where(o)} onClick={() => go(o)}>
            {initials(o.name)}
          </button>
        </Tooltip>
      ))}
      {others.length > 6 && <span className="soft">+{others.length - 6}</span>}
    </div>
  );
}
