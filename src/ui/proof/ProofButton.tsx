"use client";
import { Badge } from "antd";
import { ListChecks } from "lucide-react";
import { openFindings, toggleProof } from "../../desk/acts/proofing";
import { Toggle } from "../common/Toggle";
import { useDesk, useDeskState, useSequence } from "../desk/context";

/** Opens the list of findings; says how many are open. */
export function ProofButton() {
  const desk = useDesk();
  const open = useDeskState((s) => s.proofing.open);
  const proof = useDeskState((s) => s.proof);
  const looking = useDeskState((s) => s.proofShare !== null);
  useSequence();
  const { wrong, look } = openFindings(desk);
  const count = wrong + look;
  const said = proof
    ? count === 0
      ? "Nothing found"
      : `${count} open finding${count === 1 ? "" : "s"}${wrong > 0 ? `, ${wrong} of them wrong` : ""}`
    : looking
      ? "Looking"
      : "What would embarrass us in the review";
  return (
    <Toggle on={open} title={`${said} (Alt+P)`} icon={<ListChecks size={15} />} onClick={() => toggleProof(desk)}>
      Proof
      {proof && (
        <Badge
          className={`proof-count ${wrong > 0 ? "wrong" : ""}`}
          count={count}
          showZero
          overflowCount={999}
          size="small"
        />
      )}
    </Toggle>
  );
}
