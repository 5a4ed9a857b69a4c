import { held, settable } from "../../../core/sheets/letters";

/** Parts that our font comes in, by the letters they hold, the commonest first. */
export const LETTER_SETS = ["latin", "latin-ext", "greek", "cyrillic", "vietnamese", "cyrillic-ext"] as const;
export type LetterSet = (typeof LETTER_SETS)[number];
export const LETTER_WEIGHTS = [400, 600] as const;

/** The file of a part of our font. */
export const letterFile = (set: LetterSet, weight: number, ending: "woff" | "woff2"): string =>
  `ibm-plex-sans-${set}-${weight}-normal.${ending}`;

/** A piece of text in letters of one part of the font. */
export interface Run {
  set: LetterSet;
  text: string;
}

/**
 * A text in pieces that one part of the font holds each; what none holds goes with the first, which draws an empty box.
 * @param has whether a part holds a letter
 */
export function runsOf(text: string, has: (set: LetterSet, code: number) => boolean): Run[] {
  const out: Run[] = [];
  for (const letter of settable(text)) {
    const code = letter.codePointAt(0) ?? 0;
    const last = out[out.length - 1];
    // An accent that stands by itself, or a blank, stays with its letter where it can.
    if (last && has(last.set, code)) {
      last.text += letter;
      continue;
    }
    const set = (held(code) ? LETTER_SETS.find((s) => has(s, code)) : undefined) ?? "latin";
    if (last?.set === set) last.text += letter;
    else out.push({ set, text: letter });
  }
  return out;
}
