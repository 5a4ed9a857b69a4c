import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { hearEvents } from "./events";

class Source {
  static all: Source[] = [];
  onmessage: (e: { data: string }) => void = () => {};
  onerror: () => void = () => {};
  closed = false;
  constructor(readonly path: string) {
    Source.all.push(this);
  }
  close(): void {
    this.closed = true;
  }
}
let hidden = false;
let turned: (() => void) | null = null;
beforeEach(() => {
  vi.useFakeTimers();
  Source.all = [];
  hidden = false;
  vi.stubGlobal("EventSource", Source);
  vi.stubGlobal("document", {
    get hidden() {
      return hidden;
    },
    addEventListener: (_: string, f: () => void) => {
      turned = f;
    },
    removeEventListener: () => {
      turned = null;
    },
  });
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});
const turn = (to: boolean) => {
  hidden = to;
  turned?.();
};
const open = () => Source.all.filter((s) => !s.closed).length;

test("a page that is left in the background lets its connection go, and hears again when it is seen", () => {
  const heard: string[] = [];
  let lost = 0;
  const end = hearEvents(
    "/feed",
    (d) => heard.push(d),
    () => lost++,
  );
  Source.all[0]?.onmessage({ data: "1" });
  // Who looks away for a moment keeps hearing.
  turn(true);
  vi.advanceTimersByTime(3000);
  turn(false);
  vi.advanceTimersByTime(10_000);
  expect([Source.all.length, open(), lost]).toEqual([1, 1, 0]);
  turn(true);
  vi.advanceTimersByTime(6000);
  expect([open(), lost]).toEqual([0, 1]);
  turn(false);
  expect([open(), Source.all.at(-1)?.path]).toEqual([1, "/feed"]);
  Source.all.at(-1)?.onmessage({ data: "2" });
  expect(heard).toEqual(["1", "2"]);
  turn(true);
  end?.();
  vi.advanceTimersByTime(10_000);
  expect([open(), lost, turned]).toEqual([0, 1, null]);
});

test("one that is opened in the background and stays there lets go as well", () => {
  hidden = true;
  const end = hearEvents(
    "/feed",
    () => {},
    () => {},
  );
  expect(open()).toBe(1);
  vi.advanceTimersByTime(6000);
  expect(open()).toBe(0);
  turn(false);
  expect(open()).toBe(1);
  end?.();
});

test("where there are no events it says so", () => {
  vi.stubGlobal("EventSource", undefined);
  expect(
    hearEvents(
      "/feed",
      () => {},
      () => {},
    ),
  ).toBeNull();
});
