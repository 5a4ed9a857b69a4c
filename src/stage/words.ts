import { CAPTION_STYLE, type CaptionPlace, type Measure } from "../core/captions/layout";
import type { PictureRect } from "./notesLayer";

/** Measures letters of a size as a canvas sets them, and makes it set them so. */
export const measuring =
  (c: OffscreenCanvasRenderingContext2D) =>
  (size: number): Measure => {
    c.font = `500 ${size}px Captions, sans-serif`;
    return (text) => c.measureText(text).width;
  };

const rgbOf = (hex: string): string => [1, 3, 5].map((i) => Number.parseInt(hex.slice(i, i + 2), 16)).join(", ");
const PLATE = `rgba(${rgbOf(CAPTION_STYLE.ground)}, ${CAPTION_STYLE.cover})`;

/** Draws words on a plate, or outlined, in the letters that were measured last. */
export function drawWords(
  c: OffscreenCanvasRenderingContext2D,
  place: CaptionPlace,
  picture: PictureRect,
  style: "panel" | "outline",
  align: "left" | "center",
): void {
  c.textBaseline = "middle";
  c.textAlign = align;
  const [left, top] = [picture.left + place.left, picture.top + place.top];
  if (style === "panel") {
    c.fillStyle = PLATE;
    c.beginPath();
    c.roundRect(left, top, place.width, place.height, place.size * 0.28);
    c.fill();
  }
  c.lineJoin = "round";
  c.lineWidth = place.size * 0.22;
  c.strokeStyle = CAPTION_STYLE.ground;
  c.fillStyle = CAPTION_STYLE.text;
  const x = align === "left" ? left + 0.9 * place.size : left + place.width / 2;
  for (const [i, line] of place.lines.entries()) {
    const y = top + place.size * 0.35 + place.lineHeight * (i + 0.5);
    if (style === "outline") c.strokeText(line, x, y);
    c.fillText(line, x, y);
  }
}
