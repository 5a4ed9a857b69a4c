import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { key, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { watchFraming } from "./framingWatch";

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal("cancelAnimationFrame", () => {});
  vi.spyOn(console, "warn").mockImplementation(() => {});
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

test("where the framing cannot be looked after it is said, instead of looking for ever; it can be tried again", async () => {
  const desk = smallDesk(sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 4 })] }]));
  expect(desk.state.aids.framing).toBe(true);
  // Without workers nothing answers.
  const end = watchFraming(desk);
  await vi.advanceTimersByTimeAsync(2000);
  expect([desk.state.aids.framing, desk.state.framing]).toEqual([false, null]);
  desk.set({ aids: { ...desk.state.aids, framing: true } });
  await vi.advanceTimersByTimeAsync(2000);
  expect(desk.state.aids.framing).toBe(false);
  expect(console.warn).toHaveBeenCalledTimes(2);
  end();
  desk.set({ aids: { ...desk.state.aids, framing: true } });
  await vi.advanceTimersByTimeAsync(2000);
  expect(desk.state.aids.framing).toBe(true);
});
