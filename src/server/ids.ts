import { randomBytes } from "node:crypto";

const LETTERS = "abcdefghijklmnopqrstuvwxyz0123456789";

/** A new id of 20 lower-case letters and digits (about 103 bits of chance). */
export function newId(): string {
  let out = "";
  while (out.length < 20) {
    for (const byte of randomBytes(32)) {
      // 252 = 7 * 36: larger bytes would make the first letters likelier.
      if (byte < 252 && out.length < 20) out += LETTERS[byte % 36];
    }
  }
  return out;
}
