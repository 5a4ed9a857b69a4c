import { expect, test } from "vitest";
import { SURROUNDINGS_DEFAULT } from "../../core/document/surroundings";
import { lightBytes, lightIsKept } from "../../core/light/keptLight";
import { lightsOf, lightsReady } from "./lights";

test("maps of light are asked for once, however many wait, and not when they are there", async () => {
  const asked: string[][] = [];
  let go = () => {};
  const ask = async (lights: readonly string[]) => {
    asked.push([...lights]);
    await new Promise<void>((r) => {
      go = r;
    });
    return lights.map(() => lightBytes("evening"));
  };
  const before = (["bench", "window"] as const).filter(lightIsKept);
  const both = lightsReady(["bench", "window"], ask);
  const one = lightsReady(["bench"], ask);
  go();
  await Promise.all([both, one]);
  expect(asked.flat()).toEqual((["bench", "window"] as const).filter((l) => !before.includes(l)));
  expect([lightIsKept("bench"), lightIsKept("window")]).toEqual([true, true]);
  await lightsReady(["bench"], ask);
  expect(asked.length).toBeLessThan(2);
});

test("where they cannot be worked out beside the page they are all the same", async () => {
  await lightsReady(["studio"], () => Promise.reject(new Error("no worker")));
  expect(lightIsKept("studio")).toBe(true);
});

test("a preparation's lights are those of its looks as well, each once", () => {
  const look = (light: "window" | "studio") => ({ surroundings: { ...SURROUNDINGS_DEFAULT, light } });
  const looks = { a: look("window"), b: look("studio"), c: look("window") } as never;
  expect(lightsOf({ surroundings: { ...SURROUNDINGS_DEFAULT, light: "studio" }, looks })).toEqual(["studio", "window"]);
});
