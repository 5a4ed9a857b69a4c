"use client";
import { useDeskState } from "../desk/context";
import { ArrivalDetails } from "./ArrivalDetails";
import { PartDetails } from "./PartDetails";
import { PendingBar } from "./PendingBar";
import { StepDetails } from "./StepDetails";

/** The details of what is selected: a step, a part, an arrival or the camera. */
export function Details() {
  const focus = useDeskState((s) => s.focus);
  const selection = useDeskState((s) => s.selection);
  return (
    <section className="panel details" aria-label="Details">
      <PendingBar />
      <div className="panel-body pad">
        {focus.kind === "step" && <StepDetails key={focus.id} id={focus.id} />}
        {focus.kind === "parts" && selection.length > 0 && <PartDetails nodes={selection} />}
        {focus.kind === "key" && <ArrivalDetails key={focus.ref.key} at={focus.ref} />}
      </div>
    </section>
  );
}
