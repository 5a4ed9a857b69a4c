import { nth } from "../math/packed";
import { dot, minus, plus, type ReadonlyTriple, type Triple, times } from "../math/triple";
import { type Body, candidateLines, sameLine } from "./bodies";
import { type Collision, findCollisions, type ShiftAt } from "./check";
import { WayField } from "./field";
import { extent, TOLERANCE } from "./ways";

export interface ExplodeOptions {
  /** Between neighbours when apart, mm. */
  gap: number;
  contact?: number;
  /** How far meshes may lie beside the true surfaces, mm. */
  deflection?: number;
  /** Number of the body that stays; else the largest. */
  base?: number;
  /** The body that stays is no part of the view: it is looked at only where the others are. */
  rest?: boolean;
  /** Most lines that are tried. */
  lines?: number;
  /**
   * How the bodies go in time, 0 together to 1 one after the other; the way is checked as it will be seen. Default 1.
   */
  stagger?: number;
  /** Told the share that is done, 0..1; throws to stop. */
  progress?(share: number): void;
}

/** What becomes of one body. */
export interface PlannedBody {
  /** Unit, world. */
  direction: Triple;
  /** 0 for the body that stays and for those that no straight way frees. */
  distance: number;
  /** 0 goes first. */
  order: number;
  /** The body it comes off from, by number; -1 for none. */
  from: number;
  /**
   * Along an axis it shares with another, off what it rests on or outward, or together with the body that it is held
   * by.
   */
  why: "axis" | "outward" | "held" | "stays" | "stuck";
  /** For what is stuck: what blocks its best way. */
  blockers: number[];
}

/**
 * Plans an exploded view. Layer by layer, from the outside in, whatever is free of all that is left is taken off; its
 * direction is the one along an axis that it shares with what it sits on, else the shortest way out, with a leaning
 * outward from the middle. Distances are then laid out from the inside: each body goes just so far that it is past
 * everything that it came off from, where that ends up, with the gap between. After W. Li, M. Agrawala, B. Curless and
 * D. Salesin, "Automated generation of interactive 3D exploded view diagrams" (2008), with blocking from columns.
 */
export function planExplode(bodies: readonly Body[], options: ExplodeOptions): PlannedBody[] {
  return new Planner(bodies, options).plan().plan;
}

/** A plan, and the pairs that still come into each other on the way: none unless it could not be helped. */
export interface CheckedPlan {
  plan: PlannedBody[];
  collisions: Collision[];
}

/** How often a plan is mended. */
const ROUNDS = 8;
/** Moments of the way that are looked at while planning. */
const MOMENTS = 60;

/**
 * Plans an exploded view and follows it in time. Bodies that hold each other whichever way they go, as a ring in its
 * groove, go as one. What hits another on the way is mended: it waits for that, goes another way, or is put farther
 * out; what would be hit all the same stays at home and is told as stuck, with what holds it.
 */
export function planChecked(bodies: readonly Body[], asked: ExplodeOptions): CheckedPlan {
  let done = 0;
  // What is planned again is not told as less done.
  const progress = (share: number) => {
    done = Math.max(done, share);
    asked.progress?.(done);
  };
  const options: ExplodeOptions = { ...asked, progress };
  let groups = bodies.map((_, i) => [i]);
  for (let round = 0; ; round++) {
    const joined = groups.map((g) => merged(bodies, g));
    const base =
      options.base === undefined ? {} : { base: groups.findIndex((g) => g.includes(options.base as number)) };
    const planner = new Planner(joined, { ...options, ...base });
    const locked = planner.interlocked(planner.plan().plan);
    if (locked.length > 0 && round < ROUNDS) {
      groups = united(groups, locked);
      continue;
    }
    const { plan, collisions } = mended(planner, joined, options);
    return spread(bodies.length, groups, plan, collisions);
  }
}

/** Follows a plan and mends what collides. */
function mended(planner: Planner, bodies: readonly Body[], options: ExplodeOptions): CheckedPlan {
  const stagger = options.stagger ?? 1;
  const tolerance = options.deflection ?? 0.25;
  let made = planner.plan();
  let collisions: Collision[] = [];
  for (let round = 0; round <= ROUNDS; round++) {
    const { plan } = made;
    const shift = shiftOf(plan, stagger);
    collisions = findCollisions(bodies, shift, MOMENTS, tolerance, (s) =>
      options.progress?.(0.5 + (0.5 * (round + s)) / (ROUNDS + 1)),
    );
    if (collisions.length === 0) break;
    if (round === ROUNDS) {
      // What stays may be in the way of others, which then stay too.
      while (collisions.length > 0) {
        for (const { a, b } of collisions) {
          const [first, later] = rank(plan, a) < rank(plan, b) ? [a, b] : [b, a];
          const held = plan[later]?.distance === 0 ? first : later;
          Object.assign(plan[held] as PlannedBody, {
            why: "stuck",
            distance: 0,
            blockers: [held === first ? later : first],
          });
        }
        collisions = findCollisions(bodies, shiftOf(plan, stagger), MOMENTS, tolerance);
      }
      break;
    }
    for (const { a, b, at } of collisions) {
      const [first, later] = rank(plan, a) < rank(plan, b) ? [a, b] : [b, a];
      const at0: Triple = [0, 0, 0];
      const p = plan[first] as PlannedBody;
      const q = plan[later] as PlannedBody;
      shift(later, at, at0);
      const waits = Math.hypot(...at0) < 1e-9;
      shift(first, at, at0);
      const parked = Math.hypot(...at0) > p.distance - 1e-9;
      if (waits) planner.after(first, p.direction, later);
      else if (!parked && dot(p.direction, q.direction) < 0.99) planner.delay(later, first);
      else {
        const past =
          support(bodies[later] as Body, p.direction) + support(bodies[first] as Body, negative(p.direction));
        if (!planner.push(first, later, past)) planner.forbid(later, q.direction);
      }
    }
    made = planner.plan();
  }
  options.progress?.(1);
  return { plan: made.plan, collisions };
}

const negative = (d: readonly number[]) => d.map((v) => -v);

/** Several bodies as one. */
function merged(bodies: readonly Body[], group: readonly number[]): Body {
  const list = group.map((i) => bodies[i] as Body);
  if (list.length === 1) return list[0] as Body;
  const positions = new Float64Array(list.reduce((n, b) => n + b.positions.length, 0));
  const indices = new Uint32Array(list.reduce((n, b) => n + b.indices.length, 0));
  let p = 0;
  let t = 0;
  for (const b of list) {
    for (const i of b.indices) indices[t++] = i + p / 3;
    positions.set(b.positions, p);
    p += b.positions.length;
  }
  const of = (pick: (...v: number[]) => number, side: "min" | "max") =>
    [0, 1, 2].map((k) => pick(...list.map((b) => nth(b[side], k)))) as Triple;
  return {
    id: (list[0] as Body).id,
    positions,
    indices,
    min: of(Math.min, "min"),
    max: of(Math.max, "max"),
    axes: list.flatMap((b) => b.axes),
  };
}

function united(groups: readonly (readonly number[])[], pairs: readonly [number, number][]): number[][] {
  const to = groups.map((_, i) => i);
  const root = (i: number): number => (to[i] === i ? i : root(nth(to, i)));
  for (const [a, b] of pairs) to[Math.max(root(a), root(b))] = Math.min(root(a), root(b));
  const out = new Map<number, number[]>();
  for (const [i, g] of groups.entries()) out.set(root(i), [...(out.get(root(i)) ?? []), ...g]);
  return [...out.values()];
}

/** A plan of groups as one of the bodies in them. */
function spread(
  count: number,
  groups: readonly (readonly number[])[],
  plan: readonly PlannedBody[],
  collisions: readonly Collision[],
): CheckedPlan {
  const first = (g: number) => groups[g]?.[0] ?? -1;
  const out = new Array<PlannedBody>(count);
  groups.forEach((g, i) => {
    const p = plan[i] as PlannedBody;
    g.forEach((b, k) => {
      const own = { ...p, from: p.from < 0 ? -1 : first(p.from), blockers: p.blockers.map(first) };
      out[b] = k === 0 ? own : { ...own, why: p.why === "stuck" ? "stuck" : "held", from: first(i) };
    });
  });
  return { plan: out, collisions: collisions.map((c) => ({ ...c, a: first(c.a), b: first(c.b) })) };
}

const rank = (plan: readonly PlannedBody[], b: number) =>
  plan[b]?.distance === 0 ? Number.POSITIVE_INFINITY : (plan[b]?.order ?? 0);
/** The farthest that a body's box reaches along a direction. */
const support = (b: Body, d: readonly number[]) =>
  [0, 1, 2].reduce((sum, k) => sum + Math.max(nth(d, k) * nth(b.min, k), nth(d, k) * nth(b.max, k)), 0);

/**
 * Where bodies of a plan are in time, at steady speed: each takes the same time, begun `stagger` of it after the one
 * before.
 */
export function shiftOf(plan: readonly PlannedBody[], stagger: number): ShiftAt {
  const last = Math.max(0, ...plan.map((q) => q.order));
  const each = 1 / (1 + stagger * last);
  return (b, time, out) => {
    const p = plan[b] as PlannedBody;
    const u = Math.min(1, Math.max(0, (time - p.order * stagger * each) / each));
    for (let k = 0; k < 3; k++) out[k] = u * p.distance * nth(p.direction, k);
  };
}

interface Taken {
  body: number;
  reaches: Map<number, number>;
}

/** Plans the same bodies again and again, with what was learnt from following the plans. */
class Planner {
  private readonly fields: WayField[] = [];
  private readonly base: number;
  private readonly centre: Triple;
  private readonly size: number;
  /** What must be gone before a body goes a way; by body and direction. */
  private readonly waits = new Map<string, Set<number>>();
  private readonly forbidden = new Set<string>();
  private readonly pushes: { body: number; other: number; past: number }[] = [];
  private readonly delays: { body: number; behind: number }[] = [];
  private used = false;

  constructor(
    private readonly bodies: readonly Body[],
    private readonly options: ExplodeOptions,
  ) {
    const fixed = options.rest ? (options.base ?? -1) : -1;
    // Axes of what never goes matter only where they are those of what does.
    const lines = candidateLines(fixed < 0 ? bodies : bodies.filter((_, b) => b !== fixed), options.lines ?? 6);
    for (const line of lines) {
      options.progress?.((0.4 * this.fields.length) / lines.length);
      this.fields.push(new WayField(bodies, line, { contact: options.contact ?? TOLERANCE.contact }, undefined, fixed));
    }
    this.base = options.base ?? largest(bodies);
    this.centre = middle(bodies);
    this.size = Math.hypot(
      ...[0, 1, 2].map(
        (k) => Math.max(...bodies.map((b) => nth(b.max, k))) - Math.min(...bodies.map((b) => nth(b.min, k))),
      ),
    );
  }

  /** A body may go this way only when another is gone. */
  after(body: number, direction: ReadonlyTriple, other: number): void {
    const key = wayKey(body, direction);
    const set = this.waits.get(key) ?? new Set();
    set.add(other);
    this.waits.set(key, set);
  }
  forbid(body: number, direction: ReadonlyTriple): void {
    this.forbidden.add(wayKey(body, direction));
  }
  /** A body sets out only when another has arrived. */
  delay(body: number, behind: number): void {
    this.delays.push({ body, behind });
  }
  /** A body goes so far that it is past another. @returns false where that would be out of all proportion */
  push(body: number, other: number, past: number): boolean {
    if (past > this.size || this.pushes.some((p) => p.body === body && p.other === other)) return false;
    this.pushes.push({ body, other, past });
    return true;
  }

  plan(): { plan: PlannedBody[] } {
    const { bodies, fields, base, options } = this;
    if (this.used) for (const field of fields) field.reset();
    this.used = true;
    const active = new Set(bodies.keys());
    const out: PlannedBody[] = bodies.map(() => ({
      direction: [0, 0, 1],
      distance: 0,
      order: 0,
      from: -1,
      why: "stuck",
      blockers: [],
    }));
    if (base >= 0) (out[base] as PlannedBody).why = "stays";
    const may: MayGo = (b, direction) => {
      const key = wayKey(b, direction);
      if (this.forbidden.has(key)) return false;
      for (const other of this.waits.get(key) ?? []) if (active.has(other)) return false;
      return true;
    };
    const taken: Taken[] = [];
    for (;;) {
      const layer: (Taken & Way)[] = [];
      // First those that leave as they sit: along a shared axis, or off what they rest on. Only when none can, any way.
      for (const natural of [true, false]) {
        for (const b of active) {
          const best = b === base ? null : bestWay(b, bodies, fields, this.centre, natural, may);
          if (best) layer.push({ body: b, ...best });
        }
        if (layer.length > 0) break;
      }
      if (layer.length === 0) break;
      layer.sort((p, q) => p.score - q.score || p.body - q.body);
      for (const t of layer) {
        active.delete(t.body);
        const plan = out[t.body] as PlannedBody;
        plan.direction = fields[t.field]?.line.map((v) => (t.sense === 0 ? v : -v) || 0) as Triple;
        plan.order = taken.length;
        plan.why = t.why;
        plan.from = t.from;
        taken.push(t);
      }
      for (const t of layer) for (const field of fields) field.remove(t.body);
    }
    for (const { body, other, past } of this.pushes) taken.find((t) => t.body === body)?.reaches.set(other, past);
    this.lay(out, taken);
    this.hold(out, taken);
    for (const b of active) {
      if (b === base) continue;
      const ways = this.waysOf(b).sort((p, q) => q.travel - p.travel || p.blockers.length - q.blockers.length);
      (out[b] as PlannedBody).blockers = ways[0]?.blockers.map((x) => x.body) ?? [];
    }
    options.progress?.(0.5);
    return { plan: out };
  }

  private waysOf(b: number) {
    return this.fields.flatMap((f) =>
      ([0, 1] as const).map((sense) => ({ blockers: f.blockers(b, sense), travel: f.travel(b, sense) })),
    );
  }

  /** Distances from the inside out: what a body is past is in place before it. */
  private lay(out: PlannedBody[], taken: readonly Taken[]): void {
    const { gap } = this.options;
    for (const t of taken.toReversed()) {
      const plan = out[t.body] as PlannedBody;
      let far = gap;
      for (const [other, past] of t.reaches) {
        const o = out[other] as PlannedBody;
        far = Math.max(far, past + Math.max(0, o.distance * dot(o.direction, plan.direction)) + gap);
      }
      plan.distance = far;
    }
  }

  /** Puts off those that must wait until another has arrived, and all after them. */
  private hold(out: PlannedBody[], taken: readonly Taken[]): void {
    const whole = Math.ceil(1 / Math.max(0.05, this.options.stagger ?? 1));
    for (const { body, behind } of this.delays) {
      const missing = (out[behind]?.order ?? 0) + whole - (out[body]?.order ?? 0);
      if (missing <= 0) continue;
      const from = out[body]?.order ?? 0;
      for (const t of taken)
        if ((out[t.body] as PlannedBody).order >= from && t.body !== behind)
          (out[t.body] as PlannedBody).order += missing;
    }
  }

  /** Pairs of which each holds the other whichever way it goes. Call it after planning. */
  interlocked(plan: readonly PlannedBody[]): [number, number][] {
    const out: [number, number][] = [];
    plan.forEach((p, b) => {
      if (p.why !== "stuck") return;
      let common: Set<number> | null = null;
      for (const { blockers } of this.waysOf(b)) {
        const here = new Set(blockers.map((x) => x.body));
        common = common === null ? here : new Set([...common].filter((x: number) => here.has(x)));
      }
      const holder = [...(common ?? [])][0];
      if (holder !== undefined) out.push([b, holder]);
    });
    return out;
  }
}

const wayKey = (body: number, direction: ReadonlyTriple) =>
  `${body} ${direction.map((v) => Math.round(v * 1000)).join(" ")}`;
type MayGo = (body: number, direction: Triple) => boolean;
interface Way {
  field: number;
  sense: 0 | 1;
  score: number;
  reaches: Map<number, number>;
  why: PlannedBody["why"];
  from: number;
}

/**
 * The best free way of a body, or null. `natural`: only along an axis it shares with another, if it has one, else off
 * what it rests on.
 */
function bestWay(
  b: number,
  bodies: readonly Body[],
  fields: readonly WayField[],
  centre: Triple,
  natural: boolean,
  may: MayGo,
): Way | null {
  const body = bodies[b] as Body;
  const coaxial = body.axes.filter((a) => bodies.some((o, i) => i !== b && o.axes.some((x) => sameLine(x, a))));
  let best: Way | null = null;
  for (const [f, field] of fields.entries()) {
    for (const sense of [0, 1] as const) {
      if (!field.isFree(b, sense)) continue;
      const direction = field.line.map((v) => (sense === 0 ? v : -v) || 0) as Triple;
      if (!may(b, direction)) continue;
      const reaches = field.reaches(b, sense);
      const size = extent(body, direction);
      const clear = Math.max(size * 0.3, ...reaches.values());
      // What it sits on is what it meets when it goes back.
      const from = field.nearest(b, sense === 0 ? 1 : 0);
      const shared = coaxial.some((a) => Math.abs(dot(a.direction, field.line)) > 0.9998);
      const own = body.axes.length > 0 && Math.abs(dot(body.axes[0]?.direction ?? centre, field.line)) > 0.9998;
      if (natural && (coaxial.length > 0 ? !shared : from < 0)) continue;
      const outward = dot(minus(times(plus(body.min, body.max), 0.5), centre), direction);
      const lean = outward > 0 ? 1 - 0.2 * Math.min(1, outward / (size + 1e-9)) : 1.35;
      const rests = from >= 0 ? 1 : 1.6;
      const score = clear * lean * rests * (shared ? 0.4 : own ? 0.7 : 1);
      if (!best || score < best.score - 1e-9)
        best = { field: f, sense, score, reaches, why: shared ? "axis" : "outward", from };
    }
  }
  return best;
}

/** The body that the others are most likely built on: large, and close to many. */
function largest(bodies: readonly Body[]): number {
  let best = -1;
  let most = -1;
  bodies.forEach((b, i) => {
    const size = Math.hypot(...[0, 1, 2].map((k) => nth(b.max, k) - nth(b.min, k)));
    const close = bodies.filter((o) =>
      [0, 1, 2].every((k) => nth(o.min, k) <= nth(b.max, k) + 0.1 && nth(b.min, k) <= nth(o.max, k) + 0.1),
    ).length;
    if (size * Math.sqrt(close) <= most) return;
    most = size * Math.sqrt(close);
    best = i;
  });
  return best;
}

function middle(bodies: readonly Body[]): Triple {
  return [0, 1, 2].map(
    (k) => (Math.min(...bodies.map((b) => nth(b.min, k))) + Math.max(...bodies.map((b) => nth(b.max, k)))) / 2,
  ) as Triple;
}
