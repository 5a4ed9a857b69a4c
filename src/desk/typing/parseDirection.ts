/** Reads a typed direction: three numbers, or an axis such as "x" or "-z". */
import type { Triple } from "../../core/math/triple";
export function parseDirection(text: string): { value: Triple } | { error: string } {
  const axis = /^\s*([+-]?)\s*([xyz])\s*$/i.exec(text);
  if (axis) {
    const v = ["x", "y", "z"].map((a) => (a === axis[2]?.toLowerCase() ? (axis[1] === "-" ? -1 : 1) : 0)) as Triple;
    return { value: v };
  }
  const parts = text.trim().split(/[\s;]+/);
  const numbers = parts.map((p) => Number(p.replace(",", ".")));
  if (parts.length !== 3 || numbers.some((n) => !Number.isFinite(n)))
    return { error: "Three numbers such as 0 0 1, or an axis such as x or -z." };
  const length = Math.hypot(...numbers);
  if (length < 1e-9) return { error: "A direction of length 0 points nowhere." };
  return { value: numbers.map((n) => n / length) as Triple };
}
