import { expect, test } from "vitest";
import { paced } from "./paced";

test("a thousand frames in a second are told some sixteen times, the first at once, each as it then stands", () => {
  const told: [number, string][] = [];
  let now = 5000;
  const tell = paced(
    (share: number, what: string) => told.push([share, what]),
    () => now,
  );
  for (let f = 1; f <= 1000; f++, now++) tell(f / 1000, `frame ${f}`);
  expect(told[0]).toEqual([0.001, "frame 1"]);
  expect(told.length).toBeGreaterThan(14);
  expect(told.length).toBeLessThan(18);
  expect(told.every(([share, what]) => what === `frame ${Math.round(1000 * share)}`)).toBe(true);
  now += 500;
  tell(1, "the end");
  expect(told.at(-1)).toEqual([1, "the end"]);
});
