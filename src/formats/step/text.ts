import type { SolidFormat } from "../../core/assembly/sourceFormats";
import { ImportError } from "../importError";

/**
 * Checks head and tail of a STEP file before the kernel sees it, so that the message can be exact. @throws
 * ImportError
 */
export function checkStepText(bytes: Uint8Array, name?: string): void {
  const the = name ? `"${name}"` : "The file";
  if (bytes.length === 0)
    throw new ImportError("empty", `${the} is empty (0 bytes). Export it again from the CAD system.`);
  const decoder = new TextDecoder("latin1");
  const head = decoder.decode(bytes.subarray(0, 4096));
  if (!/^\s*(\/\*[\s\S]*?\*\/\s*)*ISO-10303-21\s*;/.test(head.replace(/^\u00ef\u00bb\u00bf/, ""))) {
    throw new ImportError(
      "not-step",
      `${name ? `"${name}"` : "This"} is not a STEP file: it does not begin with "ISO-10303-21;". Check that the right file was exported, not just renamed.`,
    );
  }
  const tail = decoder.decode(bytes.subarray(Math.max(0, bytes.length - 4096)));
  if (!/END-ISO-10303-21\s*;/.test(tail)) {
    throw new ImportError(
      "truncated",
      `${name ? `"${name}"` : "The STEP file"} ends too early: its closing "END-ISO-10303-21;" is missing. It was probably cut off while being copied; export or copy it again.`,
    );
  }
}

/** The unit of length that a file says it is written in, for showing; the kernel converts to mm. */
export function unitOf(format: SolidFormat, bytes: Uint8Array): string {
  if (format === "step") return stepUnit(bytes);
  return format === "iges" ? igesUnit(bytes) : "mm";
}

/** Units by their number in the global section of IGES. */
const IGES_UNITS: Readonly<Record<string, string>> = {
  1: "in",
  2: "mm",
  4: "ft",
  6: "m",
  7: "km",
  9: "µm",
  10: "cm",
};

/** The unit that an IGES file says it is written in: the 14th value of its global section. */
function igesUnit(bytes: Uint8Array): string {
  const lines = new TextDecoder("latin1").decode(bytes.subarray(0, 65_536)).split(/\r?\n/);
  const text = lines
    .filter((l) => l[72] === "G")
    .map((l) => l.slice(0, 72))
    .join("");
  const values: string[] = [];
  let separator = ",";
  const nextOf = (from: number): number => {
    const ends = [separator, ";"].map((s) => text.indexOf(s, from)).filter((i) => i >= 0);
    return ends.length > 0 ? Math.min(...ends) : -1;
  };
  for (let at = 0; at < text.length && values.length < 15; ) {
    // Texts are told with their length: 4Hname.
    const counted = /^\s*(\d+)H/.exec(text.slice(at, at + 12));
    const begin = counted ? at + counted[0].length : at;
    const end = counted ? begin + Number(counted[1]) : nextOf(at);
    if (end < at) break;
    const value = text.slice(begin, end).trim();
    if (values.length === 0 && value.length === 1) separator = value;
    values.push(value);
    at = end + 1;
  }
  return IGES_UNITS[values[13] ?? ""] ?? "mm";
}

/** The unit of length a STEP file says it is written in, for showing; the kernel converts to mm. */
export function stepUnit(bytes: Uint8Array): string {
  const text = new TextDecoder("latin1").decode(bytes);
  const converted = /CONVERSION_BASED_UNIT\s*\(\s*'([^']*)'[^;]*;/gi;
  for (const match of text.matchAll(converted)) {
    const name = (match[1] ?? "").toLowerCase();
    if (name.startsWith("inch") || name.startsWith("in")) return "in";
    if (name.startsWith("foot") || name.startsWith("feet")) return "ft";
    if (name.includes("metre") || name.includes("meter")) return name;
  }
  const si =
    /LENGTH_UNIT\s*\(\s*\)[^;]*SI_UNIT\s*\(\s*(\.\w+\.|\$)\s*,\s*\.METRE\.\s*\)/i.exec(text) ??
    /SI_UNIT\s*\(\s*(\.\w+\.|\$)\s*,\s*\.METRE\.\s*\)/i.exec(text);
  const prefix = (si?.[1] ?? ".MILLI.").toUpperCase();
  return (
    ({ ".MILLI.": "mm", ".CENTI.": "cm", $: "m", ".MICRO.": "µm", ".KILO.": "km" } as Record<string, string>)[prefix] ??
    "mm"
  );
}
