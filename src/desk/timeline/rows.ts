import type { AssemblyIndex } from "../../core/assembly/assembly";
import { nth } from "../../core/math/packed";
import type { Lane } from "./lanes";
import type { SoundBlock } from "./sounds";

/** A row of the timeline: a lane, or lanes of one sub-assembly put together. */
export type TimelineRow =
  | { kind: "lane"; id: string; lane: Lane; inside: boolean }
  | { kind: "group"; id: string; node: number; open: boolean; lanes: Lane[] }
  | { kind: "sound"; id: "voice" | "music"; blocks: SoundBlock[] };

/** The lanes that a row shows by itself: its own, or those of a closed sub-assembly. */
export const lanesIn = (row: TimelineRow | undefined): readonly Lane[] =>
  row?.kind === "lane" ? [row.lane] : row?.kind === "group" && !row.open ? row.lanes : [];

/**
 * Rows in the order of lanes. Two or more parts of one sub-assembly of the first level stand together under a row that
 * sums them up; closed, only that row is there.
 */
export function rowsOf(index: AssemblyIndex, lanes: readonly Lane[], closed: ReadonlySet<string>): TimelineRow[] {
  const owner = (lane: Lane): number => {
    if (lane.target.type !== "node") return -1;
    const node = index.indexOf.get(lane.target.key);
    if (node === undefined) return -1;
    let at = node;
    for (let up = nth(index.parent, at); up >= 0; up = nth(index.parent, at)) {
      if (nth(index.parent, up) < 0) break;
      at = up;
    }
    return at === node ? -1 : at;
  };
  const groups = new Map<number, Lane[]>();
  const owners = lanes.map(owner);
  lanes.forEach((lane, i) => {
    const of = nth(owners, i);
    if (of < 0) return;
    const list = groups.get(of);
    if (list) list.push(lane);
    else groups.set(of, [lane]);
  });
  const out: TimelineRow[] = [];
  const done = new Set<number>();
  lanes.forEach((lane, i) => {
    const of = nth(owners, i);
    const own = groups.get(of);
    if (!own || own.length < 2) {
      out.push({ kind: "lane", id: lane.id, lane, inside: false });
      return;
    }
    if (done.has(of)) return;
    done.add(of);
    const key = index.assembly.nodes[of]?.key ?? "";
    const open = !closed.has(key);
    out.push({ kind: "group", id: key, node: of, open, lanes: own });
    if (open) for (const l of own) out.push({ kind: "lane", id: l.id, lane: l, inside: true });
  });
  return out;
}
