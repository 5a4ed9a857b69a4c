"use client";
import { Button, Tooltip } from "antd";
import { formatSecondsShort } from "../../core/time/time";
import { keepPending } from "../../desk/acts/keeping";
import { bringHere, dropPending, isHere } from "../../desk/acts/pending";
import { targetName } from "../../desk/names";
import { TimeField } from "../common/TimeField";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { EaseEditor } from "./EaseEditor";

/** What waits to be kept, and how it will arrive. Shown while anything is pending. */
export function PendingBar() {
  const desk = useDesk();
  const pending = useDeskState((s) => s.pending);
  const lead = useDeskState((s) => s.leadTicks);
  const ease = useDeskState((s) => s.ease);
  const sequence = useSequence();
  useDeskState((s) => s.ticks);
  const list = Object.values(pending);
  if (list.length === 0) return null;
  const first = list[0] as (typeof list)[number];
  const here = list.every((p) => isHere(desk, p));
  const step = desk.stepAtPlayhead(first.at);
  return (
    <section className="pending-bar" aria-label="Pending pose">
      <div className="pending-title">Pending: {list.map((p) => targetName(desk, p.target)).join(", ")}</div>
      <div className="soft number">
        {step ? `${formatSecondsShort(first.at - step.start)} s into "${sequence.steps[step.id]?.title}"` : ""} ·
        sequence {formatSecondsShort(first.at)} s
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
      <div className="form">
        <span>Lead</span>
        <TimeField ariaLabel="Lead" ticks={lead} rate={sequence.rate} onTake={(t) => desk.set({ leadTicks: t })} />
      </div>
      <EaseEditor ease={ease} onChange={(e) => desk.set({ ease: e })} />
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
