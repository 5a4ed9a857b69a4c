import * as THREE from "three";
import { describe, expect, test } from "vitest";
import { joint, key, preparation, sequenceOf, smallIndex } from "../../tests/support/assembly";
import type { Joint } from "../core/document/preparation";
import { compile } from "../core/program/compile";
import type { NodeTracks } from "../core/program/layout";
import { pose } from "../core/program/pose";
import { createPose } from "../core/program/sampling";
import { Gauge, gaugeState } from "./gauge";
import { type DragContext, HandleDragging, type Snapping } from "./handleDrag";
import { type HandleFrame, type HandleId, Handles } from "./handles";

const ARM = "root/arm";
const FREE: Snapping = { on: false, distanceMm: 1, angleDeg: 5, from: "steps", geometry: false };

/** The pivot of the arm at home, which all of it turns about. */
const PIVOT = new THREE.Vector3();

/** A drag on the arm as it is posed by hand, seen from the front and a little above. */
function dragging(
  id: HandleId,
  from: THREE.Vector3,
  more: {
    snapping?: Snapping;
    joint?: Joint;
    values?: Record<string, number>;
    frame?: HandleFrame;
    snapTo?: DragContext["snapTo"];
    eye?: THREE.Vector3;
  } = {},
) {
  const prepared = { ...preparation(), joints: more.joint ? { [more.joint.id]: more.joint } : {} };
  const program = compile(
    smallIndex(),
    prepared,
    sequenceOf([{ [ARM]: [key("a", 1, 0.5, { "slide.x": 0, ...more.values })] }]),
  );
  const at = createPose(program);
  pose(program, program.steps.length, at);
  const tracks = program.trackNode(ARM) as NodeTracks;
  const parent = new THREE.Matrix4();
  const camera = new THREE.PerspectiveCamera(40, 1.6, 1, 5000);
  camera.up.set(0, 0, 1);
  camera.position.copy(more.eye ?? new THREE.Vector3(-40, -400, 220).add(PIVOT));
  camera.lookAt(PIVOT);
  camera.updateMatrixWorld();
  const handles = new Handles();
  const own = new THREE.Matrix4().fromArray(at.world, 16 * tracks.node);
  handles.place(tracks, at, parent, own, more.frame ?? "owner");
  handles.face(camera);
  const gauge = new Gauge();
  gauge.set(gaugeState(tracks, more.joint?.id ?? null, at, parent));
  const [width, height] = [1280, 800];
  const screen = (p: THREE.Vector3): [number, number] => {
    const q = p.clone().project(camera);
    return [((q.x + 1) / 2) * width, ((1 - q.y) / 2) * height];
  };
  const ray = (x: number, y: number) => {
    const caster = new THREE.Raycaster();
    caster.setFromCamera(new THREE.Vector2((x / width) * 2 - 1, 1 - (y / height) * 2), camera);
    return caster.ray;
  };
  const snapTo = more.snapTo ?? (() => null);
  const drag = new HandleDragging(
    { camera, handles, gauge, pose: at, tracks, parent, width, height, ray, snapping: more.snapping ?? FREE, snapTo },
    id,
    ...screen(from),
  );
  return {
    drag,
    handles,
    gauge,
    to: (p: THREE.Vector3, free = false) => {
      drag.move(...screen(p), free);
      return drag.event("move", 0, 0);
    },
  };
}
/** A place by what it is from the pivot, mm; the pivot counts as 100, 0, 0. */
const at = (x: number, y: number, z: number) => new THREE.Vector3(x - 100, y, z).add(PIVOT);
PIVOT.copy(dragging({ kind: "free" }, new THREE.Vector3()).handles.pivot);

describe("dragging a handle", () => {
  test("a slide goes as far along its axis as the pointer, whatever lies beside it", () => {
    const d = dragging({ kind: "slide", axis: 2 }, at(100, 0, 10));
    expect(d.to(at(100, 0, 45)).values["slide.z"]).toBeCloseTo(35, 6);
    expect(Object.keys(d.to(at(100, 0, -5)).values)).toEqual(["slide.z"]);
    expect(d.drag.event("cancel", 0, 0)).toMatchObject({ delta: 0 });
  });
  test("from where it stands it goes on; steps are counted from there, a grid from home", () => {
    const from = at(100, 0, 2.4);
    const steps = dragging({ kind: "slide", axis: 2 }, from, {
      values: { "slide.z": 2.4 },
      snapping: { ...FREE, on: true, distanceMm: 5 },
    });
    expect(steps.to(at(100, 0, 13)).values["slide.z"]).toBeCloseTo(12.4, 9);
    const grid = dragging({ kind: "slide", axis: 2 }, from, {
      values: { "slide.z": 2.4 },
      snapping: { ...FREE, on: true, distanceMm: 5, from: "grid" },
    });
    expect(grid.to(at(100, 0, 13)).values["slide.z"]).toBeCloseTo(15, 9);
    // A key that is held lets go of the increments.
    expect(grid.to(at(100, 0, 13), true).values["slide.z"]).toBeCloseTo(13, 6);
  });
  test("a turn counts the degrees that the pointer goes round, beyond a whole turn", () => {
    const d = dragging({ kind: "turn", axis: 2 }, at(140, 0, 0));
    const round = (deg: number) =>
      at(100 + 40 * Math.cos((deg * Math.PI) / 180), 40 * Math.sin((deg * Math.PI) / 180), 0);
    let last = d.to(round(0));
    for (let deg = 15; deg <= 450; deg += 15) last = d.to(round(deg));
    expect(last.values["turn.z"]).toBeCloseTo(450, 6);
    expect(last.delta).toBeCloseTo(450, 6);
  });
  test("a turn that is seen edge-on goes by pixels across its axis", () => {
    const d = dragging({ kind: "turn", axis: 2 }, at(140, 0, 0), { eye: at(100, -400, 0) });
    expect(d.drag.move(900, 400, false)).toBe(true);
    const one = d.drag.event("move", 0, 0).delta;
    d.drag.move(1000, 400, false);
    expect(Math.abs(d.drag.event("move", 0, 0).delta - one)).toBeCloseTo(60, 6);
  });
  test("a plane moves two slides at once, and neither when the pointer comes back", () => {
    const d = dragging({ kind: "plane", axis: 2 }, at(110, 5, 0));
    const moved = d.to(at(130, -15, 0));
    expect(moved.values["slide.x"]).toBeCloseTo(20, 6);
    expect(moved.values["slide.y"]).toBeCloseTo(-20, 6);
    expect(moved.values["slide.z"]).toBeUndefined();
    expect(moved.delta).toBeCloseTo(Math.hypot(20, 20), 6);
    expect(d.to(at(110, 5, 0)).delta).toBeCloseTo(0, 6);
  });
  test("a feature of another part is gone to exactly, and named", () => {
    const snapTo = () => ({ point: at(100, 0, 17.25), name: "corner of Foot" });
    const d = dragging({ kind: "slide", axis: 2 }, at(100, 0, 0), { snapping: { ...FREE, geometry: true }, snapTo });
    expect(d.to(at(100, 0, 40))).toMatchObject({ snappedTo: "corner of Foot", values: { "slide.z": 17.25 } });
    expect(d.to(at(100, 0, 40), true).snappedTo).toBeNull();
  });
  test("typed digits decide, and the pointer is left alone from then on", () => {
    const d = dragging({ kind: "slide", axis: 0 }, at(110, 0, 0), { values: { "slide.x": 4 } });
    d.drag.set(-7.5);
    d.drag.typed = "-7.5";
    expect(d.drag.move(10, 10, false)).toBe(false);
    expect(d.drag.event("move", 0, 0).values["slide.x"]).toBe(-3.5);
    const plane = dragging({ kind: "plane", axis: 2 }, at(110, 5, 0));
    plane.to(at(140, 5, 0));
    plane.drag.set(12);
    expect(plane.drag.event("move", 0, 0).values["slide.x"]).toBeCloseTo(12, 6);
  });
  test("a free turn is about the line of sight and leaves a unit quaternion", () => {
    const d = dragging({ kind: "free" }, at(120, 0, 10));
    const q = d.to(at(90, 0, 40)).orientation as number[];
    expect(Math.hypot(...q)).toBeCloseTo(1, 12);
    d.drag.set(90);
    const [x, y, z, w] = d.drag.event("move", 0, 0).orientation as [number, number, number, number];
    const sight = at(60, -400, 220)
      .sub(at(100, 0, 0))
      .normalize();
    expect(w).toBeCloseTo(Math.SQRT1_2, 9);
    expect(new THREE.Vector3(x, y, z).normalize().dot(sight)).toBeCloseTo(1, 6);
  });
});

describe("the gauge of a joint", () => {
  const hinge = joint("h", { type: "node", key: ARM }, { point: [0, 0, 0], zero: 10 });
  const bead = (g: Gauge) => g.shown;

  test("stands on its axis, as the part stands, and tells the reading", () => {
    const d = dragging({ kind: "joint", axis: 0 }, at(130, 0, 0), { joint: hinge, values: { "joint.h": 40 } });
    const s = bead(d.gauge);
    expect(s?.reading).toBe(40);
    expect(s?.driven).toBe(false);
    expect(s?.direction.toArray().map((v) => Math.round(v * 1e9) / 1e9)).toEqual([0, 0, 1]);
    expect(s?.reference.dot(s.direction)).toBeCloseTo(0, 12);
    d.gauge.set(null);
    expect(d.gauge.shown).toBeNull();
  });
  test.each([
    [false, 30],
    [true, -30],
  ])("dragged by its hand; flipped (%s) readings grow the other way", (flipped, change) => {
    const d = dragging({ kind: "joint", axis: 0 }, at(130, 0, 0), {
      joint: { ...hinge, flipped },
      values: { "joint.h": 10 },
    });
    const s = d.gauge.shown;
    if (!s) throw new Error("no gauge");
    const side = new THREE.Vector3().crossVectors(s.direction, s.reference);
    const round = (deg: number) =>
      s.point
        .clone()
        .addScaledVector(s.reference, 40 * Math.cos((deg * Math.PI) / 180))
        .addScaledVector(side, 40 * Math.sin((deg * Math.PI) / 180));
    d.to(round(0));
    const zero = d.to(round(0)).joint?.reading ?? 0;
    expect((d.to(round(30)).joint?.reading ?? 0) - zero).toBeCloseTo(change, 6);
  });
  test("a slide's runs along its axis in mm", () => {
    const rail = joint("h", { type: "node", key: ARM }, { kind: "slide", direction: [0, 0, 1] });
    const stands = dragging({ kind: "joint", axis: 0 }, at(100, 0, 0), { joint: rail, values: { "joint.h": 3 } }).gauge
      .shown?.point as THREE.Vector3;
    const d = dragging({ kind: "joint", axis: 0 }, stands, { joint: rail, values: { "joint.h": 3 } });
    expect(d.drag.isAngle).toBe(false);
    expect(d.to(stands.clone().add(new THREE.Vector3(0, 0, 22))).joint).toEqual({
      id: "h",
      reading: expect.closeTo(25, 6),
    });
  });
});
