import { describe, expect, test } from "vitest";
import { formatLength, formatNumber, parseAngle, parseLength } from "./units";

describe("typed lengths", () => {
  test.each([
    ["64", "mm", 64],
    ["2.5in", "mm", 63.5],
    ["1/2 in", "mm", 12.7],
    ["3", "cm", 30],
    ["-0,5 m", "mm", -500],
    ["1e3", "mm", 1000],
  ] as const)("%s in %s", (text, unit, mm) => {
    const r = parseLength(text, unit);
    expect("value" in r && r.value).toBeCloseTo(mm, 9);
  });
  test.each(["", "abc", "1/0", "1e9", "NaN", "12 furlongs"])("%s is refused", (text) =>
    expect("error" in parseLength(text, "mm")).toBe(true),
  );
});

describe("typed angles", () => {
  test.each([
    ["35", 35],
    ["90°", 90],
    ["90deg", 90],
    ["1/4 turn", 90],
    ["-1.5 turns", -540],
    ["720 degrees", 720],
  ])("%s", (text, deg) => expect(parseAngle(text)).toEqual({ value: deg }));
  test.each(["", "right", "1e9 turns"])("%s is refused", (text) => expect("error" in parseAngle(text)).toBe(true));
});

test("numbers are shown without noise", () => {
  expect(formatNumber(-0.0000001)).toBe("0");
  expect(formatNumber(1.50001)).toBe("1.5");
  expect(formatLength(25.4, "in")).toBe("1 in");
});
