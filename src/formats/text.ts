/** The text of a file: UTF-8 or, by its mark or its zeros, UTF-16; every line ends in "\n", whatever ended it. */
export function decodeText(bytes: Uint8Array): string {
  return new TextDecoder(encodingOf(bytes)).decode(bytes).replace(/\r\n?/g, "\n");
}

function encodingOf(bytes: Uint8Array): string {
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return "utf-16le";
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return "utf-16be";
  // Without a mark: text of common letters has a zero in every second place.
  const seen = Math.min(bytes.length & ~1, 512);
  let even = 0;
  let odd = 0;
  for (let i = 0; i < seen; i += 2) {
    if (bytes[i] === 0) even++;
    if (bytes[i + 1] === 0) odd++;
  }
  if (seen >= 8 && odd > 0.4 * seen * 0.5 && even === 0) return "utf-16le";
  if (seen >= 8 && even > 0.4 * seen * 0.5 && odd === 0) return "utf-16be";
  return "utf-8";
}

/** A piece of a file for showing in a message: short, and without what cannot be seen. */
export function excerpt(text: string | undefined, most = 20): string {
  // biome-ignore lint/suspicious/noControlCharactersInRegex: control characters are what is being replaced
  const clean = (text ?? "").replace(/[\u0000-\u001f\u007f-\u009f\ufffd]+/g, "·");
  return clean.length > most ? `${clean.slice(0, most)}…` : clean;
}

const NUMBER = /^[-+]?(?:\d+\.?\d*|\.\d+)(?:e[-+]?\d+)?$/i;

/** A written number, or NaN where it is none, is empty or does not fit a double. */
export function parseNumber(text: string | undefined): number {
  if (text === undefined || !NUMBER.test(text)) return Number.NaN;
  const v = Number(text);
  return Number.isFinite(v) ? v : Number.NaN;
}
