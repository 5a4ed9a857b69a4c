import fc from "fast-check";
import * as THREE from "three";
import { MeshBVH } from "three-mesh-bvh";
import { describe, expect, test } from "vitest";
import { cubePackage, key, preparation, seconds, sequenceOf } from "../../tests/support/assembly";
import { boxPackage } from "../../tests/support/boxes";
import { indexAssembly } from "../core/assembly/assembly";
import { FACE_STRIDE } from "../core/geometry/geometry";
import { nth } from "../core/math/packed";
import type { Triple } from "../core/math/triple";
import { compile } from "../core/program/compile";
import { pose } from "../core/program/pose";
import { createPose } from "../core/program/sampling";
import { AssemblyScene, type Part } from "./assemblyScene";
import type { BatchList } from "./batchList";
import { CONTACT_REACH } from "./contactShadow";
import { Handles } from "./handles";
import { Picker } from "./picker";
import { setCamera } from "./picture";
import { SURFACE_TEXELS } from "./surfaceMaterial";

const pkg = cubePackage();
const index = indexAssembly(pkg.assembly);
const program = compile(
  index,
  preparation(),
  sequenceOf([{ "root/arm": [key("a", 1, 1, { "slide.z": 50, "turn.z": 90, opacity: 0.4 })] }]),
);
const posed = (s: number) => {
  const out = createPose(program);
  pose(program, seconds(s), out);
  return out;
};

/** A viewer that has the origin and a good way around it in view. */
function viewer(x = 400, y = -900, z = 500): THREE.PerspectiveCamera {
  const camera = new THREE.PerspectiveCamera(50, 1, 1, 10_000);
  camera.up.set(0, 0, 1);
  camera.position.set(x, y, z);
  camera.lookAt(0, 0, 0);
  camera.updateMatrixWorld();
  return camera;
}
const listed = (list: BatchList | null): number[] => (list?.visible ? [...list.ids.subarray(0, list.length)] : []);
interface Clear {
  clear: { runs: BatchList[]; thrown: BatchList | null };
}
/** The runs of see-through parts in the order they are drawn, as when a picture is drawn. */
function runsOf(scene: AssemblyScene, camera: THREE.Camera = viewer()): { ids: number[]; hides: boolean }[] {
  scene.scene.onBeforeRender(null as never, scene.scene, camera, null as never, null as never, null as never);
  const runs = (scene as unknown as Clear).clear.runs.filter((r) => r.visible);
  return runs
    .toSorted((a, b) => a.renderOrder - b.renderOrder)
    .map((r) => ({ ids: listed(r), hides: r.material.depthWrite }));
}
/** The see-through parts that throw a shadow. */
const throwing = (scene: AssemblyScene): number[] => listed((scene as unknown as Clear).clear.thrown);

describe("the drawn assembly", () => {
  test("shares geometry between instances and takes every transform as posed", () => {
    const scene = new AssemblyScene(pkg, index);
    expect(scene.parts).toHaveLength(3);
    expect(new Set(scene.parts.map((p) => p.geometry)).size).toBe(1);
    const out = posed(2);
    scene.apply(out);
    for (const part of scene.parts)
      expect(part.matrix.elements).toEqual(Array.from(out.world.subarray(16 * part.node, 16 * part.node + 16)));
    // See-through parts leave the batch and come back to it.
    const { bodies } = scene as unknown as { bodies: THREE.BatchedMesh };
    const faded = scene.byNode.get(2) as Part;
    const drawnApart = () => runsOf(scene).flatMap((r) => r.ids);
    expect([faded.drawnOpacity, bodies.getVisibleAt(faded.id)]).toEqual([0.4, false]);
    expect(drawnApart()).toContain(faded.id);
    expect(bodies.getColorAt(faded.id, new THREE.Vector4()).w).toBeCloseTo(0.4, 6);
    // The same again is told as such, so that shadows are drawn anew only when something moved or fades.
    expect(scene.apply(posed(2))).toBe(false);
    expect(scene.apply(posed(1))).toBe(true);
    expect(scene.apply(posed(0))).toBe(true);
    expect([faded.drawnOpacity, bodies.getVisibleAt(faded.id), drawnApart()]).toEqual([1, true, []]);
  });
  test("tells the box of what stands there, turned and moved as posed, without what is hidden", () => {
    const scene = new AssemblyScene(pkg, index);
    const [told, box] = [new Float64Array(6), new THREE.Box3()];
    for (const hidden of [-1, 2]) {
      const out = posed(1.7);
      if (hidden >= 0) out.visible[hidden] = 0;
      scene.apply(out);
      box.makeEmpty();
      for (const { node, geometry } of scene.parts) {
        const { bounds } = pkg.geometries[geometry] as (typeof pkg.geometries)[number];
        const own = new THREE.Box3(new THREE.Vector3(...bounds.min), new THREE.Vector3(...bounds.max));
        const at = new THREE.Matrix4().fromArray(out.world, 16 * node);
        if (node !== hidden) box.union(own.applyMatrix4(at));
      }
      scene.standing(told);
      const sides = [...box.min.toArray(), ...box.max.toArray()];
      expect([...told]).toEqual(sides.map((v) => expect.closeTo(v, 6)));
    }
    const none = posed(0);
    none.visible.fill(0);
    scene.apply(none);
    scene.standing(told);
    expect((told[0] as number) > (told[3] as number)).toBe(true);
  });
  test("marks what is selected and pending, and draws as published without marks", () => {
    const scene = new AssemblyScene(pkg, index);
    scene.setMarks({ selected: new Set([2, 3]), pending: new Set([2]), hover: 4 });
    expect([2, 3, 4].map((n) => scene.markShown(n))).toEqual(["pending", "selected", "hover"]);
    let during: unknown = "";
    scene.withoutMarks(() => {
      during = scene.markShown(2);
    });
    expect([during, scene.markShown(2)]).toEqual([null, "pending"]);
    scene.setMarks({ selected: new Set(), pending: new Set(), hover: -1 });
    expect(scene.markShown(3)).toBeNull();
  });
  test("outlines what is marked with one list for each kind of mark, without what is not in sight", () => {
    const many = boxPackage("many", [
      {
        name: "root",
        at: [0, 0, 0],
        children: Array.from({ length: 500 }, (_, i) => ({ name: `p${i}`, at: [i, 0, 0], size: [1, 1, 1] })),
      },
    ]);
    const numbered = indexAssembly(many.assembly);
    const scene = new AssemblyScene(many, numbered);
    const nodes = scene.parts.map((p) => p.node);
    const outlined = () => {
      scene.prepare(new THREE.PerspectiveCamera());
      return (scene.lines.slice(1) as BatchList[]).map(listed);
    };
    expect(outlined()).toEqual([[], [], []]);
    scene.setMarks({ selected: new Set(nodes), pending: new Set([nodes[7] as number]), hover: -1 });
    const [hover, selected, pending] = outlined();
    expect([hover, selected?.length, pending]).toEqual([[], 499, [7]]);
    const shown = compile(numbered, preparation(), sequenceOf([{}]));
    const at = createPose(shown);
    pose(shown, 0, at);
    at.visible[nodes[3] as number] = 0;
    scene.apply(at);
    scene.setMarks({ selected: new Set(nodes.slice(2, 5)), pending: new Set(), hover: nodes[9] as number });
    expect(outlined()).toEqual([[9], [2, 4], []]);
    // What goes out of sight while it is marked has neither outline nor edges; back in sight it is outlined.
    const { edges } = scene as unknown as { edges: THREE.BatchedMesh };
    const edged = () => nodes.flatMap((_, id) => (id < 10 && edges.getVisibleAt(id) ? [id] : []));
    at.visible[nodes[4] as number] = at.visible[nodes[5] as number] = 0;
    scene.apply(at);
    expect([outlined(), edged()]).toEqual([
      [[9], [2], []],
      [0, 1, 6, 7, 8],
    ]);
    at.visible.fill(1);
    scene.apply(at);
    expect([outlined(), edged()]).toEqual([
      [[9], [2, 3, 4], []],
      [0, 1, 5, 6, 7, 8],
    ]);
    scene.setEdges(false);
    expect([outlined()[1], edged()]).toEqual([[2, 3, 4], []]);
  });
  test("whatever was marked before, what is drawn is that of the marks said last", () => {
    const many = boxPackage("many", [
      {
        name: "root",
        at: [0, 0, 0],
        children: Array.from({ length: 410 }, (_, i) => ({ name: `p${i}`, at: [i, 0, 0], size: [1, 1, 1] })),
      },
    ]);
    const numbered = indexAssembly(many.assembly);
    const make = () => {
      const scene = new AssemblyScene(many, numbered);
      // One is seen through, and so drawn apart.
      scene.setLooks({ "many/root/p2": { ghost: true } });
      return scene;
    };
    const drawn = (scene: AssemblyScene) => {
      const { surfaces, edges } = scene as unknown as { surfaces: THREE.DataTexture; edges: THREE.BatchedMesh };
      const data = surfaces.image.data as Float32Array;
      return scene.parts.map((p) => {
        const mark = nth(data, p.id * SURFACE_TEXELS * 4 + 2).toFixed(2);
        return `${scene.markShown(p.node)} ${edges.getVisibleAt(p.id)} ${mark}`;
      });
    };
    // What is drawn apart is marked as well, also where its outline stays.
    const alone = make();
    const seen = numbered.indexOf.get("many/root/p2") ?? -1;
    const marked = () => drawn(alone)[alone.byNode.get(seen)?.id ?? -1]?.split(" ")[2];
    alone.setMarks({ selected: new Set(), pending: new Set(), hover: seen });
    expect(marked()).toBe("0.07");
    alone.setMarks({ selected: new Set([seen]), pending: new Set(), hover: seen });
    expect(marked()).toBe("0.16");
    alone.setMarks({ selected: new Set(), pending: new Set(), hover: -1 });
    alone.setMarks({ selected: new Set([...many.assembly.nodes.keys()]), pending: new Set(), hover: -1 });
    expect(marked()).toBe("0.16");
    const few = fc.uniqueArray(fc.integer({ min: 0, max: 5 }), { maxLength: 4 });
    const marks = fc
      .record({ few, crowd: fc.boolean(), pending: few, hover: fc.integer({ min: -1, max: 6 }) })
      .map((m) => ({
        selected: new Set(m.crowd ? [...many.assembly.nodes.keys()] : m.few),
        pending: new Set(m.pending),
        hover: m.hover,
      }));
    fc.assert(
      fc.property(fc.array(marks, { minLength: 2, maxLength: 4 }), (said) => {
        const [scene, fresh] = [make(), make()];
        for (const m of said) scene.setMarks(m);
        fresh.setMarks(said.at(-1) as (typeof said)[number]);
        expect(drawn(scene)).toEqual(drawn(fresh));
      }),
      { numRuns: 15, endOnFailure: true },
    );
  });
  test("finishes and ghosts are taken over, a ghost with all below it", () => {
    const scene = new AssemblyScene(pkg, index);
    const finish = { color: "#FF0000", roughness: 0.2, metalness: 1, opacity: 1, emissive: "#000000", glow: 0 };
    scene.setLooks({ "root/arm/a": { finish }, "root/arm": { ghost: true } });
    const part = scene.byNode.get(index.indexOf.get("root/arm/a") as number);
    expect(part?.surface).toMatchObject({ roughness: 0.2, metalness: 1, faces: false, ghost: true });
    expect(part?.surface.color.getHex()).toBe(0xff0000);
    expect(part?.drawnOpacity).toBeLessThan(0.3);
    scene.setLooks({});
    expect(part?.surface).toMatchObject({ ghost: false, faces: true });
    expect(part?.drawnOpacity).toBe(1);
  });
  test("whatever was worn before, a part wears what is said last; what stays as it is is not dressed again", () => {
    const finish = { color: "#FF0000", roughness: 0.2, metalness: 1, opacity: 1, emissive: "#000000", glow: 0 };
    const worn = fc.dictionary(
      fc.constantFrom("root/arm", "root/arm/a", "root/arm/b"),
      fc.record(
        { finish: fc.constantFrom(finish, { ...finish, opacity: 0.4 }), ghost: fc.boolean(), hidden: fc.boolean() },
        { requiredKeys: [] },
      ),
    );
    fc.assert(
      fc.property(fc.array(worn, { minLength: 1, maxLength: 4 }), (looks) => {
        const [scene, fresh] = [new AssemblyScene(pkg, index), new AssemblyScene(pkg, index)];
        for (const look of looks) scene.setLooks(look);
        fresh.setLooks(looks.at(-1) as (typeof looks)[number]);
        const shown = (s: AssemblyScene) => [s.parts.map((p) => [p.surface, p.drawnOpacity]), runsOf(s)];
        expect(shown(scene)).toEqual(shown(fresh));
        const before = scene.parts.map((p) => p.surface);
        scene.setLooks({ ...looks.at(-1) });
        expect(scene.parts.every((p, i) => p.surface === before[i])).toBe(true);
      }),
      { numRuns: 60 },
    );
  });
  test("see-through parts are drawn from the farthest to the nearest, in runs of such as hide what is behind and such as do not", () => {
    const box = fc.record({
      at: fc.tuple(...[0, 1, 2].map(() => fc.integer({ min: -200, max: 200 }))) as fc.Arbitrary<Triple>,
      opacity: fc.constantFrom(0, 0.2, 0.6, 0.7, 0.85, 0.9, 0.97, 1),
      hidden: fc.boolean(),
    });
    const corner = fc.integer({ min: -700, max: 700 });
    fc.assert(
      fc.property(fc.array(box, { minLength: 1, maxLength: 40 }), corner, corner, (boxes, x, y) => {
        const few = boxPackage(
          "few",
          boxes.map((b, i) => ({ name: `p${i}`, at: b.at, size: [3, 5, 7] as Triple })),
        );
        const numbered = indexAssembly(few.assembly);
        const scene = new AssemblyScene(few, numbered);
        const still = compile(numbered, preparation(), sequenceOf([{}]));
        const at = createPose(still);
        pose(still, 0, at);
        const said = (node: number) => {
          const b = boxes[Number(/p(\d+)$/.exec(numbered.assembly.nodes[node]?.key ?? "")?.[1])];
          return b as (typeof boxes)[number];
        };
        for (const { node } of scene.parts) {
          at.opacity[node] = said(node).opacity;
          at.visible[node] = said(node).hidden ? 0 : 1;
        }
        scene.apply(at);
        const camera = viewer(x, y, 800);
        const runs = runsOf(scene, camera);
        const part = (id: number) => scene.parts[id] as Part;
        const clear = scene.parts.filter((p) => {
          const b = said(p.node);
          return !b.hidden && b.opacity > 0 && b.opacity < 1;
        });
        const order = runs.flatMap((r) => r.ids);
        expect(order.toSorted((a, b) => a - b)).toEqual(clear.map((p) => p.id));
        const depth = (id: number) => {
          const [px, py, pz] = said(part(id).node).at;
          return -new THREE.Vector3(px, py, pz).applyMatrix4(camera.matrixWorldInverse).z;
        };
        const depths = order.map(depth);
        expect(depths.every((d, k) => k === 0 || d <= (depths[k - 1] as number) + 1e-4)).toBe(true);
        for (const run of runs) for (const id of run.ids) expect(said(part(id).node).opacity > 0.85).toBe(run.hides);
        expect(runs.every((r, k) => k === 0 || r.hides !== runs[k - 1]?.hides)).toBe(true);
        expect(throwing(scene)).toEqual(clear.filter((p) => said(p.node).opacity > 0.6).map((p) => p.id));
      }),
      { numRuns: 60, endOnFailure: true },
    );
  });
  test("however many see-through parts take turns in hiding what is behind, they are all drawn, in order", () => {
    const row = boxPackage(
      "row",
      Array.from({ length: 300 }, (_, i) => ({ name: `p${i}`, at: [0, i, 0] as Triple, size: [1, 1, 1] as Triple })),
    );
    const numbered = indexAssembly(row.assembly);
    const scene = new AssemblyScene(row, numbered);
    const still = compile(numbered, preparation(), sequenceOf([{}]));
    const at = createPose(still);
    pose(still, 0, at);
    scene.parts.forEach((p, i) => {
      at.opacity[p.node] = i % 2 ? 0.9 : 0.3;
    });
    scene.apply(at);
    const runs = runsOf(scene, viewer(0, -900, 0));
    expect(runs.length).toBe(64);
    expect(runs.flatMap((r) => r.ids)).toEqual(Array.from({ length: 300 }, (_, i) => 299 - i));
    // What lies beside the picture is not drawn.
    const away = viewer(0, -900, 0);
    away.lookAt(0, -2000, 0);
    away.updateMatrixWorld();
    expect(runsOf(scene, away)).toEqual([]);
  });
  test("once what fades was made ready for, nothing of it stays in the picture", () => {
    const scene = new AssemblyScene(pkg, index);
    const done = scene.addSpeck();
    expect([runsOf(scene), throwing(scene)]).toEqual([[{ ids: [3], hides: false }], [3]]);
    done();
    expect([runsOf(scene), throwing(scene)]).toEqual([[], []]);
  });
  test("faces that CAD coloured carry their colour at every corner, others none", () => {
    const colored = cubePackage();
    const faces = colored.geometries[0]?.faces as Float64Array;
    faces[11] = 0xff8000;
    const scene = new AssemblyScene(colored, index);
    const shape = scene.shapeOf(scene.parts[0]?.node ?? -1);
    const colors = shape?.getAttribute("faceColor").array as Uint8Array;
    const at = (t: number) => {
      const o = 4 * (colored.geometries[0]?.indices[3 * t] as number);
      return Array.from(colors.subarray(o, o + 4));
    };
    expect(at(0)).toEqual([255, 128, 0, 255]);
    expect(at(nth(faces, FACE_STRIDE))).toEqual([0, 0, 0, 0]);
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
    handles.place(tracks, out, parent, parent, "owner");
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

test("what moves high above the ground leaves the soft contact shadow as it was; what comes near it, or leaves it, does not", () => {
  const parts = [
    { name: "base", at: [0, 0, 0] as const, size: [200, 200, 10] as const },
    { name: "cap", at: [0, 0, 180] as const, size: [20, 20, 20] as const },
  ].map((p) => ({ ...p, at: [...p.at] as [number, number, number], size: [...p.size] as [number, number, number] }));
  const pkg = boxPackage("kit", parts);
  const index = indexAssembly(pkg.assembly);
  const scene = new AssemblyScene(pkg, index);
  const program = compile(index, preparation(), sequenceOf([{}]));
  const at = createPose(program);
  const cap = index.indexOf.get("kit/cap") as number;
  const put = (z: number): boolean => {
    at.world[16 * cap + 14] = z;
    expect(scene.apply(at)).toBe(true);
    return scene.low;
  };
  pose(program, 0, at);
  scene.apply(at);
  expect(put(170)).toBe(false);
  expect(put(20)).toBe(true);
  // On its way back up it was near.
  expect(put(170)).toBe(true);
  expect(put(160)).toBe(false);
  // To the millimetre: what reaches into the height from which the ground is darkened is near, however high it is itself.
  const { min, max } = scene.worldBounds();
  const foot = nth(index.worldBounds, 6 * cap + 2) - nth(index.homeWorld, 16 * cap + 14);
  const top = min.z + (CONTACT_REACH * min.distanceTo(max)) / 2 - foot;
  expect(put(top + 1)).toBe(false);
  expect(put(top - 1)).toBe(true);
  expect(put(160)).toBe(true);
  at.visible[cap] = 0;
  scene.apply(at);
  expect(scene.low).toBe(false);
  scene.dispose();
});
