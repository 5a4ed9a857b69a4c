import { nth } from "../math/packed";
import { type NodeSignature, shapeLikeness } from "./signature";

/** Why two nodes were taken for the same. */
export type MatchReason = "only" | "name-and-place" | "name" | "shape-and-place" | "shape" | "children" | "by-hand";

export interface Match {
  /** Positions in the lists of signatures. */
  old: number;
  next: number;
  /** 0 to 1. Below {@link SURE} a person should look. */
  confidence: number;
  reason: MatchReason;
}

/** Confidence from which a match needs no look. */
export const SURE = 0.75;

interface Pair {
  old: number;
  next: number;
  score: number;
  reason: MatchReason;
}

/**
 * Matches the occurrences of two revisions. From the root down, children of matched owners are paired: by name where a
 * name is theirs alone, and among those that share a name by shape and place rather than by order, so that a screw
 * inserted before others shifts none. What is left is paired by shape and place wherever it lies (renamed, moved to
 * another owner), and sub-assemblies by the children they share. A node is never paired twice.
 */
export function matchRevisions(old: readonly NodeSignature[], next: readonly NodeSignature[]): Match[] {
  const toNext = new Int32Array(old.length).fill(-1);
  const toOld = new Int32Array(next.length).fill(-1);
  const found: Match[] = [];
  const size = Math.max(1, ...old.map((s) => s.diagonal), ...next.map((s) => s.diagonal));
  const take = (p: Pair, confidence: number) => {
    toNext[p.old] = p.next;
    toOld[p.next] = p.old;
    found.push({ old: p.old, next: p.next, confidence: Math.max(0, Math.min(1, confidence)), reason: p.reason });
  };
  const childrenOf = (list: readonly NodeSignature[]) => {
    const out: number[][] = list.map(() => []);
    list.forEach((s, i) => {
      if (s.parent >= 0) (out[s.parent] as number[]).push(i);
    });
    return out;
  };
  const oldChildren = childrenOf(old);
  const nextChildren = childrenOf(next);

  const distance = (a: NodeSignature, b: NodeSignature) =>
    Math.hypot(a.middle[0] - b.middle[0], a.middle[1] - b.middle[1], a.middle[2] - b.middle[2]);
  const shape = (a: NodeSignature, b: NodeSignature) => {
    if (a.kind !== b.kind) return 0.1;
    if (a.shape && b.shape) return shapeLikeness(a.shape, b.shape);
    return a.parts === b.parts ? 0.9 : Math.min(a.parts, b.parts) / Math.max(a.parts, b.parts, 1);
  };
  /** 1 at the same place, falling with distance measured against the part's own size. */
  const place = (a: NodeSignature, b: NodeSignature) => {
    const d = distance(a, b);
    const own = Math.max(0.02 * size, a.diagonal, b.diagonal);
    return d <= 1e-4 * size ? 1 : Math.max(0, 0.96 - d / own / 2);
  };

  /** Pairs of two sets, best first, each node once. What has a rival nearly as good is less sure. */
  const assign = (
    olds: readonly number[],
    nexts: readonly number[],
    score: (a: NodeSignature, b: NodeSignature) => { score: number; reason: MatchReason } | null,
    confidence: (p: Pair) => number,
  ) => {
    const pairs: Pair[] = [];
    for (const o of olds) {
      if (nth(toNext, o) >= 0) continue;
      for (const n of nexts) {
        if (nth(toOld, n) >= 0) continue;
        const s = score(old[o] as NodeSignature, next[n] as NodeSignature);
        if (s) pairs.push({ old: o, next: n, ...s });
      }
    }
    pairs.sort((a, b) => b.score - a.score || a.old - b.old || a.next - b.next);
    // The best two scores of every node, so that a rival nearly as good is seen without searching for it.
    const best = new Map<string, [number, number]>();
    const note = (id: string, score: number) => {
      const two = best.get(id);
      if (!two) best.set(id, [score, -1]);
      else if (two[1] < 0) two[1] = score;
    };
    for (const p of pairs) {
      note(`o${p.old}`, p.score);
      note(`n${p.next}`, p.score);
    }
    for (const p of pairs) {
      if (nth(toNext, p.old) >= 0 || nth(toOld, p.next) >= 0) continue;
      const close = [best.get(`o${p.old}`), best.get(`n${p.next}`)].some(
        (two) => two !== undefined && (two[0] === p.score ? two[1] : two[0]) > p.score - 0.04,
      );
      take(p, confidence(p) - (close ? 0.35 : 0));
    }
  };

  const cell = 1e-3 * size;
  const cellOf = (m: readonly number[], dx = 0, dy = 0, dz = 0) =>
    `${Math.floor(nth(m, 0) / cell) + dx},${Math.floor(nth(m, 1) / cell) + dy},${Math.floor(nth(m, 2) / cell) + dz}`;
  /** Pairs what has the same shape in the very same place, by a grid: what most of a revision is. */
  const assignInPlace = (
    olds: readonly number[],
    nexts: readonly number[],
    reason: MatchReason,
    confidence: number,
  ) => {
    const grid = new Map<string, number[]>();
    for (const n of nexts) {
      if (nth(toOld, n) >= 0) continue;
      const at = cellOf((next[n] as NodeSignature).middle);
      const list = grid.get(at);
      if (list) list.push(n);
      else grid.set(at, [n]);
    }
    for (const o of olds) {
      if (nth(toNext, o) >= 0) continue;
      const a = old[o] as NodeSignature;
      const candidates: number[] = [];
      for (let i = 0; i < 27; i++) {
        for (const n of grid.get(cellOf(a.middle, (i % 3) - 1, (Math.floor(i / 3) % 3) - 1, Math.floor(i / 9) - 1)) ??
          []) {
          const b = next[n] as NodeSignature;
          if (nth(toOld, n) < 0 && a.kind === b.kind && place(a, b) === 1 && shape(a, b) > 0.98) candidates.push(n);
        }
      }
      // Two alike in one place cannot be told apart here; the slower pairing says so with its doubt.
      if (candidates.length === 1) take({ old: o, next: nth(candidates, 0), score: 1, reason }, confidence);
    }
  };

  const pairChildren = (olds: readonly number[], nexts: readonly number[]) => {
    const byName = (list: readonly number[], all: readonly NodeSignature[]) => {
      const map = new Map<string, number[]>();
      for (const i of list) {
        const name = (all[i] as NodeSignature).name;
        map.set(name, [...(map.get(name) ?? []), i]);
      }
      return map;
    };
    const before = byName(olds, old);
    const after = byName(nexts, next);
    for (const [name, list] of before) {
      const others = after.get(name);
      if (!others) continue;
      if (list.length === 1 && others.length === 1) {
        const [o, n] = [nth(list, 0), nth(others, 0)];
        if (nth(toNext, o) >= 0 || nth(toOld, n) >= 0) continue;
        const a = old[o] as NodeSignature;
        const b = next[n] as NodeSignature;
        const alike = shape(a, b);
        // A name alone does not make another kind of thing the same thing.
        if (a.kind !== b.kind && alike < 0.2) continue;
        const there = place(a, b);
        take(
          { old: o, next: n, score: 1, reason: there === 1 ? "name-and-place" : "name" },
          0.72 + 0.28 * Math.max(alike * 0.6 + there * 0.4, there),
        );
      } else {
        // Namesakes: the one in the same place first, whatever their order.
        assignInPlace(list, others, "name-and-place", 1);
        assign(
          list,
          others,
          (a, b) => {
            const alike = shape(a, b);
            const there = place(a, b);
            if (alike < 0.35) return null;
            return { score: 0.35 * alike + 0.65 * there, reason: there === 1 ? "name-and-place" : "name" };
          },
          (p) => (p.score >= 0.95 ? 1 : 0.45 + 0.5 * p.score),
        );
      }
    }
  };

  const roots = (list: readonly NodeSignature[]) => list.flatMap((s, i) => (s.parent < 0 ? [i] : []));
  const oldRoots = roots(old);
  const nextRoots = roots(next);
  if (oldRoots.length === 1 && nextRoots.length === 1)
    take({ old: nth(oldRoots, 0), next: nth(nextRoots, 0), score: 1, reason: "only" }, 1);
  else pairChildren(oldRoots, nextRoots);

  const descend = () => {
    // Owners come before what they own in both lists, so one pass reaches everything below what is matched.
    for (let o = 0; o < old.length; o++) {
      const n = nth(toNext, o);
      if (n >= 0) pairChildren(oldChildren[o] as number[], nextChildren[n] as number[]);
    }
  };
  descend();

  const allOld = old.map((_, i) => i);
  const allNext = next.map((_, i) => i);
  const parts = (list: readonly NodeSignature[], all: readonly number[]) => all.filter((i) => list[i]?.kind === "part");
  const sameOwner = (a: NodeSignature, b: NodeSignature) => a.parent >= 0 && nth(toNext, a.parent) === b.parent;
  const words = (a: string, b: string) => {
    const split = (s: string) =>
      new Set(
        s
          .toLowerCase()
          .split(/[^\p{L}\p{N}]+/u)
          .filter(Boolean),
      );
    const x = split(a);
    const y = split(b);
    let common = 0;
    for (const w of x) if (y.has(w)) common++;
    return common === 0 ? 0 : common / Math.max(x.size, y.size);
  };
  const anywhere = (a: NodeSignature, b: NodeSignature) => {
    if (a.kind !== b.kind) return null;
    const alike = shape(a, b);
    const there = place(a, b);
    const named = a.name === b.name ? 1 : words(a.name, b.name);
    const owner = sameOwner(a, b) ? 1 : 0;
    // In the very same place with the same shape: renamed. The same shape elsewhere needs its name or its owner too.
    if (alike > 0.98 && there === 1)
      return { score: 0.9 + 0.05 * named + 0.05 * owner, reason: "shape-and-place" as const };
    const score = 0.45 * alike + 0.25 * there + 0.2 * named + 0.1 * owner;
    return score >= 0.62 && alike > 0.5 && (there > 0.3 || named > 0.5) ? { score, reason: "shape" as const } : null;
  };
  assignInPlace(parts(old, allOld), parts(next, allNext), "shape-and-place", 0.9);
  assign(parts(old, allOld), parts(next, allNext), anywhere, (p) => (p.reason === "shape-and-place" ? 0.9 : p.score));

  // Sub-assemblies by what they hold: the owner of most of the matched parts, deepest first.
  for (let o = old.length - 1; o >= 0; o--) {
    const a = old[o] as NodeSignature;
    if (a.kind !== "assembly" || nth(toNext, o) >= 0) continue;
    const votes = new Map<number, number>();
    for (const c of oldChildren[o] as number[]) {
      const n = nth(toNext, c);
      const owner = n >= 0 ? (next[n] as NodeSignature).parent : -1;
      if (owner >= 0 && nth(toOld, owner) < 0) votes.set(owner, (votes.get(owner) ?? 0) + (old[c]?.parts ?? 1));
    }
    const best = [...votes].sort((x, y) => y[1] - x[1])[0];
    if (best && best[1] * 2 > a.parts)
      take({ old: o, next: best[0], score: 1, reason: "children" }, 0.6 + 0.35 * (best[1] / Math.max(1, a.parts)));
  }
  descend();
  assign(parts(old, allOld), parts(next, allNext), anywhere, (p) =>
    p.reason === "shape-and-place" ? 0.88 : p.score - 0.02,
  );
  const owners = (list: readonly NodeSignature[], all: readonly number[]) =>
    all.filter((i) => list[i]?.kind === "assembly");
  assign(
    owners(old, allOld),
    owners(next, allNext),
    (a, b) => {
      const there = place(a, b);
      return sameOwner(a, b) && there > 0.8 && shape(a, b) > 0.6 ? { score: there, reason: "shape-and-place" } : null;
    },
    (p) => 0.6 + 0.2 * p.score,
  );
  return found.sort((a, b) => a.old - b.old);
}

export type Change = "same" | "moved" | "reshaped" | "renamed" | "new" | "gone";

/** One line of the report on a revision. A part can be renamed and moved and reshaped at once. */
export interface RevisionLine {
  /** Position in the old list, or -1 for a new one. */
  old: number;
  /** Position in the new list, or -1 for one that is gone. */
  next: number;
  changes: Change[];
  confidence: number;
  reason: MatchReason | null;
  /** How far its middle moved, mm. */
  movedMm: number;
}

/** What changed between two revisions under a matching. */
export function compareRevisions(
  old: readonly NodeSignature[],
  next: readonly NodeSignature[],
  matches: readonly Match[],
  moved: (old: number, next: number) => boolean,
): RevisionLine[] {
  const byOld = new Map(matches.map((m) => [m.old, m]));
  const taken = new Set(matches.map((m) => m.next));
  const lines: RevisionLine[] = old.map((a, i) => {
    const m = byOld.get(i);
    if (!m) return { old: i, next: -1, changes: ["gone"], confidence: 1, reason: null, movedMm: 0 };
    const b = next[m.next] as NodeSignature;
    const changes: Change[] = [];
    const reshaped =
      a.kind !== b.kind || (a.shape !== null && b.shape !== null && shapeLikeness(a.shape, b.shape) < 0.99);
    if (a.name !== b.name) changes.push("renamed");
    if (moved(i, m.next)) changes.push("moved");
    if (reshaped) changes.push("reshaped");
    if (changes.length === 0) changes.push("same");
    return {
      old: i,
      next: m.next,
      changes,
      confidence: m.confidence,
      reason: m.reason,
      movedMm: Math.hypot(...a.middle.map((v, k) => v - nth(b.middle, k))),
    };
  });
  next.forEach((_, n) => {
    if (!taken.has(n)) lines.push({ old: -1, next: n, changes: ["new"], confidence: 1, reason: null, movedMm: 0 });
  });
  return lines;
}
