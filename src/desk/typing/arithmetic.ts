import { nth } from "../../core/math/packed";
import type { LengthUnit } from "../../core/units/units";
import { parsed, type ValueKind } from "./valueFields";

/**
 * Reads a typed value that may be arithmetic on what is there: "+5" and "+-5" add, "*2" and "/3" multiply and divide;
 * anything else is a value by itself, with its unit ("1/4 turn", "2.5in").
 */
export function calculated(
  text: string,
  kind: ValueKind,
  unit: LengthUnit,
  now: number,
): { value: number } | { error: string } {
  const clean = text.trim().replace(",", ".");
  const scaled = /^([*/])\s*([+-]?[\d.]+(?:\s*\/\s*[\d.]+)?)$/.exec(clean);
  if (scaled) {
    const n = fraction(scaled[2] as string);
    if (n === null || (scaled[1] === "/" && n === 0))
      return { error: "Multiply or divide by a number other than 0, such as *2 or /3." };
    return { value: scaled[1] === "*" ? now * n : now / n };
  }
  if (clean.startsWith("+")) {
    const by = parsed(clean.slice(1), kind, unit);
    return "error" in by ? by : { value: now + by.value };
  }
  return parsed(clean, kind, unit);
}

/** Values typed one after another, such as "12 5 -3" or "+5 0 1/2"; a single one is a list of one. */
export function splitValues(text: string): string[] {
  const parts = text.trim().split(/\s*;\s*|\s+(?=[+*/-]?[.\d])/);
  return parts.length > 1 && parts.every((p) => /\d/.test(p)) ? parts : [text];
}

/** A number or a fraction. */
function fraction(text: string): number | null {
  const parts = text.split("/").map((t) => (t.trim() === "" ? Number.NaN : Number(t)));
  const value = parts.length === 2 ? nth(parts, 0) / nth(parts, 1) : parts.length === 1 ? nth(parts, 0) : Number.NaN;
  return Number.isFinite(value) ? value : null;
}

/** A factor above 0: "2", "0.5", "3/4", "120 %"; null for what cannot be read. */
export function parseFactor(text: string): number | null {
  const percent = /^(.+?)\s*%$/.exec(text.trim());
  const n = fraction((percent ? (percent[1] as string) : text).trim().replace(",", "."));
  if (n === null || n <= 0) return null;
  return percent ? n / 100 : n;
}
