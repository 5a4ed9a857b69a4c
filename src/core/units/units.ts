/** Display units. Documents always hold millimetres and degrees. */
export type LengthUnit = "mm" | "cm" | "m" | "in";

export const MM_PER_UNIT: Readonly<Record<LengthUnit, number>> = { mm: 1, cm: 10, m: 1000, in: 25.4 };

const UNIT_WORDS: Readonly<Record<string, LengthUnit>> = {
  mm: "mm",
  cm: "cm",
  m: "m",
  in: "in",
  inch: "in",
  inches: "in",
  '"': "in",
};

type Parsed = { value: number } | { error: string };

const NUMBER = String.raw`[+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?`;

function readNumber(text: string): number | null {
  const clean = text.replace(",", ".").trim();
  const fraction = new RegExp(`^(${NUMBER})\\s*/\\s*(${NUMBER})$`, "i").exec(clean);
  if (fraction) {
    const value = Number(fraction[1]) / Number(fraction[2]);
    return Number.isFinite(value) ? value : null;
  }
  return new RegExp(`^${NUMBER}$`, "i").test(clean) ? Number(clean) : null;
}

/**
 * Reads a typed length in the display unit unless it carries its own ("64", "64 mm", "2.5in").
 * @returns millimetres, at most 1e7 either way, or an error text.
 */
export function parseLength(text: string, unit: LengthUnit): Parsed {
  const match = /^(.*?)\s*(mm|cm|m|inches|inch|in|")?$/i.exec(text.trim());
  const number = match ? readNumber(match[1] ?? "") : null;
  if (number === null) return { error: `"${text.slice(0, 40)}" is not a length. Type a number such as 64 or 2.5in.` };
  const word = match?.[2]?.toLowerCase();
  const value = number * MM_PER_UNIT[word ? (UNIT_WORDS[word] as LengthUnit) : unit];
  if (Math.abs(value) > 1e7) return { error: "A length may be at most 10 km." };
  return { value };
}

/** Reads a typed angle: "35", "35 deg", "35°", "1/4 turn", "-1.5 turns". @returns degrees or an error text. */
export function parseAngle(text: string): Parsed {
  const match = /^(.*?)\s*(°|deg|degrees?|turns?)?$/i.exec(text.trim());
  const number = match ? readNumber(match[1] ?? "") : null;
  if (number === null)
    return { error: `"${text.slice(0, 40)}" is not an angle. Type degrees (35) or turns (1/4 turn).` };
  const value = match?.[2]?.toLowerCase().startsWith("turn") ? number * 360 : number;
  if (Math.abs(value) > 3.6e6) return { error: "An angle may be at most 10,000 turns." };
  return { value };
}

/** Rounds for showing, without "-0" and trailing zeros. */
export function formatNumber(value: number, decimals = 3): string {
  const text = String(Number(value.toFixed(decimals)));
  return text === "-0" ? "0" : text;
}

/** A length in the display unit, with the unit. */
export function formatLength(mm: number, unit: LengthUnit, decimals = 3): string {
  return `${formatNumber(mm / MM_PER_UNIT[unit], decimals)} ${unit}`;
}
