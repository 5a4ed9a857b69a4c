import { expect, test } from "vitest";
import { Newest } from "./newest";

test("the newest entries are kept, and one that is put in again is new", () => {
  const map = new Newest<string, number>(3);
  map.set("a", 1);
  map.set("b", 2);
  map.set("a", 3);
  map.set("c", 4);
  map.set("d", 5);
  expect(["a", "b", "c", "d"].map((k) => map.get(k))).toEqual([3, undefined, 4, 5]);
  map.delete("a");
  map.set("e", 6);
  expect(["a", "c", "d", "e"].map((k) => map.get(k))).toEqual([undefined, 4, 5, 6]);
});
