import { describe, expect, test } from "vitest";
import { key, sequenceOf } from "../../../tests/support/assembly";
import { type DocumentError, parseDocument, upgrade } from "./parse";
import { emptyPreparation } from "./preparation";

const good = () => sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] }]);
const failure = (input: unknown): DocumentError => {
  try {
    parseDocument("sequence", input);
  } catch (error) {
    return error as DocumentError;
  }
  throw new Error("was taken");
};

describe("documents", () => {
  test("valid ones pass through unchanged", () => {
    expect(parseDocument("sequence", good())).toEqual(good());
    expect(parseDocument("preparation", emptyPreparation())).toEqual(emptyPreparation());
  });
  test("one of a newer version is refused with what to do", () => {
    const error = failure({ ...good(), version: 99 });
    expect(error.code).toBe("newer-version");
    expect(error.message).toMatch(/newer Plextan.*version 99.*Update/);
  });
  test.each([
    ["no version", { name: "x" }, /does not say its version/],
    ["not an object", 7, /not a document/],
    [
      "an unknown channel",
      {
        ...good(),
        steps: {
          s0: {
            ...good().steps.s0,
            moves: {
              m: {
                ...good().steps.s0?.moves["m-root_arm"],
                id: "m",
                keys: { a: { ...key("a", 1, 1, {}), values: { "slide.w": 1 } } },
              },
            },
          },
        },
      },
      /values\.slide\.w/,
    ],
    ["a step that is not in the order", { ...good(), stepOrder: [] }, /not in the order/],
    [
      "a title of 5,000 characters",
      { ...good(), steps: { s0: { ...good().steps.s0, title: "x".repeat(5000) } } },
      /at most 200 characters/,
    ],
    [
      "a time that is not finite",
      { ...good(), steps: { s0: { ...good().steps.s0, action: Number.NaN } } },
      /steps\.s0\.action/,
    ],
    ["a rate that does not divide", { ...good(), rate: { num: 29, den: 1 } }, /whole ticks/],
  ])("%s is refused and the place named", (_, input, message) => {
    expect(failure(input).message).toMatch(message);
  });
  test("an old one is taken through every migration in turn", () => {
    const steps = {
      1: (d: Record<string, unknown>) => ({ ...d, b: 1 }),
      2: (d: Record<string, unknown>) => ({ ...d, c: (d.b as number) + 1 }),
    };
    expect(upgrade("thing", { version: 1, a: 0 }, 3, steps)).toEqual({ version: 3, a: 0, b: 1, c: 2 });
    expect(upgrade("thing", { version: 3 }, 3, steps)).toEqual({ version: 3 });
    expect(() => upgrade("thing", { version: 1 }, 3, { 2: (d) => d })).toThrow(/can no longer be read/);
  });
});
