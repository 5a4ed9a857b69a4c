import { createHash } from "node:crypto";

/** Short and exact to seven digits, so that a record tells a wrong number from rounding on another machine. */
export const short = (v: number): string => (Math.abs(v) < 1e-7 ? "0" : Number(v.toPrecision(7)).toString());

/** Anything as one line, numbers made short and keys as they come. */
export const told = (value: unknown): string =>
  JSON.stringify(value, (_, v: unknown) =>
    typeof v === "number" ? Number(short(v)) : ArrayBuffer.isView(v) ? Array.from(v as Float64Array) : v,
  ).replaceAll('"', "");

/** A document as a short hash; ids made at random are numbered as they come. */
export function hashOfDocument(document: unknown): string {
  const ids = new Map<string, number>();
  const text = told(document).replace(/\b[a-z0-9]{20}\b/g, (id) => {
    if (!ids.has(id)) ids.set(id, ids.size);
    return `new ${ids.get(id)}`;
  });
  return createHash("sha1").update(text).digest("hex").slice(0, 10);
}
