"use client";
import { CameraPanel } from "../camera/CameraPanel";
import { PointDetails } from "../curves/PointDetails";
import { useDeskState } from "../desk/context";
import { LookPanel } from "../look/LookPanel";
import { MoveDetails } from "../moves/MoveDetails";
import { ProofPanel } from "../proof/ProofPanel";
import { ReviewPanel } from "../review/ReviewPanel";
import { RecordingBar } from "../sound/RecordingBar";
import { SoundDetails } from "../sound/SoundDetails";
import { ArrivalDetails } from "./ArrivalDetails";
import { PartDetails } from "./PartDetails";
import { PendingBar } from "./PendingBar";
import { StepDetails } from "./StepDetails";
import { TimingDetails } from "./TimingDetails";

/** The details of what is selected: a step, parts, an arrival, or the look of it all. */
export function Details() {
  const focus = useDeskState((s) => s.focus);
  const draft = useDeskState((s) => s.draft);
  const any = useDeskState((s) => s.selection.length > 0 || s.group !== null);
  const proofing = useDeskState((s) => s.proofing.open);
  const reviewing = useDeskState((s) => s.reviewing.open);
  if (proofing)
    return (
      <section className="panel details" aria-label="Proof">
        <ProofPanel />
      </section>
    );
  if (reviewing)
    return (
      <section className="panel details" aria-label="Review">
        <ReviewPanel />
      </section>
    );
  return (
    <section className="panel details" aria-label="Details">
      <PendingBar />
      <RecordingBar />
      <div className="panel-body pad scrolling">
        {draft && <MoveDetails key={draft.move.id} at={null} />}
        {!draft && focus.kind === "move" && <MoveDetails key={focus.ref.move} at={focus.ref} />}
        {!draft && focus.kind === "step" && <StepDetails key={focus.id} id={focus.id} />}
        {!draft && focus.kind === "parts" && any && <PartDetails />}
        {!draft && focus.kind === "key" && <ArrivalDetails key={focus.ref.key} at={focus.ref} />}
        {!draft && focus.kind === "look" && <LookPanel />}
        {!draft && focus.kind === "sound" && <SoundDetails key={focus.id} id={focus.id} />}
        {!draft && focus.kind === "camera" && <CameraPanel />}
        {!draft && focus.kind === "timing" && <TimingDetails />}
        {!draft && focus.kind === "curve" && <PointDetails />}
      </div>
    </section>
  );
}
