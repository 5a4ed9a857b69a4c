import { BufferGeometry } from "three";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { key, seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { pose } from "../../core/program/pose";
import { createPose } from "../../core/program/sampling";
import type { PathShown } from "../../stage/aids";
import type { Stage } from "../../stage/stage";
import type { Desk } from "../port";
import { select } from "../selection/selecting";
import { watchAids } from "./aidsWatch";

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

const film = () =>
  sequenceOf([
    { "root/arm": [key("a", 1, 1, { "slide.x": 40 })], camera: [key("c", 1.5, 1, { azimuth: 90 })] },
    { "root/base": [key("b", 1, 1, { "slide.z": 15 })] },
  ]);

/** A desk with a stage that remembers what it was told last. */
function watched(also: (desk: Desk) => void = () => {}) {
  const desk = smallDesk(film());
  also(desk);
  const drawn = new BufferGeometry();
  const told = {
    paths: [] as readonly PathShown[],
    ghosts: [] as readonly { geometry: BufferGeometry; matrices: Float64Array[] }[],
    second: undefined as number | string | null | undefined,
    seconds: 0,
  };
  const stage = {
    invalidate: () => {},
    assembly: { shapeOf: (n: number) => ((desk.index.assembly.nodes[n]?.geometry ?? -1) >= 0 ? drawn : null) },
    aids: {
      setPaths: (paths: readonly PathShown[]) => Object.assign(told, { paths }),
      setGhosts: (ghosts: typeof told.ghosts) => Object.assign(told, { ghosts }),
    },
    setSecond: (second: number | string | null) => Object.assign(told, { second, seconds: told.seconds + 1 }),
  } as unknown as Stage;
  const stop = watchAids(desk, stage);
  const aids = (more: Partial<Desk["state"]["aids"]>) => desk.set({ aids: { ...desk.state.aids, ...more } });
  const node = (name: string) => desk.index.indexOf.get(name) as number;
  return { desk, told, stop, aids, node };
}
const kinds = (paths: readonly PathShown[]) => paths.map((p) => p.kind).sort();

test("the path of what is selected is where it goes in the step at the playhead, and the camera's beside it", async () => {
  const { desk, told, stop, aids, node } = watched((d) => d.set({ through: false }));
  aids({ path: true });
  select(desk, [node("root/arm")]);
  await vi.runAllTimersAsync();
  expect(kinds(told.paths)).toEqual(["camera", "part"]);
  const points = told.paths.find((p) => p.kind === "part")?.points ?? new Float32Array();
  const [first, last] = [Array.from(points.subarray(0, 3)), Array.from(points.subarray(-3))];
  expect(Math.hypot(...first.map((v, k) => v - (last[k] ?? 0)))).toBeCloseTo(40, 3);
  // Another step, in which the arm stands: no path of it, nor of the camera.
  desk.set({ ticks: seconds(4) });
  await vi.runAllTimersAsync();
  expect(kinds(told.paths)).toEqual([]);
  select(desk, [node("root/base")]);
  await vi.runAllTimersAsync();
  expect(kinds(told.paths)).toEqual(["part"]);
  // Through the camera its own path is not seen; what does not move has none.
  desk.set({ ticks: 0, through: true });
  select(desk, [node("root")]);
  await vi.runAllTimersAsync();
  expect(kinds(told.paths)).toEqual([]);
  desk.set({ through: false });
  select(desk, [node("root/arm")]);
  await vi.runAllTimersAsync();
  expect(kinds(told.paths)).toEqual(["camera", "part"]);
  aids({ path: false });
  await vi.runAllTimersAsync();
  expect(told.paths).toEqual([]);
  stop();
});

test("ghosts stand where the part is a little before and after, within the film, and not while it plays", async () => {
  const { desk, told, stop, aids, node } = watched();
  desk.set({ ticks: seconds(1) });
  select(desk, [node("root/arm")]);
  await vi.runAllTimersAsync();
  expect(told.ghosts).toEqual([]);
  aids({ ghosts: true });
  expect(told.ghosts).toHaveLength(2);
  const at = createPose(desk.program);
  const a = node("root/arm/a");
  [0.4, 0.7, 1.3, 1.6].forEach((t, i) => {
    pose(desk.program, seconds(t), at);
    expect(Array.from(told.ghosts[0]?.matrices[i] ?? [])).toEqual(Array.from(at.world.slice(16 * a, 16 * a + 16)));
  });
  // At the beginning of the film there is no before.
  desk.set({ ticks: 0 });
  expect(told.ghosts[0]?.matrices).toHaveLength(2);
  desk.set({ playing: true });
  expect(told.ghosts).toEqual([]);
  desk.set({ playing: false });
  expect(told.ghosts).toHaveLength(2);
  select(desk, []);
  expect(told.ghosts).toEqual([]);
  stop();
});

test("the second view is none, the other of the two, or through a camera; while it plays it is not told anew", async () => {
  const { desk, told, stop, aids } = watched();
  expect(told.second).toBeNull();
  aids({ second: "other" });
  expect(told.second).toBe("other");
  aids({ second: "main" });
  expect(told.second).toBe(desk.program.cameras.get("main")?.first);
  aids({ second: "gone" });
  expect(told.second).toBeNull();
  const before = told.seconds;
  desk.set({ playing: true });
  for (let t = 1; t < 20; t++) desk.set({ ticks: seconds(t / 10) });
  expect(told.seconds).toBe(before);
  stop();
  aids({ second: "main" });
  expect(told.seconds).toBe(before);
});
