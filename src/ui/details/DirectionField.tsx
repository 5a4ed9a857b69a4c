"use client";
import { Button, Tooltip } from "antd";
import { Crosshair } from "lucide-react";
import type { Triple } from "../../core/math/triple";
import { type DirectionFrame, directionInWords } from "../../core/text/directions";
import { parseDirection } from "../../desk/typing/parseDirection";
import { Field } from "../common/Field";
import { useDesk } from "../desk/context";

const WHOSE: Readonly<Record<DirectionFrame, string>> = {
  assembly: "In the assembly's axes: up, front, -x or three numbers",
  part: "In the part's own axes, which go along with it: x, -z or three numbers",
};

/** A direction: typed, or picked on the model; an axis is said in words, and whose axes they are. */
export function DirectionField({
  ariaLabel,
  value,
  frame,
  onTake,
  onPick,
}: {
  ariaLabel: string;
  /** Nothing yet: null. */
  value: readonly number[] | null;
  frame: DirectionFrame;
  onTake: (v: Triple) => void;
  onPick?: () => void;
}) {
  const { up } = useDesk().index.assembly;
  return (
    <div className="slider-row">
      <Tooltip title={WHOSE[frame]} placement="topLeft" mouseEnterDelay={0.5}>
        <span className="grow">
          <Field
            ariaLabel={ariaLabel}
            value={value ? directionInWords(value, frame, up) : ""}
            parse={(text) => {
              const p = parseDirection(text, up);
              if ("error" in p) return p;
              onTake(p.value);
              return null;
            }}
          />
        </span>
      </Tooltip>
      {onPick && (
        <Tooltip title="Point at a hole, shaft, edge or face">
          <Button
            size="small"
            aria-label={`Pick ${ariaLabel.toLowerCase()}`}
            icon={<Crosshair size={13} />}
            onClick={onPick}
          />
        </Tooltip>
      )}
    </div>
  );
}
