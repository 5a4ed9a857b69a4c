/** Short and exact to seven digits, so that a record tells a wrong number from rounding on another machine. */
export const short = (v: number): string => (Math.abs(v) < 1e-7 ? "0" : Number(v.toPrecision(7)).toString());

/** Anything as one line, numbers made short and keys as they come. */
export const told = (value: unknown): string =>
  JSON.stringify(value, (_, v: unknown) =>
    typeof v === "number" ? Number(short(v)) : ArrayBuffer.isView(v) ? Array.from(v as Float64Array) : v,
  ).replaceAll('"', "");
