"use client";
import { Button, Checkbox } from "antd";
import { useState } from "react";
import type { Ease } from "../../core/ease/ease";
import { setArriving } from "../../desk/acts/preferences";
import { ARRIVING_DEFAULT } from "../../desk/remembered/arrivingStore";
import { TimeField } from "../common/TimeField";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { EaseEditor, EasePresets } from "./EaseEditor";

/** How what is kept next arrives: its lead, or from the arrival before, and its ease. Each sequence has its own. */
export function ArrivingFields() {
  const desk = useDesk();
  const { lead, ease } = useDeskState((s) => s.arriving);
  const { rate } = useSequence();
  const [open, setOpen] = useState(false);
  const change = (e: Ease) => setArriving(desk, { ease: e });
  return (
    <>
      <div className="form">
        <span>Lead</span>
        <TimeField
          ariaLabel="Lead"
          disabled={lead === "previous"}
          ticks={lead === "previous" ? 0 : lead}
          {...(lead === "previous" ? { label: "as long as it takes" } : {})}
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
      <div className="row tight">
        <div className="grow">
          <EasePresets ease={ease} onChange={change} />
        </div>
        <Button size="small" type="text" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Less" : "Own"}
        </Button>
      </div>
      {open && <EaseEditor ease={ease} onChange={change} />}
    </>
  );
}
