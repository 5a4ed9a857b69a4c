import { expect, test } from "vitest";
import { directionInWords, directionOfWord } from "./directions";

test("an axis is said in words of the assembly, or as a part's own", () => {
  expect(directionInWords([0, 0, 1], "assembly", "z")).toBe("up, Z");
  expect(directionInWords([0, -1, 0], "assembly", "z")).toBe("front, −Y");
  expect(directionInWords([0, -1, 0], "assembly", "y")).toBe("down, −Y");
  expect(directionInWords([0, 0, 1], "assembly", "y")).toBe("front, Z");
  expect(directionInWords([-1, 0, 0], "part", "z")).toBe("against its X");
  expect(directionInWords([0.6, 0, 0.8], "assembly", "z")).toBe("0.6 0 0.8");
});

test("every word reads back as the axis it stands for", () => {
  for (const up of ["y", "z"] as const)
    for (const d of [
      [1, 0, 0],
      [-1, 0, 0],
      [0, 1, 0],
      [0, -1, 0],
      [0, 0, 1],
      [0, 0, -1],
    ])
      for (const frame of ["assembly", "part"] as const)
        expect(directionOfWord(directionInWords(d, frame, up), up)).toEqual(d);
  expect(directionOfWord("to the left", "z")).toEqual([-1, 0, 0]);
  expect(directionOfWord("sideways", "z")).toBeNull();
});
