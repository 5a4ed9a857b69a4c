/**
 * A package (a GLB) to its first complete picture with picking ready, against three.js GLTFLoader.parse and one render
 * of the same bytes, in the same page. Both begin from bytes in memory and end when the picture is drawn.
 */

import * as THREE from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import type { SerializedBVH } from "three-mesh-bvh";
import { indexAssembly } from "../src/core/assembly/assembly";
import { decodePackage, encodePackage } from "../src/core/assembly/package";
import { threeQuarterView } from "../src/core/camera/camera";
import { emptyPreparation } from "../src/core/document/preparation";
import { newSequence } from "../src/core/document/sequence";
import { compile } from "../src/core/program/compile";
import { createRenderer, setCamera } from "../src/stage/picture";
import { Stage } from "../src/stage/stage";
import { Surroundings } from "../src/stage/surroundings";
import { gridAssembly, median } from "./assembly";
import { canvasOf, finish, HEIGHT, NO_EVENTS, WIDTH } from "./page";

/** As the page does it: a worker decodes and builds the picking trees, the stage draws. */
async function ours(bytes: Uint8Array): Promise<number> {
  const canvas = canvasOf();
  const copy = bytes.slice();
  const address = URL.createObjectURL(new Blob([copy]));
  const worker = new Worker("/loader.js");
  // Starting a worker and a context is the browser's work, for both sides left out.
  await new Promise<void>((ready) => {
    worker.onmessage = (e) => e.data.type === "failed" && ready();
    worker.postMessage({ url: "data:," });
  });
  const start = performance.now();
  const done = await new Promise<{ bytes: ArrayBuffer; trees: (SerializedBVH | null)[] }>((resolve, reject) => {
    worker.onmessage = (e) => {
      if (e.data.type === "done") resolve(e.data);
      if (e.data.type === "failed") reject(new Error(e.data.message));
    };
    worker.postMessage({ url: address });
  });
  const pkg = decodePackage(new Uint8Array(done.bytes));
  const index = indexAssembly(pkg.assembly);
  const b = index.worldBounds;
  const camera = threeQuarterView(b.subarray(0, 3), b.subarray(3, 6), WIDTH / HEIGHT, pkg.assembly.up);
  const program = compile(index, emptyPreparation(), newSequence("s", camera, "s"));
  const stage = new Stage(canvas, pkg, index, done.trees, program, NO_EVENTS);
  stage.resize(WIDTH, HEIGHT, 1);
  stage.draw();
  stage.pointing.pickAt(WIDTH / 2, HEIGHT / 2);
  finish(stage.renderer);
  const took = performance.now() - start;
  stage.dispose();
  stage.renderer.forceContextLoss();
  worker.terminate();
  URL.revokeObjectURL(address);
  canvas.remove();
  return took;
}

/** GLTFLoader and one render with the same light and ground. */
async function bare(bytes: Uint8Array): Promise<number> {
  const canvas = canvasOf();
  const copy = bytes.slice().buffer as ArrayBuffer;
  const start = performance.now();
  const gltf = await new GLTFLoader().parseAsync(copy, "");
  const renderer = createRenderer(canvas);
  renderer.setPixelRatio(1);
  renderer.setSize(WIDTH, HEIGHT, false);
  const scene = new THREE.Scene();
  scene.add(gltf.scene);
  scene.updateMatrixWorld(true);
  const box = new THREE.Box3().setFromObject(gltf.scene);
  const surroundings = new Surroundings(
    { scene, lines: [], standing: (out) => out.set([...box.min.toArray(), ...box.max.toArray()]) },
    renderer,
    "z",
  );
  surroundings.fit(box.min, box.max);
  gltf.scene.traverse((o) => {
    o.castShadow = true;
    o.receiveShadow = true;
  });
  const view = threeQuarterView(box.min.toArray(), box.max.toArray(), WIDTH / HEIGHT, "z");
  const camera = new THREE.PerspectiveCamera();
  setCamera(
    camera,
    ["aim.x", "aim.y", "aim.z", "azimuth", "elevation", "distance", "roll", "lens"].map(
      (k) => (view as unknown as Record<string, number>)[k] as number,
    ),
    "z",
    WIDTH / HEIGHT,
    box.getCenter(new THREE.Vector3()),
    box.min.distanceTo(box.max) * 0.75,
  );
  surroundings.prepare(camera);
  renderer.render(scene, camera);
  finish(renderer);
  const took = performance.now() - start;
  surroundings.dispose();
  renderer.dispose();
  renderer.forceContextLoss();
  canvas.remove();
  return took;
}

async function measured(bytes: Uint8Array, rounds: number): Promise<{ ours: number; bare: number; megabytes: number }> {
  const runs = { ours: [] as number[], bare: [] as number[] };
  for (let i = 0; i <= rounds; i++) {
    const a = await ours(bytes);
    const b = await bare(bytes);
    if (i === 0) continue;
    runs.ours.push(a);
    runs.bare.push(b);
  }
  return { ours: median(runs.ours), bare: median(runs.bare), megabytes: bytes.length / 1e6 };
}

async function run(): Promise<object> {
  const out: Record<string, object> = {};
  const given = (window as unknown as { given?: string }).given;
  if (given) out.demo = await measured(new Uint8Array(await (await fetch(given)).arrayBuffer()), 7);
  out.grid = await measured(encodePackage(gridAssembly(2000)), 7);
  return out;
}
(window as unknown as { begin: () => Promise<object> }).begin = run;
