import { expect, test } from "vitest";
import { factsOf, sameFacts } from "./meant";

const facts = (value: number, more: object = {}) =>
  factsOf({ what: "through", severity: "wrong", numbers: { depth: { value, unit: "mm" } }, ...more } as never);

test("facts are the same where their numbers hardly differ, and others where they do or say something else", () => {
  expect(sameFacts(facts(4.2), facts(4.07))).toBe(true);
  expect(sameFacts(facts(4.2), facts(3.6))).toBe(false);
  expect(sameFacts(facts(0.001), facts(0.01))).toBe(true);
  expect(sameFacts(facts(-4), facts(4))).toBe(false);
  expect(sameFacts(facts(4), facts(4, { severity: "look" }))).toBe(false);
  expect(sameFacts(facts(4), facts(4, { channel: "turn.x" }))).toBe(false);
  expect(
    sameFacts(facts(4), facts(4, { numbers: { depth: { value: 4, unit: "mm" }, others: { value: 1, unit: "" } } })),
  ).toBe(false);
});
