import type { Preparation } from "../../core/document/preparation";
import type { MadeMove, Repeat } from "../../core/document/sequence";
import type { SettingField } from "../../core/moves/kind";
import { moveKindOf } from "../../core/moves/kinds";
import type { FrameRate } from "../../core/time/time";
import { parseTime } from "../../core/time/time";
import type { LengthUnit } from "../../core/units/units";
import { parseOften } from "../typing/often";
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

/** What was typed to find a move: words of its name, and after them its value, its time and how it goes on. */
export interface Phrase {
  words: string[];
  /** As typed, or empty. */
  value: string;
  time: string;
  /** Whether it runs back each time. */
  back: boolean;
  /** "3 times", "until 12 s", "for good" as typed, or empty. */
  often: string;
  steady: boolean;
}

/** Where a phrase goes on: its time, its way back, how often, its ease. */
const CLAUSE = /\b(?=in\s+[.\d]|and back\b|for (?:good|ever)\b|until\s|steady\b|\d+\s*times\b)/i;

/**
 * Reads "turn 1/4 turn and back in 2 s, 3 times, steady": the name goes up to the first word that begins with a digit
 * or sign, or to the first clause.
 */
export function readPhrase(text: string): Phrase {
  const [head = "", ...clauses] = text
    .trim()
    .replace(/,(?=\s)/g, " ")
    .split(CLAUSE);
  const tokens = head.trim().split(/\s+/).filter(Boolean);
  let name = 0;
  while (name < tokens.length && !/^[-+]?[.\d]/.test(tokens[name] as string)) name++;
  const out: Phrase = {
    words: tokens.slice(0, name).map((w) => w.toLowerCase()),
    value: tokens.slice(name).join(" "),
    ...{ time: "", back: false, often: "", steady: false },
  };
  for (const clause of clauses.map((c) => c.trim())) {
    if (/^in\s/i.test(clause)) out.time = clause.slice(2).trim();
    else if (/^and back/i.test(clause)) out.back = true;
    else if (/^steady/i.test(clause)) out.steady = true;
    else out.often = clause;
  }
  return out;
}

/** How a move repeats as a phrase says, once its length is known. @returns null where it does not */
export function phraseRepeat(
  phrase: Phrase,
  length: number,
  start: number,
  rate: FrameRate,
): { repeat: Repeat | null } | { error: string } {
  if (!phrase.often && !phrase.back) return { repeat: null };
  const often = phrase.often ? parseOften(phrase.often, rate) : { times: 1 };
  if ("error" in often) return often;
  if (!(length > 0)) return { error: "A move that takes no time cannot be done again." };
  const each = length * (phrase.back ? 2 : 1);
  const rounds = "times" in often ? often.times : Math.max(1, Math.floor((often.until - start) / each + 1e-9));
  // There and back are two cycles of one.
  const times = rounds === null ? null : rounds * (phrase.back ? 2 : 1);
  return { repeat: times === 1 ? null : { times, period: null, way: phrase.back ? "swing" : "same" } };
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
