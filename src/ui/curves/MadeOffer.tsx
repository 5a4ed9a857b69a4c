"use client";
import { Button } from "antd";
import { keyByHand } from "../../desk/acts/moveActions";
import { selectTimed } from "../../desk/acts/timingActions";
import { useDesk } from "../desk/context";

/** A ready-made move's curve was taken hold of: what that means first, the other beside it. */
export function MadeOffer({
  x,
  y,
  step,
  move,
  means,
  close,
}: {
  x: number;
  y: number;
  step: string;
  move: string;
  means: "keys" | "ease";
  close: () => void;
}) {
  const desk = useDesk();
  const found = desk.sequence.steps[step]?.moves[move];
  if (!found) return null;
  const ease = (
    <Button
      key="ease"
      size="small"
      type={means === "ease" ? "primary" : "default"}
      onClick={() => {
        selectTimed(desk, [], [{ step, move }]);
        close();
      }}
    >
      Change its ease
    </Button>
  );
  const keys = (
    <Button
      key="keys"
      size="small"
      type={means === "keys" ? "primary" : "default"}
      onClick={() => {
        keyByHand(desk, { step, move });
        close();
      }}
    >
      Turn into hand keys
    </Button>
  );
  return (
    <div className="made-offer" role="dialog" aria-label={`What to do with ${found.name}`} style={{ left: x, top: y }}>
      <p className="ellipsis">"{found.name}" makes this curve.</p>
      <div className="row">
        {means === "ease" ? [ease, keys] : [keys, ease]}
        <Button size="small" type="text" onClick={close}>
          Let it be
        </Button>
      </div>
    </div>
  );
}
