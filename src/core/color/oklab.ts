import { linearOf, srgbByte } from "./srgb";

/**
 * sRGB colours as lightness (0..1), chroma and hue (radians) in a space in which equal steps look equal: OKLab, Björn
 * Ottosson, "A perceptual color space for image processing" (2020).
 */
export interface Lch {
  l: number;
  c: number;
  h: number;
}

/** Reads "#RRGGBB". */
export function lchOf(code: string): Lch {
  const n = Number.parseInt(code.slice(1), 16);
  const [r, g, b] = [(n >> 16) & 255, (n >> 8) & 255, n & 255].map((v) => linearOf(v / 255)) as [
    number,
    number,
    number,
  ];
  const l = Math.cbrt(0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b);
  const m = Math.cbrt(0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b);
  const s = Math.cbrt(0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b);
  const a = 1.9779984951 * l - 2.428592205 * m + 0.4505937099 * s;
  const bb = 0.0259040371 * l + 0.7827717662 * m - 0.808675766 * s;
  return { l: 0.2104542553 * l + 0.793617785 * m - 0.0040720468 * s, c: Math.hypot(a, bb), h: Math.atan2(bb, a) };
}

/** As "#RRGGBB"; what no screen can show is cut off channel by channel. */
export function codeOf({ l, c, h }: Lch): string {
  const [a, b] = [c * Math.cos(h), c * Math.sin(h)];
  const [x, y, z] = [
    (l + 0.3963377774 * a + 0.2158037573 * b) ** 3,
    (l - 0.1055613458 * a - 0.0638541728 * b) ** 3,
    (l - 0.0894841775 * a - 1.291485548 * b) ** 3,
  ];
  const bytes = [
    4.0767416621 * x - 3.3077115913 * y + 0.2309699292 * z,
    -1.2684380046 * x + 2.6097574011 * y - 0.3413193965 * z,
    -0.0041960863 * x - 0.7034186147 * y + 1.707614701 * z,
  ].map(srgbByte);
  return `#${bytes.map((v) => v.toString(16).padStart(2, "0").toUpperCase()).join("")}`;
}
