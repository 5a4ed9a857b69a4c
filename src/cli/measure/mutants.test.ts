import { expect, test } from "vitest";
import { mutantsOf, sampleOf } from "./mutants";

test("faults are planted in code, not in comments, imports or words", () => {
  const text = [
    'import { a } from "b - c";',
    "// a - b",
    " * a - b",
    "const d = a - b;",
    'const e = "a - b";',
    "if (a < b) return 0;",
  ].join("\n");
  const found = mutantsOf("x.ts", text).map((m) => `${m.line} ${m.after}`);
  expect(found).toContain("4 const d = a + b;");
  expect(found).toContain("6 if (a <= b) return 0;");
  expect(found).toContain("6 if (a < b) return 1;");
  expect(found.every((f) => f.startsWith("4") || f.startsWith("6"))).toBe(true);
});

test("a sample is the same for the same seed, without doubles", () => {
  const list = Array.from({ length: 50 }, (_, i) => i);
  expect(sampleOf(list, 10, 1)).toEqual(sampleOf(list, 10, 1));
  expect(sampleOf(list, 10, 1)).not.toEqual(sampleOf(list, 10, 2));
  expect(new Set(sampleOf(list, 50, 3)).size).toBe(50);
});
