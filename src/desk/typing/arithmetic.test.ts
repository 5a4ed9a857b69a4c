import { expect, test } from "vitest";
import { calculated, parseFactor, splitValues } from "./arithmetic";

test.each<[string, number]>([
  ["12.5", 12.5],
  ["+5", 15],
  ["+-5", 5],
  ["*2", 20],
  ["/4", 2.5],
  ["*3/4", 7.5],
  ["-5", -5],
])("%s on 10", (text, value) => {
  expect(calculated(text, "plain", "mm", 10)).toEqual({ value });
});

test("values typed one after another are told apart, and single ones are left alone", () => {
  expect(splitValues("12 5 -3")).toEqual(["12", "5", "-3"]);
  expect(splitValues("+5; 1/4 turn; 90°")).toEqual(["+5", "1/4 turn", "90°"]);
  expect(splitValues("2 mm +3 mm")).toEqual(["2 mm", "+3 mm"]);
  for (const one of ["12.5 mm", "1/4 turn", "* 2", "/ 3/4", "", "x 2 y"]) expect(splitValues(one)).toEqual([one]);
});

test("units and turns count, and nonsense says what is accepted", () => {
  expect(calculated("1/4 turn", "angle", "mm", 10)).toEqual({ value: 90 });
  expect(calculated("+1/4 turn", "angle", "mm", 10)).toEqual({ value: 100 });
  expect(calculated("+1in", "length", "mm", 10)).toEqual({ value: 35.4 });
  expect(calculated("*x", "plain", "mm", 10)).toHaveProperty("error");
  expect(calculated("/0", "plain", "mm", 10)).toHaveProperty("error");
  expect(["2", "3/4", "120 %", "0", "-1", "x"].map(parseFactor)).toEqual([2, 0.75, 1.2, null, null, null]);
});
