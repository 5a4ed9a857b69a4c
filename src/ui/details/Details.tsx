"use client";
import { useDeskState } from "../desk/context";
import { LookPanel } from "../look/LookPanel";
import { ArrivalDetails } from "./ArrivalDetails";
import { PartDetails } from "./PartDetails";
import { PendingBar } from "./PendingBar";
import { StepDetails } from "./StepDetails";

/** The details of what is selected: a step, parts, an arrival, or the look of it all. */
export function Details() {
  const focus = useDeskState((s) => s.focus);
  const any = useDeskState((s) => s.selection.length > 0 || s.group !== null);
  return (
    <section className="panel details" aria-label="Details">
      <PendingBar />
      <div className="panel-body pad">
        {focus.kind === "step" && <StepDetails key={focus.id} id={focus.id} />}
        {focus.kind === "parts" && any && <PartDetails />}
        {focus.kind === "key" && <ArrivalDetails key={focus.ref.key} at={focus.ref} />}
        {focus.kind === "look" && <LookPanel />}
      </div>
    </section>
  );
}
