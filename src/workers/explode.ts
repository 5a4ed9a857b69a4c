/** Finds ways off and plans exploded views, off the main thread. It keeps the geometry of the assembly it was opened with. */

import { type Assembly, type AssemblyIndex, indexAssembly } from "../core/assembly/assembly";
import { type AssemblyPackage, decodePackage } from "../core/assembly/package";
import { bodyOf } from "../core/explode/bodies";
import { type CheckedPlan, planChecked } from "../core/explode/plan";
import { clearOf, type Way, waysOff } from "../core/explode/ways";
import { nth } from "../core/math/packed";
import type { Triple } from "../core/math/triple";

/** A body by the nodes that it is made of. */
export interface BodySpec {
  id: string;
  nodes: number[];
}

export type ExplodeRequest =
  | { type: "open"; bytes: Uint8Array; assembly: Assembly }
  /** World matrices as posed, 16 doubles a node; `others` stay. */
  | { type: "ways"; world: Float64Array; body: BodySpec; others: BodySpec[] }
  | { type: "clear"; world: Float64Array; body: BodySpec; others: BodySpec[]; direction: Triple }
  /** `rest` is everything that is not taken apart, or nothing. */
  | { type: "plan"; world: Float64Array; bodies: BodySpec[]; rest: BodySpec | null; gap: number; stagger: number };
export type ExplodeAnswer =
  | { type: "ways"; ways: Way[] }
  | { type: "clear"; distance: number }
  | { type: "planned"; plan: CheckedPlan }
  | { type: "progress"; share: number }
  | { type: "failed"; message: string };

const post = (message: ExplodeAnswer) => (self as unknown as Worker).postMessage(message);

let pkg: AssemblyPackage | null = null;
let index: AssemblyIndex | null = null;

self.onmessage = (event: MessageEvent<ExplodeRequest>) => {
  try {
    answer(event.data);
  } catch (error) {
    post({ type: "failed", message: error instanceof Error ? error.message : "The way could not be worked out." });
  }
};

function answer(request: ExplodeRequest): void {
  if (request.type === "open") {
    pkg = { ...decodePackage(request.bytes), assembly: request.assembly };
    index = indexAssembly(pkg.assembly);
    return;
  }
  if (!pkg || !index) throw new Error("No assembly is open.");
  const [p, i] = [pkg, index];
  const moving = new Set(request.type === "plan" ? request.bodies.flatMap((b) => b.nodes) : request.body.nodes);
  const made = (b: BodySpec, without: ReadonlySet<number> = new Set()) => bodyOf(b.id, i, p.geometries, request.world, b.nodes, without);
  const others = (list: readonly BodySpec[]) => list.map((b) => made(b, moving)).filter((b) => b.indices.length > 0);
  if (request.type === "ways") {
    const body = made(request.body);
    if (body.indices.length === 0) throw new Error("There is no geometry in what is selected.");
    const stay = others(request.others);
    // Numbers of blockers are those of the list that was sent.
    const at = stay.map((b) => request.others.findIndex((o) => o.id === b.id));
    post({ type: "ways", ways: waysOff(body, stay).map((w) => ({ ...w, blockers: w.blockers.map((k) => nth(at, k)) })) });
  } else if (request.type === "clear") {
    post({ type: "clear", distance: clearOf(made(request.body), others(request.others), request.direction) });
  } else {
    const bodies = request.bodies.map((b) => made(b));
    const empty = bodies.findIndex((b) => b.indices.length === 0);
    if (empty >= 0) throw new Error("There is no geometry in one of the selected things. Leave it out.");
    const rest = request.rest ? made(request.rest, moving) : null;
    const all = rest && rest.indices.length > 0 ? [...bodies, rest] : bodies;
    let told = 0;
    const plan = planChecked(all, {
      gap: request.gap,
      stagger: request.stagger,
      ...(all.length > bodies.length ? { base: bodies.length } : {}),
      progress: (share) => {
        const now = performance.now();
        if (now - told < 80) return;
        told = now;
        post({ type: "progress", share: Math.min(1, share) });
      },
    });
    post({ type: "planned", plan });
  }
}
