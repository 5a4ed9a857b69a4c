import { type Target, targetId } from "../document/sequence";
import { turns } from "../kinematics/jointKinds";
import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose, type Pose } from "../program/sampling";
import { isOn, spanOf } from "../program/spans";
import type { Cannot, Check, Finding, Report, StepContext, Watcher } from "./check";
import { depthBetween } from "./depth";
import type { Shapes } from "./shapes";

type Names = "least";

/** Parts less opaque than this are gone, or going. */
const THERE = 0.5;
/** A frame is looked at in as many pieces, at most, so that nothing thin is passed between two. */
const MOST_PIECES = 12;

/** What parts are in one another at home is told by places on their surfaces, and other places meet elsewhere. */
const HOME_SLACK = 1.25;

/** A part with a shape, as it stands from one look to the next. */
interface Thing {
  node: number;
  geometry: number;
  /** Box in the world now, and the one that takes in the look before: min xyz, max xyz. */
  box: Float64Array;
  swept: Float64Array;
  was: Float64Array;
  shown: boolean;
  moves: boolean;
  /** What it is carried by from one look to the next: things of one number do not move against each other. */
  carried: number;
  /** Smallest of its box's edges, mm: how far it may go in one look. */
  thin: number;
}

interface Pair {
  a: Thing;
  b: Thing;
  from: number;
  to: number;
  depth: number;
  at: number;
  place: Triple;
  /** What they are in one another at home, mm. */
  home: number;
}

/**
 * Parts that move against each other and come into each other, deeper than they are at home and the meshes' own
 * inaccuracy. Boxes first, over the way from frame to frame (sweep and prune along the longest axis), then places of
 * each surface against the other's mesh. Threads on their own axis and what is faded out do not count.
 */
export const contact: Check<Names> = {
  id: "contact",
  title: "One part passes through another",
  why: "What cannot be done in the workshop is not believed in the film.",
  needs: ["poses", "meshes"],
  thresholds: { least: { label: "Deeper than at home by", unit: "mm", min: 0.02, max: 100, usual: 0.5 } },
  mends: { plan: { title: "Plan the way again", plans: ({ program }, f) => plannedMove(program, f) } },
  watch(context, report, cannot) {
    const { shapes } = context;
    if (!shapes) return null;
    return new Watch(context, shapes, report, cannot);
  },
};

class Watch implements Watcher {
  private readonly things: Thing[];
  private readonly order: Thing[];
  private readonly pairs = new Map<number, Pair>();
  private readonly threads: Set<number>;
  private readonly opened = new Set<number>();
  private readonly between: Pose;
  private last = -1;
  private readonly far: number;

  constructor(
    private readonly context: StepContext<Names>,
    private readonly shapes: Shapes,
    private readonly report: Report,
    private readonly cannot: Cannot,
  ) {
    const { program } = context;
    this.things = thingsOf(program, shapes);
    this.order = [...this.things];
    this.threads = threadsOf(program);
    this.between = createPose(program);
    this.far = program.index.assembly.nodes.length;
  }

  before(at: Pose, ticks: number): void {
    this.frame(at, ticks);
  }

  frame(at: Pose, ticks: number): void {
    const moved = this.place(at);
    if (this.last >= 0 && moved) {
      const pieces = Math.min(MOST_PIECES, this.piecesFor());
      if (pieces > 1) {
        // Between the frames: from where it was, in steps that nothing slips through.
        const { program } = this.context;
        for (let i = 1; i < pieces; i++) {
          const t = this.last + ((ticks - this.last) * i) / pieces;
          pose(program, t, this.between);
          this.place(this.between);
          this.look(this.between, t);
        }
        this.place(at);
      }
      this.look(at, ticks);
    }
    this.last = ticks;
  }

  end(): void {
    tell(this.context, [...this.pairs.values()], this.report);
    if (this.opened.size > 0)
      this.cannot(
        "open-mesh",
        [...this.opened].map((n) => ({ type: "node", key: this.context.program.index.assembly.nodes[n]?.key ?? "" })),
      );
  }

  /** Puts all where a pose has it. @returns whether anything moved */
  private place(at: Pose): boolean {
    const { world } = at;
    let any = false;
    this.kinds = 1;
    for (let i = 0; i < this.things.length; i++) {
      const t = this.things[i] as Thing;
      const o = 16 * t.node;
      t.shown =
        at.visible[t.node] === 1 && (at.opacity[t.node] as number) >= THERE && !this.context.program.hidden[t.node];
      let same = true;
      for (let k = 0; k < 16 && same; k++) same = world[o + k] === t.was[k];
      t.moves = !same && this.last >= 0;
      t.swept.set(t.box);
      if (!same || this.last < 0) {
        boxIn(world, o, this.shapes, t.geometry, t.box);
        if (this.last < 0) t.swept.set(t.box);
        for (let k = 0; k < 3; k++) {
          if ((t.box[k] as number) < (t.swept[k] as number)) t.swept[k] = t.box[k] as number;
          if ((t.box[3 + k] as number) > (t.swept[3 + k] as number)) t.swept[3 + k] = t.box[3 + k] as number;
        }
        if (t.moves) {
          any = true;
          t.carried = this.carrier(world, o, t.was);
        }
        t.was.set(world.subarray(o, o + 16));
      }
      if (!t.moves) t.carried = 0;
    }
    return any;
  }

  // Motions from one look to the next, 12 numbers each: those that are the same carry as one.
  private kinds = 1;
  private motions = new Float64Array(12 * 64);
  private readonly motion = new Float64Array(12);

  private carrier(world: Float64Array, o: number, was: Float64Array): number {
    const d = this.motion;
    motionOf(world, o, was, d);
    for (let k = 1; k < this.kinds; k++) {
      let same = true;
      for (let i = 0; i < 12 && same; i++)
        same = Math.abs((this.motions[12 * k + i] as number) - (d[i] as number)) < (i < 9 ? 1e-9 : 1e-6);
      if (same) return k;
    }
    if (12 * (this.kinds + 1) > this.motions.length) {
      const next = new Float64Array(this.motions.length * 2);
      next.set(this.motions);
      this.motions = next;
    }
    this.motions.set(d, 12 * this.kinds);
    return this.kinds++;
  }

  /** In how many pieces the way to this frame is to be looked at. */
  private piecesFor(): number {
    let most = 1;
    for (let i = 0; i < this.things.length; i++) {
      const t = this.things[i] as Thing;
      if (!t.moves || !t.shown) continue;
      let way = 0;
      for (let k = 0; k < 6; k++)
        way = Math.max(way, Math.abs((t.box[k] as number) - (k < 3 ? (t.swept[k] as number) : (t.swept[k] as number))));
      most = Math.max(most, Math.ceil(way / t.thin));
    }
    return most;
  }

  private look(at: Pose, ticks: number): void {
    const { order } = this;
    const least = this.context.thresholds.least;
    order.sort((p, q) => (p.swept[0] as number) - (q.swept[0] as number));
    for (let i = 0; i < order.length; i++) {
      const a = order[i] as Thing;
      if (!a.shown) continue;
      const end = (a.swept[3] as number) - least;
      for (let j = i + 1; j < order.length; j++) {
        const b = order[j] as Thing;
        if ((b.swept[0] as number) >= end) break;
        if (!b.shown || a.carried === b.carried || !meet(a.box, b.box, least)) continue;
        this.judge(a, b, at, ticks);
      }
    }
  }

  private judge(a: Thing, b: Thing, at: Pose, ticks: number): void {
    const { shapes, context } = this;
    const least = context.thresholds.least;
    // In an open surface nothing can be inside: that it was not judged is said.
    for (const t of [a, b]) if (shapes.isOpen(t.geometry)) this.opened.add(t.node);
    const key = a.node < b.node ? a.node * this.far + b.node : b.node * this.far + a.node;
    const known = this.pairs.get(key);
    const first = depthBetween(shapes, a.geometry, b.geometry, at.world, a.node, b.node, least);
    // Within what would be forgiven anyway: what they are in at home need not be known.
    if (first.depth <= least) return;
    const found = { depth: first.depth, place: [...first.place] as Triple };
    const home = this.home(a, b);
    if (home > least && (this.threads.has(a.node) || this.threads.has(b.node))) return;
    if (found.depth <= HOME_SLACK * home + least) return;
    if (!known) {
      this.pairs.set(key, {
        ...{ a, b, from: ticks, to: ticks, at: ticks, home, depth: found.depth },
        place: found.place,
      });
      return;
    }
    known.to = ticks;
    if (found.depth > known.depth) {
      known.depth = found.depth;
      known.at = ticks;
      known.place = found.place;
    }
  }

  /** How deep two parts are in one another at home: that is how they were drawn. */
  private home(a: Thing, b: Thing): number {
    const name = a.node < b.node ? `${a.node} ${b.node}` : `${b.node} ${a.node}`;
    const known = this.shapes.memory.get(name);
    if (typeof known === "number") return known;
    const { homeWorld } = this.context.program.index;
    const depth = depthBetween(this.shapes, a.geometry, b.geometry, homeWorld, a.node, b.node, 0.01).depth;
    this.shapes.memory.set(name, depth);
    return depth;
  }
}

function thingsOf(program: Program, shapes: Shapes): Thing[] {
  return program.index.assembly.nodes.flatMap((_, node) => {
    const geometry = shapes.geometryOf(node);
    const bounds = shapes.geometries[geometry]?.bounds;
    if (geometry < 0 || !bounds) return [];
    const edges = [0, 1, 2].map((k) => nth(bounds.max, k) - nth(bounds.min, k)).filter((e) => e > 1e-6);
    return [
      {
        ...{ node, geometry, shown: false, moves: false, carried: 0 },
        ...{ box: new Float64Array(6), swept: new Float64Array(6), was: new Float64Array(16) },
        thin: Math.max(0.5, Math.min(...edges, 1e6) / 2),
      },
    ];
  });
}

/** Nodes that a screw joint turns in, with all below them: what they are in with their thread at home is meant. */
function threadsOf(program: Program): Set<number> {
  const out = new Set<number>();
  for (const joint of Object.values(program.preparation.joints)) {
    if (!turns(joint) || joint.pitch === 0 || joint.kind !== "screw") continue;
    for (const root of program.nodesOf(joint.target))
      for (let n = root; n < nth(program.index.end, root); n++) out.add(n);
  }
  return out;
}

const meet = (a: Float64Array, b: Float64Array, least: number): boolean =>
  (a[0] as number) < (b[3] as number) - least &&
  (b[0] as number) < (a[3] as number) - least &&
  (a[1] as number) < (b[4] as number) - least &&
  (b[1] as number) < (a[4] as number) - least &&
  (a[2] as number) < (b[5] as number) - least &&
  (b[2] as number) < (a[5] as number) - least;

function boxIn(w: Float64Array, o: number, shapes: Shapes, geometry: number, out: Float64Array): void {
  const { min, max } = (shapes.geometries[geometry] as { bounds: { min: Triple; max: Triple } }).bounds;
  for (let r = 0; r < 3; r++) {
    let lo = w[o + 12 + r] as number;
    let hi = lo;
    for (let c = 0; c < 3; c++) {
      const p = (w[o + 4 * c + r] as number) * (min[c] as number);
      const q = (w[o + 4 * c + r] as number) * (max[c] as number);
      lo += p < q ? p : q;
      hi += p < q ? q : p;
    }
    out[r] = lo;
    out[3 + r] = hi;
  }
}

/** The motion now x before^-1 of a rigid frame: 9 numbers of its rotation, 3 of its shift. */
function motionOf(now: Float64Array, o: number, was: Float64Array, out: Float64Array): void {
  for (let r = 0; r < 3; r++) {
    for (let s = 0; s < 3; s++) {
      let sum = 0;
      for (let c = 0; c < 3; c++) sum += (now[o + 4 * c + r] as number) * (was[4 * c + s] as number);
      out[3 * r + s] = sum;
    }
  }
  for (let r = 0; r < 3; r++) {
    let v = now[o + 12 + r] as number;
    for (let s = 0; s < 3; s++) v -= (out[3 * r + s] as number) * (was[12 + s] as number);
    out[9 + r] = v;
  }
}

/** What moves a node: the nearest that is moved by something of its own, itself or what it belongs to. */
function moverOf(program: Program, node: number): Target {
  for (let n = node; n >= 0; n = nth(program.index.parent, n)) {
    const key = program.index.assembly.nodes[n]?.key ?? "";
    if (program.placed.has(`n:${key}`)) return { type: "node", key };
    const group = nth(program.groupOf, n);
    const entry = group >= 0 ? program.groupList[group] : undefined;
    if (entry && program.placed.has(`g:${entry.id}`)) return { type: "group", id: entry.id };
  }
  return { type: "node", key: program.index.assembly.nodes[node]?.key ?? "" };
}

/** The move with a planned way, of one of two that pass through each other, that acts meanwhile. */
function plannedMove(
  program: Program,
  f: Pick<Finding, "step" | "from" | "to" | "targets">,
): { step: string; move: string } | null {
  const step = program.sequence.steps[f.step];
  const position = program.steps.position.get(f.step);
  if (!step || position === undefined) return null;
  const action = nth(program.steps.action, position);
  const nodes = f.targets.flatMap((t) => program.nodesOf(t));
  for (const move of Object.values(step.moves)) {
    if ((move.kind !== "take-off" && move.kind !== "explode") || !isOn(step, move)) continue;
    const { t0, t1 } = spanOf(move, program.sequence);
    if (action + t0 > f.to || action + t1 < f.from) continue;
    const carries = (root: number) => nodes.some((n) => n >= root && n < nth(program.index.end, root));
    if (move.targets.some((t) => program.nodesOf(t).some(carries))) return { step: f.step, move: move.id };
  }
  return null;
}

/** Tells each that runs into another once, by what is moved: where it is deepest. */
function tell(context: StepContext<Names>, pairs: readonly Pair[], report: Report): void {
  const { program, step } = context;
  const told = new Map<string, { pair: Pair; from: number; to: number; others: number }>();
  for (const pair of pairs) {
    const name = [moverOf(program, pair.a.node), moverOf(program, pair.b.node)].map(targetId).sort().join(" ");
    const known = told.get(name);
    if (!known) told.set(name, { pair, from: pair.from, to: pair.to, others: 0 });
    else {
      known.from = Math.min(known.from, pair.from);
      known.to = Math.max(known.to, pair.to);
      known.others++;
      if (pair.depth - pair.home > known.pair.depth - known.pair.home) known.pair = pair;
    }
  }
  for (const [name, { pair, from, to, others }] of told) {
    const nodes = [pair.a.node, pair.b.node].sort((p, q) => p - q);
    const targets: Target[] = nodes.map((n) => ({ type: "node", key: program.index.assembly.nodes[n]?.key ?? "" }));
    const planned = plannedMove(program, { step: step.id, from, to, targets });
    report({
      ...{ severity: "wrong", what: "through", step: step.id, from, to, about: [name], targets },
      mends: planned ? ["plan"] : [],
      numbers: {
        depth: { value: pair.depth - pair.home, unit: "mm" },
        ...(others > 0 ? { others: { value: others, unit: "" as const } } : {}),
      },
      ...{ place: pair.place, at: pair.at },
    });
  }
}
