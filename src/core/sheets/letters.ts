/** Letters that our fonts hold, as ranges of code points in hexadecimal; see the test, which asks the fonts. */
const HELD =
  "20-7e a0-17f 18f 192 1a0-1a1 1af-1b0 1cd-1dc 1fa-1ff 218-21b 237 259 2bb-2bc 2c6-2c7 2da 2dc-2dd 300-301 303-304 308-309 323 37e 384-38a 38c 38e-3a1 3a3-3ce 400-45f 462-463 46a-46b 472-475 490-4c2 4cf-4d9 4dc-4e9 4ee-4f9 524-525 1e80-1e85 1e9e 1ea0-1ef9 2002 2009 200b 2013-2014 2018-201a 201c-201e 2020 2022 2026 2032-2033 2039-203a 2044 20a1 20a4 20a6 20a8-20ae 20b1-20b2 20b4-20b5 20b8-20ba 20bd 20bf 2113 2116 2122 2191 2193 2212 2215 feff fffd ffff"
    .split(" ")
    .map((range): [number, number] => {
      const [from = "", to = from] = range.split("-");
      return [Number.parseInt(from, 16), Number.parseInt(to, 16)];
    });

/** Letters that look the same as one that the fonts hold. */
const ALIKE: Readonly<Record<string, string>> = {
  "\u2010": "-",
  "\u2011": "-",
  "\u2007": "\u00a0",
  "\u202f": "\u00a0",
  "\u2300": "\u00d8",
  "\u2126": "\u03a9",
};

/** Whether our fonts hold a letter. */
export const held = (code: number): boolean => HELD.some(([from, to]) => code >= from && code <= to);

/** A text as a document of ours sets it: accents joined to their letters, look-alikes in place of what is not held. */
export const settable = (text: string): string =>
  text.normalize("NFC").replace(/[\u2007\u2010\u2011\u202f\u2126\u2300]/g, (c) => ALIKE[c] ?? c);

/** Letters of texts that our fonts lack, each once, in the order in which they come. */
export function lettersLacking(texts: Iterable<string>): string[] {
  const found = new Set<string>();
  for (const text of texts)
    for (const letter of settable(text)) if (!/\s/.test(letter) && !held(letter.codePointAt(0) ?? 0)) found.add(letter);
  return [...found];
}
