"use client";
import { Checkbox } from "antd";
import { setArriving } from "../../desk/acts/preferences";
import { ARRIVING_DEFAULT } from "../../desk/remembered/arrivingStore";
import { TimeField } from "../common/TimeField";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { EaseEditor } from "./EaseEditor";

/** How what is kept next arrives: its lead, or from the arrival before, and its ease. Each sequence has its own. */
export function ArrivingFields() {
  const desk = useDesk();
  const { lead, ease } = useDeskState((s) => s.arriving);
  const { rate } = useSequence();
  return (
    <>
      <div className="form">
        <span>Lead</span>
        <TimeField
          ariaLabel="Lead"
          disabled={lead === "previous"}
          ticks={lead === "previous" ? 0 : lead}
          rate={rate}
          onTake={(t) => setArriving(desk, { lead: t })}
        />
        <span />
        <Checkbox
          checked={lead === "previous"}
          onChange={(e) => setArriving(desk, { lead: e.target.checked ? "previous" : ARRIVING_DEFAULT.lead })}
        >
          from the one before
        </Checkbox>
      </div>
      <EaseEditor ease={ease} onChange={(e) => setArriving(desk, { ease: e })} />
    </>
  );
}
