import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { joint, key, preparation, sequenceOf } from "../../../tests/support/assembly";
import { smallDesk } from "../../../tests/support/desk";
import type { Joint } from "../../core/document/preparation";
import { keysOf } from "../../core/document/sequence";
import { putJoint, putLink, putPose, setFlag, updateGroup } from "../../core/edit/preparationCommands";
import { nth } from "../../core/math/packed";
import { pose } from "../../core/program/pose";
import { createPose } from "../../core/program/sampling";
import type { Desk } from "../port";
import { select } from "../selection/selecting";
import { changeJoint, changePivot, keysBeyond } from "./changing";
import { dropPending } from "./pending";
import { lockOn, pend, pendNamed, poseNow } from "./posing";

const ARM = { type: "node", key: "root/arm" } as const;
const BASE = { type: "node", key: "root/base" } as const;

let desk: Desk;
beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal("fetch", async () => Response.json({ revision: 1 }));
  vi.stubGlobal("cancelAnimationFrame", () => {});
  desk = smallDesk(sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "joint.crank": 90 })] }, {}]), {
    ...preparation(),
    joints: { crank: joint("crank", ARM) },
  });
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});
const words = () => desk.state.notice?.text ?? "";
const prepared = () => desk.state.preparation.body;
/** World matrix of the arm with what is pending, at the playhead or a time. */
const armAt = (ticks = desk.state.ticks) => {
  const out = createPose(desk.program);
  const channels = new Map<number, number>();
  const p = desk.state.pending["n:root/arm"];
  for (const [name, value] of Object.entries(p?.values ?? {})) channels.set(desk.program.channelOf(ARM, name), value);
  pose(desk.program, ticks, out, p ? { channels, orientations: new Map() } : undefined);
  const i = desk.index.indexOf.get("root/arm") as number;
  return Array.from(out.world.subarray(16 * i, 16 * i + 16)).map((v) => Math.round(v * 1e9) / 1e9);
};
/** When the first step's arrival is made. */
const arrival = () => {
  const sequence = desk.sequence;
  const move = Object.values(sequence.steps.s0?.moves ?? {})[0];
  return nth(desk.program.steps.action, 0) + (keysOf(move)[0]?.at ?? 0);
};

describe("posing", () => {
  test("what is locked says by whom and keeps its place; naming stays free", () => {
    desk.prepare("lock", setFlag(["root"], "locked", true));
    expect(pend(desk, ARM, { "slide.x": 5 })).toBe(false);
    expect(words()).toMatch(/"root" is locked. Unlock it to move arm/);
    expect(lockOn(desk, ARM)).toBe("root");
    desk.prepare("unlock", setFlag(["root"], "locked", false));
    expect(pend(desk, ARM, { "slide.x": 5 })).toBe(true);
  });
  test("a locked group locks its members, and a locked member its group", () => {
    desk.prepare("group", (d) => {
      d.groups.g = { id: "g", name: "Pair", members: ["root/arm", "root/base"] };
    });
    desk.prepare("lock", updateGroup("g", { locked: true }));
    expect(lockOn(desk, BASE)).toBe("Pair");
    desk.prepare("lock", updateGroup("g", { locked: false }));
    desk.prepare("lock", setFlag(["root/base"], "locked", true));
    expect(lockOn(desk, { type: "group", id: "g" })).toBe("base");
  });
  test("hard limits stop a reading, soft ones let it pass", () => {
    desk.prepare("limits", putJoint(joint("crank", ARM, { limits: { min: -10, max: 40, hard: true } })));
    pend(desk, ARM, { "joint.crank": 720 });
    expect(desk.valueOf(ARM, "joint.crank")).toBe(40);
    expect(words()).toMatch(/ends at 40 there; its limits are hard/);
    desk.prepare("limits", putJoint(joint("crank", ARM, { limits: { min: -10, max: 40, hard: false } })));
    pend(desk, ARM, { "joint.crank": 720 });
    expect(desk.valueOf(ARM, "joint.crank")).toBe(720);
  });
  test("a follower's reading is solved back to its driver; its free channels are refused with the driver named", () => {
    desk.prepare("joint", putJoint(joint("wheel", BASE)));
    desk.prepare(
      "link",
      putLink({
        id: "l",
        name: "gears",
        driver: "crank",
        follower: "wheel",
        kind: "gears",
        driverTeeth: 36,
        followerTeeth: 12,
        internal: false,
        offset: 0,
      }),
    );
    expect(pend(desk, BASE, { "joint.wheel": -90 })).toBe(true);
    expect(desk.valueOf(ARM, "joint.crank")).toBeCloseTo(30, 9);
    expect(pend(desk, BASE, { "slide.x": 3 })).toBe(false);
    expect(words()).toMatch(/base follows "crank" of arm. Move that instead/);
  });
  test("a named pose holds what departs, and is put on again", () => {
    pend(desk, ARM, { "slide.x": 4, "joint.crank": 33 });
    const now = poseNow(desk, ARM);
    expect(now.values).toEqual({ "slide.x": 4, "joint.crank": 33 });
    desk.prepare("pose", putPose({ id: "open", name: "open", target: ARM, ...now }));
    dropPending(desk);
    expect(desk.valueOf(ARM, "slide.x")).toBe(0);
    pendNamed(desk, "open");
    expect([desk.valueOf(ARM, "slide.x"), desk.valueOf(ARM, "joint.crank")]).toEqual([4, 33]);
    expect(desk.prepare("twin", putPose({ id: "two", name: "open", target: ARM, values: {} }))).toBe(false);
    expect(words()).toMatch(/already a pose "open"/);
  });
});

describe("what the details and the stage are told", () => {
  test("a follower's value goes with a pose pending on its driver, and with every edit", () => {
    desk.prepare("joint", putJoint(joint("wheel", BASE)));
    desk.prepare(
      "link",
      putLink({
        id: "l",
        name: "ratio",
        driver: "crank",
        follower: "wheel",
        kind: "ratio",
        num: 1,
        den: 10,
        offset: 0,
      }),
    );
    expect(desk.valueOf(BASE, "joint.wheel")).toBe(0);
    pend(desk, ARM, { "joint.crank": 50 });
    expect(desk.valueOf(BASE, "joint.wheel")).toBeCloseTo(5, 12);
    dropPending(desk);
    expect(desk.valueOf(BASE, "joint.wheel")).toBe(0);
    desk.seek(arrival());
    expect(desk.valueOf(BASE, "joint.wheel")).toBeCloseTo(9, 12);
    desk.edit("value", (d) => {
      for (const move of Object.values(d.steps.s0?.moves ?? {}))
        for (const k of keysOf(move)) k.values["joint.crank"] = 200;
    });
    expect(desk.valueOf(BASE, "joint.wheel")).toBeCloseTo(20, 12);
  });
  test("marks are taken off once while playing, and come back after; looks are passed on only when they changed", () => {
    const marks: { selected: ReadonlySet<number> }[] = [];
    const looks: unknown[] = [];
    const stage = new Proxy({} as Record<string, unknown>, {
      get: (_, name) =>
        name === "setMarks"
          ? (m: (typeof marks)[number]) => marks.push(m)
          : name === "setLook"
            ? (n: unknown) => looks.push(n)
            : () => {},
      set: () => true,
    });
    desk.attach(stage as never);
    select(desk, [1]);
    expect(marks.at(-1)?.selected.has(1)).toBe(true);
    desk.set({ playing: true });
    const before = marks.length;
    for (let i = 0; i < 5; i++) desk.show();
    expect(marks.length).toBe(before + 1);
    expect(marks.at(-1)?.selected.size).toBe(0);
    desk.set({ playing: false });
    desk.show();
    expect(marks.at(-1)?.selected.has(1)).toBe(true);
    desk.prepare("light", (d) => {
      d.surroundings.key.strength = 2;
    });
    desk.prepare("edges", (d) => {
      d.surroundings.edges.on = false;
    });
    expect(looks.at(-1)).toBe(looks.at(-2));
    desk.prepare("hide", setFlag(["root/base"], "ghost", true));
    expect(looks.at(-1)).not.toBe(looks.at(-2));
    expect(looks.at(-1)).toEqual({ "root/base": { ghost: true } });
  });
});

describe("changing a joint that is keyed", () => {
  const asked = () => desk.state.asking;
  test("a name or limit needs no question; keys beyond the limits are listed", () => {
    changeJoint(
      desk,
      joint("crank", ARM),
      joint("crank", ARM, { limits: { min: null, max: 45, hard: false } }),
      "Limits",
    );
    expect(asked()).toBeNull();
    expect(keysBeyond(desk, prepared().joints.crank as Joint).map((k) => k.text)).toEqual([
      expect.stringMatching(/^90 in /),
    ]);
  });
  test.each(["values", "poses"] as const)("another zero and sense, keeping the %s", (keep) => {
    const before = armAt(arrival());
    changeJoint(desk, joint("crank", ARM), joint("crank", ARM, { zero: 30, flipped: true }), "Zero");
    expect(asked()?.lines[0]).toMatch(/1 arrival/);
    // Nothing is changed until it is answered.
    expect(prepared().joints.crank?.zero).toBe(0);
    if (keep === "values") asked()?.keepValues();
    else asked()?.keepPoses();
    const value = keysOf(Object.values(desk.sequence.steps.s0?.moves ?? {})[0])[0]?.values["joint.crank"];
    expect(value).toBe(keep === "values" ? 90 : -60);
    if (keep === "poses") expect(armAt(arrival())).toEqual(before);
    else expect(armAt(arrival())).not.toEqual(before);
    desk.undo();
    expect(prepared().joints.crank?.zero).toBe(0);
    expect(armAt(arrival())).toEqual(before);
  });
  test("another axis, keeping the poses: the arrival becomes a free move to the same place", () => {
    const before = armAt(arrival());
    changeJoint(desk, joint("crank", ARM), joint("crank", ARM, { point: [20, 5, 0], direction: [1, 0, 0] }), "Axis");
    asked()?.keepPoses();
    armAt(arrival()).forEach((v, k) => {
      expect(v).toBeCloseTo(nth(before, k), 6);
    });
  });
  test("a pending reading stays where it was dragged when the zero changes", () => {
    desk = smallDesk(sequenceOf([{}]), { ...preparation(), joints: { crank: joint("crank", ARM) } });
    pend(desk, ARM, { "joint.crank": 50 });
    const before = armAt();
    changeJoint(desk, joint("crank", ARM), joint("crank", ARM, { zero: 100 }), "Zero");
    expect(desk.valueOf(ARM, "joint.crank")).toBe(150);
    expect(armAt()).toEqual(before);
  });
});

describe("changing a pivot", () => {
  test("never moves a part that is pending and turned", () => {
    desk = smallDesk(sequenceOf([{}]));
    pend(desk, ARM, { "turn.z": 40, "slide.x": 2 });
    const before = armAt();
    changePivot(desk, ARM, { at: [12, -7, 3], in: "part" });
    expect(armAt()).toEqual(before);
    expect(desk.state.asking).toBeNull();
  });
  test("asks when turned arrivals would move, and keeps them where they were", () => {
    desk = smallDesk(sequenceOf([{ "root/arm": [key("a", 1, 0.5, { "turn.z": 90 })] }]));
    const before = armAt(arrival());
    changePivot(desk, ARM, { at: [12, -7, 3], in: "part" });
    expect(desk.state.asking?.lines).toEqual([expect.stringMatching(/1 turned arrival/)]);
    desk.state.asking?.keepPoses();
    expect(armAt(arrival())).toEqual(before);
  });
});
