import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { key, seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import type { Desk } from "../port";

let now = 0;
let next: (() => void) | null = null;
let desk: Desk;
/** Lets so many ms pass and draws a frame. */
const frame = (ms: number) => {
  now += ms;
  const run = next;
  next = null;
  run?.();
};
beforeEach(() => {
  now = 1000;
  next = null;
  vi.stubGlobal("requestAnimationFrame", (f: () => void) => {
    next = f;
    return 1;
  });
  vi.stubGlobal("cancelAnimationFrame", () => {
    next = null;
  });
  vi.spyOn(performance, "now").mockImplementation(() => now);
  // Still to 0.5 s, action to 2.5 s, still to 3 s; 30 frames a second.
  desk = smallDesk(sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 10 })] }]));
});
afterEach(() => {
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});
const at = () => Math.round((desk.state.ticks / seconds(1)) * 1000) / 1000;
const play = (change: Partial<Desk["state"]["play"]>) => desk.set({ play: { ...desk.state.play, ...change } });

test("keeps time and says how many frames it left out", () => {
  desk.play();
  frame(0);
  frame(100);
  expect(at()).toBe(0.1);
  frame(200);
  expect(at()).toBe(0.3);
  expect(desk.state.dropped).toBe(2 + 5);
});

test("every frame leaves none out, however long each takes", () => {
  play({ every: true });
  desk.play();
  frame(0);
  for (let i = 1; i <= 5; i++) {
    frame(400);
    expect(at()).toBeCloseTo(i / 30, 3);
  }
  expect(desk.state.dropped).toBe(0);
  // A fast screen waits for a frame's own time.
  frame(10);
  expect(at()).toBeCloseTo(5 / 30, 3);
});

test("backward comes to rest at the beginning; begun there it starts from the end", () => {
  desk.seek(seconds(0.5));
  desk.play(true);
  frame(0);
  frame(200);
  expect([at(), desk.state.backward]).toEqual([0.3, true]);
  frame(600);
  expect([at(), desk.state.playing]).toEqual([0, false]);
  desk.play(true);
  expect(at()).toBe(3);
});

test("a loop never shows its end, there and back turns round, and both keep to the range", () => {
  desk.set({ range: { from: seconds(1), to: seconds(2) } });
  play({ atEnd: "loop" });
  desk.play();
  frame(0);
  expect(at()).toBe(1);
  frame(1100);
  expect(at()).toBe(1.1);
  desk.pause();
  play({ atEnd: "turn" });
  desk.seek(seconds(1.9));
  desk.play();
  frame(0);
  frame(300);
  expect([at(), desk.state.backward, desk.state.playing]).toEqual([1.8, true, true]);
});

test("speeds, and the seam of a loop slowly", () => {
  play({ speed: 2 });
  desk.play();
  frame(0);
  frame(500);
  expect(at()).toBe(1);
  desk.pause();
  play({ speed: 1, atEnd: "loop", seam: true });
  desk.seek(seconds(2.8));
  desk.play();
  frame(0);
  frame(500);
  expect(at()).toBe(2.9);
});
