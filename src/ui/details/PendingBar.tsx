"use client";
import { Button, Tooltip } from "antd";
import { formatSecondsShort } from "../../core/time/time";
import { keepPending } from "../../desk/acts/keeping";
import { bringHere, dropPending, isHere } from "../../desk/acts/pending";
import { targetName } from "../../desk/names";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { ArrivingFields } from "./ArrivingFields";

/** What waits to be kept, and how it will arrive. Shown while anything is pending. */
export function PendingBar() {
  const desk = useDesk();
  const pending = useDeskState((s) => s.pending);
  const sequence = useSequence();
  useDeskState((s) => s.ticks);
  const list = Object.values(pending);
  if (list.length === 0) return null;
  const first = list[0] as (typeof list)[number];
  const here = list.every((p) => isHere(desk, p));
  const step = desk.stepAtPlayhead(first.at);
  const times = new Set(list.map((p) => p.at)).size;
  return (
    <section className="pending-bar" aria-label="Pending pose">
      <div className="pending-title">
        Pending: {[...new Set(list.map((p) => targetName(desk, p.target)))].join(", ")}
      </div>
      <div className="soft ellipsis">
        {times > 1 ? `at ${times} times, the first ` : ""}
        <span className="nowrap">{formatSecondsShort(first.at - (step?.start ?? 0))} s</span> into{" "}
        {step ? `"${sequence.steps[step.id]?.title}"` : "the sequence"}
      </div>
      {!here && (
        <div className="row">
          <Button size="small" onClick={() => desk.seek(first.at)}>
            Go to it
          </Button>
          <Button size="small" onClick={() => bringHere(desk)}>
            Bring it here
          </Button>
        </div>
      )}
      <ArrivingFields />
      <div className="row">
        <Tooltip title="Keep as an arrival (Ctrl+Enter)">
          <Button size="small" type="primary" onClick={() => keepPending(desk)}>
            Keep pose
          </Button>
        </Tooltip>
        <Tooltip title="Back to how it was (Ctrl+Backspace)">
          <Button size="small" onClick={() => dropPending(desk)}>
            Drop
          </Button>
        </Tooltip>
      </div>
    </section>
  );
}
