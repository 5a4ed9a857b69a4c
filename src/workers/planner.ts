/**
 * Finds ways off and plans exploded views, off the main thread. It keeps the geometry of the assembly it was opened
 * with.
 */
import { type Assembly, type AssemblyIndex, indexAssembly } from "../core/assembly/assembly";
import { type AssemblyPackage, decodePackage } from "../core/assembly/package";
import { type Body, bodyOf } from "../core/explode/bodies";
import { type CheckedPlan, planChecked } from "../core/explode/plan";
import { clearOf, type Way, waysOff } from "../core/explode/ways";
import type { Triple } from "../core/math/triple";
import { Refusal } from "../core/text/refusal";
import { type Asked, host } from "./host";
import { paced } from "./paced";

/** A body by the nodes that it is made of. */
export interface BodySpec {
  id: string;
  nodes: number[];
}

/** World matrices as posed, 16 doubles a node; `others` stay. */
interface Standing {
  world: Float64Array;
  body: BodySpec;
  others: BodySpec[];
}

let open: { pkg: AssemblyPackage; index: AssemblyIndex } | null = null;

const handlers = {
  open({ bytes, assembly }: { bytes: Uint8Array; assembly: Assembly }): void {
    open = { pkg: { ...decodePackage(bytes), assembly }, index: indexAssembly(assembly) };
  },
  ways({ world, body, others }: Standing): Way[] {
    const moved = made(world, body);
    if (moved.indices.length === 0) throw new Refusal("no-geometry");
    const stay = staying(world, others, body.nodes);
    // Numbers of blockers are those of the list that was sent.
    const sent = stay.map((b) => others.findIndex((o) => o.id === b.id));
    return waysOff(moved, stay).map((w) => ({ ...w, blockers: w.blockers.map((k) => sent[k] ?? -1) }));
  },
  clear({ world, body, others, direction }: Standing & { direction: Triple }): number {
    return clearOf(made(world, body), staying(world, others, body.nodes), direction);
  },
  /** `rest` is everything that is not taken apart, or nothing. */
  plan(
    r: { world: Float64Array; bodies: BodySpec[]; rest: BodySpec | null; gap: number; stagger: number },
    { tell }: Asked<number>,
  ): CheckedPlan {
    const bodies = r.bodies.map((b) => made(r.world, b));
    if (bodies.some((b) => b.indices.length === 0)) throw new Refusal("no-geometry-in-one");
    const moving = new Set(r.bodies.flatMap((b) => b.nodes));
    const rest = r.rest ? made(r.world, r.rest, moving) : null;
    const all = rest && rest.indices.length > 0 ? [...bodies, rest] : bodies;
    const telling = paced(tell);
    return planChecked(all, {
      gap: r.gap,
      stagger: r.stagger,
      ...(all.length > bodies.length ? { base: bodies.length, rest: true } : {}),
      progress: (share) => telling(Math.min(1, share)),
    });
  },
};
export type PlannerWorker = typeof handlers;

function made(world: Float64Array, body: BodySpec, without: ReadonlySet<number> = new Set()): Body {
  if (!open) throw new Error("No assembly is open.");
  return bodyOf(body.id, open.index, open.pkg.geometries, world, body.nodes, without);
}

/** What stays, without what moves, as far as there is any geometry in it. */
function staying(world: Float64Array, others: readonly BodySpec[], moving: readonly number[]): Body[] {
  const without = new Set(moving);
  return others.map((b) => made(world, b, without)).filter((b) => b.indices.length > 0);
}

host(handlers);
