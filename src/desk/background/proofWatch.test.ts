import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { key, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import type { Desk } from "../port";
import { watchProof } from "./proofWatch";

/** Longer than it has to be quiet before it is looked. */
const A_WHILE = 2000;

/** A worker that answers when the test says so. */
class Slow {
  static made: Slow[] = [];
  onmessage: ((e: { data: unknown }) => void) | null = null;
  asked: { id: number; name: string }[] = [];
  ended = false;
  constructor() {
    Slow.made.push(this);
  }
  addEventListener(kind: string, hear: (e: { data: unknown }) => void): void {
    if (kind === "message") this.onmessage = hear;
  }
  postMessage(m: { id: number; name: string }): void {
    this.asked.push(m);
  }
  terminate(): void {
    this.ended = true;
  }
}

let desk: Desk;
beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal("cancelAnimationFrame", () => {});
  vi.spyOn(console, "warn").mockImplementation(() => {});
  Slow.made = [];
  desk = smallDesk(sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "slide.x": 4 })] }]));
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

test("where no worker can be had it is switched off, so that it says so and can be tried again", async () => {
  desk.set({ aids: { ...desk.state.aids, proof: true } });
  const end = watchProof(desk);
  await vi.advanceTimersByTimeAsync(A_WHILE);
  expect([desk.state.aids.proof, desk.state.proofShare, desk.state.proof]).toEqual([false, null, null]);
  expect(console.warn).toHaveBeenCalledTimes(1);
  end();
});

test("it looks when it has been quiet, and stops as soon as something plays", async () => {
  vi.stubGlobal("Worker", Slow);
  desk.set({ aids: { ...desk.state.aids, proof: true } });
  const end = watchProof(desk);
  expect(desk.state.proofShare).toBeNull();
  await vi.advanceTimersByTimeAsync(A_WHILE);
  expect(desk.state.proofShare).toBe(0);
  desk.set({ playing: true });
  expect(desk.state.proofShare).toBeNull();
  // What was given up is not told as a failure.
  await vi.advanceTimersByTimeAsync(10);
  expect([desk.state.aids.proof, vi.mocked(console.warn).mock.calls.length]).toEqual([true, 0]);
  desk.set({ playing: false });
  end();
  expect(Slow.made.every((w) => w.ended)).toBe(true);
});

test("it does not look where nobody wants to know", async () => {
  vi.stubGlobal("Worker", Slow);
  desk.set({ aids: { ...desk.state.aids, proof: false } });
  const end = watchProof(desk);
  await vi.advanceTimersByTimeAsync(A_WHILE);
  expect([Slow.made.length, desk.state.proofShare]).toEqual([0, null]);
  end();
});
