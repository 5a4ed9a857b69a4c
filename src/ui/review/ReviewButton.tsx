"use client";
import { Badge } from "antd";
import { MessagesSquare } from "lucide-react";
import { toggleReview } from "../../desk/acts/reviewing";
import { Toggle } from "../common/Toggle";
import { useDesk, useDeskState } from "../desk/context";

/** Opens what is said about the sequence; says how much of it is open. */
export function ReviewButton() {
  const desk = useDesk();
  const open = useDeskState((s) => s.reviewing.open);
  const round = useDeskState((s) => s.reviewing.round);
  const count = round?.comments.filter((c) => c.to === null && !c.settled && !c.takenBack).length ?? 0;
  const said = round
    ? `Round ${round.number}: ${count === 0 ? "no open comments" : `${count} open comment${count === 1 ? "" : "s"}`}`
    : "Send it to those who must judge it";
  return (
    <Toggle on={open} title={`${said} (Alt+R)`} icon={<MessagesSquare size={15} />} onClick={() => toggleReview(desk)}>
      Review
      {count > 0 && <Badge className="proof-count" count={count} overflowCount={999} size="small" />}
    </Toggle>
  );
}
