"use client";
import { Alert, Button } from "antd";
import { openFindings, openProof } from "../../desk/acts/proofing";
import { useDesk, useDeskState } from "../desk/context";

/** Before publishing: how many findings are open, and the way to look at them. It forbids nothing. */
export function ProofHint() {
  const desk = useDesk();
  const proof = useDeskState((s) => s.proof);
  const { wrong, look } = openFindings(desk);
  const count = wrong + look;
  if (proof && count === 0) return null;
  return (
    <Alert
      className="publish-proof"
      type={wrong > 0 ? "warning" : "info"}
      showIcon
      title={
        proof
          ? `The proof has ${count} open finding${count === 1 ? "" : "s"}${wrong > 0 ? `, ${wrong} of them wrong` : ""}.`
          : "The sequence has not been proofed."
      }
      action={
        <Button
          size="small"
          onClick={() => {
            desk.set({ dialog: null });
            openProof(desk);
          }}
        >
          Look first
        </Button>
      }
    />
  );
}
