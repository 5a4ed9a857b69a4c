"use client";
import { useMemo } from "react";
import { type Target, targetId } from "../../core/document/sequence";
import { formatSecondsShort } from "../../core/time/time";
import { useDesk, useDeskState } from "../desk/context";

/** Most lines that are told. */
const MOST = 40;

/** When the target is still and when it moves in the step at the playhead, in exact times. */
export function Stillness({ target }: { target: Target }) {
  const desk = useDesk();
  const step = desk.stepAtPlayhead();
  const version = useDeskState((s) => s.programVersion);
  const position = step?.position ?? -1;
  const id = targetId(target);
  const spans = useMemo(() => {
    const own = desk.program.transitions(target).filter((t) => t.step === position);
    return own.map((t): [number, number] => [t.t0, t.t1]).sort((a, b) => a[0] - b[0]);
    // The playhead only decides which step is told about.
  }, [desk, id, position, version]);
  if (!step) return null;
  const shift = step.action - step.start;
  const lines: { text: string; moving: boolean }[] = [];
  let still = 0;
  const length = step.end - step.start;
  const say = (a: number, b: number) => `${formatSecondsShort(a)}–${formatSecondsShort(b)} s`;
  for (let i = 0; i < spans.length; ) {
    let [a, b] = spans[i] as [number, number];
    for (i++; i < spans.length && (spans[i] as [number, number])[0] <= b; i++)
      b = Math.max(b, (spans[i] as [number, number])[1]);
    a += shift;
    b += shift;
    if (a > still) lines.push({ text: `Still ${say(still, a)}, deviation nil`, moving: false });
    lines.push({ text: a === b ? `Snaps at ${formatSecondsShort(b)} s` : `Moves ${say(a, b)}`, moving: true });
    still = b;
  }
  if (still < length) lines.push({ text: `Still ${say(still, length)}, deviation nil`, moving: false });
  return (
    <ul className="plain number stillness" data-testid="stillness">
      {lines.slice(0, MOST).map((l) => (
        <li key={l.text} className={l.moving ? "moving" : ""}>
          {l.text}
        </li>
      ))}
      {lines.length > MOST && <li className="soft">and {lines.length - MOST} more</li>}
      <li className="soft">times within the step; it starts at {formatSecondsShort(step.start)} s</li>
    </ul>
  );
}
