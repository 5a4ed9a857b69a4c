"use client";
import { Button, Tooltip } from "antd";
import { Crosshair } from "lucide-react";
import type { Triple } from "../../core/math/triple";
import { formatNumber } from "../../core/units/units";
import { parseDirection } from "../../desk/typing/parseDirection";
import { Field } from "../common/Field";

/** A direction: typed, or picked on the model. */
export function DirectionField({
  ariaLabel,
  value,
  onTake,
  onPick,
}: {
  ariaLabel: string;
  value: readonly number[];
  onTake: (v: Triple) => void;
  onPick: () => void;
}) {
  return (
    <div className="slider-row">
      <Field
        ariaLabel={ariaLabel}
        value={value.map((v) => formatNumber(v, 4)).join(" ")}
        parse={(text) => {
          const p = parseDirection(text);
          if ("error" in p) return p;
          onTake(p.value);
          return null;
        }}
      />
      <Tooltip title="Point at a hole, shaft, edge or face">
        <Button
          size="small"
          aria-label={`Pick ${ariaLabel.toLowerCase()}`}
          icon={<Crosshair size={13} />}
          onClick={onPick}
        />
      </Tooltip>
    </div>
  );
}
