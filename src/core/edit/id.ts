const LETTERS = "abcdefghijklmnopqrstuvwxyz0123456789";

/** A new id of 20 lower-case letters and digits, from the platform's random source. */
export function freshId(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(20));
  let out = "";
  for (const byte of bytes) out += LETTERS[byte % 36];
  return out;
}
