import { readFile } from "node:fs/promises";
import path from "node:path";
import { Matrix4 } from "three";
import { demoPreparation } from "../../../demo/preparation";
import { demoSequences } from "../../../demo/sequences";
import { indexAssembly } from "../../core/assembly/assembly";
import type { AssemblyPackage } from "../../core/assembly/package";
import { preparedAssembly } from "../../core/assembly/prepared";
import { emptyPreparation } from "../../core/document/preparation";
import { hand, newStep, type Sequence } from "../../core/document/sequence";
import { boundsOf, type Geometry } from "../../core/geometry/geometry";
import { nth } from "../../core/math/packed";
import { compile } from "../../core/program/compile";
import { createPose, pose } from "../../core/program/pose";
import type { Program } from "../../core/program/program";
import { CHECKS, checkOf } from "../../core/proof/checks";
import { directDepth } from "../../core/proof/depth";
import { ProofMemory, prove, thresholdsOf } from "../../core/proof/proof";
import { Shapes } from "../../core/proof/shapes";
import { frameToTicks, TICKS_PER_SECOND, ticksPerFrame } from "../../core/time/time";
import { startKernel } from "../../formats/step/kernel";
import { readStep } from "../../formats/step/read";
import { type Measurement, median } from "./measurement";
import { keyedAssembly } from "./pose";

const NODES = 1000;
const STEPS = 24;
const STEP_SECONDS = 2.5;
const RUNS = 3;

/** Everything but what looks for contacts. */
const OTHERS = CHECKS.map((c) => c.id).filter((id) => id !== "contact");

/** A thousand boxes that all move, an arrival each in every one of 24 steps: 60 seconds. */
export function machine(nodes = NODES): { program: () => Program; sequence: Sequence; shapes: Shapes } {
  const { assembly, sequence } = keyedAssembly(nodes, STEPS);
  const moves = sequence.steps.s?.moves ?? {};
  sequence.steps = {};
  sequence.stepOrder = [];
  for (let s = 0; s < STEPS; s++) {
    const step = newStep(`s${s}`, `Step ${s}`);
    Object.assign(step, { stillBefore: 0, stillAfter: 0, action: STEP_SECONDS * TICKS_PER_SECOND });
    for (const move of Object.values(moves)) {
      const own = hand(move);
      const key = own?.keys[`k${s}`];
      if (!own || !key) continue;
      step.moves[own.id] = {
        ...own,
        keys: {
          k: { ...key, id: "k", at: Math.round((1 + (s % 3) * 0.5) * TICKS_PER_SECOND), lead: TICKS_PER_SECOND },
        },
      };
    }
    sequence.steps[step.id] = step;
    sequence.stepOrder.push(step.id);
  }
  const index = indexAssembly(assembly);
  return {
    program: () => compile(index, emptyPreparation(), sequence),
    sequence,
    shapes: new Shapes(index, [cube()]),
  };
}

/** The box that the machine's parts are. */
function cube(): Geometry {
  const positions = Float32Array.from(
    [-5, 5].flatMap((z) => [-5, 5].flatMap((y) => [-5, 5].flatMap((x) => [x, y, z]))),
  );
  const quads = [
    [0, 2, 3, 1],
    [4, 5, 7, 6],
    [0, 1, 5, 4],
    [2, 6, 7, 3],
    [0, 4, 6, 2],
    [1, 3, 7, 5],
  ];
  const indices = Uint32Array.from(quads.flatMap(([a, b, c, d]) => [a, b, c, a, c, d] as number[]));
  return {
    ...{ id: "g0", positions, normals: new Float32Array(positions.length), indices },
    ...{ faces: new Float64Array(0), edges: new Float32Array(0), bounds: boundsOf(positions) },
  };
}

const timed = (work: () => void): number => {
  const t = performance.now();
  work();
  return performance.now() - t;
};

/**
 * Everything but contacts over 60 s of 1,000 moving parts, against posing the same frames; and the proof after one
 * arrival was moved, against the whole, both with all that is looked for in such a machine.
 */
export async function measureProof(): Promise<Measurement[]> {
  const { program, sequence, shapes } = machine();
  const film = program();
  const at = createPose(film);
  const frame = ticksPerFrame(sequence.rate);
  const frames = Math.ceil(film.steps.length / frame);
  const whole: number[] = [];
  const poses: number[] = [];
  const edits: number[] = [];
  for (let i = 0; i <= RUNS; i++) {
    const memory = new ProofMemory();
    const w = timed(() => prove(film, { shapes, only: OTHERS, memory }));
    const p = timed(() => {
      for (let f = 0; f < frames; f++) pose(film, frameToTicks(f, sequence.rate), at);
    });
    const moved = structuredClone(sequence);
    const key = hand(moved.steps.s12?.moves.m7)?.keys.k;
    if (key) key.at += frame * (i + 1);
    const next = compile(shapes.index, emptyPreparation(), moved);
    const e = timed(() => prove(next, { shapes, only: OTHERS, memory }));
    // The first round warms up.
    if (i === 0) continue;
    whole.push(w);
    poses.push(p);
    edits.push(e);
  }
  const [ours, reference, edit] = [median(whole), median(poses), median(edits)];
  return [
    {
      ...{ name: "proof", ours, reference, ratio: ours / reference, unit: "ms" },
      note: `${NODES} moving parts, ${frames} frames`,
    },
    {
      ...{ name: "proof-edit", ours: edit, reference: ours, ratio: edit / ours, unit: "ms" },
      note: `one arrival of ${NODES * STEPS} moved, ${STEPS} steps`,
    },
  ];
}

/** The demo as it is brought in. */
export async function demoPackage(): Promise<AssemblyPackage> {
  const kernel = await startKernel();
  return readStep(kernel, await readFile("demo/rill-h2.step"), path.basename("demo/rill-h2.step"));
}

/**
 * Contacts in the demo's sequences and its rough cut, against the plain way: every pair of which one moves, at every
 * frame, mesh against mesh with the same trees. Both must find the same.
 */
export async function measureContact(): Promise<Measurement[]> {
  const pkg = await demoPackage();
  const preparation = demoPreparation(indexAssembly(pkg.assembly));
  const index = indexAssembly(preparedAssembly(pkg.assembly, preparation));
  const { roughCut } = await import("../../../demo/roughCut");
  let ours = 0;
  let reference = 0;
  let missed = 0;
  let pairs = 0;
  let found = 0;
  for (const sequence of [...demoSequences(index, preparation), ...roughCut(index, preparation)]) {
    const program = compile(index, preparation, sequence);
    const shapes = new Shapes(index, pkg.geometries);
    let told = new Set<string>();
    ours += timed(() => {
      told = new Set(
        prove(program, { shapes, only: ["contact"] }).findings.map(
          (f) => `${f.step} ${f.about.split(" ").slice(1).join(" ")}`,
        ),
      );
    });
    const plain = new Shapes(index, pkg.geometries);
    reference += timed(() => {
      const result = plainly(program, plain);
      pairs += result.looks;
      for (const step of result.steps) if (![...told].some((t) => t.startsWith(`${step} `))) missed++;
      for (const t of told) if (!result.steps.has(t.split(" ")[0] as string)) missed++;
    });
    found += told.size;
  }
  return [
    {
      ...{ name: "proof-contact", ours, reference, ratio: ours / reference, unit: "ms" },
      note: `${pairs} looks at pairs the plain way; ${found} found, ${missed} steps in which the two differ`,
    },
  ];
}

/** The plain way. @returns the steps in which something goes deeper into another than is forgiven, and how often it looked */
function plainly(program: Program, shapes: Shapes): { steps: Set<string>; looks: number } {
  const { index, steps, sequence } = program;
  const check = checkOf("contact");
  const least = (check && thresholdsOf(check).least) ?? 0.5;
  const nodes = index.assembly.nodes.flatMap((_, n) => (shapes.geometryOf(n) >= 0 ? [n] : []));
  const at = createPose(program);
  const was = new Float64Array(16 * index.assembly.nodes.length);
  const home = new Map<string, number>();
  const out = new Set<string>();
  const frame = ticksPerFrame(sequence.rate);
  const threads = new Set<number>();
  for (const joint of Object.values(program.preparation.joints))
    if (joint.kind === "screw") for (const root of program.nodesOf(joint.target)) threads.add(root);
  const rel = new Matrix4();
  const before = new Matrix4();
  const [a4, b4] = [new Matrix4(), new Matrix4()];
  let looks = 0;
  for (let f = 0; f * frame < steps.length; f++) {
    const ticks = frameToTicks(f, sequence.rate);
    pose(program, ticks, at);
    const position = steps.ids.findLastIndex((_, p) => nth(steps.start, p) <= ticks);
    const step = steps.ids[position] as string;
    const moved = nodes.map((n) => {
      for (let k = 0; k < 16; k++) if (at.world[16 * n + k] !== was[16 * n + k]) return true;
      return false;
    });
    for (let i = 0; f > 0 && i < nodes.length; i++) {
      for (let j = i + 1; j < nodes.length; j++) {
        if (!moved[i] && !moved[j]) continue;
        const [a, b] = [nth(nodes, i), nth(nodes, j)];
        const there = (n: number) => at.visible[n] === 1 && nth(at.opacity, n) >= 0.5;
        if (!there(a) || !there(b)) continue;
        rel
          .copy(b4.fromArray(at.world, 16 * b))
          .invert()
          .multiply(a4.fromArray(at.world, 16 * a));
        before
          .copy(b4.fromArray(was, 16 * b))
          .invert()
          .multiply(a4.fromArray(was, 16 * a));
        if (rel.elements.every((v, k) => Math.abs(v - nth(before.elements, k)) < 1e-6)) continue;
        looks++;
        const [ga, gb] = [shapes.geometryOf(a), shapes.geometryOf(b)];
        const depth = directDepth(shapes, ga, gb, at.world, a, b, least);
        if (depth <= least) continue;
        const name = `${a} ${b}`;
        const own = home.get(name) ?? directDepth(shapes, ga, gb, index.homeWorld, a, b, 0.01);
        home.set(name, own);
        if (own > least && (threads.has(a) || threads.has(b))) continue;
        if (depth > 1.25 * own + least) out.add(step);
      }
    }
    was.set(at.world);
  }
  return { steps: out, looks };
}
