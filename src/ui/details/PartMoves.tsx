"use client";
import { Button } from "antd";
import type { PartTarget } from "../../core/document/parts";
import { targetId } from "../../core/document/sequence";
import { actsOn, spanOf } from "../../core/program/spans";
import { formatSecondsShort } from "../../core/time/time";
import { mark } from "../../desk/acts/moveActions";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { MoveIcon } from "../moves/MoveIcon";

/** The moves of a part in the step at the playhead: one press leads to each. */
export function PartMoves({ target }: { target: PartTarget }) {
  const desk = useDesk();
  const sequence = useSequence();
  useDeskState((s) => (s.playing ? -1 : s.ticks));
  const step = sequence.steps[desk.stepAtPlayhead()?.id ?? ""];
  const id = targetId(target);
  const moves = Object.values(step?.moves ?? {})
    .filter((m) => actsOn(m, sequence).some((t) => targetId(t) === id))
    .sort((a, b) => spanOf(a, sequence).t0 - spanOf(b, sequence).t0);
  if (!step || moves.length === 0) return null;
  return (
    <ul className="plain part-moves" aria-label="Its moves in this step">
      {moves.map((m) => {
        const { t0, t1 } = spanOf(m, sequence);
        return (
          <li key={m.id}>
            <Button
              size="small"
              type="text"
              block
              icon={<MoveIcon kind={m.kind} size={13} />}
              onClick={() => mark(desk, { step: step.id, move: m.id })}
            >
              <span className="ellipsis grow">{m.name}</span>
              <span className="number soft nowrap">{`${formatSecondsShort(t0)}–${formatSecondsShort(t1)}`}</span>
            </Button>
          </li>
        );
      })}
    </ul>
  );
}
