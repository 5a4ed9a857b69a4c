import type { Joint } from "../../core/document/preparation";
import { turns } from "../../core/kinematics/jointKinds";
import { formatNumber, type LengthUnit, MM_PER_UNIT, parseAngle, parseLength } from "../../core/units/units";

export type ValueKind = "length" | "angle" | "share" | "plain";

/** What kind of number a joint's reading is. */
export const readingKind = (joint: Pick<Joint, "kind">): ValueKind => (turns(joint) ? "angle" : "length");

/** A value as it is shown: in the display unit, without the unit's name. */
export function shown(value: number, kind: ValueKind, unit: LengthUnit, decimals = 3): string {
  return formatNumber(kind === "length" ? value / MM_PER_UNIT[unit] : value, decimals);
}

export const suffixOf = (kind: ValueKind, unit: LengthUnit): string =>
  kind === "length" ? unit : kind === "angle" ? "°" : "";

/** Reads a typed value of a kind. */
export function parsed(text: string, kind: ValueKind, unit: LengthUnit): { value: number } | { error: string } {
  if (kind === "length") return parseLength(text, unit);
  if (kind === "angle") return parseAngle(text);
  if (kind === "plain") {
    const value = Number(text.trim().replace(",", "."));
    return text.trim() !== "" && Number.isFinite(value) && Math.abs(value) <= 1e7
      ? { value }
      : { error: `"${text.slice(0, 40)}" is not a number. Type one such as 12 or 0.5.` };
  }
  const value = text.trim().endsWith("%") ? Number(text.replace("%", "")) / 100 : Number(text.replace(",", "."));
  return text.trim() !== "" && Number.isFinite(value) && value >= 0 && value <= 1
    ? { value }
    : { error: "Between 0 and 1, or 0 % and 100 %." };
}
