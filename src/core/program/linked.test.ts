import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { joint, key, preparation, seconds, sequenceOf, smallIndex } from "../../../tests/support/assembly";
import { real } from "../../../tests/support/real";
import type { Joint, Link, Preparation } from "../document/preparation";
import type { Sequence, Target } from "../document/sequence";
import { invertedAffine, multiplied, transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import { cosDeg, sinDeg } from "../math/rotation";
import type { Triple } from "../math/triple";
import { allReports, compile, withPreparation } from "./compile";
import { driveBack, linkedBy } from "./linking";
import { pose } from "./pose";
import type { Program } from "./program";
import { createPose } from "./sampling";

const A = "root/arm/a";
const B = "root/arm/b";
const BASE = "root/base";

const node = (k: string): Joint["target"] => ({ type: "node", key: k });
const prepared = (joints: Joint[], links: Link[] = [], more: Partial<Preparation> = {}): Preparation => ({
  ...preparation(),
  joints: Object.fromEntries(joints.map((j) => [j.id, j])),
  links: Object.fromEntries(links.map((l) => [l.id, l])),
  ...more,
});
/** Keys for any target, in one step. */
function keyed(list: [Target, ReturnType<typeof key>[]][]): Sequence {
  const sequence = sequenceOf([{}]);
  const step = Object.values(sequence.steps)[0];
  list.forEach(([target, keys], i) => {
    if (step)
      step.moves[`m${i}`] = {
        id: `m${i}`,
        kind: "hand",
        name: "m",
        on: true,
        folder: null,
        colour: null,
        note: "",
        target,
        keys: Object.fromEntries(keys.map((k) => [k.id, k])),
      };
  });
  return sequence;
}
const world = (program: Program, s: number, k: string) => {
  const out = createPose(program);
  pose(program, seconds(s), out);
  const i = program.index.indexOf.get(k) as number;
  return Array.from(out.world.subarray(16 * i, 16 * i + 16));
};
const index = smallIndex();
const homeOf = (k: string) => {
  const i = index.indexOf.get(k) as number;
  return Array.from(index.homeWorld.subarray(16 * i, 16 * i + 16));
};

describe("joints", () => {
  test("a reading turns the part about its own axis; 720 is two turns, home is the zero", () => {
    const p = prepared([joint("h", node(A), { zero: 30, point: [3, 0, 0] })]);
    const program = compile(index, p, keyed([[node(A), [key("k", 1, 1, { "joint.h": 120 })]]]));
    expect(world(program, 0, A)).toEqual(homeOf(A));
    const local = multiplied(invertedAffine(homeOf(A)), world(program, 2, A));
    // 120 less the zero of 30 is a quarter turn about (3, 0): the origin goes to (3, -3).
    expect(transformPoint(local, [0, 0, 0])[0]).toBeCloseTo(3, 12);
    expect(transformPoint(local, [0, 0, 0])[1]).toBeCloseTo(-3, 12);
    const turns = compile(index, p, keyed([[node(A), [key("k", 1, 1, { "joint.h": 750 })]]]));
    world(turns, 2, A).forEach((v, i) => {
      expect(v).toBeCloseTo(nth(homeOf(A), i), 9);
    });
    expect(world(turns, 0.9, A)).not.toEqual(homeOf(A));
  });

  test("flipped counts the other way; a screw goes along as it turns; a slide only slides", () => {
    const at = (j: Partial<Joint>, v: number) => {
      const program = compile(
        index,
        prepared([joint("h", node(A), j)]),
        keyed([[node(A), [key("k", 1, 1, { "joint.h": v })]]]),
      );
      return multiplied(invertedAffine(homeOf(A)), world(program, 2, A));
    };
    const plus = at({}, 40);
    const minus = at({ flipped: true }, -40);
    plus.forEach((v, i) => {
      expect(v).toBeCloseTo(nth(minus, i), 12);
    });
    expect(at({ kind: "screw", pitch: 1.5 }, 720)[14]).toBeCloseTo(3, 12);
    expect(at({ kind: "slide", direction: [1, 0, 0] }, -7)[12]).toBeCloseTo(-7, 12);
  });

  test("several joints act in their order; free moves carry them along", () => {
    const p = prepared([joint("s", node(A), { kind: "slide" }), joint("h", node(A), { direction: [1, 0, 0] })]);
    const program = compile(
      index,
      p,
      keyed([[node(A), [key("k", 1, 1, { "joint.s": 10, "joint.h": 90, "slide.x": 5 })]]]),
    );
    const local = multiplied(invertedAffine(homeOf(A)), world(program, 2, A));
    // Slid 10 along z, then a quarter turn about x takes z to -y; the free slide of 5 is in the parent's frame (here
    // alike).
    expect(transformPoint(local, [0, 0, 0]).map((v) => Math.round(v * 1e9) / 1e9)).toEqual([5, -10, 0]);
  });

  test("a key beyond the limits is reported, and one for a joint that is gone", () => {
    const p = prepared([joint("h", node(A), { limits: { min: 0, max: 90, hard: true } })]);
    const program = compile(index, p, keyed([[node(A), [key("k", 1, 1, { "joint.h": 91, "joint.x": 3 })]]]));
    expect(allReports(program).map((r) => r.code)).toEqual(["joint-gone", "beyond-limit"]);
  });
});

describe("links", () => {
  const gears: Link = {
    id: "g",
    name: "gears",
    kind: "gears",
    driver: "a",
    follower: "b",
    driverTeeth: 36,
    followerTeeth: 12,
    internal: false,
    offset: 0,
  };
  const ten: Link = { id: "t", name: "ten", kind: "ratio", driver: "b", follower: "c", num: 1, den: 10, offset: 0 };
  const joints = [joint("a", node(A)), joint("b", node(B)), joint("c", node(BASE))];
  const sequence = keyed([[node(A), [key("k", 1, 1, { "joint.a": 100 }), key("l", 2, 0.5, { "joint.a": -35 })]]]);

  test("followers never disagree with their driver, whatever the time and however the links are listed", () => {
    const program = compile(index, prepared(joints, [ten, gears]), sequence);
    const out = createPose(program);
    fc.assert(
      fc.property(real(-1, 5), (s) => {
        pose(program, seconds(s), out);
        const v = (id: string) => nth(out.values, program.jointTracks(id)?.channel as number);
        expect(v("b")).toBeCloseTo(-3 * v("a"), 9);
        expect(v("c")).toBeCloseTo(-0.3 * v("a"), 9);
      }),
    );
  });

  test("zero and sense of either joint change no coupling of the parts", () => {
    const plain = compile(index, prepared(joints, [gears]), sequence);
    const shifted = prepared(
      [joint("a", node(A)), joint("b", node(B), { zero: 77, flipped: true }), joint("c", node(BASE))],
      [gears],
    );
    expect(world(compile(index, shifted, sequence), 1.2, B)).toEqual(world(plain, 1.2, B));
  });

  test("gears whose axes point against each other turn alike in their own senses", () => {
    const against = prepared(
      [joint("a", node(A)), joint("b", node(B), { direction: [0, 0, -1] }), joint("c", node(BASE))],
      [gears],
    );
    world(compile(index, against, sequence), 1.2, B).forEach((v, i) => {
      expect(v).toBeCloseTo(nth(world(compile(index, prepared(joints, [gears]), sequence), 1.2, B), i), 12);
    });
  });

  test("keys on a follower are left out and reported with the driver known", () => {
    const program = compile(
      index,
      prepared(joints, [gears]),
      keyed([
        ...[
          [node(B), [key("k", 1, 1, { "joint.b": 50, "turn.z": 10, opacity: 0.5 })]] as [
            Target,
            ReturnType<typeof key>[],
          ],
        ],
      ]),
    );
    expect(allReports(program).map((r) => [r.code, r.channel])).toEqual([
      ["linked", "joint.b"],
      ["linked", "turn.z"],
    ]);
    expect(world(program, 2, B)).toEqual(homeOf(B));
    const tracks = program.trackPart(node(B));
    expect(tracks && linkedBy(tracks, "slide.x")?.joint.id).toBe("a");
    expect(tracks && linkedBy(tracks, "opacity")).toBeNull();
  });

  test("a follower can be driven back through a chain", () => {
    const program = compile(index, prepared(joints, [gears, ten]), keyed([]));
    const back = driveBack(program.jointTracks("c") as never, 3, () => 0);
    expect(back?.joint.joint.id).toBe("a");
    expect(back?.reading).toBeCloseTo(-10, 12);
    expect(driveBack(program.jointTracks("a") as never, 3, () => 0)).toBeNull();
  });

  test("crank, rod and slider: the rod's ends meet pin and slider in every frame", () => {
    const crank = joint("a", node(A));
    const slide = joint("b", node(B), { kind: "slide", direction: [1, 0, 0] });
    const link: Link = {
      id: "cs",
      name: "cs",
      kind: "crank-slider",
      driver: "a",
      follower: "b",
      rod: node(BASE),
      radius: 12,
      rodLength: 40,
      offset: 3,
      homeAngle: 25,
      branch: 1,
    };
    const program = compile(index, prepared([crank, slide], [link]), sequence);
    const origin = transformPoint(homeOf(A), [0, 0, 0]);
    // The arm stands a quarter turn round, so a slide along its x runs along the assembly's y; w = z cross y = -x.
    const pin = (deg: number): Triple => [origin[0] - 12 * sinDeg(deg), origin[1] + 12 * cosDeg(deg), 0];
    for (const s of [0, 0.7, 1.1, 2.3]) {
      const out = createPose(program);
      pose(program, seconds(s), out);
      const turned = nth(out.values, program.jointTracks("a")?.channel as number);
      const rod = multiplied(world(program, s, BASE), invertedAffine(homeOf(BASE)));
      transformPoint(rod, pin(25)).forEach((v, k) => {
        expect(v).toBeCloseTo(nth(pin(25 + turned), k), 9);
      });
    }
    expect(world(program, 0, BASE)).toEqual(homeOf(BASE));
  });

  test("a mechanism that cannot go round is said with the angles it reaches, unless hard limits hold it", () => {
    const link: Link = {
      id: "cs",
      name: "cs",
      kind: "crank-slider",
      driver: "a",
      follower: "b",
      rod: null,
      radius: 30,
      rodLength: 20,
      offset: 0,
      homeAngle: 0,
      branch: 1,
    };
    const slide = joint("b", node(B), { kind: "slide", direction: [1, 0, 0] });
    expect(compile(index, prepared([joint("a", node(A)), slide], [link]), keyed([])).linkFaults.get("cs")).toMatch(
      /reaches from -41.81° to 41.81°/,
    );
    const held = joint("a", node(A), { limits: { min: -40, max: 40, hard: true } });
    expect(compile(index, prepared([held, slide], [link]), keyed([])).linkFaults.size).toBe(0);
  });

  test("the timeline shows a follower's part moving when its driver does", () => {
    const program = compile(index, prepared(joints, [gears]), sequence);
    expect(program.transitions(node(B)).map((t) => [t.channel, t.to[0]])).toEqual([
      ["joint.b", -300],
      ["joint.b", 105],
    ]);
  });
});

describe("the marks of many groups", () => {
  const parts = ["root/arm/a", "root/arm/b", "root/base"];
  test("are each their own, and every number of the pose is one", () => {
    for (let count = 1; count <= 3; count++) {
      const groups = Object.fromEntries(
        parts.slice(0, count).map((p, g) => [`g${g}`, { id: `g${g}`, name: `G${g}`, members: [p] }]),
      );
      const moves = parts
        .slice(0, count)
        .map((_, g): [{ type: "group"; id: string }, ReturnType<typeof key>[]] => [
          { type: "group", id: `g${g}` },
          [key(`k${g}`, 1, 0, { tint: 0.5 + g / 10, "tint-colour": g + 1, opacity: 1 - g / 10 })],
        ]);
      const program = compile(index, prepared([], [], { groups }), keyed(moves));
      const out = createPose(program);
      pose(program, program.steps.length, out);
      parts.slice(0, count).forEach((p, g) => {
        const node = index.indexOf.get(p) as number;
        expect([out.tintColour[node], out.visible[node]]).toEqual([g + 1, 1]);
        expect(out.tint[node]).toBeCloseTo(0.5 + g / 10, 12);
        expect(out.opacity[node]).toBeCloseTo(1 - g / 10, 12);
      });
      for (const list of [out.values, out.world, out.opacity, out.tint, out.groups, out.groupMarks, out.camera])
        expect(list.every(Number.isFinite)).toBe(true);
    }
  });
});

describe("groups", () => {
  const group = { g: { id: "g", name: "Pair", members: [A, BASE, "root/arm/gone"] } };

  test("members act as one thing from anywhere in the tree, and nothing else moves", () => {
    const program = compile(
      index,
      prepared([], [], { groups: group }),
      keyed([[{ type: "group", id: "g" }, [key("k", 1, 1, { "slide.z": 8, "turn.z": 90 })]]]),
    );
    const moved = (k: string) => multiplied(world(program, 2, k), invertedAffine(homeOf(k)));
    moved(A).forEach((v, i) => {
      expect(v).toBeCloseTo(nth(moved(BASE), i), 9);
    });
    expect(moved(A)[14]).toBeCloseTo(8, 12);
    expect(world(program, 2, B)).toEqual(homeOf(B));
    expect(world(program, 0, A)).toEqual(homeOf(A));
  });

  test("a member moves within its group, and the CAD parent carries both", () => {
    const p = prepared([], [], { groups: group });
    const program = compile(
      index,
      p,
      keyed([
        [{ type: "group", id: "g" }, [key("k", 1, 1, { "slide.x": 10 })]],
        [node("root/arm"), [key("l", 1, 1, { "turn.z": 90 })]],
        [node(A), [key("m", 1, 1, { "slide.x": 1 })]],
      ]),
    );
    const alone = compile(
      index,
      p,
      keyed([
        [{ type: "group", id: "g" }, [key("k", 1, 1, { "slide.x": 10 })]],
        [node(A), [key("m", 1, 1, { "slide.x": 1 })]],
      ]),
    );
    const carried = compile(index, p, keyed([[node("root/arm"), [key("l", 1, 1, { "turn.z": 90 })]]]));
    const arm = multiplied(world(carried, 2, "root/arm"), invertedAffine(homeOf("root/arm")));
    multiplied(arm, world(alone, 2, A)).forEach((v, i) => {
      expect(world(program, 2, A)[i]).toBeCloseTo(v, 9);
    });
  });

  test("a joint moves a group about an axis of the assembly", () => {
    const p = prepared([joint("h", { type: "group", id: "g" }, { point: [0, 0, 0] })], [], { groups: group });
    const program = compile(index, p, keyed([[{ type: "group", id: "g" }, [key("k", 1, 1, { "joint.h": 90 })]]]));
    expect(
      transformPoint(multiplied(world(program, 2, BASE), invertedAffine(homeOf(BASE))), [10, 0, 0])[1],
    ).toBeCloseTo(10, 12);
  });

  test("opacity and visibility of a group reach its members", () => {
    const program = compile(
      index,
      prepared([], [], { groups: group }),
      keyed([[{ type: "group", id: "g" }, [key("k", 1, 0, { opacity: 0.25, visible: 0 })]]]),
    );
    const out = createPose(program);
    pose(program, seconds(2), out);
    const i = index.indexOf.get(A) as number;
    expect(out.opacity[i]).toBe(0.25);
    expect(out.visible[i]).toBe(0);
    expect(out.visible[index.indexOf.get(B) as number]).toBe(1);
  });
});

test("a change of joints compiles again; a change of finishes does not", () => {
  const p = prepared([joint("h", node(A))]);
  const program = compile(index, p, keyed([]));
  expect(
    withPreparation(program, {
      ...p,
      nodes: {
        [A]: { finish: { color: "#112233", roughness: 0.5, metalness: 0, opacity: 1, emissive: "#000000", glow: 0 } },
      },
    }),
  ).toBe(program);
  expect(withPreparation(program, prepared([joint("h", node(A), { zero: 5 })]))).not.toBe(program);
});
