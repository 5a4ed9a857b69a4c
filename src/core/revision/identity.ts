import type { Assembly, AssemblyIndex } from "../assembly/assembly";
import { originalKey } from "../assembly/prepared";
import type { PartTarget } from "../document/parts";
import type { Preparation } from "../document/preparation";
import type { Move, Sequence, Target } from "../document/sequence";
import { pieceOf } from "../kinematics/linkKinds";
import { actsOn } from "../program/spans";

/**
 * Identities: what documents call a node of a revision, by the key that the node has in its own file. Nodes that are
 * not listed keep their own key. Documents name parts by identity only, so a new revision changes no document.
 */
export type Identities = Readonly<Record<string, string>>;

/**
 * Identities of a new revision under a matching: a matched node takes over the identity of its old one; a new node
 * has its own key, or a fresh one when that is taken or belonged to a part that is gone (which may come back).
 */
export function identitiesOf(
  next: Assembly,
  oldIdentity: (old: number) => string,
  matches: readonly { old: number; next: number }[],
  reserved: ReadonlySet<string>,
): Identities {
  const out: Record<string, string> = {};
  const used = new Set(reserved);
  const matched = new Map(matches.map((m) => [m.next, oldIdentity(m.old)]));
  for (const identity of matched.values()) used.add(identity);
  next.nodes.forEach((node, i) => {
    const identity = matched.get(i);
    if (identity !== undefined) {
      if (identity !== node.key) out[node.key] = identity;
      return;
    }
    let own = node.key;
    for (let n = 2; used.has(own); n++) own = `${node.key}~${n}`;
    used.add(own);
    if (own !== node.key) out[node.key] = own;
  });
  return out;
}

/** The assembly with identities in place of keys. */
export function withIdentities(assembly: Assembly, identities: Identities): Assembly {
  if (Object.keys(identities).length === 0) return assembly;
  return {
    ...assembly,
    nodes: assembly.nodes.map((n) =>
      identities[n.key] === undefined ? n : { ...n, key: identities[n.key] as string },
    ),
  };
}

/** Every identity that documents name. */
export function namedIdentities(preparation: Preparation, sequences: readonly Sequence[]): Set<string> {
  const out = new Set<string>();
  // A copy stands for its original: the file knows only that.
  named(preparation, sequences, (_, keys) => {
    for (const key of keys()) out.add(originalKey(key));
  });
  return out;
}

/**
 * Looks for identities that documents name and an assembly lacks. Asked again after an edit it looks through what the
 * edit touched: what a piece of a document names is kept for as long as that piece is the same.
 */
export function missingFinder(
  index: AssemblyIndex,
): (preparation: Preparation, sequences: readonly Sequence[]) => string[] {
  const known = new WeakMap<object, readonly string[]>();
  return (preparation, sequences) => {
    const out = new Set<string>();
    named(preparation, sequences, (piece, keys) => {
      let missing = known.get(piece);
      if (!missing) {
        // What is there as a copy is there as itself.
        missing = keys().flatMap((key) => (index.indexOf.has(key) ? [] : [originalKey(key)]));
        known.set(piece, missing);
      }
      for (const key of missing) if (!index.indexOf.has(key)) out.add(key);
    });
    return [...out];
  };
}

/** Goes through the pieces of documents that name parts, with what makes a list of what each names. */
function named(
  preparation: Preparation,
  sequences: readonly Sequence[],
  visit: (piece: object, keys: () => string[]) => void,
): void {
  const { nodes, copies, groups, joints, looks, poses, links } = preparation;
  const nodeOf = (t: Target | null) => (t?.type === "node" ? [t.key] : []);
  visit(nodes, () => Object.keys(nodes));
  visit(copies, () => Object.values(copies).map((c) => c.of));
  for (const group of Object.values(groups)) visit(group, () => group.members);
  visit(joints, () => Object.values(joints).flatMap((j) => nodeOf(j.target)));
  for (const look of Object.values(looks)) visit(look, () => Object.keys(look.nodes));
  visit(poses, () => Object.values(poses).flatMap((p) => nodeOf(p.target)));
  visit(links, () => Object.values(links).flatMap((l) => nodeOf(pieceOf<PartTarget>(l))));
  for (const s of sequences)
    for (const step of Object.values(s.steps)) {
      const keys = (move: Move) => actsOn(move, s).flatMap(nodeOf);
      const moves = Object.values(step.moves);
      visit(step, () => moves.filter((m) => m.kind !== "back").flatMap(keys));
      // What a reversed move names is its original's, which may change while it and its step do not.
      for (const move of moves) if (move.kind === "back") visit({}, () => keys(move));
    }
}

/** One step that a part takes part in. */
export interface AffectedStep {
  sequence: string;
  step: string;
  title: string;
  arrivals: number;
}

/**
 * The steps in which a node (or what is above it, when `index` is given) is moved by hand, or a group or joint of it.
 */
export function stepsOf(
  identity: string,
  preparation: Preparation,
  sequences: readonly { id: string; body: Sequence }[],
  index?: AssemblyIndex,
): AffectedStep[] {
  const names = new Set([identity]);
  if (index) {
    for (
      let i = index.assembly.nodes[index.indexOf.get(identity) ?? -1]?.parent ?? -1;
      i >= 0;
      i = index.assembly.nodes[i]?.parent ?? -1
    )
      names.add(index.assembly.nodes[i]?.key ?? "");
  }
  const groups = new Set(
    Object.values(preparation.groups).flatMap((g) => (g.members.some((m) => names.has(m)) ? [g.id] : [])),
  );
  const out: AffectedStep[] = [];
  for (const { id, body } of sequences) {
    for (const stepId of body.stepOrder) {
      const step = body.steps[stepId];
      let arrivals = 0;
      for (const move of Object.values(step?.moves ?? {})) {
        const touched = actsOn(move, body).some(
          (t) => (t.type === "node" && names.has(originalKey(t.key))) || (t.type === "group" && groups.has(t.id)),
        );
        // A ready-made move counts as one arrival.
        if (touched) arrivals += move.kind === "hand" ? Object.keys(move.keys).length : 1;
      }
      if (step && arrivals > 0) out.push({ sequence: id, step: stepId, title: step.title, arrivals });
    }
  }
  return out;
}
