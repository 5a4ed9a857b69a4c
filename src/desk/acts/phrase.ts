import type { Preparation } from "../../core/document/preparation";
import type { MadeMove, Repeat } from "../../core/document/sequence";
import { EASE_DEFAULT, EASE_STEADY, type Ease } from "../../core/ease/ease";
import { put } from "../../core/edit/moveCommands";
import type { SettingField } from "../../core/moves/kind";
import { moveKindOf } from "../../core/moves/kinds";
import type { FrameRate } from "../../core/time/time";
import { parseTime } from "../../core/time/time";
import type { LengthUnit } from "../../core/units/units";
import { splitValues } from "../typing/arithmetic";
import { parseOften } from "../typing/often";
import { parseDirection } from "../typing/parseDirection";
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

/** What was typed to find a move: words of its name, and after them its values, its time and how it goes on. */
export interface Phrase {
  /** Up to the first number: the name, and perhaps the label of the first value. */
  words: string[];
  /** From there on, as typed, or empty. */
  value: string;
  time: string;
  /** Whether it runs back each time. */
  back: boolean;
  /** "3 times", "until 12 s", "for good" as typed, or empty. */
  often: string;
  ease: Ease | null;
}

/** Where a phrase goes on: its time, its way back, how often, its ease. */
const CLAUSE =
  /\b(?=in\s+[.\d]|and back\b|for (?:good|ever)\b|until\s|steady\b|soft(?: start| stop)?\b|\d+\s*times\b)/i;

const EASES: Readonly<Record<string, Ease>> = {
  steady: EASE_STEADY,
  soft: EASE_DEFAULT,
  "soft start": { kind: "soft", start: 0.7, stop: 0 },
  "soft stop": { kind: "soft", start: 0, stop: 0.7 },
};

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
  while (name < tokens.length && !NUMBER.test(tokens[name] as string)) name++;
  const out: Phrase = {
    words: tokens.slice(0, name).map((w) => w.toLowerCase()),
    value: tokens.slice(name).join(" "),
    ...{ time: "", back: false, often: "", ease: null },
  };
  for (const clause of clauses.map((c) => c.trim().toLowerCase().replace(/\s+/g, " "))) {
    if (/^in\s/.test(clause)) out.time = clause.slice(2).trim();
    else if (/^and back/.test(clause)) out.back = true;
    else if (/^(steady|soft)/.test(clause)) out.ease = EASES[clause] ?? EASE_STEADY;
    else out.often = clause;
  }
  return out;
}

const NUMBER = /^[-+]?[.\d]/;
/** Words that may follow a number without being the label of the next value. */
const UNIT = /^(mm|cm|m|in|inch|turns?|deg|degrees?|s|f|frames?|times)$/;

/** How many tokens from a place on are the beginning of a label, word by word; 0 for none. */
function labelled(tokens: readonly string[], at: number, label: string): number {
  const words = label.toLowerCase().split(" ");
  let n = 0;
  while (n < words.length && (words[n] as string).startsWith(tokens[at + n]?.toLowerCase() ?? "\n")) n++;
  return n;
}

/**
 * Whether words name a kind of move, perhaps followed by the label of one of its settings. @returns the words that are
 * not its name, or null
 */
export function wordsBeyond(
  words: readonly string[],
  kind: { title: string; words: readonly string[]; fields?: readonly SettingField[] },
): string[] | null {
  const named = (w: string) => [kind.title, ...kind.words].some((t) => t.toLowerCase().includes(w));
  let n = 0;
  while (n < words.length && named(words[n] as string)) n++;
  if (n === words.length) return [];
  for (; n > 0; n--) if (kind.fields?.some((f) => begins(words, n, f.label))) return words.slice(n);
  return null;
}

/** Whether words from a place on are the beginning of a label, or the whole label and a value behind it. */
function begins(words: readonly string[], at: number, label: string): boolean {
  const n = labelled(words, at, label);
  return n > 0 && (n === words.length - at || n === label.split(" ").length);
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

/** Settings that are chosen from what there is, not typed. */
const CHOSEN = new Set(["joint", "pose", "look", "camera", "part", "point", "colour"]);

/** The last words of a name where they are the label of the value behind them, though they name the kind as well. */
function labelBehind({ words, value }: Phrase, fields: readonly SettingField[]): string[] | null {
  if (value === "") return null;
  const typed = fields.filter((f) => !CHOSEN.has(f.type));
  for (let n = 1; n < words.length; n++)
    if (typed.some((f) => labelled(words, n, f.label) === words.length - n)) return words.slice(n);
  return null;
}

/** What is said of settings: each with a label, or null for the next one that is a number, and its value as typed. */
function saidOf(tokens: readonly string[], fields: readonly SettingField[]): { label: string | null; text: string }[] {
  const out: { label: string | null; text: string }[] = [];
  for (let i = 0; i < tokens.length; ) {
    const token = tokens[i] as string;
    const after = out.at(-1)?.text !== "" && NUMBER.test(tokens[i - 1] ?? "") && UNIT.test(token.toLowerCase());
    const best = fields
      .map((f) => ({ label: f.label, n: after || NUMBER.test(token) ? 0 : labelled(tokens, i, f.label) }))
      .reduce((a, b) => (b.n > a.n ? b : a), { label: "", n: 0 });
    if (best.n > 0) {
      out.push({ label: best.label, text: "" });
      i += best.n;
      continue;
    }
    const last = out.at(-1);
    if (last) last.text = `${last.text} ${token}`.trim();
    else out.push({ label: null, text: token });
    i++;
  }
  return out;
}

/**
 * The change that a phrase asks of a move: values one after another for its settings that are numbers, others by their
 * labels ("orbit 140 above 12", "attention dim 80 %", "slide 30 along up"), and its length.
 * @returns settings by name and the length, or what is wrong, in words
 */
export function phraseChange(
  phrase: Phrase,
  move: MadeMove,
  preparation: Preparation,
  rate: FrameRate,
  unit: LengthUnit,
  up: "y" | "z" = "z",
): { settings: Record<string, unknown>; length?: number } | { error: string } {
  const out: { settings: Record<string, unknown>; length?: number } = { settings: {} };
  const kind = moveKindOf(move.kind);
  const now = structuredClone(move.settings) as Record<string, unknown>;
  const shown = () => kind.fields.filter((f) => !f.when || f.when(now));
  const numeric = () => shown().filter((f) => valueKindOf(f, move, preparation) && f.empty === undefined);
  const beyond = labelBehind(phrase, kind.fields) ?? wordsBeyond(phrase.words, kind) ?? [];
  const tokens = `${beyond.join(" ")} ${phrase.value}`.trim().split(/\s+/).filter(Boolean);
  const take = (field: SettingField, text: string): string | null => {
    const read = readSetting(field, text, move, preparation, rate, unit, up);
    if ("error" in read) return `${field.label}: ${read.error}`;
    out.settings[field.name] = read.value;
    put(now, field.name, read.value);
    return null;
  };
  for (const { label, text } of saidOf(tokens, kind.fields)) {
    if (label !== null) {
      const field = shown().find((f) => f.label === label);
      if (!field) return { error: `"${label}" does not apply here.` };
      const fault = take(field, text);
      if (fault) return { error: fault };
      continue;
    }
    for (const [i, part] of splitValues(text).entries()) {
      const field = numeric()[i];
      if (!field) return { error: `"${kind.title}" has no value to set; leave out "${part}".` };
      const fault = take(field, part);
      if (fault) return { error: fault };
    }
  }
  if (phrase.time) {
    const read = parseTime(phrase.time, rate);
    if ("error" in read) return { error: read.error };
    if (read.ticks < 0) return { error: "A move cannot take less than no time." };
    out.length = read.ticks;
  }
  return out;
}

/** Reads one setting as typed in a phrase. */
function readSetting(
  field: SettingField,
  text: string,
  move: MadeMove,
  preparation: Preparation,
  rate: FrameRate,
  unit: LengthUnit,
  up: "y" | "z",
): { value: unknown } | { error: string } {
  const number = valueKindOf(field, move, preparation);
  if (number) return parsed(text, number, unit);
  if (field.type === "switch") return { value: !/^(off|no)$/i.test(text) };
  if (field.type === "direction") return parseDirection(text, up);
  if (field.type === "text") return { value: text };
  if (field.type === "time") {
    const read = parseTime(text, rate);
    return "error" in read ? read : { value: read.ticks };
  }
  const choice = field.choices?.find((c) => c.label.toLowerCase().startsWith(text.toLowerCase()));
  if (choice) return { value: choice.value };
  return {
    error: field.choices
      ? `One of ${field.choices.map((c) => c.label).join(", ")}.`
      : "This is chosen below, not typed here.",
  };
}
