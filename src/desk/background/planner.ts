import type { AssemblyIndex } from "../../core/assembly/assembly";
import { type AnyTarget, targetId } from "../../core/document/keys";
import type { CheckedPlan } from "../../core/explode/plan";
import type { Way } from "../../core/explode/ways";
import { invertedAffine, transformDirection } from "../../core/math/mat4";
import { nth } from "../../core/math/packed";
import type { Triple } from "../../core/math/triple";
import { pose } from "../../core/program/pose";
import { createPose, type Pose } from "../../core/program/sampling";
import { Refusal } from "../../core/text/refusal";
import type { BodySpec, PlannerWorker } from "../../workers/planner";
import { nameOf } from "../names";
import type { Desk } from "../port";
import { WorkerClient } from "./workerClient";

/** One planner for the open assembly. It cannot be stopped in the middle of a plan except by ending it. */
let open: { client: WorkerClient<PlannerWorker>; of: AssemblyIndex } | null = null;

function plannerFor(desk: Desk): WorkerClient<PlannerWorker> {
  if (open?.of === desk.index) return open.client;
  open?.client.end();
  const client = new WorkerClient<PlannerWorker>(
    () =>
      typeof Worker === "undefined"
        ? null
        : new Worker(new URL("../../workers/planner.ts", import.meta.url), { type: "module" }),
    () => ({ name: "open", input: { bytes: desk.packageBytes, assembly: desk.pkg.assembly } }),
    true,
  );
  open = { client, of: desk.index };
  return client;
}

/** How everything stands at a time, without what is only pending. */
function poseAt(desk: Desk, ticks: number): Pose {
  const out = createPose(desk.program);
  pose(desk.program, ticks, out);
  return out;
}

/**
 * The parts of the assembly that can be in the way: every drawn one that can be seen then and is not among those
 * named.
 */
function staying(desk: Desk, moving: readonly number[], at: Pose): BodySpec[] {
  const { index, program } = desk;
  const moves = new Uint8Array(index.parent.length);
  for (const n of moving) moves.fill(1, n, index.end[n]);
  return index.assembly.nodes.flatMap((node, i) =>
    node.geometry >= 0 && !moves[i] && !program.hidden[i] && at.visible[i] ? [{ id: node.key, nodes: [i] }] : [],
  );
}

/** A world direction as of now in the assembly's frame at home, as directions of moves are kept for a target. */
function atHome(desk: Desk, world: Float64Array, node: number, direction: Triple): Triple {
  const parent = desk.index.parent[node] ?? -1;
  if (parent < 0) return direction;
  const own = transformDirection(invertedAffine(world, 16 * parent), direction);
  return transformDirection(desk.index.homeWorld, own, 16 * parent).map((v) => (Math.abs(v) < 1e-9 ? 0 : v)) as Triple;
}

/** A way off with names of what is in it. */
export interface NamedWay extends Omit<Way, "blockers"> {
  blockers: string[];
}

/** The ways in which targets come off together at a time, best first. */
export async function findWays(
  desk: Desk,
  targets: readonly AnyTarget[],
  ticks: number,
  signal: AbortSignal,
): Promise<NamedWay[]> {
  const nodes = targets.flatMap((t) => desk.program.nodesOf(t));
  const first = nodes[0];
  if (first === undefined) throw new Refusal("parts-gone");
  const at = poseAt(desk, ticks);
  const { world } = at;
  const others = staying(desk, nodes, at);
  const ways = await plannerFor(desk).ask(
    "ways",
    { world, body: { id: "moved", nodes: [...nodes] }, others },
    { signal },
  );
  return ways.map((w) => ({
    ...w,
    direction: atHome(desk, world, first, w.direction),
    blockers: w.blockers.map((b) => nameOf(desk, others[b]?.nodes[0] ?? -1)),
  }));
}

/** How far targets must go along a direction (assembly's frame at home) until they are clear of a node, mm. */
export async function clearDistance(
  desk: Desk,
  targets: readonly AnyTarget[],
  direction: Triple,
  of: number,
  ticks: number,
  signal: AbortSignal,
): Promise<number> {
  const nodes = targets.flatMap((t) => desk.program.nodesOf(t));
  return plannerFor(desk).ask(
    "clear",
    {
      world: poseAt(desk, ticks).world,
      body: { id: "moved", nodes: [...nodes] },
      others: [{ id: "of", nodes: [of] }],
      direction,
    },
    { signal },
  );
}

/** A plan with directions as moves keep them, by target id. */
export interface NamedPlan {
  parts: Record<string, { direction: Triple; distance: number; order: number }>;
  /** What stays although it should go, with what holds it, in words. */
  held: { name: string; by: string[] }[];
  collisions: number;
}

/** Plans an exploded view of targets at a time. */
export async function planExploded(
  desk: Desk,
  targets: readonly AnyTarget[],
  options: { gap: number; stagger: number; mind: boolean },
  ticks: number,
  signal: AbortSignal,
  progress: (share: number) => void,
): Promise<NamedPlan> {
  const bodies = targets
    .map((t): BodySpec => ({ id: targetId(t), nodes: [...desk.program.nodesOf(t)] }))
    .filter((b) => b.nodes.length > 0);
  if (bodies.length < 2) throw new Refusal("explode-two");
  const at = poseAt(desk, ticks);
  const { world } = at;
  // Without minding the rest nothing else counts as being there.
  const moving = bodies.flatMap((b) => b.nodes);
  const rest = options.mind ? staying(desk, moving, at) : [];
  const plan = await plannerFor(desk).ask(
    "plan",
    {
      world,
      bodies,
      rest: rest.length > 0 ? { id: "rest", nodes: rest.flatMap((r) => r.nodes) } : null,
      gap: options.gap,
      stagger: options.stagger,
    },
    { signal, tell: progress },
  );
  return named(desk, bodies, world, plan);
}

function named(
  desk: Desk,
  bodies: readonly BodySpec[],
  world: Float64Array,
  { plan, collisions }: CheckedPlan,
): NamedPlan {
  const bodyName = (b: number) => (bodies[b] ? nameOf(desk, bodies[b]?.nodes[0] ?? -1) : "the rest");
  const out: NamedPlan = { parts: {}, held: [], collisions: collisions.length };
  bodies.forEach((b, i) => {
    const p = plan[i];
    if (!p || p.why === "stays") return;
    if (p.why === "stuck") {
      out.held.push({ name: bodyName(i), by: p.blockers.map(bodyName) });
      return;
    }
    out.parts[b.id] = {
      direction: atHome(desk, world, nth(b.nodes, 0), p.direction),
      distance: p.distance,
      order: p.order,
    };
  });
  return out;
}
