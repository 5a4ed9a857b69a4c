import type { Triple } from "../../core/math/triple";
import { directionOfWord } from "../../core/text/directions";

/** Reads a typed direction: three numbers, an axis such as "x" or "-z", or a word such as "up". */
export function parseDirection(text: string, up: "y" | "z" = "z"): { value: Triple } | { error: string } {
  const word = directionOfWord(text, up);
  if (word) return { value: word };
  const parts = text.trim().split(/[\s;]+/);
  const numbers = parts.map((p) => Number(p.replace(",", ".")));
  if (parts.length !== 3 || numbers.some((n) => !Number.isFinite(n)))
    return { error: "Three numbers such as 0 0 1, an axis such as x or -z, or up, down, left, right, front, back." };
  const length = Math.hypot(...numbers);
  if (length < 1e-9) return { error: "A direction of length 0 points nowhere." };
  return { value: numbers.map((n) => n / length) as Triple };
}
