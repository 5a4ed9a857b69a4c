"use client";
import { ColorPicker } from "antd";

/** A colour as six hexadecimal digits, chosen from a field that opens. */
export function ColourPick({
  label,
  value,
  showText = false,
  onTake,
}: {
  label: string;
  value: string;
  showText?: boolean;
  onTake: (colour: string) => void;
}) {
  return (
    <ColorPicker
      size="small"
      value={value}
      disabledAlpha
      format="hex"
      onChangeComplete={(c) => onTake(c.toHexString().toUpperCase())}
    >
      <button type="button" className="colour-pick" aria-label={label}>
        <i style={{ background: value }} />
        {showText && <span className="number">{value}</span>}
      </button>
    </ColorPicker>
  );
}
