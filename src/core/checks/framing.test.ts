import fc from "fast-check";
import { Matrix4, Vector3 } from "three";
import { describe, expect, test } from "vitest";
import {
  CAMERA,
  cubePackage,
  key,
  preparation,
  seconds,
  sequenceOf,
  smallIndex,
} from "../../../tests/support/assembly";
import { real } from "../../../tests/support/real";
import { cameraMatrix, SENSOR_WIDTH_MM } from "../camera/camera";
import { CAMERA_CHANNELS, type CameraValues } from "../document/sequence";
import { nth } from "../math/packed";
import { compile } from "../program/compile";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose } from "../program/sampling";
import { actingNodes, checkFraming, type StepFraming } from "./framing";

const { geometries } = cubePackage();
const index = smallIndex();
const nodeOf = (k: string) => index.indexOf.get(k) as number;
const BASE = nodeOf("root/base");

function film(camera: Partial<CameraValues>, slide = 60, prepared = preparation()): Program {
  const s = sequenceOf([{ "root/base": [key("a", 1.5, 1, { "slide.x": slide, "turn.y": 40 })] }]);
  const main = s.cameras.main;
  if (main) main.home = { ...CAMERA, ...camera };
  return compile(index, prepared, s);
}

/** Where the eight corners of a cube are in the picture (1 is its edge), by the well-known library. */
function corners(p: Program, ticks: number, node: number): { u: number; v: number; ahead: number }[] {
  const at = createPose(p);
  pose(p, ticks, at);
  const m = new Array<number>(16).fill(0);
  cameraMatrix(m, at.camera, 0, "z");
  const back = new Matrix4().fromArray(m).invert();
  const world = new Matrix4().fromArray(at.world, 16 * node);
  const tan = SENSOR_WIDTH_MM / 2 / nth(at.camera, CAMERA_CHANNELS.indexOf("lens"));
  return [0, 1, 2, 3, 4, 5, 6, 7].map((c) => {
    const q = new Vector3(c & 1 ? 5 : -5, c & 2 ? 5 : -5, c & 4 ? 5 : -5).applyMatrix4(world).applyMatrix4(back);
    return { u: q.x / -q.z / tan, v: (q.y / -q.z / tan) * (1280 / 720), ahead: -q.z };
  });
}
const frames = Array.from({ length: 90 }, (_, f) => seconds(f / 30));

describe("what acts in a step", () => {
  test("is in the picture or not at every frame, and so large, as its corners say", () => {
    const view = fc.record({
      azimuth: real(-180, 180),
      elevation: real(-60, 60),
      roll: real(-90, 90),
      distance: real(120, 500),
      lens: real(20, 90),
      "aim.y": real(-60, 0),
    });
    fc.assert(
      fc.property(view, (camera) => {
        const p = film(camera);
        const told = checkFraming(p, geometries)[0] as StepFraming;
        let [least, most, worst] = [Infinity, 0, 0];
        const out: number[] = [];
        for (const t of frames) {
          const c = corners(p, t, BASE);
          if (c.some((q) => q.ahead <= 0)) return;
          const of = (pick: (...v: number[]) => number, k: "u" | "v") => pick(...c.map((q) => q[k]));
          const size = Math.max(of(Math.max, "u") - of(Math.min, "u"), of(Math.max, "v") - of(Math.min, "v")) / 2;
          least = Math.min(least, size);
          most = Math.max(most, size);
          const reach = Math.max(...c.map((q) => Math.max(Math.abs(q.u), Math.abs(q.v))));
          if (reach > 1 + 1e-9) {
            out.push(t);
            worst = Math.max(worst, reach);
          }
        }
        expect(told.acting).toEqual([BASE]);
        expect(told.least).toBeCloseTo(least, 5);
        expect(told.most).toBeCloseTo(most, 5);
        expect(frames.filter((t) => told.outside.some((o) => t >= o.t0 && t <= o.t1))).toEqual(out);
        expect(Math.max(0, ...told.outside.map((o) => o.worst))).toBeCloseTo(worst, 5);
        for (const o of told.outside) expect(o.nodes).toEqual([BASE]);
      }),
      { numRuns: 40 },
    );
  });
  test("is infinitely far out behind the camera, and is not looked at where it cannot be seen", () => {
    const behind = checkFraming(film({ distance: 30, "aim.x": 400, azimuth: -90, elevation: 0 }, 0), geometries)[0];
    expect(behind?.outside.map((o) => o.worst)).toEqual([Number.POSITIVE_INFINITY]);
    const hidden = { ...preparation(), nodes: { "root/base": { hidden: true } } };
    const none = checkFraming(film({ distance: 30 }, 60, hidden), geometries)[0];
    expect([none?.acting, none?.outside, none?.least, none?.most]).toEqual([[], [], 0, 0]);
  });
  test("is every drawn part below what moves, each once, in their order; what draws attention counts, labels do not", () => {
    const s = sequenceOf([
      { "root/base": [key("a", 1, 1, { "slide.x": 1 })], "root/arm": [key("b", 1, 1, { "slide.x": 1 })] },
    ]);
    const p = compile(index, preparation(), s);
    expect(actingNodes(p, "s0")).toEqual([nodeOf("root/arm/a"), nodeOf("root/arm/b"), BASE]);
    const step = s.steps.s0;
    const move = step?.moves["m-root_arm"];
    if (!step || !move) throw new Error("no move");
    expect(
      actingNodes(
        compile(index, preparation(), { ...s, steps: { s0: { ...step, moves: { a: { ...move, on: false } } } } }),
        "s0",
      ),
    ).toEqual([]);
    expect(actingNodes(p, "gone")).toEqual([]);
  });
});

describe("what stands before something that acts", () => {
  const other = nodeOf("root/arm/a");
  /** Rays meet something on their way to points on one side of the part. */
  const look = (hides: (at: readonly number[]) => boolean, by = other) =>
    checkFraming(film({ distance: 400 }), geometries, { cast: (_, __, to) => (hides(to) ? by : -1) })[0]?.covered ?? [];

  test("is named with the share that is left and the moment, where it hides nearly all at every look", () => {
    const [found] = look(() => true);
    expect(found).toMatchObject({ node: BASE, seen: 0, by: other });
    // The first of the looks that is as bad as it gets: the beginning of the action.
    expect(found?.ticks).toBe(seconds(0.5));
  });
  test("says nothing where a fair share is seen, at any one of the looks, or where it acts itself", () => {
    let n = 0;
    expect(look(() => ++n % 3 !== 0)).toEqual([]);
    expect(look(() => true, BASE)).toEqual([]);
    const end = film({ distance: 400 });
    const seenAtEnd = checkFraming(end, geometries, {
      cast: (at) => (Math.abs(nth(at.world, 16 * BASE + 12) - 60) < 1e-6 ? -1 : other),
    })[0];
    expect(seenAtEnd?.covered).toEqual([]);
  });
  test("rays go from the camera to points of the part as it stands then", () => {
    const p = film({ distance: 400 });
    const places: number[][] = [];
    const from: number[][] = [];
    checkFraming(p, geometries, {
      cast: (at, eye, to) => {
        const world = new Matrix4().fromArray(at.world, 16 * BASE).invert();
        places.push(new Vector3(...(to as [number, number, number])).applyMatrix4(world).toArray());
        from.push([...eye]);
        return other;
      },
    });
    expect(places.length).toBeGreaterThanOrEqual(5 * 8);
    for (const q of places) for (const v of q) expect(Math.abs(v)).toBeCloseTo(5, 4);
    for (const e of from) expect(Math.hypot(...e)).toBeCloseTo(400, 6);
  });
});

test("it stops when it is told to, and says how far it is", () => {
  const shares: number[] = [];
  const s = sequenceOf([{ "root/base": [key("a", 1, 1, { "slide.x": 1 })] }, {}, {}]);
  const p = compile(index, preparation(), s);
  expect(checkFraming(p, geometries, { progress: (share) => shares.push(share) < 2 })).toHaveLength(2);
  expect(shares).toEqual([0, expect.closeTo(1 / 3, 9)]);
  const whole: number[] = [];
  expect(checkFraming(p, geometries, { progress: (share) => whole.push(share) > 0 })).toHaveLength(3);
  expect(whole.at(-1)).toBe(1);
});
