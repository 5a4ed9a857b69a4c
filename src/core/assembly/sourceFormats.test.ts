import { expect, test } from "vitest";
import { CHOOSABLE, formatByName, MODEL_FORMATS, mayBeModel, SOURCE_FORMATS } from "./sourceFormats";

test("a file's name tells its format, in capitals too; anything else is none", () => {
  for (const format of MODEL_FORMATS)
    for (const e of SOURCE_FORMATS[format].extensions) expect(formatByName(`a.b.${e.toUpperCase()}`)).toBe(format);
  for (const name of ["step", "a.steps", "a.zip", "", "model.obj.txt"]) expect(formatByName(name)).toBeNull();
  expect([mayBeModel("x.zip"), mayBeModel("x.p21"), mayBeModel("x.mtl")]).toEqual([true, true, false]);
});

test("no extension means two formats, and all can be chosen", () => {
  const all = MODEL_FORMATS.flatMap((f) => SOURCE_FORMATS[f].extensions);
  expect(new Set(all).size).toBe(all.length);
  for (const e of [...all, "zip", "mtl", "bin", "webp"]) expect(CHOOSABLE.split(",")).toContain(`.${e}`);
});
