import type { AssemblyIndex } from "../assembly/assembly";
import type { MadeMove } from "../document/sequence";
import { nth } from "../math/packed";
import { cross, type Triple } from "../math/triple";
import { type MakeContext, SECOND } from "./kind";
import { moveKindOf } from "./kinds";

export interface ReplacePlan {
  context: MakeContext;
  /** Keys of the old part and of the fresh one, and their names. */
  old: { key: string; name: string };
  fresh: { key: string; name: string };
  /** Way out, assembly's frame at home, and how far until it is clear, mm. */
  direction: Triple;
  distance: number;
  /** Square to that: the old one is set down this way, the fresh one comes from the other; mm. */
  side: Triple;
  apart: number;
  /** Start in the step's action, ticks. */
  start: number;
  folder: string;
  freshId: () => string;
}

const s = (seconds: number) => Math.round(seconds * SECOND);
const EASE = { kind: "soft", start: 0.3, stop: 0.4 } as const;

/**
 * The moves of an old part replaced by a fresh one, told apart: the old one comes out and is set beside, the fresh one
 * appears on the other side, both are named, the fresh one goes in. Each is an ordinary move, to be changed alone.
 */
export function replaceMoves(plan: ReplacePlan): MadeMove[] {
  const { old, fresh, direction, distance, side, apart, start, folder } = plan;
  const out: MadeMove[] = [];
  const add = (
    kind: string,
    of: { key: string; name: string },
    at: number,
    length: number,
    name: string,
    settings: Record<string, unknown>,
  ) => {
    const base = moveKindOf(kind).defaults({ ...plan.context, targets: [] }) as Record<string, unknown>;
    out.push({
      id: plan.freshId(),
      name: name.slice(0, 200),
      on: true,
      folder,
      colour: null,
      note: "",
      start: start + s(at),
      length: s(length),
      ease: EASE,
      targets: [{ type: "node", key: of.key }],
      kind,
      settings: { ...base, ...settings },
    } as MadeMove);
  };
  const back = side.map((v) => 0 - v);
  add("take-off", old, 0, 1.8, `${old.name}: comes out`, { direction, distance });
  add("slide", old, 1.8, 1, `${old.name}: is set beside`, { way: "by", direction: side, distance: apart });
  // Put in its place before it is seen.
  add("slide", fresh, 2.8, 0, `${fresh.name}: raised`, { way: "by", direction, distance });
  add("slide", fresh, 2.8, 0, `${fresh.name}: put beside`, { way: "by", direction: back, distance: apart });
  add("appear", fresh, 2.8, 0.6, `${fresh.name}: appears`, { fade: true });
  add("label", old, 3.2, 2.6, `${old.name}: label`, { text: `${old.name}, old`, right: 0.16, up: 0.2 });
  add("label", fresh, 3.2, 2.6, `${fresh.name}: label`, { text: fresh.name, right: -0.16, up: 0.2 });
  add("slide", fresh, 5.8, 1, `${fresh.name}: comes over`, { way: "by", direction: side, distance: apart });
  add("slide", fresh, 6.8, 1.8, `${fresh.name}: goes in`, { way: "home" });
  add("leave", old, 7.4, 0.8, `${old.name}: leaves`, { fade: true });
  return out;
}

/**
 * A level direction square to a way out, along which a part is set beside; and how far, so that two of it stand apart.
 * @param nodes of the part; their bounds at home count
 */
export function besideWay(
  index: AssemblyIndex,
  nodes: readonly number[],
  direction: Triple,
): { side: Triple; apart: number } {
  const up: Triple = index.assembly.up === "z" ? [0, 0, 1] : [0, 1, 0];
  const square = cross(direction, up);
  const level: readonly number[] =
    Math.hypot(...square) < 0.4 ? [1, 0, 0] : square.map((v) => v / Math.hypot(...square));
  const size = (d: readonly number[]) => {
    let [lo, hi] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
    for (const n of nodes) {
      for (let c = 0; c < 8; c++) {
        const at = [0, 1, 2].reduce(
          (sum, k) => sum + nth(index.worldBounds, 6 * n + ((c >> k) & 1 ? 3 + k : k)) * nth(d, k),
          0,
        );
        lo = Math.min(lo, at);
        hi = Math.max(hi, at);
      }
    }
    return Number.isFinite(hi - lo) ? hi - lo : 0;
  };
  return { side: [nth(level, 0), nth(level, 1), nth(level, 2)], apart: Math.round(Math.max(10, size(level) * 1.3)) };
}
