import { type AssemblyIndex, emptyBounds, unionBounds } from "../assembly/assembly";
import { Cover } from "../checks/cover";
import type { Target } from "../document/sequence";
import { targetId } from "../document/sequence";
import { lookNow } from "../edit/preparationCommands";
import { transformPoint } from "../math/mat4";
import { nth, tripleAt } from "../math/packed";
import type { Triple } from "../math/triple";
import { pose } from "../program/pose";
import { createPose, type Pose } from "../program/sampling";
import { actsOn, isOn } from "../program/spans";
import { type Actor, actorsOf, shown } from "./actors";
import type { Cannot, Check, Report, StepContext, Watcher } from "./check";
import type { Shapes } from "./shapes";
import { outside, View, within } from "./view";

const _point = new Float64Array(3);

type Names = "size" | "covered";

/** Moments of what acts at which is looked whether it can be seen, as shares of its time. */
const LOOKS = [0.05, 0.25, 0.5, 0.75, 0.95];
const RAYS = 14;

/**
 * What acts and cannot be seen well while it acts: out of the picture, too small, behind others; and a camera that
 * stands in a part or cuts into it.
 */
export const seen: Check<Names> = {
  id: "seen",
  title: "Acts where it cannot be seen",
  why: "What the caption speaks of has to be in the picture, and large enough to be told.",
  needs: ["poses", "meshes"],
  thresholds: {
    size: { label: "Takes of the picture less than", unit: "%", min: 0.1, max: 50, usual: 1.5 },
    covered: { label: "Can be seen less than", unit: "%", min: 1, max: 100, usual: 12 },
  },
  mends: {},
  watch(context, report, cannot) {
    const { shapes, program } = context;
    if (!shapes) return null;
    const actors = actorsOf(context, shapes);
    const view = new View(program);
    const inside = new CameraInside(context, shapes, view);
    // Most of what acts does not at a given frame: told without touching it.
    const spans = Float64Array.from(actors.flatMap((a) => [a.from, a.to]));
    const watcher: Watcher = {
      frame(at, ticks) {
        view.look(at);
        inside.frame(at, ticks);
        for (let i = 0; i < actors.length; i++) {
          if (ticks < (spans[2 * i] as number) || ticks > (spans[2 * i + 1] as number)) continue;
          const a = actors[i] as Actor;
          if (!shown(at, a.node)) continue;
          a.frames++;
          const s = view.sphere(at, a.node, a.middle, a.radius);
          if (s.inside) {
            if (s.size > a.largest) a.largest = s.size;
            continue;
          }
          // How large it is counts only for what is never out.
          if (!s.outside) {
            const box = view.project(at, a.node, a.hull);
            const size = Math.max(box.right - box.left, box.top - box.bottom) / 2;
            if (size > a.largest) a.largest = size;
            if (within(box)) continue;
            if (outside(box)) a.whollyOut = true;
          } else a.whollyOut = true;
          a.out++;
          if (a.firstOut < 0) a.firstOut = ticks;
          a.lastOut = ticks;
        }
      },
      *end() {
        tell(context, actors, report);
        inside.tell(report);
        yield* covered(context, shapes, actors, report, cannot);
      },
    };
    return watcher;
  },
};

/** What is out of the picture, or too small in it, by what was moved. */
function tell(context: StepContext<Names>, actors: readonly Actor[], report: Report): void {
  const { step, thresholds } = context;
  const byTarget = new Map<string, Actor[]>();
  for (const a of actors) {
    const list = byTarget.get(targetId(a.target));
    if (list) list.push(a);
    else byTarget.set(targetId(a.target), [a]);
  }
  for (const [id, list] of byTarget) {
    const target = (list[0] as Actor).target;
    const out = list.filter((a) => a.out > 0);
    const base = { step: step.id, targets: [target], mends: [] };
    if (out.length > 0) {
      const wholly = out.some((a) => a.whollyOut);
      const from = Math.min(...out.map((a) => a.firstOut));
      const to = Math.max(...out.map((a) => a.lastOut));
      const most = Math.max(...out.map((a) => a.out / a.frames));
      report({
        ...base,
        ...{ severity: wholly ? "wrong" : "look", what: "out", from, to, about: [id] },
        numbers: { part: { value: 100 * most, unit: "%" } },
      });
    }
    const looked = list.filter((a) => a.frames > 0);
    const largest = Math.max(0, ...looked.map((a) => a.largest));
    if (looked.length > 0 && largest * 100 < thresholds.size && out.length === 0)
      report({
        ...base,
        ...{
          severity: "look",
          what: "small",
          from: Math.min(...list.map((a) => a.from)),
          to: Math.max(...list.map((a) => a.to)),
        },
        ...{ numbers: { size: { value: 100 * largest, unit: "%" } }, about: [id] },
      });
  }
}

/** What can hardly be seen at any look because others stand before it; one may well go behind another for a moment. */
function* covered(
  context: StepContext<Names>,
  shapes: Shapes,
  actors: readonly Actor[],
  report: Report,
  cannot: Cannot,
): Generator<void> {
  const { program, step, thresholds } = context;
  const looks = lookNow(program.preparation).nodes;
  const through = program.index.assembly.nodes.map((n) => {
    const look = looks[n.key];
    return Boolean(look?.ghost) || (look?.finish?.opacity ?? 1) < 0.7;
  });
  const cover = new Cover(
    program,
    shapes.geometries,
    (n) => through[n] === true,
    (g) => shapes.treeOf(g),
  );
  const acts = new Set(actors.map((a) => a.node));
  // Parts that act together may stand before one another: the step is about all of them.
  const covers = shapes.index.assembly.nodes.some(
    (_, n) => shapes.geometryOf(n) >= 0 && !acts.has(n) && !through[n] && !program.hidden[n],
  );
  const at = createPose(program);
  const view = new View(program);
  const byTarget = new Map<string, Actor[]>();
  for (const a of actors) {
    const list = byTarget.get(targetId(a.target));
    if (list) list.push(a);
    else byTarget.set(targetId(a.target), [a]);
  }
  for (const [id, list] of covers ? byTarget : []) {
    // Of a large group the first parts tell enough: it is about whether it can be seen at all.
    const few = list.slice(0, 12);
    const [from, to] = [Math.min(...list.map((a) => a.from)), Math.max(...list.map((a) => a.to))];
    let most = -1;
    let by = -1;
    let when = 0;
    for (const share of LOOKS) {
      const ticks = Math.round(from + share * (to - from));
      pose(program, ticks, at);
      view.look(at);
      const rays = raysTo(few, shapes, at);
      if (rays.length === 0) continue;
      const enough = Math.ceil((thresholds.covered / 100) * rays.length);
      let free = 0;
      for (let i = 0; i < rays.length && free < enough; i++) {
        // Spread over them all, so that a part that can be seen is told after a few.
        const point = rays[(i * 7) % rays.length] as Triple;
        let first = -1;
        let nearest = Number.POSITIVE_INFINITY;
        cover.each(
          at,
          view.eye,
          point,
          (n) => acts.has(n),
          (n, away) => {
            if (away >= nearest) return;
            nearest = away;
            first = n;
          },
        );
        if (first < 0) free++;
        else if (by < 0) by = first;
      }
      if (free > most * 0.01 * rays.length) {
        most = (100 * free) / rays.length;
        when = ticks;
      }
      // Once seen, it is seen.
      if (free >= enough) break;
      yield;
    }
    if (most < 0 || most >= thresholds.covered) continue;
    const key = program.index.assembly.nodes[by]?.key;
    report({
      ...{ severity: "wrong", what: "covered", step: step.id, from, to, mends: [], about: [id] },
      targets: [(list[0] as Actor).target, ...(key === undefined ? [] : [{ type: "node" as const, key }])],
      numbers: { seen: { value: most, unit: "%" } },
      at: when,
    });
  }
  const flat = actorsWithout(context);
  if (flat.length > 0) cannot("no-mesh", flat);
}

/** Places of parts that lines of sight are drawn to, as they stand; a number of them that 7 does not divide. */
function raysTo(parts: readonly Actor[], shapes: Shapes, at: Pose): Triple[] {
  const out: Triple[] = [];
  for (const a of parts) {
    if (!shown(at, a.node)) continue;
    const hull = shapes.hullOf(a.geometry);
    const every = 3 * Math.max(1, Math.floor(hull.length / 3 / RAYS));
    for (let i = 0; i + 2 < hull.length; i += every)
      out.push(transformPoint(at.world, [nth(hull, i), nth(hull, i + 1), nth(hull, i + 2)], 16 * a.node));
  }
  if (out.length % 7 === 0) out.pop();
  return out;
}

/** What a step moves that has no shape at all. */
function actorsWithout({ program, step, shapes }: StepContext<Names>): Target[] {
  const out: Target[] = [];
  for (const move of Object.values(step.moves))
    for (const target of isOn(step, move) ? actsOn(move, program.sequence) : []) {
      if (target.type !== "node" && target.type !== "group") continue;
      const nodes = program.nodesOf(target);
      if (nodes.length > 0 && nodes.every((root) => none(root)) && !out.some((t) => targetId(t) === targetId(target)))
        out.push(target);
    }
  return out;

  function none(root: number): boolean {
    for (let n = root; n < nth(program.index.end, root); n++) if ((shapes?.geometryOf(n) ?? -1) >= 0) return false;
    return true;
  }
}

/**
 * Frames at which the camera stands in the box of a part that is shown, and really inside its mesh; and those at which
 * a part in the picture is nearer than where the picture begins, so that it is cut open.
 */
class CameraInside {
  private readonly found = new Map<number, { from: number; to: number }>();
  private readonly cut = new Map<number, { from: number; to: number }>();
  private readonly middle: Triple;
  private readonly radius: number;
  private readonly nodes: Int32Array;
  /** Square of how far each reaches from its origin, own frame. */
  private readonly reach: Float64Array;

  constructor(
    private readonly context: StepContext<Names>,
    private readonly shapes: Shapes,
    private readonly view: View,
  ) {
    const { nodes } = context.program.index.assembly;
    // As the picture is drawn: depth is fitted to all that there is, at home and half as much again.
    const { middle, radius } = homeSphere(context.program.index);
    this.middle = middle;
    this.radius = 1.5 * radius;
    this.nodes = Int32Array.from(nodes.flatMap((_, node) => (shapes.geometryOf(node) >= 0 ? [node] : [])));
    this.reach = Float64Array.from(this.nodes, (node) => shapes.reachOf(shapes.geometryOf(node)) ** 2);
  }

  frame(at: Pose, ticks: number): void {
    const [x, y, z] = this.view.eye;
    const near = this.view.near(at, this.middle, this.radius);
    const w = at.world;
    for (let i = 0; i < this.nodes.length; i++) {
      const node = this.nodes[i] as number;
      const o = 16 * node;
      const dx = x - (w[o + 12] as number);
      const dy = y - (w[o + 13] as number);
      const dz = z - (w[o + 14] as number);
      // Farther away than it reaches, however it is sized: most are.
      let scale = 0;
      for (let c = o; c < o + 12; c += 4) {
        const p = w[c] as number;
        const q = w[c + 1] as number;
        const r = w[c + 2] as number;
        scale += p * p + q * q + r * r;
      }
      const reach = Math.sqrt(scale * (this.reach[i] as number));
      if (dx * dx + dy * dy + dz * dz > (reach + 2 * near) ** 2) continue;
      const bounds = this.shapes.geometries[this.shapes.geometryOf(node)]?.bounds;
      if (!bounds || !shown(at, node)) continue;
      if (this.isCut(at, node, near)) span(this.cut, node, ticks);
      let inside = true;
      for (let c = 0; c < 3 && inside; c++) {
        const [a, b, d] = [w[o + 4 * c] as number, w[o + 4 * c + 1] as number, w[o + 4 * c + 2] as number];
        // Into the part's own frame: its axes are square, so that their lengths are all that has to be taken out.
        const v = (dx * a + dy * b + dz * d) / (a * a + b * b + d * d || 1);
        inside = v > (bounds.min[c] as number) && v < (bounds.max[c] as number);
      }
      if (inside) span(this.found, node, ticks);
    }
  }

  /** Whether something of a part that is in the picture lies before where the picture begins. */
  private isCut(at: Pose, node: number, near: number): boolean {
    const hull = this.shapes.hullOf(this.shapes.geometryOf(node));
    let nearest = Number.POSITIVE_INFINITY;
    let farthest = Number.NEGATIVE_INFINITY;
    for (let i = 0; i + 2 < hull.length; i += 3) {
      for (let k = 0; k < 3; k++) _point[k] = hull[i + k] as number;
      const ahead = this.view.ahead(at, node, _point);
      if (ahead < nearest) nearest = ahead;
      if (ahead > farthest) farthest = ahead;
    }
    // Wholly behind the camera it is not in the picture at all.
    if (nearest >= near || farthest <= 1e-6) return false;
    return !outside(this.view.project(at, node, hull));
  }

  tell(report: Report): void {
    const { program, step } = this.context;
    const at = createPose(program);
    for (const [node, span] of this.cut) {
      if (this.found.has(node)) continue;
      const key = program.index.assembly.nodes[node]?.key ?? "";
      report({
        ...{ severity: "wrong", what: "cut", step: step.id, ...span, numbers: {}, mends: [], about: [key] },
        targets: [{ type: "node", key }],
      });
    }
    for (const [node, span] of this.found) {
      pose(program, (span.from + span.to) / 2, at);
      this.view.look(at);
      // In its box, but perhaps before a hollow: inside is where a ray leaves it an odd number of times.
      if (!this.shapes.contains(this.shapes.geometryOf(node), at.world, node, this.view.eye)) continue;
      const key = program.index.assembly.nodes[node]?.key ?? "";
      report({
        ...{ severity: "wrong", what: "inside", step: step.id, ...span, numbers: {}, mends: [], about: [key] },
        targets: [{ type: "node", key }],
      });
    }
  }
}

/** Lengthens a node's span to a time. */
function span(spans: Map<number, { from: number; to: number }>, node: number, ticks: number): void {
  const known = spans.get(node);
  if (known) known.to = ticks;
  else spans.set(node, { from: ticks, to: ticks });
}

/** Middle and radius of all that there is, at home, mm. */
function homeSphere(index: AssemblyIndex): { middle: Triple; radius: number } {
  const box = new Float64Array(6);
  emptyBounds(box);
  for (const root of index.roots) unionBounds(box, 0, index.worldBounds, 6 * root);
  const [min, max] = [tripleAt(box, 0), tripleAt(box, 3)];
  if (!max.every(Number.isFinite)) return { middle: [0, 0, 0], radius: 1 };
  const middle: Triple = [(min[0] + max[0]) / 2, (min[1] + max[1]) / 2, (min[2] + max[2]) / 2];
  return { middle, radius: Math.max(1, Math.hypot(max[0] - min[0], max[1] - min[1], max[2] - min[2]) / 2) };
}
