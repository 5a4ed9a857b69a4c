import { expect, test } from "vitest";
import { cleanText, nameSchema } from "./name";

test("names lose what cannot be seen and keep every letter", () => {
  expect(cleanText("  Pump\u200b \u0000 house\u202e\n 2 ")).toBe("Pump house 2");
  expect(cleanText("ポンプ · Fußpumpe · مضخة 🛠")).toBe("ポンプ · Fußpumpe · مضخة 🛠");
  expect(cleanText("half \ud83d letter")).toBe("half letter");
  expect(cleanText("\u0000\u200b\ufeff \u2060")).toBe("");
});

test("a name is never empty, however it was typed, and not too long", () => {
  const name = nameSchema("A project", 5);
  expect(name.parse(" a\u200bb ")).toBe("ab");
  for (const bad of ["", "   ", "\u200b\u200b", "\u0007"])
    expect(name.safeParse(bad).error?.issues[0]?.message).toBe("A project needs a name.");
  expect(name.safeParse("abcdef").error?.issues[0]?.message).toBe("A project's name may have at most 5 characters.");
});
