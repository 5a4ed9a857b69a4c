import fc from "fast-check";
import { describe, expect, test } from "vitest";
import {
  CAMERA,
  cubePackage,
  key,
  preparation,
  seconds,
  sequenceOf,
  smallAssembly,
  smallIndex,
} from "../../../tests/support/assembly";
import { indexAssembly } from "../assembly/assembly";
import { abruptPlaces } from "../checks/abrupt";
import { Cover, coversOf } from "../checks/cover";
import { actingNodes, checkFraming } from "../checks/framing";
import type { Sequence } from "../document/sequence";
import {
  addCamera,
  beginWithCamera,
  removeCamera,
  renameCamera,
  shiftViews,
  smoothCamera,
} from "../edit/cameraCommands";
import { runCommand } from "../edit/history";
import { addMove, makeMove } from "../edit/moveCommands";
import { invertedAffine, transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import { compile } from "../program/compile";
import { pose } from "../program/pose";
import { createPose } from "../program/sampling";
import { TICKS_PER_SECOND } from "../time/time";
import { flowHandles, flowSlopes } from "./flow";
import { hullPoints } from "./hull";

const STEADY = { kind: "soft", start: 0, stop: 0 } as const;
const index = smallIndex();
const compiled = (s: Sequence) => compile(index, preparation(), s);
const camera = (keys: ReturnType<typeof key>[]) => sequenceOf([{ camera: keys }]);
const azimuthAt = (s: Sequence, t: number) => {
  const p = compiled(s);
  const out = createPose(p);
  pose(p, nth(p.steps.action, 0) + seconds(t), out);
  return nth(out.camera, 3);
};

describe("abrupt places", () => {
  test("a corner between two steady swings is found where it is, with its speeds; worst first", () => {
    // 30 degrees a second to the right, then 60 a second back.
    const s = camera([key("a", 1, 1, { azimuth: 60 }, STEADY), key("b", 2, 1, { azimuth: 0 }, STEADY)]);
    const places = abruptPlaces(compiled(s));
    expect(places[0]?.ticks).toBe(seconds(1.5));
    const perSecond = (deg: number) => deg * Math.cos((20 * Math.PI) / 180) * Math.SQRT2;
    expect(places[0]?.before).toBeCloseTo(perSecond(30), 1);
    expect(places[0]?.after).toBeCloseTo(perSecond(60), 1);
    expect(places[0]?.turn).toBeGreaterThan(179);
    expect(places.map((p) => p.ticks)).toEqual([seconds(1.5), seconds(2.5), seconds(0.5)]);
  });
  test("are the same wherever the world has its origin", () => {
    const at = (x: number) => {
      const s = camera([
        key("a", 1, 1, { "aim.x": x + 40, distance: 900, azimuth: 60 }, STEADY),
        key("b", 2, 1, { distance: 300 }, STEADY),
      ]);
      (s.cameras.main as Sequence["cameras"][string]).home = { ...CAMERA, "aim.x": x };
      return abruptPlaces(compiled(s));
    };
    const [here, far] = [at(0), at(10_000)];
    expect(far.map((p) => p.ticks)).toEqual(here.map((p) => p.ticks));
    far.forEach((p, i) => {
      expect(p.jump / (here[i]?.jump as number)).toBeCloseTo(1, 6);
    });
  });
  test("soft ends have none, and a cut is no jerk", () => {
    expect(abruptPlaces(compiled(camera([key("a", 1, 1, { azimuth: 60 })])))).toEqual([]);
    let s = camera([key("a", 1, 1, { azimuth: 60 })]);
    s = runCommand(s, addCamera("side", "Side", { ...CAMERA, azimuth: 200 })).document;
    const cut = makeMove(
      "camera-cut",
      { index, preparation: preparation(), targets: [], camera: "side", nodesOf: () => [], view: {} },
      seconds(0.5),
      "Cut",
    );
    s = runCommand(s, addMove("s0", { ...cut, settings: { camera: "side" } } as never)).document;
    expect(abruptPlaces(compiled(s))).toEqual([]);
  });
});

describe("smoothing", () => {
  const values = fc.array(
    fc.record({
      azimuth: fc.integer({ min: -90, max: 90 }),
      distance: fc.integer({ min: 200, max: 900 }),
      "aim.z": fc.integer({ min: -50, max: 50 }),
    }),
    {
      minLength: 2,
      maxLength: 5,
    },
  );
  test("goes through every arrival at its time, with no jerk left, and never beyond what it goes between", () => {
    fc.assert(
      fc.property(values, (list) => {
        const s = camera(list.map((v, i) => key(`k${i}`, 0.5 * (i + 1), 0.5, v, STEADY)));
        const smooth = runCommand(s, smoothCamera(compiled(s), "s0", "main")).document;
        const [a, b] = [compiled(s), compiled(smooth)];
        expect(b.steps.length).toBe(a.steps.length);
        const [pa, pb] = [createPose(a), createPose(b)];
        for (let i = 0; i <= list.length; i++) {
          pose(a, seconds(0.5 + 0.5 * i), pa);
          pose(b, seconds(0.5 + 0.5 * i), pb);
          for (let k = 0; k < 8; k++) expect(pb.camera[k]).toBeCloseTo(nth(pa.camera, k), 6);
        }
        const lo = Math.min(CAMERA.azimuth, ...list.map((v) => v.azimuth));
        const hi = Math.max(CAMERA.azimuth, ...list.map((v) => v.azimuth));
        for (let t = 0; t < b.steps.length; t += seconds(0.05)) {
          pose(b, t, pb);
          expect(pb.camera[3]).toBeGreaterThan(lo - 1e-6);
          expect(pb.camera[3]).toBeLessThan(hi + 1e-6);
        }
        expect(abruptPlaces(b, { least: 6 })).toEqual([]);
      }),
      { numRuns: 40 },
    );
  });
  test("a stand worth its name stays still; ready-made moves become part of the run", () => {
    const s = camera([key("a", 0.5, 0.5, { azimuth: 60 }, STEADY), key("b", 1.5, 0.5, { azimuth: 90 }, STEADY)]);
    const orbit = makeMove(
      "camera-orbit",
      { index, preparation: preparation(), targets: [], camera: "main", nodesOf: () => [], view: {} },
      seconds(1.5),
      "Orbit",
    );
    const both = runCommand(
      s,
      addMove("s0", { ...orbit, length: seconds(1), settings: { ...orbit.settings, degrees: 40 } } as never),
    ).document;
    const smooth = runCommand(both, smoothCamera(compiled(both), "s0", "main")).document;
    for (const t of [0.5, 0.7, 1]) expect(azimuthAt(smooth, t)).toBeCloseTo(60, 9);
    expect(azimuthAt(smooth, 1.5)).toBeCloseTo(90, 9);
    expect(azimuthAt(smooth, 2.5)).toBeCloseTo(130, 9);
    expect(Object.values(smooth.steps.s0?.moves ?? {}).map((m) => m.kind)).toEqual(["hand"]);
  });
  test("channels that arrive together stay in one arrival", () => {
    const s = camera([
      key("a", 1, 1, { azimuth: 60, elevation: 40, distance: 500, "aim.x": 10 }),
      key("b", 2, 1, { azimuth: 90, elevation: 10, distance: 300, "aim.x": 10 }),
    ]);
    const smooth = runCommand(s, smoothCamera(compiled(s), "s0", "main")).document;
    const [move] = Object.values(smooth.steps.s0?.moves ?? {});
    expect(move?.kind === "hand" && Object.values(move.keys).map((k) => Object.keys(k.values).length)).toEqual([4, 4]);
  });
  test("nothing to smooth says so", () => {
    const s = camera([]);
    expect(() => smoothCamera(compiled(s), "s0", "main")).toThrow("nothing to smooth");
  });
  test("slopes are nil at ends and turning points, and the handles are the cubic of those slopes", () => {
    const knots = [0, 1, 3, 2].map((value, i) => ({ at: i * 10, value }));
    const slopes = flowSlopes(knots);
    expect([slopes[0], slopes[2], slopes[3]]).toEqual([0, 0, 0]);
    expect(slopes[1]).toBeCloseTo(0.4 / 3, 12);
    const h = flowHandles({ at: 0, value: 0 }, { at: 10, value: 1 }, 0, nth(slopes, 1));
    // At the end the cubic falls by the arriving handle's value over its share of the time.
    expect(h.kind === "handles" && [h.leave.value, -h.arrive.value / (h.arrive.share * 10)]).toEqual([
      0,
      expect.closeTo(nth(slopes, 1), 12),
    ]);
  });
});

describe("cameras", () => {
  test("are added, renamed, begun with and removed with their moves; the last stays", () => {
    let s = camera([key("a", 1, 1, { azimuth: 60 })]);
    const run = (c: Parameters<typeof runCommand<Sequence>>[1]) => {
      s = runCommand(s, c).document;
    };
    run(addCamera("side", " Side ", CAMERA));
    expect(() => run(addCamera("x", "Side", CAMERA))).toThrow('called "Side" already');
    run(renameCamera("side", "Close"));
    run(beginWithCamera("side"));
    expect([s.cameras.side?.name, s.camera]).toEqual(["Close", "side"]);
    run(removeCamera("main"));
    expect(Object.keys(s.steps.s0?.moves ?? {})).toEqual([]);
    expect(() => run(removeCamera("side"))).toThrow("needs a camera");
  });
  test("kept views are shifted together", () => {
    const s = camera([key("a", 1, 1, { azimuth: 60, "aim.x": 10 })]);
    const shifted = runCommand(s, shiftViews("main", [5, 0, -2])).document;
    const [p, q] = [compiled(s), compiled(shifted)];
    const [a, b] = [createPose(p), createPose(q)];
    for (let t = 0; t < p.steps.length; t += TICKS_PER_SECOND / 4) {
      pose(p, t, a);
      pose(q, t, b);
      expect([0, 1, 2].map((k) => nth(b.camera, k) - nth(a.camera, k)).map((v) => Math.round(v * 1e6) / 1e6)).toEqual([
        5, 0, -2,
      ]);
    }
  });
});

describe("framing", () => {
  const assembly = smallAssembly();
  const g = cubePackage().geometries[0] as never as { positions: Float32Array; indices: Uint32Array };
  const geometries = [g] as never;
  const idx = indexAssembly(assembly);
  const framing = (s: Sequence, options = {}) => checkFraming(compile(idx, preparation(), s), geometries, options);
  const A = "root/arm/a";

  test("a part that leaves the picture is told with the frames, and how far out", () => {
    const near = { ...CAMERA, azimuth: 0, elevation: 0, distance: 300, "aim.x": 100, "aim.y": 20, "aim.z": 0 };
    const s = sequenceOf([{ [A]: [key("k", 1, 1, { "slide.z": 200 }, STEADY)] }]);
    (s.cameras.main as { home: typeof CAMERA }).home = near;
    const [told] = framing(s);
    expect(told?.acting.map((n) => assembly.nodes[n]?.key)).toEqual([A]);
    expect(told?.outside).toHaveLength(1);
    // Independently: the nearest face's upper edge leaves a picture half as high as 18/50*9/16 of its distance.
    const half = (18 / 50) * (9 / 16);
    const size = Math.max(...Array.from(g.positions).map(Math.abs));
    const leaves = half * (300 - size) - size;
    const frame = Math.ceil((0.5 + leaves / 200) * 30 - 1e-9);
    expect(told?.outside[0]?.t0).toBe(frame * (TICKS_PER_SECOND / 30));
    expect(told?.outside[0]?.worst).toBeCloseTo((200 + size) / (half * (300 - size)), 6);
    expect(told?.outside[0]?.t1).toBe(89 * (TICKS_PER_SECOND / 30));
  });
  test("parts that are not seen do not count; a step where nothing acts is fine", () => {
    const s = sequenceOf([{ [A]: [key("k", 1, 1, { "slide.z": 900 }, STEADY), key("v", 0, 0, { visible: 0 })] }, {}]);
    const told = framing(s);
    expect(told[0]?.outside).toEqual([]);
    expect(told[1]).toMatchObject({ acting: [], outside: [], least: 0 });
  });
  test("sizes grow as the camera comes nearer", () => {
    const s = sequenceOf([
      { [A]: [key("k", 1, 1, { "turn.z": 90 }, STEADY)], camera: [key("c", 2, 2, { distance: 250 }, STEADY)] },
    ]);
    const [told] = framing(s);
    expect((told?.most ?? 0) / (told?.least ?? 1)).toBeGreaterThan(1.7);
  });
  test("a part that another always stands before is covered, apart from being out of the picture", () => {
    const s = sequenceOf([{ [A]: [key("k", 1, 1, { "turn.z": 45 }, STEADY)] }]);
    const program = compile(idx, preparation(), s);
    const cover = new Cover(program, geometries, () => false);
    expect(checkFraming(program, geometries, { cast: (...a) => cover.first(...a) })[0]?.covered).toEqual([]);
    // The base grows and stands between.
    const base = "root/base";
    const hiding = sequenceOf([{ [A]: [key("k", 1, 1, { "turn.z": 45 }, STEADY)] }]);
    (hiding.cameras.main as { home: typeof CAMERA }).home = {
      ...CAMERA,
      azimuth: 0,
      elevation: 0,
      "aim.x": 100,
      "aim.y": 20,
      "aim.z": 0,
      distance: 200,
    };
    const moved = assembly.nodes.map((n) =>
      n.key === base ? { ...n, home: [8, 0, 0, 0, 0, 8, 0, 0, 0, 0, 8, 0, 100, -70, 0, 1] } : n,
    );
    const blocked = compile(indexAssembly({ ...assembly, nodes: moved }), preparation(), hiding);
    const wall = new Cover(blocked, geometries, () => false);
    const [told] = checkFraming(blocked, geometries, { cast: (...a) => wall.first(...a) });
    expect(told?.outside).toEqual([]);
    expect(told?.covered).toMatchObject([{ seen: 0 }]);
    expect(assembly.nodes[told?.covered[0]?.by ?? -1]?.key).toBe(base);
    const glass = new Cover(blocked, geometries, () => true);
    expect(checkFraming(blocked, geometries, { cast: (...a) => glass.first(...a) })[0]?.covered).toEqual([]);
  });
  test("a line of sight meets a turned, shifted and resized part exactly where its box is", () => {
    const s = sequenceOf([{ [A]: [key("k", 0, 0, { "slide.x": 35, "turn.z": 45, "size.y": 3 })] }]);
    const program = compile(idx, preparation(), s);
    const cover = new Cover(program, geometries, () => false);
    const at = createPose(program);
    pose(program, seconds(1), at);
    const node = idx.indexOf.get(A) as number;
    const size = Math.max(...Array.from(g.positions).map(Math.abs));
    const inverse = invertedAffine(at.world, 16 * node);
    fc.assert(
      fc.property(fc.tuple(fc.integer({ min: -60, max: 60 }), fc.integer({ min: -60, max: 60 })), ([a, b]) => {
        const middle = [0, 1, 2].map((k) => nth(at.world, 16 * node + 12 + k)) as Triple;
        const from = [middle[0] + a, middle[1] + b, 300];
        const to = [middle[0] + a, middle[1] + b, -300];
        // Straight down in the part's own frame too, since it is turned about that direction only.
        const own = transformPoint(inverse, [nth(from, 0), nth(from, 1), 0]);
        const inside = Math.abs(own[0]) < size - 1e-6 && Math.abs(own[1]) < size - 1e-6;
        const outside = Math.abs(own[0]) > size + 1e-6 || Math.abs(own[1]) > size + 1e-6;
        let met = false;
        cover.each(
          at,
          from,
          to,
          (n) => n !== node,
          () => {
            met = true;
          },
        );
        if (inside) expect(met).toBe(true);
        if (outside) expect(met).toBe(false);
      }),
    );
  });
  test("what stands before a part is found, what does not and what is looked through is not", () => {
    const s = sequenceOf([{}]);
    (s.cameras.main as { home: typeof CAMERA }).home = {
      ...CAMERA,
      azimuth: 0,
      elevation: 0,
      "aim.x": 100,
      "aim.y": 20,
      "aim.z": 0,
      distance: 200,
    };
    const moved = assembly.nodes.map((n) =>
      n.key === "root/base" ? { ...n, home: [8, 0, 0, 0, 0, 8, 0, 0, 0, 0, 8, 0, 100, -70, 0, 1] } : n,
    );
    const blocked = compile(indexAssembly({ ...assembly, nodes: moved }), preparation(), s);
    const covers = (program: typeof blocked, through: boolean) =>
      coversOf(
        new Cover(program, geometries, () => through),
        program,
        geometries,
        [program.index.indexOf.get(A) as number],
        0,
        seconds(1),
      ).map((n) => program.index.assembly.nodes[n]?.key);
    expect(covers(blocked, false)).toContain("root/base");
    expect(covers(blocked, true)).toEqual([]);
    expect(covers(compile(idx, preparation(), s), false)).not.toContain("root/base");
  });
  test("what a group or sub-assembly moves acts with all below it", () => {
    const s = sequenceOf([{ "root/arm": [key("k", 1, 1, { "slide.x": 4 })] }]);
    expect(actingNodes(compile(idx, preparation(), s), "s0").map((n) => assembly.nodes[n]?.key)).toEqual([
      "root/arm/a",
      "root/arm/b",
    ]);
  });
});

describe("hulls", () => {
  test("keep the outermost points in every direction, and are fewer", () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.tuple(
            fc.integer({ min: -99, max: 99 }),
            fc.integer({ min: -99, max: 99 }),
            fc.integer({ min: -99, max: 99 }),
          ),
          { minLength: 1, maxLength: 300 },
        ),
        (points) => {
          const hull = hullPoints(points.flat());
          for (const d of [
            [1, 0, 0],
            [-0.3, 0.8, 0.52],
            [0.1, -0.9, 0.4],
          ]) {
            const most = (list: ArrayLike<number>) => {
              let m = Number.NEGATIVE_INFINITY;
              for (let i = 0; i < list.length; i += 3)
                m = Math.max(
                  m,
                  [0, 1, 2].reduce((sum, k) => sum + nth(list, i + k) * nth(d, k), 0),
                );
              return m;
            };
            expect(most(hull)).toBeCloseTo(most(points.flat()), 6);
          }
        },
      ),
    );
    const ball = Array.from({ length: 2000 }, (_, i) => [
      Math.sin(i) * (i % 7),
      Math.cos(i * 1.3) * (i % 7),
      Math.sin(i * 0.7) * (i % 7),
    ]).flat();
    expect(hullPoints(ball).length).toBeLessThan(ball.length / 2);
  });
});
