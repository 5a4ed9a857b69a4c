import { readFile } from "node:fs/promises";
import path from "node:path";
import { produce } from "immer";
import { Matrix4 } from "three";
import { demoPreparation } from "../../../demo/preparation";
import { demoSequences } from "../../../demo/sequences";
import { indexAssembly } from "../../core/assembly/assembly";
import type { AssemblyPackage } from "../../core/assembly/package";
import { preparedAssembly } from "../../core/assembly/prepared";
import { emptyPreparation } from "../../core/document/preparation";
import { hand, newStep, type Sequence } from "../../core/document/sequence";
import { differences } from "../../core/edit/differences";
import { FilmHeld } from "../../core/edit/film";
import { boundsOf, type Geometry } from "../../core/geometry/geometry";
import { nth } from "../../core/math/packed";
import { compile } from "../../core/program/compile";
import { pose } from "../../core/program/pose";
import type { Program } from "../../core/program/program";
import { createPose, type Pose } from "../../core/program/sampling";
import type { Finding } from "../../core/proof/check";
import { CHECKS, checkOf } from "../../core/proof/checks";
import { directDepth } from "../../core/proof/depth";
import { ProofMemory, prove, thresholdsOf } from "../../core/proof/proof";
import { Shapes } from "../../core/proof/shapes";
import { frameToTicks, TICKS_PER_SECOND, ticksPerFrame } from "../../core/time/time";
import { startKernel } from "../../formats/step/kernel";
import { readStep } from "../../formats/step/solid";
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
        // No more than half a turn: who keys more by hand means to make a mistake.
        keys: {
          k: {
            ...key,
            id: "k",
            values: halved(key.values),
            at: Math.round((1 + (s % 3) * 0.5) * TICKS_PER_SECOND),
            lead: TICKS_PER_SECOND,
          },
        },
      };
    }
    sequence.steps[step.id] = step;
    sequence.stepOrder.push(step.id);
  }
  // All of it in the picture: who makes such a film frames it.
  const whole = { "aim.x": 390, "aim.y": 240, "aim.z": 50, azimuth: 0, elevation: 60, distance: 2000 };
  sequence.cameras = Object.fromEntries(
    Object.entries(sequence.cameras).map(([id, c]) => [id, { ...c, home: { ...c.home, ...whole } }]),
  );
  const index = indexAssembly(assembly);
  return {
    program: () => compile(index, emptyPreparation(), sequence),
    sequence,
    shapes: new Shapes(index, [cube()]),
  };
}

const halved = (values: Record<string, number>) =>
  Object.fromEntries(Object.entries(values).map(([c, v]) => [c, c.startsWith("turn.") ? v / 2 : v]));

/** The box that the machine's parts are. */
function cube(): Geometry {
  const positions = Float32Array.from(
    [-12, 12].flatMap((z) => [-12, 12].flatMap((y) => [-12, 12].flatMap((x) => [x, y, z]))),
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
  const { sequence, shapes } = machine();
  const frame = ticksPerFrame(sequence.rate);
  const whole: number[] = [];
  const poses: number[] = [];
  const edits: number[] = [];
  let frames = 0;
  for (let i = 0; i <= RUNS; i++) {
    const memory = new ProofMemory();
    const held = new FilmHeld(true);
    held.take({ name: "a", preparation: emptyPreparation(), sequence });
    const film = held.program(shapes.index, "a");
    const at = createPose(film);
    frames = Math.ceil(film.steps.length / frame);
    const w = timed(() => prove(film, { shapes, only: OTHERS, memory }));
    const p = timed(() => {
      for (let f = 0; f < frames; f++) pose(film, frameToTicks(f, sequence.rate), at);
    });
    const moved = produce(sequence, (draft) => {
      const key = hand(draft.steps.s12?.moves.m7)?.keys.k;
      if (key) key.at += frame * (i + 1);
    });
    // As desk and worker do it.
    const e = timed(() => {
      held.take({ name: "b", from: "a", changes: differences(sequence, moved) });
      prove(held.program(shapes.index, "b"), { shapes, only: OTHERS, memory });
    });
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

/** Of so many frames the plain way looks at one: it takes minutes for a second of film. */
const EVERY = 10;

/**
 * Contacts in the demo's sequences and its rough cut, against the plain way: every pair of which one moves, mesh
 * against mesh with the same trees; one frame in ten, times ten. Whatever it finds must be found, and whatever is
 * found it must find too at that moment.
 */
export async function measureContact(): Promise<Measurement[]> {
  const pkg = await demoPackage();
  const preparation = demoPreparation(indexAssembly(pkg.assembly));
  const index = indexAssembly(preparedAssembly(pkg.assembly, preparation));
  const { roughCut } = await import("../../../demo/roughCut");
  let ours = 0;
  let reference = 0;
  let missed = 0;
  let wrong = 0;
  let looks = 0;
  let count = 0;
  for (const sequence of [...demoSequences(index, preparation), ...roughCut(index, preparation)]) {
    const program = compile(index, preparation, sequence);
    const shapes = new Shapes(index, pkg.geometries);
    let findings: Finding[] = [];
    ours += timed(() => {
      findings = prove(program, { shapes, only: ["contact"] }).findings;
    });
    const plain = new Plain(program, new Shapes(index, pkg.geometries));
    reference += EVERY * timed(() => plain.film());
    looks += plain.looks;
    count += findings.length;
    const told = new Set(findings.map((f) => f.step));
    for (const step of plain.steps) if (!told.has(step)) missed++;
    for (const f of findings) {
      const [a, b] = f.targets.map((t) => (t.type === "node" ? (index.indexOf.get(t.key) ?? -1) : -1));
      if (a === undefined || b === undefined || !plain.through(f.at ?? f.from, a, b)) wrong++;
    }
  }
  return [
    {
      ...{ name: "proof-contact", ours, reference, ratio: ours / reference, unit: "ms" },
      note: `${looks} looks at pairs the plain way, one frame in ${EVERY}; ${count} found, ${missed} missed, ${wrong} not so`,
    },
  ];
}

/** The plain way: mesh against mesh, by places on both. */
class Plain {
  /** Steps in which something goes deeper into another than is forgiven. */
  readonly steps = new Set<string>();
  looks = 0;
  private readonly home = new Map<string, number>();
  private readonly least: number;
  private readonly threads = new Set<number>();
  private readonly nodes: number[];
  private readonly at: Pose;

  constructor(
    private readonly program: Program,
    private readonly shapes: Shapes,
  ) {
    const check = checkOf("contact");
    this.least = (check && thresholdsOf(check).least) ?? 0.5;
    this.nodes = program.index.assembly.nodes.flatMap((_, n) => (shapes.geometryOf(n) >= 0 ? [n] : []));
    this.at = createPose(program);
    for (const joint of Object.values(program.preparation.joints))
      if (joint.kind === "screw") for (const root of program.nodesOf(joint.target)) this.threads.add(root);
  }

  /** One frame in some, from the first to the last. */
  film(): void {
    const { steps, sequence, index } = this.program;
    const was = new Float64Array(16 * index.assembly.nodes.length);
    const rel = new Matrix4();
    const before = new Matrix4();
    const [a4, b4] = [new Matrix4(), new Matrix4()];
    const frame = ticksPerFrame(sequence.rate);
    for (let f = 1; f * frame < steps.length; f += EVERY) {
      pose(this.program, frameToTicks(f - 1, sequence.rate), this.at);
      was.set(this.at.world);
      const ticks = frameToTicks(f, sequence.rate);
      pose(this.program, ticks, this.at);
      const { world } = this.at;
      const step = steps.ids[steps.ids.findLastIndex((_, p) => nth(steps.start, p) <= ticks)] as string;
      const moved = this.nodes.map((n) => world.subarray(16 * n, 16 * n + 16).some((v, k) => v !== was[16 * n + k]));
      this.nodes.forEach((a, i) => {
        for (let j = i + 1; j < this.nodes.length; j++) {
          if (!moved[i] && !moved[j]) continue;
          const b = nth(this.nodes, j);
          rel
            .copy(b4.fromArray(world, 16 * b))
            .invert()
            .multiply(a4.fromArray(world, 16 * a));
          before
            .copy(b4.fromArray(was, 16 * b))
            .invert()
            .multiply(a4.fromArray(was, 16 * a));
          if (rel.elements.every((v, k) => Math.abs(v - nth(before.elements, k)) < 1e-6)) continue;
          this.looks++;
          if (this.isThrough(a, b)) this.steps.add(step);
        }
      });
    }
  }

  /** Whether two are in one another at a time, ticks. */
  through(ticks: number, a: number, b: number): boolean {
    pose(this.program, ticks, this.at);
    return this.isThrough(Math.min(a, b), Math.max(a, b));
  }

  private isThrough(a: number, b: number): boolean {
    const { shapes, least, at } = this;
    const there = (n: number) => at.visible[n] === 1 && nth(at.opacity, n) >= 0.5;
    if (!there(a) || !there(b)) return false;
    const [ga, gb] = [shapes.geometryOf(a), shapes.geometryOf(b)];
    const depth = directDepth(shapes, ga, gb, at.world, a, b, least);
    if (depth <= least) return false;
    const name = `${a} ${b}`;
    const own = this.home.get(name) ?? directDepth(shapes, ga, gb, this.program.index.homeWorld, a, b, 0.01);
    this.home.set(name, own);
    if (own > least && (this.threads.has(a) || this.threads.has(b))) return false;
    return depth > 1.25 * own + least;
  }
}
