"use client";
import { stepFindings } from "../../desk/acts/proofing";
import { useDesk, useDeskState } from "../desk/context";

/** On a step's card: how many of the proof's findings are open in it. */
export function FindingMark({ step }: { step: string }) {
  const desk = useDesk();
  useDeskState((s) => s.proof);
  const { wrong, look } = stepFindings(desk, step);
  const count = wrong + look;
  if (count === 0) return null;
  return (
    <span
      className={`card-findings number ${wrong > 0 ? "wrong" : ""}`}
      title={`${count} open finding${count === 1 ? "" : "s"} of the proof`}
    >
      {count}
    </span>
  );
}
