import { expect, test } from "vitest";
import { unitOf } from "./text";

/** A global section of IGES over lines of 72 columns, after a start section of one line. */
function iges(values: readonly string[], separator = ","): Uint8Array {
  const text = `${values.join(separator)};`;
  const lines = text.match(/.{1,72}/g) ?? [];
  const row = (line: string, section: string, n: number) => `${line.padEnd(72)}${section}${String(n).padStart(7)}`;
  return new TextEncoder().encode([row("made up", "S", 1), ...lines.map((l, i) => row(l, "G", i + 1))].join("\r\n"));
}
const values = (unit: string, separator = ",") => [
  ...[`1H${separator}`, "1H;", "9HA, 2HB; C", "8Hpart.igs", "4Hmade", "2Hup", "32", "38", "6", "308", "15", "4Hpart"],
  ...["1.", unit, "2HMM", "1", "0.01"],
];

test.each([
  ["1", "in"],
  ["2", "mm"],
  ["6", "m"],
  ["10", "cm"],
  ["99", "mm"],
])("unit %s of IGES is %s, whatever stands in the texts before it", (unit, name) => {
  expect(unitOf("iges", iges(values(unit)))).toBe(name);
});

test.each(["-", "]", "^", "\\", "/"])("values apart by %s are read as well", (separator) => {
  expect(unitOf("iges", iges(values("6", separator), separator))).toBe("m");
});

test("a section that ends early, or is not there, leaves millimetres", () => {
  expect(unitOf("iges", iges(values("6").slice(0, 5)))).toBe("mm");
  expect(unitOf("iges", new Uint8Array())).toBe("mm");
  expect(unitOf("brep", new Uint8Array())).toBe("mm");
});
