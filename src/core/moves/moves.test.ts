import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { key, preparation, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { real } from "../../../tests/support/real";
import { cameraMatrix, SENSOR_WIDTH_MM } from "../camera/camera";
import { parseDocument } from "../document/parse";
import type { Preparation } from "../document/preparation";
import { keysOf, type MadeMove, type Sequence, type Target } from "../document/sequence";
import { difference, toHandKeys } from "../edit/handKeys";
import { runCommand } from "../edit/history";
import { addMove, makeMove, removeMoves, reversedCopies, setSetting, updateMove } from "../edit/moveCommands";
import { nth } from "../math/packed";
import { allReports, compile, recompile } from "../program/compile";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose, sample } from "../program/sampling";
import { eachCorner } from "./cameraPieces";
import { type MakeContext, STEADY } from "./kind";
import { MOVE_KINDS, moveKindOf } from "./kinds";

const ARM = "root/arm";
const arm: Target = { type: "node", key: ARM };
const index = smallIndex();
const prepared: Preparation = {
  ...preparation(),
  joints: {
    h: {
      id: "h",
      name: "Swing",
      target: { type: "node", key: ARM },
      kind: "hinge",
      point: [0, 0, 0],
      direction: [0, 0, 1],
      zero: 0,
      flipped: false,
      pitch: 0,
      limits: null,
    },
    s: {
      id: "s",
      name: "Thread",
      target: { type: "node", key: ARM },
      kind: "screw",
      point: [0, 0, 0],
      direction: [0, 0, 1],
      zero: 0,
      flipped: true,
      pitch: -2,
      limits: null,
    },
  },
  poses: {
    open: { id: "open", name: "open", target: { type: "node", key: ARM }, values: { "joint.h": 110, "slide.x": 4 } },
  },
  looks: {
    bright: {
      id: "bright",
      name: "Bright",
      nodes: {},
      surroundings: preparation().surroundings,
      thumbnail: null,
    } as never,
  },
};
const context = (targets: Target[] = [arm]): MakeContext => ({
  index,
  preparation: prepared,
  targets,
  camera: "main",
  nodesOf: (t) => (t.type === "node" ? [index.indexOf.get(t.key) as number] : []),
  view: { lens: 50 },
});
/** A sequence of one step with moves; each with settings of its own, steady, from 0.5 s for 1 s unless said. */
function withMoves(
  moves: [kind: string, settings?: Record<string, unknown>, more?: Partial<MadeMove>][],
  base: Sequence = sequenceOf([{}]),
): Sequence {
  let s = base;
  moves.forEach(([kind, settings, more], i) => {
    const made = makeMove(kind, context(), seconds(0.5), kind);
    Object.assign(made, { id: `m${i}`, ease: STEADY, length: seconds(1) }, more);
    s = runCommand(s, addMove("s0", { ...made, settings: { ...made.settings, ...settings } } as MadeMove)).document;
  });
  return parseDocument("sequence", s);
}
const value = (p: Program, t: number, channel: string, target: Target = arm) => {
  const out = createPose(p);
  sample(p, nth(p.steps.action, 0) + seconds(t), out);
  return nth(out.values, p.channelOf(target, channel));
};
const at = (s: Sequence, channel: string, times: number[], target: Target = arm) => {
  const p = compile(index, prepared, s);
  return times.map((t) => value(p, t, channel, target));
};
/** Where a point is in the picture, -1..1 across and up; worked out anew, apart from the code under test. */
function project(camera: ArrayLike<number>, aspect: number, point: readonly number[]): [number, number] {
  const m = new Array<number>(16).fill(0);
  cameraMatrix(m, camera, 0, "z");
  const along = (c: number) => [0, 1, 2].reduce((sum, k) => sum + (nth(point, k) - nth(m, 12 + k)) * nth(m, c + k), 0);
  const tan = SENSOR_WIDTH_MM / 2 / nth(camera, 7);
  return [along(0) / -along(8) / tan, (along(4) / -along(8) / tan) * aspect];
}
const MID = [0.5, 1, 1.5, 2];

test("a linked part is taken off by a ready-made move, on top of what drives it; turned by one it is not", () => {
  const B: Target = { type: "node", key: "root/base" };
  const linked: Preparation = {
    ...prepared,
    joints: {
      ...prepared.joints,
      b: { ...(prepared.joints.h as NonNullable<typeof prepared.joints.h>), id: "b", target: B },
    },
    links: { l: { id: "l", name: "Link", driver: "h", follower: "b", kind: "ratio", num: 2, den: 1, offset: 0 } },
  };
  const s = withMoves([
    ["take-off", { direction: [0, 0, 1], distance: 40 }, { targets: [B] }],
    ["turn", { axis: "turn.x", joints: [], degrees: 90 }, { targets: [B] }],
  ]);
  const p = compile(index, linked, s);
  expect(value(p, 2, "slide.z", B)).toBe(40);
  expect(value(p, 2, "turn.x", B)).toBe(0);
  expect(allReports(p).map((r) => [r.code, r.channel])).toEqual([["linked", "turn.x"]]);
  // By hand it is only driven: keys could not take it off, so none are made.
  expect(() => toHandKeys(p, { step: "s0", move: "m0" })).toThrow("only a ready-made move can");
});

describe("every kind", () => {
  test.each(MOVE_KINDS.filter((k) => k.kind !== "back").map((k) => [k.kind]))(
    "%s is made, stored, described and compiled",
    (kind) => {
      const s = withMoves([[kind]]);
      const move = s.steps.s0?.moves.m0 as MadeMove;
      expect(moveKindOf(kind).describe(move, prepared).length).toBeGreaterThan(3);
      const program = compile(index, prepared, s);
      expect(allReports(program)).toEqual([]);
      const out = createPose(program);
      for (let t = 0; t < program.steps.length; t += seconds(0.1)) {
        pose(program, t, out);
        expect(out.world.every(Number.isFinite) && out.values.every(Number.isFinite)).toBe(true);
      }
    },
  );
  test.each(MOVE_KINDS.map((k) => [k.kind, k]))("%s has fields for settings that exist", (kind, spec) => {
    if (kind === "back") return;
    const move = withMoves([[kind as string]]).steps.s0?.moves.m0 as MadeMove;
    for (const field of spec.fields) {
      const found = field.name.split(".").reduce<unknown>((o, k) => (o as Record<string, unknown>)[k], move.settings);
      expect(found, field.name).not.toBeUndefined();
    }
  });
});

describe("exact values at the start, in the middle, at the end", () => {
  test("slide", () => {
    expect(at(withMoves([["slide", { direction: [0.6, 0.8, 0], distance: 50 }]]), "slide.y", MID)).toEqual([
      0, 20, 40, 40,
    ]);
    const away = sequenceOf([{ [ARM]: [key("a", 0.2, 0.2, { "slide.z": 12 })] }]);
    expect(at(withMoves([["slide", { way: "home" }]], away), "slide.z", MID)).toEqual([12, 6, 0, 0]);
  });
  test("turn by, to and home; about the part's own joint where it has one", () => {
    expect(at(withMoves([["turn", { degrees: 540 }]]), "joint.h", MID)).toEqual([0, 270, 540, 540]);
    expect(at(withMoves([["turn", { axis: "turn.x", joints: [], way: "to", degrees: -90 }]]), "turn.x", MID)).toEqual([
      0, -45, -90, -90,
    ]);
    const away = sequenceOf([{ [ARM]: [key("a", 0.2, 0.2, { "joint.h": 720 })] }]);
    expect(at(withMoves([["turn", { way: "home" }]], away), "joint.h", MID)).toEqual([720, 360, 0, 0]);
  });
  test("unscrewing goes out along the stored direction, whatever the hand of the thread and the joint's sense", () => {
    const s = withMoves([["unscrew", { turns: 3.5 }]]);
    const p = compile(index, prepared, s);
    const out = createPose(p);
    pose(p, p.steps.length, out);
    const node = index.indexOf.get(ARM) as number;
    expect(nth(out.world, 16 * node + 14) - nth(index.homeWorld, 16 * node + 14)).toBeCloseTo(7, 9);
    expect(Math.abs(value(p, 2, "joint.s"))).toBe(1260);
  });
  test("indexing rests between its jumps", () => {
    const s = withMoves([["index", { jumps: 3, degrees: 36, dwell: seconds(0.2) }]]);
    expect(at(s, "joint.h", [0.5, 0.5 + 0.2, 0.5 + 0.3, 0.5 + 0.6, 0.5 + 0.65, 1.5])).toEqual([0, 36, 36, 72, 72, 108]);
  });
  test("growing goes along all axes about the pivot, rests and comes back to what it was", () => {
    const s = withMoves([["grow", { factor: 1.5, restore: true, hold: seconds(0.2) }]]);
    for (const axis of ["x", "y", "z"])
      expect(at(s, `size.${axis}`, [0.5, 0.7, 0.9, 1.1, 1.3, 1.5]).map((v) => Math.round(v * 1e6) / 1e6)).toEqual([
        1, 1.25, 1.5, 1.5, 1.25, 1,
      ]);
    expect(at(withMoves([["grow", { factor: 0.5, restore: false }]]), "size.y", [1, 1.5, 2])).toEqual([0.75, 0.5, 0.5]);
  });
  test("stretching keeps its low end and comes back", () => {
    const base: Target = { type: "node", key: "root/base" };
    const s = withMoves([["stretch", { axis: "z", factor: 2, stays: "low" }, { targets: [base] }]]);
    expect(at(s, "size.z", MID, base)).toEqual([1, 2, 1, 1]);
    const p = compile(index, prepared, s);
    const out = createPose(p);
    const node = index.indexOf.get("root/base") as number;
    pose(p, nth(p.steps.action, 0) + seconds(1), out);
    const end = (m: Float64Array, z: number) => nth(m, 16 * node + 10) * z + nth(m, 16 * node + 14);
    expect(end(out.world, -5)).toBeCloseTo(end(index.homeWorld, -5), 9);
    expect(end(out.world, 5)).toBeCloseTo(end(index.homeWorld, 15), 9);
  });
  test("joint, pose and look", () => {
    expect(at(withMoves([["joint", { joints: ["h"], way: "to", value: 30 }]]), "joint.h", MID)).toEqual([
      0, 15, 30, 30,
    ]);
    const s = withMoves([["pose"]]);
    expect([at(s, "joint.h", MID), at(s, "slide.x", MID)]).toEqual([
      [0, 55, 110, 110],
      [0, 2, 4, 4],
    ]);
    expect(at(withMoves([["look", {}, { length: 0 }]]), "look.bright", [0.4, 0.5], { type: "look" })).toEqual([0, 1]);
  });
  test("attention pulses as often as asked, stays when asked, in its colour", () => {
    const s = withMoves([["attention", { times: 2, colour: "plum" }]]);
    expect(at(s, "tint", [0.5, 0.75, 1, 1.25, 1.5])).toEqual([0, 1, 0, 1, 0]);
    expect(at(s, "tint-colour", [0.4, 0.5])).toEqual([0, 5]);
    expect(at(withMoves([["attention", { times: 2, stays: true }]]), "tint", [1.5, 2])).toEqual([1, 1]);
  });
  test("dimming reaches everything but what is looked at, and goes again", () => {
    const p = compile(index, prepared, withMoves([["attention", { dim: 0.8 }]]));
    const out = createPose(p);
    const node = index.indexOf.get(ARM) as number;
    const others = () =>
      index.assembly.nodes.flatMap((n, i) =>
        n.geometry >= 0 && (i < node || i >= nth(index.end, node)) ? [nth(out.opacity, i)] : [],
      );
    pose(p, nth(p.steps.action, 0) + seconds(1), out);
    expect(out.opacity[node]).toBe(1);
    expect(others().every((v) => Math.abs(v - 0.2) < 1e-12)).toBe(true);
    pose(p, p.steps.length, out);
    expect(others().every((v) => v === 1)).toBe(true);
  });
  test("appear and leave", () => {
    expect(at(withMoves([["leave", { distance: 10, direction: [1, 0, 0] }]]), "opacity", MID)).toEqual([1, 0.5, 0, 0]);
    expect(at(withMoves([["leave"]]), "visible", [1.4, 1.5])).toEqual([1, 0]);
    expect(at(withMoves([["appear", { distance: 10, direction: [1, 0, 0] }]]), "slide.x", MID)).toEqual([10, 5, 0, 0]);
    expect(at(withMoves([["appear"]]), "opacity", MID)).toEqual([0, 0.5, 1, 1]);
  });
  test("take off with its companions, each of its own length", () => {
    const s = withMoves([
      [
        "take-off",
        {
          distance: 80,
          attention: { on: true, length: seconds(0.4), times: 1, colour: "ochre" },
          leaving: { on: true, length: seconds(0.5) },
        },
      ],
    ]);
    expect(at(s, "tint", [0.5, 0.7, 0.9])).toEqual([0, 1, 0]);
    expect(at(s, "slide.z", [0.9, 1.4, 1.9])).toEqual([0, 40, 80]);
    expect(at(s, "opacity", [1.9, 2.15, 2.4])).toEqual([1, 0.5, 0]);
  });
  test("camera moves", () => {
    const camera: Target = { type: "camera", id: "main" };
    const first = nth(at(sequenceOf([{}]), "azimuth", [0], camera), 0);
    expect(at(withMoves([["camera-orbit", { degrees: -140 }]]), "azimuth", MID, camera)).toEqual([
      first,
      first - 70,
      first - 140,
      first - 140,
    ]);
    expect(at(withMoves([["turntable", { turns: 2 }]]), "azimuth", [0.5, 1.5], camera)).toEqual([first, first + 720]);
    const d = nth(at(sequenceOf([{}]), "distance", [0], camera), 0);
    expect(at(withMoves([["camera-push", { share: 0.5 }]]), "distance", [0.5, 1.5], camera)).toEqual([d, d / 2]);
    expect(at(withMoves([["camera-roll", { degrees: 12 }]]), "roll", [0.5, 1.5], camera)).toEqual([0, 12]);
    const s = withMoves([["camera-lens", { way: "angle", angle: 90 }]]);
    expect(at(s, "lens", [1.5], camera)[0]).toBeCloseTo(18, 9);
    // With a beginning of its own it jumps there; the subject keeps its size over the jump as well.
    const own = withMoves([["camera-lens", { way: "mm", mm: 100, from: 25, keep: true }]]);
    expect(at(own, "lens", [0.4, 0.5, 1, 1.5], camera)).toEqual([50, 25, 62.5, 100]);
    expect(at(own, "distance", [0.4, 0.5, 1.5], camera)).toEqual([d, d / 2, 2 * d]);
  });
  test("fitting has every corner inside at every frame until the step ends, and just so", () => {
    const s = withMoves([
      ["camera-fit", { parts: [arm], margin: 0.1, azimuth: 70, elevation: 15 }, { start: 0, length: seconds(0.5) }],
      ["slide", { distance: 150, direction: [1, 0, 0] }],
    ]);
    const p = compile(index, prepared, s);
    const out = createPose(p);
    let widest = 0;
    for (let t = 0.5; t <= 2; t += 1 / 30) {
      pose(p, nth(p.steps.action, 0) + seconds(t), out);
      eachCorner(index, out, [index.indexOf.get(ARM) as number], (x, y, z) => {
        const at = project(out.camera, 1280 / 720, [x, y, z]);
        widest = Math.max(widest, Math.abs(at[0]), Math.abs(at[1]));
      });
    }
    expect(widest).toBeCloseTo(0.9, 6);
  });
  test("following keeps the part in its place in the picture at every frame", () => {
    const s = withMoves([
      ["camera-follow", { part: arm }, { start: seconds(0.5), length: seconds(1) }],
      ["slide", { distance: 90, direction: [1, 0, 0] }],
    ]);
    const p = compile(index, prepared, s);
    const out = createPose(p);
    const seen = [15, 25, 40, 45].map((frame) => {
      pose(p, nth(p.steps.action, 0) + seconds(frame / 30), out);
      const node = index.indexOf.get(ARM) as number;
      return project(out.camera, 16 / 9, Array.from(out.world.subarray(16 * node + 12, 16 * node + 15)));
    });
    for (const at of seen) expect(at[0]).toBeCloseTo(seen[0]?.[0] as number, 9);
  });
  test("orbiting about an axis turns standpoint, aim and horizon about it, at every frame and through the poles", () => {
    const through = [5, 6, 7];
    for (const [axis, degrees] of [
      [[0, 0, 1], 140],
      [[1, 0, 0], 200],
      [[0.6, 0, 0.8], -330],
    ] as const) {
      const s = withMoves([["camera-orbit", { degrees, about: through, axis }]]);
      const p = compile(index, prepared, s);
      const out = createPose(p);
      const matrix = (t: number) => {
        pose(p, nth(p.steps.action, 0) + seconds(t), out);
        const m = new Array<number>(16).fill(0);
        cameraMatrix(m, out.camera, 0, "z");
        return m;
      };
      const first = matrix(0.5);
      for (let f = 0; f <= 30; f++) {
        const now = matrix(0.5 + f / 30);
        // Worked out apart: Rodrigues' rotation of the first standpoint and axes.
        const a = ((degrees * f) / 30) * (Math.PI / 180);
        const turned = (v: readonly number[]) => {
          const [x, y, z] = axis;
          const d = x * nth(v, 0) + y * nth(v, 1) + z * nth(v, 2);
          const cross = [y * nth(v, 2) - z * nth(v, 1), z * nth(v, 0) - x * nth(v, 2), x * nth(v, 1) - y * nth(v, 0)];
          return [0, 1, 2].map(
            (k) => nth(v, k) * Math.cos(a) + nth(cross, k) * Math.sin(a) + nth(axis, k) * d * (1 - Math.cos(a)),
          );
        };
        for (const o of [0, 4, 8])
          turned(first.slice(o, o + 3)).forEach((v, k) => {
            expect(now[o + k]).toBeCloseTo(v, 6);
          });
        turned([0, 1, 2].map((k) => nth(first, 12 + k) - nth(through, k))).forEach((v, k) => {
          expect(now[12 + k]).toBeCloseTo(v + nth(through, k), 4);
        });
      }
    }
  });
  test("orbiting about a point keeps the distance to it", () => {
    const camera: Target = { type: "camera", id: "main" };
    const s = withMoves([["camera-orbit", { degrees: 90, about: [5, 6, 7] }]]);
    const reach = (t: number) =>
      Math.hypot(nth(at(s, "aim.x", [t], camera), 0) - 5, nth(at(s, "aim.y", [t], camera), 0) - 6);
    for (const t of [0.6, 0.9, 1.5]) expect(reach(t)).toBeCloseTo(reach(0.5), 9);
  });
});

describe("put back and reversed copies", () => {
  const taken = () =>
    withMoves([
      [
        "take-off",
        { distance: 80.7, direction: [0.6, 0, 0.8], leaving: { on: true, length: seconds(0.3) } },
        { length: seconds(0.7) },
      ],
    ]);
  const reverse = (s: Sequence, id: string, start: number) => {
    const { command, ids } = reversedCopies(s, [{ step: "s0", move: id }], "s0", seconds(start), () => "back");
    return { s: runCommand(s, command).document, id: ids[0] as string };
  };
  test("returns to home bit for bit, and follows when the original is edited", () => {
    const { s } = reverse(taken(), "m0", 2);
    for (const edited of [s, runCommand(s, setSetting({ step: "s0", move: "m0" }, "distance", 33.3)).document]) {
      const p = compile(index, prepared, edited);
      const out = createPose(p);
      pose(p, p.steps.length, out);
      expect(Array.from(out.world)).toEqual(Array.from(index.homeWorld));
      expect(Array.from(out.opacity).every((v) => v === 1)).toBe(true);
    }
  });
  test("reversed twice is the original", () => {
    const once = reverse(taken(), "m0", 2);
    const twice = reverse(once.s, once.id, 4);
    const p = compile(index, prepared, twice.s);
    for (const channel of ["slide.x", "slide.z", "opacity"]) {
      for (let t = 0.5; t <= 1.5; t += 0.05) expect(value(p, t + 3.5, channel)).toBeCloseTo(value(p, t, channel), 9);
    }
  });
  test("what reverses a removed move becomes hand keys and moves as before", () => {
    const { s, id } = reverse(taken(), "m0", 2);
    const p = compile(index, prepared, s);
    const without = runCommand(s, removeMoves(p, [{ step: "s0", move: "m0" }])).document;
    expect(without.steps.s0?.moves.m0).toBeUndefined();
    expect(keysOf(without.steps.s0?.moves[id]).length).toBeGreaterThan(0);
    expect(value(compile(index, prepared, without), 3, "slide.x")).toBe(0);
  });
});

describe("clashes", () => {
  test("the later move takes the channel from the value then current; both are told", () => {
    const s = withMoves([
      ["slide", { direction: [1, 0, 0], distance: 100 }],
      ["slide", { direction: [1, 0, 0], distance: 10 }, { start: seconds(1) }],
    ]);
    expect(at(s, "slide.x", [0.5, 1, 1.5, 2])).toEqual([0, 50, 55, 60]);
    const reports = allReports(compile(index, prepared, s)).filter((r) => r.code === "clash");
    expect(reports.map((r) => [r.move, r.other, r.lost ?? false])).toEqual([
      ["m1", "m0", false],
      ["m0", "m1", true],
    ]);
  });
});

describe("hand keys from moves", () => {
  const kinds = [
    "slide",
    "turn",
    "unscrew",
    "index",
    "stretch",
    "joint",
    "pose",
    "take-off",
    "attention",
    "appear",
    "leave",
    "camera-orbit",
    "camera-push",
    "camera-shift",
    "camera-roll",
    "camera-lens",
    "turntable",
    "camera-fit",
  ];
  test.each(kinds)("%s turns into hand keys exactly", (kind) => {
    const s = withMoves([[kind]]);
    const { command, error } = toHandKeys(compile(index, prepared, s), { step: "s0", move: "m0" });
    expect(error).toBeLessThan(1e-6);
    const keyed = parseDocument("sequence", runCommand(s, command).document);
    expect(keysOf(keyed.steps.s0?.moves.m0).length).toBeGreaterThan(0);
  });
  test("what is worked out frame by frame is right at the frames", () => {
    const s = withMoves([["camera-orbit", { degrees: 200, about: [0, 0, 0] }]]);
    expect(toHandKeys(compile(index, prepared, s), { step: "s0", move: "m0" }).error).toBeLessThan(1e-6);
  });
  test("what a camera follows still moves while it is told how far off the keys are", () => {
    const s = withMoves([
      ["camera-push", {}, { start: 0, length: seconds(0.4) }],
      ["slide", { distance: 90, direction: [1, 0, 0] }, { start: seconds(0.5), length: seconds(1) }],
      ["camera-follow", { part: arm }, { start: seconds(0.5), length: seconds(1) }],
    ]);
    const p = compile(index, prepared, s);
    const { command, error } = toHandKeys(p, { step: "s0", move: "m0" });
    const after = compile(index, prepared, runCommand(s, command).document as typeof s);
    expect(difference(p, after, [{ type: "camera", id: "main" }])).toBeLessThan(1e-6);
    expect(error).toBeLessThan(1e-6);
  });
  test("a label has nothing to key, and says so", () => {
    expect(() => toHandKeys(compile(index, prepared, withMoves([["label"]])), { step: "s0", move: "m0" })).toThrow(
      /moves nothing/,
    );
  });
});

describe("compiling again", () => {
  test("gives what compiling afresh gives, cameras that look at parts included", () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.oneof(
            fc.tuple(fc.constant("distance"), real(-200, 200)),
            fc.tuple(fc.constant("length"), fc.integer({ min: 0, max: 90 })),
            fc.tuple(fc.constant("start"), fc.integer({ min: 0, max: 90 })),
            fc.tuple(fc.constant("on"), fc.boolean()),
          ),
          { minLength: 1, maxLength: 6 },
        ),
        (edits) => {
          let s = withMoves([
            ["slide", { distance: 60, direction: [1, 0, 0] }],
            ["camera-fit", { parts: [arm] }, { start: 0 }],
            ["turn", {}, { start: seconds(1) }],
          ]);
          s = runCommand(
            s,
            reversedCopies(s, [{ step: "s0", move: "m0" }], "s0", seconds(2), () => "b").command,
          ).document;
          let p = compile(index, prepared, s);
          for (const [what, v] of edits) {
            const command =
              what === "distance"
                ? setSetting({ step: "s0", move: "m0" }, "distance", v)
                : updateMove(
                    { step: "s0", move: "m0" },
                    { [what]: typeof v === "number" ? Math.round(v * seconds(1 / 30)) : v },
                  );
            const run = runCommand(s, command);
            s = run.document;
            p = recompile(
              p,
              s,
              run.patches.map((x) => x.path),
            );
          }
          const fresh = compile(index, prepared, s);
          const [a, b] = [createPose(p), createPose(fresh)];
          for (let t = 0; t < fresh.steps.length; t += seconds(0.21)) {
            pose(p, t, a);
            pose(fresh, t, b);
            expect(Array.from(a.world)).toEqual(Array.from(b.world));
            expect(Array.from(a.camera)).toEqual(Array.from(b.camera));
          }
        },
      ),
      { numRuns: 40 },
    );
  });
});

describe("what cannot be made says why", () => {
  const bad =
    (kind: string, targets: Target[], p: Partial<Preparation> = {}) =>
    () =>
      makeMove(kind, { ...context(targets), preparation: { ...prepared, ...p } }, 0, "");
  test.each<[string, () => unknown, RegExp]>([
    ["nothing selected", bad("slide", []), /Select them first/],
    ["locked", bad("slide", [arm], { nodes: { [ARM]: { locked: true } } }), /locked/],
    ["locked above", bad("slide", [arm], { nodes: { root: { locked: true } } }), /locked with what it belongs to/],
    ["hidden", bad("slide", [arm], { nodes: { [ARM]: { hidden: true } } }), /hidden/],
    ["gone", bad("slide", [{ type: "node", key: "root/none" }]), /not in this revision/],
    ["inside another", bad("slide", [{ type: "node", key: "root" }, arm]), /lies inside/],
    ["no joint", bad("joint", [arm], { joints: {} }), /no joint/],
    ["no thread", bad("unscrew", [arm], { joints: {} }), /no screw joint/],
    ["no pose", bad("pose", [arm], { poses: {} }), /no named pose/],
    ["back by itself", bad("back", [arm]), /make it from there/],
  ])("%s", (_, make, words) => {
    expect(make).toThrow(words);
  });
  test.each([
    ["direction", [0, 0, 0]],
    ["distance", Number.NaN],
    ["distance", 1e9],
  ])("a stored move with %s %s is refused", (name, v) => {
    const s = runCommand(withMoves([["slide"]]), setSetting({ step: "s0", move: "m0" }, name as string, v)).document;
    expect(() => parseDocument("sequence", s)).toThrow();
  });
  test("negative times are refused", () => {
    expect(() => runCommand(withMoves([["slide"]]), updateMove({ step: "s0", move: "m0" }, { length: -1 }))).toThrow(
      /negative/,
    );
  });
});
