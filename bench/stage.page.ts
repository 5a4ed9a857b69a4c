/**
 * The desk's stage playing 2,000 moving parts against a bare three.js loop that moves and draws the same geometry
 * (one batch of bodies, one of edge lines) with the same light, ground, shadow and contact shadow, in the same page.
 */
import * as THREE from "three";
import { indexAssembly } from "../src/core/assembly/assembly";
import { threeQuarterView } from "../src/core/camera/camera";
import { emptyPreparation } from "../src/core/document/preparation";
import { SURROUNDINGS_DEFAULT } from "../src/core/document/surroundings";
import { compile } from "../src/core/program/compile";
import { TICKS_PER_SECOND } from "../src/core/time/time";
import { EdgeMaterial, edgeGeometry } from "../src/stage/edgeLines";
import { createRenderer, setCamera } from "../src/stage/picture";
import { Stage } from "../src/stage/stage";
import { Surroundings } from "../src/stage/surroundings";
import { allMove, endOf, gridAssembly, median, SECONDS, treesOf } from "./assembly";

const PARTS = 2000;
const WIDTH = 160;
const HEIGHT = 90;

function canvasOf(): HTMLCanvasElement {
  const canvas = document.createElement("canvas");
  canvas.width = WIDTH;
  canvas.height = HEIGHT;
  document.body.append(canvas);
  return canvas;
}

const pkg = gridAssembly(PARTS);
const index = indexAssembly(pkg.assembly);
const view = threeQuarterView(index.worldBounds.subarray(0, 3), index.worldBounds.subarray(3, 6), WIDTH / HEIGHT, "z");
const program = compile(index, emptyPreparation(), allMove(pkg, view as unknown as Record<string, number>));
const nothing = () => {};
const stage = new Stage(canvasOf(), pkg, index, treesOf(pkg), program, {
  onPick: nothing,
  onHover: nothing,
  onHandle: nothing,
  onFeature: nothing,
  onMenu: nothing,
  onLook: nothing,
  onDrawn: nothing,
});
stage.resize(WIDTH, HEIGHT, 1);

/** The bare loop: matrices from plain interpolation by three.js itself, written into two batches. */
function bare() {
  const renderer = createRenderer(canvasOf());
  renderer.setPixelRatio(1);
  renderer.setSize(WIDTH, HEIGHT, false);
  const scene = new THREE.Scene();
  scene.matrixWorldAutoUpdate = false;
  const parts = pkg.assembly.nodes.filter((n) => n.kind === "part");
  const bodies = pkg.geometries.map((g) => {
    const b = new THREE.BufferGeometry();
    b.setAttribute("position", new THREE.BufferAttribute(g.positions, 3));
    b.setAttribute("normal", new THREE.BufferAttribute(g.normals, 3));
    b.setIndex(new THREE.BufferAttribute(g.indices, 1));
    return b;
  });
  const lines = pkg.geometries.map((g) => edgeGeometry(g.edges) as THREE.BufferGeometry);
  const batch = (shapes: THREE.BufferGeometry[], material: THREE.Material) => {
    const count = (f: (s: THREE.BufferGeometry) => number) => shapes.reduce((n, s) => n + f(s), 0);
    const mesh = new THREE.BatchedMesh(
      parts.length,
      count((s) => s.getAttribute("position").count),
      count((s) => s.getIndex()?.count ?? 0),
      material,
    );
    const ids = shapes.map((s) => mesh.addGeometry(s));
    for (const p of parts) mesh.addInstance(ids[p.geometry] as number);
    mesh.frustumCulled = false;
    mesh.perObjectFrustumCulled = false;
    mesh.sortObjects = false;
    scene.add(mesh);
    return mesh;
  };
  const ink = new EdgeMaterial(0x1e2a38, 0.6);
  const body = batch(bodies, new THREE.MeshStandardMaterial({ roughness: 0.46, metalness: 0.12 }));
  body.castShadow = true;
  body.receiveShadow = true;
  parts.forEach((p, i) => {
    if (p.color) body.setColorAt(i, new THREE.Color(p.color[0], p.color[1], p.color[2]));
  });
  const edges = batch(lines, ink);
  const surroundings = new Surroundings(scene, renderer, "z");
  surroundings.set(SURROUNDINGS_DEFAULT);
  const b = index.worldBounds;
  const min = new THREE.Vector3(b[0], b[1], b[2]);
  const max = new THREE.Vector3(b[3], b[4], b[5]);
  surroundings.fit(min, max);
  const camera = new THREE.PerspectiveCamera();
  const centre = min.clone().add(max).multiplyScalar(0.5);
  const radius = min.distanceTo(max) / 2;
  const values = ["aim.x", "aim.y", "aim.z", "azimuth", "elevation", "distance", "roll", "lens"].map((k) => (view as unknown as Record<string, number>)[k] as number);
  const starts = parts.map((p) => new THREE.Vector3(p.home[12], p.home[13], p.home[14]));
  const ends = parts.map((_, i) => starts[i]?.clone().add(new THREE.Vector3(...endOf(i).slide)) as THREE.Vector3);
  const turns = parts.map((_, i) => new THREE.Quaternion().setFromAxisAngle(new THREE.Vector3(0, 0, 1), (endOf(i).turn * Math.PI) / 180));
  const still = new THREE.Quaternion();
  const position = new THREE.Vector3();
  const quaternion = new THREE.Quaternion();
  const one = new THREE.Vector3(1, 1, 1);
  const matrix = new THREE.Matrix4();
  return {
    renderer,
    draw(share: number) {
      for (let i = 0; i < parts.length; i++) {
        position.lerpVectors(starts[i] as THREE.Vector3, ends[i] as THREE.Vector3, share);
        quaternion.slerpQuaternions(still, turns[i] as THREE.Quaternion, share);
        matrix.compose(position, quaternion, one);
        body.setMatrixAt(i, matrix);
        edges.setMatrixAt(i, matrix);
      }
      setCamera(camera, values, "z", WIDTH / HEIGHT, centre, radius * 1.5);
      ink.fitTo(WIDTH, HEIGHT, 1, 0.6);
      surroundings.moved();
      surroundings.prepare(camera);
      renderer.render(scene, camera);
    },
  };
}

const reference = bare();
const pixel = new Uint8Array(4);
/** Waits until the picture is drawn, software or not. */
const finish = (renderer: THREE.WebGLRenderer) => {
  const gl = renderer.getContext();
  gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, pixel);
};

interface Run {
  script: number;
  frame: number;
}
const runs = { ours: [] as Run[], bare: [] as Run[] };
function one(which: "ours" | "bare", share: number): Run {
  const start = performance.now();
  if (which === "ours") {
    stage.setTime(share * SECONDS * TICKS_PER_SECOND);
    stage.draw();
  } else reference.draw(share);
  const script = performance.now() - start;
  finish(which === "ours" ? stage.renderer : reference.renderer);
  return { script, frame: performance.now() - start };
}

async function run(): Promise<object> {
  const ROUNDS = 46;
  const WARM = 10;
  for (let i = 0; i < ROUNDS; i++) {
    const share = ((i * 17) % 41) / 41;
    // Which one goes first changes, so that neither pays for the other's garbage.
    for (const which of i % 2 ? (["ours", "bare"] as const) : (["bare", "ours"] as const)) {
      const r = one(which, share);
      if (i >= WARM) runs[which].push(r);
    }
    await new Promise((r) => setTimeout(r));
  }
  const of = (which: "ours" | "bare", what: keyof Run) => median(runs[which].map((r) => r[what]));
  return {
    parts: PARTS,
    script: { ours: of("ours", "script"), bare: of("bare", "script") },
    frame: { ours: of("ours", "frame"), bare: of("bare", "frame") },
  };
}
(window as unknown as { result: Promise<object> }).result = run();
