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

test("a sample is the same for the same seed, without doubles, and stays when other lines come and go", () => {
  const lines = Array.from({ length: 50 }, (_, i) => `const v${i} = a - b${i};`);
  const list = mutantsOf("x.ts", lines.join("\n"));
  const names = (of: typeof list, count: number, seed: number) => sampleOf(of, count, seed).map((m) => m.before);
  expect(names(list, 10, 1)).toEqual(names(list, 10, 1));
  expect(names(list, 10, 1)).not.toEqual(names(list, 10, 2));
  expect(new Set(names(list, 50, 3)).size).toBe(50);
  const drawn = names(list, 10, 1);
  const gone = lines.findIndex((l) => !drawn.includes(l));
  const edited = ["// more", ...lines.filter((_, i) => i !== gone)];
  expect(names(mutantsOf("x.ts", edited.join("\n")), 10, 1)).toEqual(drawn);
});
