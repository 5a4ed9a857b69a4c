"use client";
import { Button, Tooltip } from "antd";
import { Crosshair } from "lucide-react";
import { formatNumber } from "../../core/units/units";
import { Field } from "../common/Field";

/** Reads a typed direction: three numbers, or an axis such as "x" or "-z". */
export function parseDirection(text: string): { value: [number, number, number] } | { error: string } {
  const axis = /^\s*([+-]?)\s*([xyz])\s*$/i.exec(text);
  if (axis) {
    const v = ["x", "y", "z"].map((a) => (a === axis[2]?.toLowerCase() ? (axis[1] === "-" ? -1 : 1) : 0)) as [number, number, number];
    return { value: v };
  }
  const parts = text.trim().split(/[\s;]+/);
  const numbers = parts.map((p) => Number(p.replace(",", ".")));
  if (parts.length !== 3 || numbers.some((n) => !Number.isFinite(n))) return { error: "Three numbers such as 0 0 1, or an axis such as x or -z." };
  const length = Math.hypot(...numbers);
  if (length < 1e-9) return { error: "A direction of length 0 points nowhere." };
  return { value: numbers.map((n) => n / length) as [number, number, number] };
}

/** A direction: typed, or picked on the model. */
export function DirectionField({
  ariaLabel,
  value,
  onTake,
  onPick,
}: {
  ariaLabel: string;
  value: readonly number[];
  onTake: (v: [number, number, number]) => void;
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
        <Button size="small" aria-label={`Pick ${ariaLabel.toLowerCase()}`} icon={<Crosshair size={13} />} onClick={onPick} />
      </Tooltip>
    </div>
  );
}
