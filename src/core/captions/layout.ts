/** How captions and labels are set into a picture: shares of its height, unless said otherwise. */
export const CAPTION_STYLE = {
  size: 0.036,
  /** Least size of the letters, pixels. */
  least: 10,
  /** Width of the lines and of the plate, at most, shares of the picture's width. */
  lines: 0.8,
  plate: 0.9,
  leading: 1.38,
  /** Lower edge of the plate from the picture's upper edge. */
  foot: 0.955,
  text: "#1E2A38",
  ground: "#FFFDF8",
  /** How much of the picture the plate lets through is what is left of 1. */
  cover: 0.9,
} as const;
export const LABEL_STYLE = { size: 0.034, least: 9, text: "#1E2A38", ground: "#FFFDF8", cover: 0.95 } as const;

/** Width of a text set in letters of a size, pixels. */
export type Measure = (text: string) => number;

/** Advance widths of IBM Plex Sans 500, thousandths of its size, from the space (32) to the tilde (126). */
const WIDTHS: readonly number[] = [
  236, 299, 451, 678, 599, 947, 706, 253, 336, 336, 514, 600, 288, 401, 288, 416, 600, 600, 600, 600, 600, 600, 600,
  600, 600, 600, 308, 308, 600, 600, 600, 487, 896, 660, 659, 634, 682, 593, 570, 705, 714, 414, 531, 660, 513, 815,
  714, 711, 627, 711, 655, 599, 577, 685, 627, 926, 639, 617, 592, 324, 416, 324, 600, 561, 600, 549, 592, 509, 592,
  555, 340, 538, 580, 265, 265, 548, 285, 882, 580, 562, 592, 592, 383, 494, 365, 580, 512, 799, 530, 514, 487, 355,
  352, 355, 600,
];
/** For letters that are not in the table: most are as wide as these. */
const OTHER = 580;

/** The width of a text in our font where nothing that draws is at hand; kerning is left out (0.1 % of a line). */
export const plainMeasure =
  (size: number): Measure =>
  (text) => {
    let sum = 0;
    for (const letter of text.normalize("NFD")) {
      const code = letter.codePointAt(0) ?? 0;
      // Accents stand over their letter and take no room.
      if (code >= 0x300 && code < 0x370) continue;
      sum += code > 0x2e80 ? 1000 : (WIDTHS[code - 32] ?? OTHER);
    }
    return (sum * size) / 1000;
  };

/**
 * A text in lines no wider than a limit, broken at spaces and where it breaks itself. A word that is longer stays whole,
 * or is cut where it has to be.
 */
export function wrapped(measure: Measure, text: string, limit: number, cut = false): string[] {
  const lines: string[] = [];
  for (const paragraph of text.split("\n")) {
    let line = "";
    const words = paragraph.split(/\s+/);
    for (const word of cut ? words.flatMap((w) => pieces(measure, w, limit)) : words) {
      const longer = line ? `${line} ${word}` : word;
      if (line && measure(longer) > limit) {
        lines.push(line);
        line = word;
      } else line = longer;
    }
    lines.push(line);
  }
  return lines;
}

/** A word in pieces that fit, of at least a letter each. */
function pieces(measure: Measure, word: string, limit: number): string[] {
  if (measure(word) <= limit) return [word];
  const out: string[] = [];
  let piece = "";
  for (const letter of word) {
    if (piece && measure(piece + letter) > limit) {
      out.push(piece);
      piece = letter;
    } else piece += letter;
  }
  return [...out, piece];
}

/** Where a caption stands in a picture of a size, pixels. */
export interface CaptionPlace {
  size: number;
  lines: string[];
  left: number;
  top: number;
  width: number;
  height: number;
  lineHeight: number;
}

/** @param measure gives widths for letters of a size @param scale of the letters against the usual size */
export function placeCaption(
  measure: (size: number) => Measure,
  text: string,
  width: number,
  height: number,
  scale = 1,
  place: "bottom" | "top" = "bottom",
): CaptionPlace {
  const size = Math.max(CAPTION_STYLE.least, Math.round(height * CAPTION_STYLE.size * scale));
  const own = measure(size);
  const lines = wrapped(own, text, width * CAPTION_STYLE.lines);
  const lineHeight = size * CAPTION_STYLE.leading;
  const boxWidth = Math.min(width * CAPTION_STYLE.plate, Math.max(...lines.map(own)) + size * 1.8);
  const boxHeight = lines.length * lineHeight + size * 0.7;
  return {
    ...{ size, lines, lineHeight, width: boxWidth, height: boxHeight },
    left: (width - boxWidth) / 2,
    top: place === "bottom" ? height * CAPTION_STYLE.foot - boxHeight : height * (1 - CAPTION_STYLE.foot),
  };
}

/** How much larger the title of a step is set than captions, and where it begins, a share of the picture's width. */
const TITLE = { larger: 1.3, left: 0.045, lines: 0.6 } as const;

/** Where the title of a step stands: in the corner away from the captions. The same measures as {@link placeCaption}. */
export function placeTitle(
  measure: (size: number) => Measure,
  text: string,
  width: number,
  height: number,
  scale: number,
  captions: "bottom" | "top",
): CaptionPlace {
  const size = Math.max(CAPTION_STYLE.least, Math.round(height * CAPTION_STYLE.size * TITLE.larger * scale));
  const own = measure(size);
  const lines = wrapped(own, text, width * TITLE.lines);
  const lineHeight = size * CAPTION_STYLE.leading;
  const boxHeight = lines.length * lineHeight + size * 0.7;
  const boxWidth = Math.min(width * CAPTION_STYLE.plate, Math.max(...lines.map(own)) + size * 1.8);
  const edge = width * TITLE.left;
  return {
    ...{ size, lines, lineHeight, width: boxWidth, height: boxHeight, left: edge },
    top: captions === "bottom" ? edge : height - edge - boxHeight,
  };
}

/** Where a label or a dimension stands in a picture, pixels. */
export interface NotePlace {
  size: number;
  left: number;
  top: number;
  width: number;
  height: number;
}

/** Size of the letters of labels and dimensions in a picture of a height, pixels. */
export const noteSize = (height: number): number => Math.max(LABEL_STYLE.least, height * LABEL_STYLE.size);

/**
 * Where the plate of a label goes whose anchor stands at (x, y): right and up of it in shares of the picture's height,
 * and never out of the picture.
 * @param wide width of its text in letters of `noteSize`, pixels
 */
export function placeNote(
  wide: number,
  x: number,
  y: number,
  by: { readonly right: number; readonly up: number },
  picture: { readonly left: number; readonly top: number; readonly width: number; readonly height: number },
): NotePlace {
  const size = noteSize(picture.height);
  const width = wide + 1.1 * size;
  const height = 1.75 * size;
  const left = x + by.right * picture.height - (by.right >= 0 ? 0 : width);
  const top = y - by.up * picture.height - height / 2;
  return {
    ...{ size, width, height },
    left: within(left, picture.left + 4, picture.left + picture.width - width - 4),
    top: within(top, picture.top + 4, picture.top + picture.height - height - 4),
  };
}

const within = (v: number, low: number, high: number) => Math.max(low, Math.min(Math.max(low, high), v));

/**
 * The lowest contrast that a text may have on a plate that lets some of the picture through, over black or white
 * (WCAG 2.2, contrast ratio). Colours as "#RRGGBB"; 1 to 21.
 */
export function leastContrast(text: string, ground: string, cover: number): number {
  const light = (rgb: readonly number[]) => {
    const [r = 0, g = 0, b = 0] = rgb.map((v) => {
      const s = v / 255;
      return s <= 0.04045 ? s / 12.92 : ((s + 0.055) / 1.055) ** 2.4;
    });
    return 0.2126 * r + 0.7152 * g + 0.0722 * b;
  };
  const rgb = (hex: string) => [1, 3, 5].map((i) => Number.parseInt(hex.slice(i, i + 2), 16));
  const own = light(rgb(text));
  return Math.min(
    ...[0, 255].map((under) => {
      const on = light(rgb(ground).map((v) => v * cover + under * (1 - cover)));
      return (Math.max(on, own) + 0.05) / (Math.min(on, own) + 0.05);
    }),
  );
}
