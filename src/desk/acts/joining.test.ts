import { beforeEach, describe, expect, test, vi } from "vitest";
import { seconds, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import { type Joint, jointsOf } from "../../core/document/preparation";
import { setHome } from "../../core/edit/preparationCommands";
import { transformPoint } from "../../core/math/mat4";
import { nth } from "../../core/math/packed";
import type { Triple } from "../../core/math/triple";
import { jointAxis } from "../../core/program/jointFrame";
import { pose } from "../../core/program/pose";
import { createPose } from "../../core/program/sampling";
import type { Desk } from "../port";
import { select } from "../selection/selecting";
import {
  addJointAlong,
  addMirroredJoint,
  addOwnJoint,
  addSameJoint,
  jointsToFollow,
  mayOwnAxis,
  ownHinges,
} from "./joining";
import { addDraft, beginMove } from "./moveActions";
import { readPhrase } from "./phrase";
import { applyPhrase } from "./phrasing";

const A = { type: "node", key: "root/arm/a" } as const;
const B = { type: "node", key: "root/arm/b" } as const;
const BASE = { type: "node", key: "root/base" } as const;
let desk: Desk;

beforeEach(() => {
  vi.stubGlobal("cancelAnimationFrame", () => {});
  vi.stubGlobal("fetch", async () => Response.json({ revision: 1 }));
  desk = smallDesk(sequenceOf([{}]));
  // The first face of the shared shape is round about its own Y, a millimetre aside.
  desk.pkg.geometries[0]?.faces.set([1, 1, 0, 0, 0, 1, 0, 4], 2);
});

/** Where a point of a part's own frame is with channels set. */
function placed(target: { type: "node"; key: string }, point: Triple, values: Record<string, number>): Triple {
  const out = createPose(desk.program);
  const channels = new Map(Object.entries(values).map(([name, v]) => [desk.program.channelOf(target, name), v]));
  pose(desk.program, 0, out, { channels, orientations: new Map() });
  return transformPoint(out.world, point, 16 * (desk.index.indexOf.get(target.key) as number));
}
const near = (a: readonly number[], b: readonly number[]) => {
  for (const k of [0, 1, 2]) expect(nth(a, k)).toBeCloseTo(nth(b, k), 9);
};
const joints = () => Object.values(desk.state.preparation.body.joints);
const last = () => joints().at(-1) as Joint;

describe("a part's own axis", () => {
  test("goes along when the part is tilted, and one value spins it about there", () => {
    expect(mayOwnAxis(desk, A)).toBe(true);
    const [id = ""] = ownHinges(desk, [A]);
    expect(mayOwnAxis(desk, A)).toBe(false);
    expect(ownHinges(desk, [A])).toEqual([id]);
    const tilt = { "turn.x": 35, "turn.z": 20, "slide.y": 3 };
    const spun = { ...tilt, [`joint.${id}`]: 77 };
    // What lies on the axis stays; what lies beside it goes round it.
    for (const y of [-4, 0, 9]) near(placed(A, [1, y, 0], spun), placed(A, [1, y, 0], tilt));
    const [still, round] = [placed(A, [1, 0, 5], tilt), placed(A, [1, 0, 5], spun)];
    expect(Math.hypot(...still.map((v, k) => v - nth(round, k)))).toBeCloseTo(10 * Math.sin((38.5 * Math.PI) / 180), 9);
  });

  test("follows a home that was tilted", () => {
    const [id = ""] = ownHinges(desk, [A]);
    const quarter = [1, 0, 0, 0, 0, 0, 1, 0, 0, -1, 0, 0, 0, 0, 0, 1];
    desk.prepare("Home", setHome(A.key, quarter));
    for (const y of [-4, 9]) near(placed(A, [1, y, 0], { [`joint.${id}`]: 50 }), placed(A, [1, y, 0], {}));
  });

  test("is what a phrase with own turns about, steadily and for good", () => {
    select(desk, [desk.index.indexOf.get(A.key) as number]);
    desk.seek(seconds(0.5));
    expect(beginMove(desk, "turn", true)).toBe(true);
    expect(applyPhrase(desk, readPhrase("turn own 1 turn in 1 s for good steady"))).toBe(true);
    addDraft(desk);
    const channel = `joint.${last().id}`;
    const at = (t: number) => {
      desk.seek(seconds(0.5 + t));
      return desk.valueOf(A, channel);
    };
    expect([at(0), at(0.25), at(1.5)]).toEqual([0, 90, 540]);
  });

  test("is missing where nothing is round, and that is said", () => {
    desk.pkg.geometries[0]?.faces.set([0], 2);
    const other = smallDesk(sequenceOf([{}]));
    addOwnJoint(other, A, "hinge");
    expect(other.state.notice).toMatchObject({ tone: "problem", text: expect.stringMatching(/no round faces/) });
    expect(mayOwnAxis(other, A)).toBe(false);
  });
});

describe("joints made after others", () => {
  test("typed: through the pivot, along an axis of the part's own", () => {
    addJointAlong(desk, A, "slide", [1, 0, 0]);
    expect(last()).toMatchObject({ kind: "slide", direction: [1, 0, 0], name: "a slide" });
    near(last().point, [0, 0, 0]);
    // The part's X is the assembly's Y, for its owner is turned.
    near(jointAxis(desk.index, last()).direction, [0, 1, 0]);
  });

  test("the same axis as another one, with its pitch and limits", () => {
    addOwnJoint(desk, A, "screw");
    const screw = { ...last(), pitch: 1.5, limits: { min: -10, max: 20, hard: true } };
    addSameJoint(desk, BASE, screw);
    expect(last()).toMatchObject({ target: BASE, kind: "screw", pitch: 1.5, limits: screw.limits });
    near(jointAxis(desk.index, last()).point, jointAxis(desk.index, screw).point);
    near(jointAxis(desk.index, last()).direction, jointAxis(desk.index, screw).direction);
    expect(jointsToFollow(desk, A).map((j) => j.target)).toEqual([BASE]);
  });

  test("the mirror image about the plane between the two: equal readings bring both to mirrored places", () => {
    addOwnJoint(desk, A, "hinge");
    const first = last();
    addMirroredJoint(desk, B, first);
    const second = last();
    const middle = [0, 1, 2].map((k) => (nth(placed(A, [0, 0, 0], {}), k) + nth(placed(B, [0, 0, 0], {}), k)) / 2);
    const d = [0, 1, 2].map((k) => nth(placed(B, [0, 0, 0], {}), k) - nth(placed(A, [0, 0, 0], {}), k));
    const n = d.map((v) => v / Math.hypot(...d));
    const image = (p: readonly number[]) => {
      const off = p.reduce((sum, v, k) => sum + (v - nth(middle, k)) * nth(n, k), 0);
      return p.map((v, k) => v - 2 * off * nth(n, k));
    };
    near(
      image(placed(A, [0, 0, 0], { [`joint.${first.id}`]: 40 })),
      placed(B, [0, 0, 0], { [`joint.${second.id}`]: 40 }),
    );
    expect(jointsOf(desk.state.preparation.body, B)).toHaveLength(1);
  });

  test("about no plane when both have one middle, and that is said", () => {
    addOwnJoint(desk, A, "hinge");
    addMirroredJoint(desk, A, last());
    expect([joints().length, desk.state.notice?.text]).toEqual([1, expect.stringMatching(/same middle/)]);
  });
});
