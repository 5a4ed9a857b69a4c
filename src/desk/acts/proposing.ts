import { setFinish } from "../../core/edit/preparationCommands";
import { together } from "../../core/edit/together";
import { type Bare, type Proposed, proposeFinishes } from "../../core/finish/proposals";
import { nameOf } from "../names";
import type { Desk } from "../port";
import { shapesOfSelection } from "./partActions";

/** Every part with a shape, with the names it may be told by: those given on the desk come before those of CAD. */
function bareParts(desk: Desk, keys: ReadonlySet<string> | null): Bare[] {
  const { nodes } = desk.index.assembly;
  const out: Bare[] = [];
  for (const [i, node] of nodes.entries()) {
    if (node.geometry < 0 || (keys && !keys.has(node.key))) continue;
    const names: string[] = [];
    for (let n = i; n >= 0; n = nodes[n]?.parent ?? -1) names.push(nameOf(desk, n), nodes[n]?.name ?? "");
    out.push({ key: node.key, names, color: node.color });
  }
  return out;
}

/**
 * Proposes finishes and shows them: for what is selected, else for everything. What the animator has given a finish
 * already is left as it is, unless it is selected.
 */
export function proposeHere(desk: Desk): void {
  const chosen = shapesOfSelection(desk);
  const own = desk.state.preparation.body.nodes;
  const parts = bareParts(desk, chosen.length > 0 ? new Set(chosen) : null);
  const open = chosen.length > 0 ? parts : parts.filter((p) => own[p.key]?.finish === undefined);
  if (open.length === 0) {
    desk.notify("info", "Every part has a finish of your own. Select parts to have finishes proposed for them anew.");
    return;
  }
  desk.propose(proposeFinishes(open));
}

/** Proposals of one kind, gathered. */
export interface ProposedGroup {
  kind: string;
  title: string;
  list: readonly Proposed[];
}

export function proposedGroups(proposed: readonly Proposed[]): ProposedGroup[] {
  const groups = new Map<string, ProposedGroup>();
  for (const p of proposed) {
    const known = groups.get(p.kind);
    groups.set(p.kind, { kind: p.kind, title: p.title, list: [...(known?.list ?? []), p] });
  }
  return [...groups.values()].sort((a, b) => Number(a.kind === "rest") - Number(b.kind === "rest"));
}

/** Gives the parts what is proposed, as one act; each finish is the animator's to change from then on. */
export function takeProposed(desk: Desk): void {
  const { proposed } = desk.state;
  if (!proposed) return;
  desk.propose(null);
  desk.prepare(
    `Proposed finishes of ${proposed.length} ${proposed.length === 1 ? "part" : "parts"}`,
    together(proposed.map((p) => setFinish([p.key], p.finish))),
  );
}
