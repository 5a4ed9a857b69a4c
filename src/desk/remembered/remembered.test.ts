import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { smallIndex } from "../../../tests/support/assembly";
import { lastAids, rememberAids } from "./aidsStore";
import { loadPending, storePending } from "./pendingStore";
import { lastSnapping, rememberSnapping, SNAPPING_DEFAULT } from "./snappingStore";
import {
  lastBelow,
  lastCurves,
  lastPlay,
  lastRange,
  lastSequence,
  lastTiming,
  rememberBelow,
  rememberCurves,
  rememberPlay,
  rememberRange,
  rememberSequence,
  rememberTiming,
} from "./timingStore";

const kept = new Map<string, string>();
const storage = (fails = false) => ({
  getItem: (k: string) => {
    if (fails) throw new Error("denied");
    return kept.get(k) ?? null;
  },
  setItem: (k: string, v: string) => {
    if (fails) throw new Error("full");
    kept.set(k, v);
  },
  removeItem: (k: string) => kept.delete(k),
});
beforeEach(() => {
  kept.clear();
  vi.stubGlobal("localStorage", storage());
});
afterEach(() => vi.unstubAllGlobals());

describe("what a browser remembers", () => {
  test("helps come back, but not a second view", () => {
    const aids = {
      ...lastAids(),
      ghosts: true,
      path: false,
      working: true,
      pictures: false,
      framing: false,
      second: "other",
    };
    rememberAids(aids);
    expect(lastAids()).toEqual({ ...aids, second: "" });
  });
  test("snapping comes back with sensible numbers", () => {
    rememberSnapping({ ...SNAPPING_DEFAULT, distanceMm: 2.5, from: "grid", geometry: true });
    expect(lastSnapping()).toEqual({ ...SNAPPING_DEFAULT, distanceMm: 2.5, from: "grid", geometry: true });
    kept.set("plextan-snapping", '{"distanceMm":-3,"angleDeg":"x","from":"moon"}');
    expect(lastSnapping()).toEqual(SNAPPING_DEFAULT);
  });
  test("how it is played comes back, within what is possible; blocked playing and slow seams do not", () => {
    rememberPlay({ ...lastPlay(), speed: 50, atEnd: "loop", blocked: true, seam: true });
    expect(lastPlay()).toMatchObject({ speed: 4, atEnd: "loop", blocked: false, seam: false });
    rememberPlay({ ...lastPlay(), speed: 0.01 });
    expect(lastPlay().speed).toBe(0.1);
  });
  test("timing, lanes or curves, the open sequence and the range of each sequence come back", () => {
    rememberTiming({ snap: false, along: true });
    rememberBelow("curves");
    rememberSequence("p", "s2");
    rememberRange("s2", { from: 10, to: 20 });
    rememberCurves({ ...lastCurves(), frames: true });
    expect([
      lastTiming(),
      lastBelow(),
      lastSequence("p"),
      lastSequence("q"),
      lastRange("s2"),
      lastRange("s1"),
      lastCurves().frames,
    ]).toEqual([{ snap: false, along: true }, "curves", "s2", "", { from: 10, to: 20 }, null, true]);
    rememberRange("s2", null);
    expect(lastRange("s2")).toBeNull();
  });
  test("pending poses come back for parts and groups that are there; none leaves nothing behind", () => {
    const pose = (key: string, at = 5) => ({ target: { type: "node" as const, key }, at, values: { "slide.x": 1 } });
    storePending("s", {
      a: pose("root/arm"),
      b: pose("root/gone"),
      c: { ...pose("root/arm"), target: { type: "group", id: "g" } },
      d: pose("root/arm", Number.NaN),
    });
    expect(Object.keys(loadPending("s", smallIndex(), {}))).toEqual(["a"]);
    expect(Object.keys(loadPending("s", smallIndex(), { g: {} }))).toEqual(["a", "c"]);
    storePending("s", {});
    expect(kept.size).toBe(0);
  });
});

describe("a browser that remembers nothing, or nonsense", () => {
  test("is as on the first day, and nothing breaks", () => {
    vi.stubGlobal("localStorage", storage(true));
    rememberAids({ ...lastAids(), ghosts: true });
    rememberSnapping(SNAPPING_DEFAULT);
    rememberPlay(lastPlay());
    storePending("s", { a: { target: { type: "node", key: "root/arm" }, at: 1, values: {} } });
    expect([
      lastAids().ghosts,
      lastSnapping(),
      lastTiming().snap,
      lastBelow(),
      loadPending("s", smallIndex(), {}),
    ]).toEqual([false, SNAPPING_DEFAULT, true, "lanes", {}]);
    vi.stubGlobal("localStorage", storage());
    for (const name of [
      "plextan-aids",
      "plextan-snapping",
      "plextan-play",
      "plextan-timing",
      "plextan-curves",
      "plextan-pending-s",
    ])
      kept.set(name, "{nonsense");
    expect([
      lastAids().path,
      lastSnapping(),
      lastPlay().speed,
      lastTiming().snap,
      loadPending("s", smallIndex(), {}),
    ]).toEqual([true, SNAPPING_DEFAULT, 1, true, {}]);
    kept.set("plextan-aids", '{"path":"yes","ghosts":1}');
    expect([lastAids().path, lastAids().ghosts]).toEqual([true, false]);
  });
});
