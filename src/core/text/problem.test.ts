import { expect, test, vi } from "vitest";
import { FAULT, isMeant, isStop, problemOf } from "./problem";
import { Refusal } from "./refusal";
import { REFUSALS } from "./refusals";

test("what was meant is shown in its own words, what was not never is", () => {
  const log = vi.spyOn(console, "error").mockImplementation(() => {});
  const refused = new Refusal("merge-too-long", { what: "caption", length: 2100, most: 2000 });
  expect([refused.code, refused.data]).toEqual(["merge-too-long", [{ what: "caption", length: 2100, most: 2000 }]]);
  expect(problemOf(refused)).toBe(
    "The two captions have 2100 characters together, and a caption may have 2000. Shorten one of them first.",
  );
  expect(log).not.toHaveBeenCalled();
  expect(problemOf(new RangeError("Invalid array length"))).toBe(FAULT);
  expect(problemOf("thrown text")).toBe(FAULT);
  expect(log).toHaveBeenCalledTimes(2);
  log.mockRestore();
  // From another thread the class is lost and the name is left.
  expect(isMeant(Object.assign(new Error("said"), { name: "ImportError" }))).toBe(true);
  expect(isStop(new DOMException("x", "AbortError"))).toBe(true);
});

test("every refusal is a whole sentence that ends", () => {
  const data = {
    what: "thing",
    name: "Name",
    title: "Title",
    hint: "",
    first: "A",
    next: "B",
    length: 3,
    most: 2,
    kind: "k",
    path: "a.b",
    why: "Because.",
    names: ["a", "b", "c", "d", "e"],
    text: "Said.",
    least: "2",
    format: "MP4",
    file: "a.wav",
    minutes: 61,
    key: "o",
  };
  for (const [code, words] of Object.entries(REFUSALS)) {
    const text = (words as (about: typeof data) => string)(data);
    expect(text, code).toMatch(/^["A-Z].*[.)]$/);
    expect(text, code).not.toMatch(/undefined|\[object/);
  }
  expect(REFUSALS["several-models"]({ names: data.names })).toContain("a, b, c, d, ...");
});
