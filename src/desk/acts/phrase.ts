import type { Preparation } from "../../core/document/preparation";
import type { MadeMove } from "../../core/document/sequence";
import type { SettingField } from "../../core/moves/kind";
import { moveKindOf } from "../../core/moves/kinds";
import type { FrameRate } from "../../core/time/time";
import { parseTime } from "../../core/time/time";
import type { LengthUnit } from "../../core/units/units";
import { parsed, readingKind, type ValueKind } from "../typing/valueFields";

const KIND: Partial<Record<SettingField["type"], ValueKind>> = {
  mm: "length",
  degrees: "angle",
  share: "share",
  number: "plain",
  count: "plain",
  turns: "plain",
};

/** How a setting's number is read and shown; null for settings that are no numbers. */
export function valueKindOf(field: SettingField, move: MadeMove, preparation: Preparation): ValueKind | null {
  if (field.type !== "reading") return KIND[field.type] ?? null;
  const [id] = (move.settings as { joints?: string[] }).joints ?? [];
  const joint = preparation.joints[id ?? ""];
  return joint ? readingKind(joint) : "plain";
}

/** What was typed to find a move: words of its name, and after them its value and its time. */
export interface Phrase {
  words: string[];
  /** As typed, or empty. */
  value: string;
  time: string;
}

/** Reads "turn 1/4 turn in 2 s": the name goes up to the first word that begins with a digit or sign, or to "in". */
export function readPhrase(text: string): Phrase {
  const tokens = text.trim().split(/\s+/).filter(Boolean);
  const isTime = (i: number) => tokens[i]?.toLowerCase() === "in" && /^\d|^\./.test(tokens[i + 1] ?? "");
  let name = 0;
  while (name < tokens.length && !/^[-+]?[.\d]/.test(tokens[name] as string) && !isTime(name)) name++;
  let value = name;
  while (value < tokens.length && !isTime(value)) value++;
  return {
    words: tokens.slice(0, name).map((w) => w.toLowerCase()),
    value: tokens.slice(name, value).join(" "),
    time: tokens.slice(value + 1).join(" "),
  };
}

/**
 * The change that a phrase asks of a move: its main setting, the first that is a number, and its length.
 * @returns the settings and length, or what is wrong, in words
 */
export function phraseChange(
  phrase: Phrase,
  move: MadeMove,
  preparation: Preparation,
  rate: FrameRate,
  unit: LengthUnit,
): { settings: Record<string, number>; length?: number } | { error: string } {
  const out: { settings: Record<string, number>; length?: number } = { settings: {} };
  const kind = moveKindOf(move.kind);
  if (phrase.value) {
    const field = kind.fields.find(
      (f) =>
        valueKindOf(f, move, preparation) &&
        f.empty === undefined &&
        (!f.when || f.when(move.settings as Record<string, unknown>)),
    );
    if (!field) return { error: `"${kind.title}" has no value to set; leave out "${phrase.value}".` };
    const read = parsed(phrase.value, valueKindOf(field, move, preparation) as ValueKind, unit);
    if ("error" in read) return { error: `${field.label}: ${read.error}` };
    out.settings[field.name] = read.value;
  }
  if (phrase.time) {
    const read = parseTime(phrase.time, rate);
    if ("error" in read) return { error: read.error };
    if (read.ticks < 0) return { error: "A move cannot take less than no time." };
    out.length = read.ticks;
  }
  return out;
}
