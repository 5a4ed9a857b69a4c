"use client";
import { Button, Tooltip } from "antd";
import { setHome } from "../../core/edit/preparationCommands";
import { formatLength } from "../../core/units/units";
import { homeShift, makeHome } from "../../desk/acts/homing";
import { pendingHere } from "../../desk/acts/pending";
import { targetName } from "../../desk/names";
import { useDesk, useDeskState } from "../desk/context";

/** Where a part belongs: as CAD has it, or moved, with everything it does. */
export function HomeEditor({ target }: { target: { type: "node"; key: string } }) {
  const desk = useDesk();
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  useDeskState((s) => s.pending);
  useDeskState((s) => s.ticks);
  const shift = homeShift(desk, target.key);
  return (
    <>
      <p className="soft">
        {shift
          ? `Moved by ${shift.map((v) => formatLength(v, unit, 2)).join(", ")} from where CAD has it.`
          : "Where CAD has it."}
      </p>
      <div className="row wrap">
        <Tooltip title="Everything it does moves by the same offset. Dragging alone never does that.">
          <Button
            size="small"
            disabled={pendingHere(desk, target) === undefined}
            onClick={() => makeHome(desk, target.key)}
          >
            Make the pending pose its home
          </Button>
        </Tooltip>
        {shift && (
          <Button
            size="small"
            onClick={() => desk.prepare(`Home of ${targetName(desk, target)} as in CAD`, setHome(target.key, null))}
          >
            Back to the CAD home
          </Button>
        )}
      </div>
    </>
  );
}
