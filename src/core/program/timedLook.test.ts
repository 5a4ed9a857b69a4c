import { expect, test } from "vitest";
import { SURROUNDINGS_DEFAULT } from "../document/surroundings";
import type { Program } from "./program";
import { lightsWorn } from "./timedLook";

test("the lights of a film are those of its first look and of looks that are put on, each once and no others", () => {
  const lit = (light: "studio" | "window" | "bench" | "evening") => ({
    surroundings: { ...SURROUNDINGS_DEFAULT, light },
  });
  const program = {
    preparation: { looks: { a: lit("window"), b: lit("studio"), c: lit("evening"), d: lit("window") } },
    lookChannels: new Map([
      ["a", 3],
      ["b", 4],
      ["d", 5],
      ["gone", 6],
    ]),
  } as unknown as Program;
  expect(lightsWorn(program, lit("studio"))).toEqual(["studio", "window"]);
});
