import { expect, test } from "vitest";
import { Newest } from "./newest";

test("the newest entries are kept, and one that is put in again is new", () => {
  const map = new Newest<string, number>(2);
  map.set("a", 1);
  map.set("b", 2);
  map.set("a", 3);
  map.set("c", 4);
  expect([map.get("a"), map.get("b"), map.get("c")]).toEqual([3, undefined, 4]);
  map.delete("a");
  map.set("d", 5);
  expect([map.get("a"), map.get("c"), map.get("d")]).toEqual([undefined, 4, 5]);
});
