import * as THREE from "three";
import { type Assembly, indexAssembly } from "../../core/assembly/assembly";
import { emptyPreparation } from "../../core/document/preparation";
import { type Key, keysOf, newSequence, newStep, type Sequence } from "../../core/document/sequence";
import type { Ease } from "../../core/ease/ease";
import { quaternionFromAxis } from "../../core/math/rotation";
import { compile } from "../../core/program/compile";
import { pose } from "../../core/program/pose";
import { createPose, sample } from "../../core/program/sampling";
import { TICKS_PER_SECOND } from "../../core/time/time";
import { type Measurement, median } from "./measurement";

const NODES = 1000;
const KEYS = 10;
const SECONDS = 20;
const EASES: Ease[] = [
  { kind: "soft", start: 0.3, stop: 0.4 },
  { kind: "soft", start: 0, stop: 0 },
  { kind: "curve", x1: 0.4, y1: 0, x2: 0.2, y2: 1 },
];

/** Small generator of repeatable chance (mulberry32). */
export function chance(seed: number): () => number {
  let a = seed;
  return () => {
    a = (a + 0x6d2b79f5) | 0;
    let t = Math.imul(a ^ (a >>> 15), 1 | a);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

/** A flat assembly of boxes, and a sequence that slides and turns every one of them, `keys` arrivals each. */
export function keyedAssembly(nodes: number, keys: number): { assembly: Assembly; sequence: Sequence } {
  const random = chance(7);
  const assembly: Assembly = {
    version: 1,
    name: "Measured",
    format: "glb",
    unit: "mm",
    up: "z",
    nodes: Array.from({ length: nodes }, (_, i) => ({
      key: `p${i}`,
      name: `p${i}`,
      parent: -1,
      kind: "part" as const,
      home: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, (i % 40) * 20, Math.floor(i / 40) * 20, 0, 1],
      geometry: 0,
      color: null,
    })),
    geometries: [{ id: "g0", triangles: 12, bounds: { min: [-5, -5, -5], max: [5, 5, 5] } }],
    warnings: [],
  };
  const home = { "aim.x": 0, "aim.y": 0, "aim.z": 0, azimuth: 0, elevation: 20, distance: 1000, roll: 0, lens: 50 };
  const sequence = newSequence("Measured", home, "s");
  const step = newStep("s", "s");
  step.stillBefore = 0;
  step.stillAfter = 0;
  step.action = SECONDS * TICKS_PER_SECOND;
  for (let i = 0; i < nodes; i++) {
    const list: Record<string, Key> = {};
    for (let k = 0; k < keys; k++) {
      list[`k${k}`] = {
        id: `k${k}`,
        at: Math.round(((k + 1) / keys) * SECONDS * TICKS_PER_SECOND),
        lead: Math.round(TICKS_PER_SECOND * (0.5 + random())),
        ease: EASES[(i + k) % EASES.length] as Ease,
        values: {
          "slide.x": random() * 100,
          "slide.y": random() * 100,
          "slide.z": random() * 100,
          "turn.x": random() * 360,
          "turn.y": random() * 360,
          "turn.z": random() * 360,
        },
      };
    }
    step.moves[`m${i}`] = {
      id: `m${i}`,
      kind: "hand",
      name: "",
      on: true,
      folder: null,
      colour: null,
      note: "",
      target: { type: "node", key: `p${i}` },
      keys: list,
    };
  }
  sequence.steps = { s: step };
  return { assembly, sequence };
}

/**
 * Sampling all channels of 1,000 nodes at random times, against three.js `AnimationMixer.setTime` over the same keys
 * (position and quaternion tracks, linear between keys). Ours is measured twice: channels alone, and the whole pose
 * with world matrices, which the mixer leaves to a later step.
 */
export async function measurePose(): Promise<Measurement[]> {
  const { assembly, sequence } = keyedAssembly(NODES, KEYS);
  const program = compile(indexAssembly(assembly), emptyPreparation(), sequence);
  const out = createPose(program);

  const root = new THREE.Object3D();
  const tracks: THREE.KeyframeTrack[] = [];
  for (let i = 0; i < NODES; i++) {
    const object = new THREE.Object3D();
    object.name = `p${i}`;
    root.add(object);
    const times: number[] = [];
    const positions: number[] = [];
    const turns: number[] = [];
    for (const key of keysOf(sequence.steps.s?.moves[`m${i}`])) {
      times.push(key.at / TICKS_PER_SECOND);
      positions.push(key.values["slide.x"] as number, key.values["slide.y"] as number, key.values["slide.z"] as number);
      turns.push(...quaternionFromAxis([1, 0, 0], key.values["turn.x"] as number));
    }
    tracks.push(
      new THREE.VectorKeyframeTrack(`p${i}.position`, times, positions),
      new THREE.QuaternionKeyframeTrack(`p${i}.quaternion`, times, turns),
    );
  }
  const mixer = new THREE.AnimationMixer(root);
  mixer.clipAction(new THREE.AnimationClip("clip", SECONDS, tracks)).play();

  const random = chance(3);
  const times = Array.from({ length: 60 }, () => random() * SECONDS);
  const runs = { sample: [] as number[], pose: [] as number[], mixer: [] as number[] };
  const time = (work: (seconds: number) => void) => {
    const start = performance.now();
    for (const t of times) work(t);
    return (performance.now() - start) / times.length;
  };
  for (let round = 0; round < 14; round++) {
    const a = time((t) => sample(program, t * TICKS_PER_SECOND, out));
    const b = time((t) => mixer.setTime(t));
    const c = time((t) => pose(program, t * TICKS_PER_SECOND, out));
    // The first rounds are spent warming up.
    if (round < 4) continue;
    runs.sample.push(a);
    runs.mixer.push(b);
    runs.pose.push(c);
  }
  const reference = median(runs.mixer);
  const heap = allocated(() => {
    for (const t of times) sample(program, t * TICKS_PER_SECOND, out);
  });
  const row = (name: string, ours: number, note: string): Measurement => ({
    name,
    ours,
    reference,
    ratio: ours / reference,
    unit: "ms per sample",
    note,
  });
  return [
    row("pose", median(runs.sample), `all channels of ${NODES} nodes; ${heap}`),
    row("pose-matrices", median(runs.pose), "the same and all world matrices, which the mixer does not compute"),
  ];
}

/**
 * How much the heap grew over some work, in words. Needs --expose-gc to be exact; without, garbage of others counts.
 */
function allocated(work: () => void): string {
  const gc = (globalThis as { gc?: () => void }).gc;
  work();
  gc?.();
  const before = process.memoryUsage().heapUsed;
  work();
  const grown = process.memoryUsage().heapUsed - before;
  return `heap grew by ${Math.max(0, grown)} bytes over 60 samples`;
}
