import * as THREE from "three";
import { MeshBVH, type SerializedBVH } from "three-mesh-bvh";
import type { Assembly } from "../src/core/assembly/assembly";
import type { AssemblyPackage } from "../src/core/assembly/package";
import { type Key, newSequence, newStep, type Sequence } from "../src/core/document/sequence";
import { featureEdges } from "../src/core/geometry/featureEdges";
import { boundsOf, FACE_STRIDE, type Geometry } from "../src/core/geometry/geometry";
import { nth } from "../src/core/math/packed";
import type { Triple } from "../src/core/math/triple";
import { TICKS_PER_SECOND } from "../src/core/time/time";

export const SECONDS = 10;

function geometryOf(id: string, shape: THREE.BufferGeometry): Geometry {
  const flat = shape.toNonIndexed();
  const positions = new Float32Array(flat.getAttribute("position").array);
  const normals = new Float32Array(flat.getAttribute("normal").array);
  const indices = Uint32Array.from({ length: positions.length / 3 }, (_, i) => i);
  const faces = new Float64Array(FACE_STRIDE);
  faces.set([0, indices.length / 3, 6]);
  faces[11] = -1;
  return {
    id,
    positions,
    normals,
    indices,
    faces,
    edges: featureEdges(positions, normals, indices, faces),
    bounds: boundsOf(positions),
  };
}

/** A made-up assembly of `count` parts of a few shapes on a grid, in sub-assemblies of 50. */
export function gridAssembly(count: number): AssemblyPackage {
  const geometries = [
    geometryOf("box", new THREE.BoxGeometry(8, 8, 8)),
    geometryOf("pin", new THREE.CylinderGeometry(2, 2, 14, 20)),
    geometryOf("disc", new THREE.CylinderGeometry(5, 5, 3, 24)),
    geometryOf("cone", new THREE.ConeGeometry(4, 9, 22)),
    geometryOf("head", new THREE.CylinderGeometry(4, 4, 4, 6)),
  ];
  const side = Math.ceil(Math.sqrt(count));
  const at = (x: number, y: number, z: number) => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, x, y, z, 1];
  const nodes: Assembly["nodes"] = [
    { key: "root", name: "root", parent: -1, kind: "assembly", home: at(0, 0, 0), geometry: -1, color: null },
  ];
  let owner = 0;
  for (let i = 0; i < count; i++) {
    if (i % 50 === 0) {
      owner = nodes.length;
      nodes.push({
        key: `root/s${i / 50}`,
        name: `s${i / 50}`,
        parent: 0,
        kind: "assembly",
        home: at(0, 0, 0),
        geometry: -1,
        color: null,
      });
    }
    const color: [number, number, number, number] = [0.3 + 0.4 * ((i % 7) / 7), 0.4, 0.5, 1];
    nodes.push({
      key: `root/s/p${i}`,
      name: `part ${i}`,
      parent: owner,
      kind: "part",
      home: at((i % side) * 14, Math.floor(i / side) * 14, 8),
      geometry: i % geometries.length,
      color,
    });
  }
  return {
    geometries,
    assembly: {
      version: 1,
      name: "Grid",
      format: "glb",
      unit: "mm",
      up: "z",
      nodes,
      geometries: geometries.map((g) => ({ id: g.id, triangles: g.indices.length / 3, bounds: g.bounds })),
      warnings: [],
    },
  };
}

/** How far a part is slid (mm) and turned (degrees about z) at its end. */
export const endOf = (i: number): { slide: Triple; turn: number } => ({
  slide: [(i % 5) - 2, ((i * 3) % 7) - 3, 4 + (i % 9) * 3],
  turn: 30 + ((i * 37) % 300),
});

/** A sequence in which every part slides and turns from the first frame to the last. */
export function allMove(pkg: AssemblyPackage, camera: Record<string, number>): Sequence {
  const sequence = newSequence("Measured", camera as never, "s");
  const step = newStep("s", "s");
  step.stillBefore = 0;
  step.stillAfter = 0;
  step.action = SECONDS * TICKS_PER_SECOND;
  let i = 0;
  for (const node of pkg.assembly.nodes) {
    if (node.kind !== "part") continue;
    const { slide, turn } = endOf(i);
    const key: Key = {
      id: "k",
      at: step.action,
      lead: step.action,
      ease: { kind: "soft", start: 0, stop: 0 },
      values: { "slide.x": slide[0], "slide.y": slide[1], "slide.z": slide[2], "turn.z": turn },
    };
    step.moves[`m${i}`] = {
      id: `m${i}`,
      kind: "hand",
      name: "",
      on: true,
      folder: null,
      colour: null,
      note: "",
      target: { type: "node", key: node.key },
      keys: { k: key },
    };
    i++;
  }
  sequence.steps = { s: step };
  sequence.picture = { width: 320, height: 180 };
  return sequence;
}

/** Picking trees as the loading worker makes them. */
export function treesOf(pkg: AssemblyPackage): (SerializedBVH | null)[] {
  return pkg.geometries.map((g) => {
    if (g.indices.length === 0) return null;
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(g.positions, 3));
    geometry.setIndex(new THREE.BufferAttribute(g.indices, 1));
    return MeshBVH.serialize(new MeshBVH(geometry, { indirect: true }), { cloneBuffers: false });
  });
}

/** Middle value. */
export function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b);
  return nth(sorted, sorted.length >> 1);
}
