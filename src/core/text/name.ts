import { z } from "zod";

/** Control characters, and those that take no room or change the direction of what follows. */
const UNSEEN =
  // biome-ignore lint/suspicious/noControlCharactersInRegex: control characters are what is being removed
  /[\u0000-\u001f\u007f-\u009f\u00ad\u061c\u180e\u200b-\u200f\u2028-\u202e\u2060-\u206f\ufeff\ufff9-\ufffb]/g;
const LONE_SURROGATE = /\p{Surrogate}/gu;

/** A name as it can be shown in one line: without what cannot be seen, runs of blanks as one, trimmed. May be empty. */
export function cleanText(text: string): string {
  return text
    .normalize("NFC")
    .replace(/\s/g, " ")
    .replace(UNSEEN, "")
    .replace(LONE_SURROGATE, "")
    .replace(/ +/g, " ")
    .trim();
}

/**
 * The schema of a name that a user types: cleaned, never empty, at most `max` characters. `what` begins the message.
 */
export const nameSchema = (what: string, max = 200) =>
  z
    .string()
    .max(20 * max, `${what}'s name may have at most ${max} characters.`)
    .transform(cleanText)
    .pipe(z.string().min(1, `${what} needs a name.`).max(max, `${what}'s name may have at most ${max} characters.`));
