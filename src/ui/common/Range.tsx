"use client";
import type { CSSProperties } from "react";

/** A number by hand, between two ends, beside the field that it is typed in. */
export function Range({
  label,
  min,
  max,
  step,
  value,
  disabled = false,
  onChange,
  onDone,
}: {
  label: string;
  min: number;
  max: number;
  step: number;
  value: number;
  disabled?: boolean;
  /** Told all along. */
  onChange: (value: number) => void;
  /** Told when it is let go of. */
  onDone: () => void;
}) {
  // A typed value may lie beyond the ends.
  const share = Math.min(1, Math.max(0, (value - min) / (max - min)));
  return (
    <input
      type="range"
      className="range"
      aria-label={label}
      min={min}
      max={max}
      step={step}
      value={value}
      disabled={disabled}
      style={{ "--share": share } as CSSProperties}
      onChange={(e) => onChange(e.target.valueAsNumber)}
      onPointerUp={onDone}
      onPointerCancel={onDone}
      onBlur={onDone}
      onKeyUp={onDone}
    />
  );
}
