import { existsSync } from "node:fs";
import { readFile } from "node:fs/promises";
import path from "node:path";
import { gridAssembly } from "../../../bench/assembly";
import { demoPreparation } from "../../../demo/preparation";
import { demoSequences } from "../../../demo/sequences";
import { type AssemblyIndex, indexAssembly } from "../../core/assembly/assembly";
import type { AssemblyPackage } from "../../core/assembly/package";
import { preparedAssembly } from "../../core/assembly/prepared";
import { fitBox } from "../../core/camera/camera";
import { emptyPreparation, type Preparation } from "../../core/document/preparation";
import {
  type CameraValues,
  type HandMove,
  type Key,
  type MadeMove,
  newSequence,
  newStep,
  type Sequence,
  type Step,
} from "../../core/document/sequence";
import type { Ease } from "../../core/ease/ease";
import { nth } from "../../core/math/packed";
import { compile } from "../../core/program/compile";
import { directDepth } from "../../core/proof/depth";
import { prove } from "../../core/proof/proof";
import { Shapes } from "../../core/proof/shapes";
import { TICKS_PER_SECOND } from "../../core/time/time";
import { startKernel } from "../../formats/step/kernel";
import { readStep } from "../../formats/step/solid";
import type { Measurement } from "./measurement";
import { chance } from "./pose";
import { demoPackage } from "./proof";

const EACH = 20;
const STEADY: Ease = { kind: "soft", start: 0, stop: 0 };
const SOFT: Ease = { kind: "soft", start: 0.35, stop: 0.4 };
const ticks = (seconds: number) => Math.round(seconds * 30) * (TICKS_PER_SECOND / 30);
const THIRD = ["as1-oc-214.stp", "as1-tu-203.stp"].map((f) => `node_modules/occt-import-js/test/testfiles/cax-if/${f}`);

interface Machine {
  name: string;
  index: AssemblyIndex;
  preparation: Preparation;
  shapes: Shapes;
  /** Parts that have a shape, by key, and those that look the same after a fraction of a turn about z of their own. */
  parts: string[];
  wheels: { key: string; order: number; axis: "x" | "y" | "z" }[];
  home: CameraValues;
  size: number;
}

async function machines(): Promise<Machine[]> {
  const out: Machine[] = [];
  const demo = await demoPackage();
  out.push(machineOf("demo", demo, demoPreparation(indexAssembly(demo.assembly))));
  out.push(machineOf("500 parts", gridAssembly(500), emptyPreparation()));
  const kernel = await startKernel();
  for (const file of THIRD)
    if (existsSync(file))
      out.push(
        machineOf(path.basename(file), readStep(kernel, await readFile(file), path.basename(file)), emptyPreparation()),
      );
  return out;
}

function machineOf(name: string, pkg: AssemblyPackage, preparation: Preparation): Machine {
  const index = indexAssembly(preparedAssembly(pkg.assembly, preparation));
  const shapes = new Shapes(index, pkg.geometries);
  const copies = new Set(Object.keys(preparation.copies));
  const nodes = index.assembly.nodes.flatMap((n, i) =>
    shapes.geometryOf(i) >= 0 && ![...copies].some((c) => n.key.includes(`~copy-${c}`)) ? [i] : [],
  );
  const b = index.worldBounds;
  const root = nth(index.roots, 0);
  const min = Array.from(b.subarray(6 * root, 6 * root + 3));
  const max = Array.from(b.subarray(6 * root + 3, 6 * root + 6));
  const home = {
    ...fitBox(min, max, 34, 24, 50, 16 / 9, index.assembly.up, 0.35),
    ...{ azimuth: 34, elevation: 24, roll: 0, lens: 50 },
  };
  const wheels = nodes.slice(0, 400).flatMap((n) => {
    for (const [k, axis] of (["x", "y", "z"] as const).entries()) {
      const order = shapes.orderOf(shapes.geometryOf(n), [k === 0 ? 1 : 0, k === 1 ? 1 : 0, k === 2 ? 1 : 0]);
      const plain = index.homeShifts[n] === 1;
      if (order >= 4 && plain) return [{ key: index.assembly.nodes[n]?.key ?? "", order, axis }];
    }
    return [];
  });
  const size = Math.hypot(...[0, 1, 2].map((k) => nth(max, k) - nth(min, k)));
  return {
    name,
    index,
    preparation,
    shapes,
    home,
    wheels,
    size,
    parts: nodes.map((n) => index.assembly.nodes[n]?.key ?? ""),
  };
}

/** A sequence of empty steps of two seconds, with stills. */
function blank(m: Machine, steps: number): Sequence {
  const s = newSequence("Measured", { ...m.home }, "s0");
  s.steps = {};
  s.stepOrder = [];
  for (let i = 0; i < steps; i++) {
    s.steps[`s${i}`] = newStep(`s${i}`, `Step ${i}`);
    s.stepOrder.push(`s${i}`);
  }
  return s;
}
const stepOf = (s: Sequence, i: number) => s.steps[`s${i}`] as Step;

type Arrival = [at: number, lead: number, values: Record<string, number>, ease?: Ease];
let count = 0;
function byHand(step: Step, key: string | null, arrivals: readonly Arrival[], more: Partial<HandMove> = {}): HandMove {
  const id = `h${++count}`;
  const keys = arrivals.map(([at, lead, values, ease], i): Key => {
    return { id: `${id}k${i}`, at: ticks(at), lead: ticks(lead), ease: ease ?? SOFT, values };
  });
  const move: HandMove = {
    ...{ id, name: id, on: true, folder: null, colour: null, note: "", kind: "hand" },
    target: key === null ? { type: "camera", id: "main" } : { type: "node", key },
    keys: Object.fromEntries(keys.map((k) => [k.id, k])),
    ...more,
  };
  step.moves[id] = move;
  return move;
}
function ready(step: Step, kind: string, key: string, start: number, length: number, settings: object): void {
  const id = `r${++count}`;
  step.moves[id] = {
    ...{ id, name: id, on: true, folder: null, colour: null, note: "", kind, ease: SOFT, settings },
    ...{ start: ticks(start), length: ticks(length), targets: [{ type: "node", key }] },
  } as unknown as MadeMove;
}

/** Plants one fault; null where this machine has nothing to plant it in. */
type Plant = (m: Machine, s: Sequence, r: () => number) => string[] | null;
const some = <T>(list: readonly T[], r: () => number): T => list[Math.floor(r() * list.length)] as T;
const between = (r: () => number, a: number, b: number) => a + r() * (b - a);

/** What is planted, by the check that should find it: what it is told by. */
const PLANTS: Readonly<Record<string, Plant>> = {
  seam: (m, s, r) => {
    const off = between(r, 0.5, 8);
    byHand(
      stepOf(s, 1),
      some(m.parts, r),
      [
        [0.2, 0, { "slide.z": 0 }],
        [0.8, 0.6, { "slide.z": between(r, 10, 20) }],
        [1.4, 0.6, { "slide.z": off }],
      ],
      { repeat: { times: 3, period: null, way: "same" } },
    );
    return ["jumps"];
  },
  "spins-back": (m, s, r) => {
    byHand(stepOf(s, 1), some(m.parts, r), [
      [0.8, 0.6, { "turn.z": between(r, 300, 358) }],
      [1.8, 0.8, { "turn.z": between(r, 2, 28) }],
    ]);
    return ["back"];
  },
  "wrong-way": (m, s, r) => {
    const move = byHand(stepOf(s, 1), some(m.parts, r), [
      [0.3, 0.3, { "slide.z": 0 }],
      [1.8, 1.5, { "slide.z": 30 }],
    ]);
    const key = Object.values(move.keys)[1];
    if (key)
      key.shapes = {
        "slide.z": {
          kind: "handles",
          leave: { share: 0.33, value: -between(r, 12, 40) },
          arrive: { share: 0.33, value: -3 },
        },
      };
    return ["backs"];
  },
  unequal: (m, s, r) => {
    const takes = [0.4, 0.4, 0.4, 0.4, 0.4];
    takes[1 + Math.floor(r() * 3)] = between(r, 0.55, 0.9);
    let at = 0.1;
    const by = between(r, 8, 40);
    byHand(stepOf(s, 1), some(m.parts, r), [
      [at, 0, { "turn.z": 0 }],
      ...takes.map((t, i): Arrival => {
        at += ticks(t) / TICKS_PER_SECOND;
        return [at, ticks(t) / TICKS_PER_SECOND, { "turn.z": i % 2 ? 0 : by }];
      }),
    ]);
    return ["swings"];
  },
  creep: (m, s, r) => {
    byHand(stepOf(s, 1), some(m.parts, r), [
      [0.6, 0.5, { "slide.z": 20 }],
      [1.9, between(r, 0.6, 1.2), { "slide.z": 20 + between(r, 0.02, 0.4) * (r() < 0.5 ? 1 : -1) }],
    ]);
    return ["creeps"];
  },
  camera: (m, s, r) => {
    byHand(stepOf(s, 1), null, [[0.6, between(r, 0.15, 0.3), { azimuth: m.home.azimuth + between(r, 90, 170) }]]);
    return ["whips", "judders"];
  },
  strobe: (m, s, r) => {
    if (m.wheels.length === 0) return null;
    const { key, order, axis } = some(m.wheels, r);
    const speed = (360 / order) * 30 * some([1, 2], r) * (1 + between(r, -0.06, 0.06));
    byHand(stepOf(s, 1), key, [[1.7, 1.5, { [`turn.${axis}`]: 1.5 * speed * (r() < 0.5 ? 1 : -1) }, STEADY]]);
    return ["stands", "backward"];
  },
  flashes: (m, s, r) => {
    const root = m.index.assembly.nodes[nth(m.index.roots, 0)]?.key ?? "";
    s.cameras.main = { id: "main", name: "Main", home: { ...m.home, distance: m.home.distance * 0.5 } };
    const n = 8 + Math.floor(r() * 5);
    const low = between(r, 0.1, 0.6);
    byHand(
      stepOf(s, 1),
      root,
      Array.from({ length: 2 * n }, (_, i): Arrival => [0.2 + i / (2 * n), 0, { opacity: i % 2 ? 1 : low }]),
    );
    return ["flashes"];
  },
  reading: (_, s, r) => {
    stepOf(s, 1).caption = "word ".repeat(9 + Math.floor(r() * 30));
    return ["short"];
  },
  contact: (m, s, r) => {
    // One is put where another stands: found by the plain way to be in it, so that it is a fault for certain.
    for (let tries = 0; tries < 200; tries++) {
      const [a, b] = [some(m.parts, r), some(m.parts, r)].map((k) => m.index.indexOf.get(k) as number);
      if (a === undefined || b === undefined || a === b) continue;
      const box = (n: number) => Array.from(m.index.worldBounds.subarray(6 * n, 6 * n + 6));
      const [p, q] = [box(a), box(b)];
      const by = [0, 1, 2].map((k) => (nth(q, k) + nth(q, k + 3) - nth(p, k) - nth(p, k + 3)) / 2);
      const parent = nth(m.index.parent, a);
      if (Math.hypot(...by) < 5 || Math.hypot(...by) > 0.5 * m.size) continue;
      if (parent >= 0 && !plainFrame(m, parent)) continue;
      const world = m.index.homeWorld.slice();
      for (let k = 0; k < 3; k++) world[16 * a + 12 + k] = nth(world, 16 * a + 12 + k) + nth(by, k);
      const [ga, gb] = [m.shapes.geometryOf(a), m.shapes.geometryOf(b)];
      if (directDepth(m.shapes, ga, gb, world, a, b, 1) < 1.5) continue;
      byHand(stepOf(s, 1), m.index.assembly.nodes[a]?.key ?? "", [
        [1.6, 1.4, { "slide.x": nth(by, 0), "slide.y": nth(by, 1), "slide.z": nth(by, 2) }],
      ]);
      return ["through"];
    }
    return null;
  },
  "left-out": (m, s, r) => {
    const [a, b] = [some(m.parts, r), some(m.parts, r)];
    if (a === b) return null;
    const up = between(r, 10, 60);
    byHand(stepOf(s, 0), a, [[1.5, 1, { "slide.z": up }]]);
    byHand(stepOf(s, 0), b, [[1.5, 1, { "slide.z": up }]]);
    byHand(stepOf(s, 2), a, [[1.5, 1, { "slide.z": 0 }]]);
    return ["off"];
  },
  fault: (m, s, r) => {
    if (r() < 0.5) {
      byHand(stepOf(s, 1), `${some(m.parts, r)}-of-another-file`, [[1, 0.5, { "slide.z": 10 }]]);
      return ["gone"];
    }
    const key = some(m.parts, r);
    const settings = { way: "by", direction: [0, 0, 1], distance: 20 };
    ready(stepOf(s, 1), "slide", key, 0, 1, settings);
    ready(stepOf(s, 1), "slide", key, between(r, 0.2, 0.8), 1, settings);
    return ["fights"];
  },
  seen: (m, s, r) => {
    const way = some(["slide.x", "slide.y", "slide.z"], r);
    byHand(stepOf(s, 1), some(m.parts, r), [[1.6, 1.2, { [way]: (r() < 0.5 ? -1 : 1) * between(r, 1.6, 3) * m.size }]]);
    return ["out"];
  },
  idle: (_, s, r) => {
    stepOf(s, 1).stillAfter = ticks(between(r, 6, 20));
    return ["nothing"];
  },
};

function plainFrame(m: Machine, node: number): boolean {
  for (let k = 0; k < 12; k++)
    if (Math.abs(nth(m.index.homeWorld, 16 * node + k) - (k % 5 === 0 ? 1 : 0)) > 1e-9) return false;
  return true;
}

/** A sequence in which nothing is wrong: all of it turned and lifted calmly, or parts one after another, up and back. */
function clean(m: Machine, r: () => number): Sequence {
  const s = blank(m, 3);
  const root = m.index.assembly.nodes[nth(m.index.roots, 0)]?.key ?? "";
  const axis = m.index.assembly.up;
  byHand(stepOf(s, 0), null, [[1.8, 1.8, { azimuth: m.home.azimuth + between(r, -25, 25) }]]);
  stepOf(s, 0).caption = "All of it.";
  byHand(stepOf(s, 1), root, [[1.8, 1.5, { [`turn.${axis}`]: between(r, 10, 40) }]]);
  byHand(stepOf(s, 2), root, [[1.8, 1.5, { [`turn.${axis}`]: 0 }]]);
  return s;
}

/**
 * Faults of every kind planted at random (seeded) into the demo, 500 parts and two third-party assemblies, so many of
 * each kind: the share that is not found; and what is found in ten sequences in which nothing is wrong.
 */
export async function measureFound(): Promise<Measurement[]> {
  const r = chance(20_261_128);
  const all = await machines();
  let planted = 0;
  let missed = 0;
  const by: string[] = [];
  const misses: string[] = [];
  for (const [check, plant] of Object.entries(PLANTS)) {
    let found = 0;
    let of = 0;
    for (const m of all) {
      for (let i = 0; i < EACH; i++) {
        const s = blank(m, 3);
        const expected = plant(m, s, r);
        if (!expected) continue;
        of++;
        const { findings } = prove(compile(m.index, m.preparation, s), { shapes: m.shapes, only: [check] });
        if (findings.some((f) => expected.includes(f.what))) found++;
        else misses.push(`${check} in ${m.name}`);
      }
    }
    planted += of;
    missed += of - found;
    by.push(`${check} ${found}/${of}`);
  }
  let wrong = 0;
  let sequences = 0;
  const told: string[] = [];
  for (const m of all) {
    const list = m.name === "demo" ? demoSequences(m.index, m.preparation) : [];
    while (list.length < (m.name === "demo" ? 4 : 2)) list.push(clean(m, r));
    for (const s of list) {
      sequences++;
      const { findings } = prove(compile(m.index, m.preparation, s), { shapes: m.shapes });
      wrong += findings.length;
      told.push(...findings.map((f) => `${m.name}: ${f.check} ${f.what}`));
    }
  }
  return [
    {
      ...{ name: "proof-found", ours: missed, reference: planted, ratio: missed / planted, unit: "faults not found" },
      note: `${by.join(", ")}; ${wrong} false in ${sequences} clean sequences${told.length > 0 ? ` (${told.join("; ")})` : ""}${misses.length > 0 ? `; missed: ${[...new Set(misses)].join(", ")}` : ""}`,
    },
  ];
}
