import { expect, test } from "vitest";
import { Lately } from "./lately";
import type { Reviewer } from "./voices";

const who = (name: string) => ({ name }) as Reviewer;

test("a judgement is remembered for half a minute from when it was made, and no longer", () => {
  const lately = new Lately();
  lately.set("a", who("Mette"), 0);
  expect(lately.get("a", 29_999)?.name).toBe("Mette");
  // Being asked for does not make it younger.
  expect(lately.get("a", 30_000)).toBeNull();
  expect(lately.get("b", 0)).toBeNull();
  lately.set("a", who("Ines"), 40_000);
  expect(lately.get("a", 40_001)?.name).toBe("Ines");
  lately.forget("a");
  expect(lately.get("a", 40_001)).toBeNull();
});

test("the oldest of many are forgotten", () => {
  const lately = new Lately();
  for (let i = 0; i < 6000; i++) lately.set(`k${i}`, who(`${i}`), 0);
  expect(lately.get("k999", 1)).toBeNull();
  expect(lately.get("k1000", 1)?.name).toBe("1000");
  expect(lately.get("k5999", 1)?.name).toBe("5999");
});
