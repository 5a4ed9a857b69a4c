import * as THREE from "three";
import { MeshBVH } from "three-mesh-bvh";
import { describe, expect, test } from "vitest";
import { cubePackage, key, preparation, seconds, sequenceOf } from "../../tests/support/assembly";
import { indexAssembly } from "../core/assembly/assembly";
import { FACE_STRIDE } from "../core/geometry/geometry";
import { compile } from "../core/program/compile";
import { createPose, pose } from "../core/program/pose";
import { AssemblyScene } from "./assemblyScene";
import { Handles } from "./handles";
import { Picker } from "./picker";
import { setCamera } from "./picture";

const pkg = cubePackage();
const index = indexAssembly(pkg.assembly);
const program = compile(index, preparation(), sequenceOf([{ "root/arm": [key("a", 1, 1, { "slide.z": 50, "turn.z": 90, opacity: 0.4 })] }]));
const posed = (s: number) => {
  const out = createPose(program);
  pose(program, seconds(s), out);
  return out;
};

describe("the drawn assembly", () => {
  test("shares geometry between instances and takes every transform as posed", () => {
    const scene = new AssemblyScene(pkg, index);
    expect(scene.parts).toHaveLength(3);
    expect(new Set(scene.parts.map((p) => p.mesh.geometry)).size).toBe(1);
    const out = posed(2);
    scene.apply(out);
    for (const part of scene.parts) {
      expect(part.mesh.matrixWorld.elements).toEqual(Array.from(out.world.subarray(16 * part.node, 16 * part.node + 16)));
      expect(part.lines?.matrixWorld.elements).toEqual(part.mesh.matrixWorld.elements);
    }
    expect(scene.byNode.get(2)?.materials[0]?.opacity).toBe(0.4);
    scene.apply(posed(0));
    expect(scene.byNode.get(2)?.materials[0]).toMatchObject({ opacity: 1, transparent: false });
  });
  test("marks what is selected and pending, and draws as published without marks", () => {
    const scene = new AssemblyScene(pkg, index);
    const dashed = () => scene.byNode.get(2)?.lines?.material instanceof THREE.LineDashedMaterial;
    scene.setMarks({ selected: new Set([2, 3]), pending: new Set([2]), hover: -1 });
    expect(dashed()).toBe(true);
    expect(scene.byNode.get(3)?.materials[0]?.emissive.getHex()).not.toBe(0);
    let during = true;
    scene.withoutMarks(() => {
      during = dashed();
    });
    expect([during, dashed()]).toEqual([false, true]);
    scene.setMarks({ selected: new Set(), pending: new Set(), hover: -1 });
    expect(scene.byNode.get(3)?.materials[0]?.emissive.getHex()).toBe(0);
  });
  test("faces of different colours become groups in the order of the triangles", () => {
    const colored = cubePackage();
    const faces = colored.geometries[0]?.faces as Float64Array;
    for (const [f, c] of [
      [0, 0xff0000],
      [1, 0xff0000],
      [2, 0x00ff00],
    ] as const)
      faces[f * FACE_STRIDE + 11] = c;
    const part = new AssemblyScene(colored, index).parts[0];
    expect(part?.mesh.geometry.groups).toEqual([
      { start: 0, count: 12, materialIndex: 0 },
      { start: 12, count: 6, materialIndex: 1 },
      { start: 18, count: 18, materialIndex: 2 },
    ]);
    expect(part?.materials.map((m) => m.color.getHex()).slice(0, 2)).toEqual([0xff0000, 0x00ff00]);
  });
});

describe("picking", () => {
  const serialized = pkg.geometries.map((g) => {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(g.positions, 3));
    geometry.setIndex(new THREE.BufferAttribute(g.indices, 1));
    return MeshBVH.serialize(new MeshBVH(geometry, { indirect: true }), { cloneBuffers: true });
  });
  const ray = (x: number, y: number) => new THREE.Ray(new THREE.Vector3(x, y, 500), new THREE.Vector3(0, 0, -1));
  test("finds the part where it stands now, the nearest first, and nothing beside", () => {
    const scene = new AssemblyScene(pkg, index);
    const picker = new Picker(scene, serialized);
    scene.apply(posed(0));
    const hit = picker.pick(ray(100, 20));
    expect(hit?.node).toBe(2);
    expect(hit?.point.z).toBeCloseTo(5, 6);
    expect(picker.pick(ray(60, 60))).toBeNull();
    scene.apply(posed(2));
    expect(picker.pick(ray(100, 20))?.node).not.toBe(2);
  });
  test("passes over what is hidden", () => {
    const scene = new AssemblyScene(pkg, index);
    const picker = new Picker(scene, serialized);
    const out = posed(0);
    out.visible[2] = 0;
    scene.apply(out);
    expect(picker.pick(ray(100, 20))).toBeNull();
  });
});

describe("handles", () => {
  test("stand at the pivot, along the parent's axes, each turn axis where the later ones carried it", () => {
    const handles = new Handles();
    const turned = compile(
      index,
      { ...preparation(), nodes: { "root/arm/a": { pivot: { at: [1, 2, 3], in: "parent" } } } },
      sequenceOf([{ "root/arm/a": [key("a", 1, 1, { "turn.x": 30, "turn.y": 90 })] }]),
    );
    const tracks = turned.trackNode("root/arm/a");
    const out = createPose(turned);
    pose(turned, seconds(2), out);
    if (!tracks) throw new Error("no tracks");
    const parent = new THREE.Matrix4().fromArray(Array.from(out.world.subarray(16, 32)));
    handles.place(tracks, out, parent);
    // The arm is a quarter turn about z at x = 100: (1, 2, 3) in it is (98, 1, 3) in the world.
    expect(handles.pivot.toArray().map((v) => Math.round(v * 1e9) / 1e9)).toEqual([98, 1, 3]);
    const round = (v: THREE.Vector3 | undefined) => v?.toArray().map((x) => Math.round(x * 1e9) / 1e9 + 0);
    expect(round(handles.slideAxes[0])).toEqual([0, 1, 0]);
    // X was carried by the quarter turn about Y: from +x to -z of the arm.
    expect(round(handles.turnAxes[0])).toEqual([0, 0, -1]);
    expect(round(handles.turnAxes[2])).toEqual([0, 0, 1]);
    const camera = new THREE.PerspectiveCamera();
    setCamera(camera, [98, 1, 3, 30, 20, 400, 0, 50], "z", 1.5, new THREE.Vector3(), 200);
    handles.face(camera);
    for (const id of [{ kind: "slide", axis: 1 }, { kind: "turn", axis: 1 }, { kind: "free" }] as const) {
      const bead = handles.beadPosition(id, camera);
      expect(bead && handles.hit(bead.x, bead.y, camera)).toEqual(id);
    }
    expect(handles.hit(0.95, 0.95, camera)).toBeNull();
  });
});
