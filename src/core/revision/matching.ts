import { nth } from "../math/packed";
import { distance } from "../math/triple";
import { type NodeSignature, shapeLikeness } from "./signature";

/** Why two nodes were taken for the same. */
export type MatchReason = "only" | "name-and-place" | "name" | "shape-and-place" | "shape" | "children" | "by-hand";

export interface Match {
  /** Positions in the lists of signatures. */
  old: number;
  next: number;
  /** 0 to 1. Below SURE a person should look. */
  confidence: number;
  reason: MatchReason;
}

interface Pair {
  old: number;
  next: number;
  score: number;
  reason: MatchReason;
}

type Scored = { score: number; reason: MatchReason } | null;

/** How alike two nodes are in what they are, 0 to 1. */
function shapeOf(a: NodeSignature, b: NodeSignature): number {
  if (a.kind !== b.kind) return 0.1;
  if (a.shape && b.shape) return shapeLikeness(a.shape, b.shape);
  return a.parts === b.parts ? 0.9 : Math.min(a.parts, b.parts) / Math.max(a.parts, b.parts, 1);
}

/** The share of words that two names have in common, 0 to 1. */
function wordsInCommon(a: string, b: string): number {
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
}

/** Positions of the children of every node. */
function childrenOf(list: readonly NodeSignature[]): number[][] {
  const out: number[][] = list.map(() => []);
  list.forEach((s, i) => {
    if (s.parent >= 0) out[s.parent]?.push(i);
  });
  return out;
}

/** Positions of the nodes that something holds for. */
const where = (list: readonly NodeSignature[], wanted: (s: NodeSignature) => boolean): number[] =>
  list.flatMap((s, i) => (wanted(s) ? [i] : []));

/** The matching of two revisions as it grows; see matchRevisions. A node is never paired twice. */
export class Matching {
  readonly found: Match[] = [];
  private readonly toNext: Int32Array;
  private readonly toOld: Int32Array;
  private readonly oldChildren: number[][];
  private readonly nextChildren: number[][];
  /** The larger of the two assemblies, mm. */
  private readonly size: number;

  constructor(
    private readonly old: readonly NodeSignature[],
    private readonly next: readonly NodeSignature[],
  ) {
    this.toNext = new Int32Array(old.length).fill(-1);
    this.toOld = new Int32Array(next.length).fill(-1);
    this.oldChildren = childrenOf(old);
    this.nextChildren = childrenOf(next);
    this.size = Math.max(1, ...old.map((s) => s.diagonal), ...next.map((s) => s.diagonal));
  }

  /** From the roots down, by name, and among namesakes by shape and place. */
  byOwners(): void {
    const root = (s: NodeSignature) => s.parent < 0;
    const [olds, nexts] = [where(this.old, root), where(this.next, root)];
    if (olds.length === 1 && nexts.length === 1)
      this.take({ old: nth(olds, 0), next: nth(nexts, 0), score: 1, reason: "only" }, 1);
    else this.pairChildren(olds, nexts);
    this.descend();
  }

  /** What is left, by shape and place wherever it lies; sub-assemblies by the children they share. */
  anywhereElse(): void {
    const part = (s: NodeSignature) => s.kind === "part";
    const owner = (s: NodeSignature) => s.kind === "assembly";
    const [olds, nexts] = [where(this.old, part), where(this.next, part)];
    const score = (a: NodeSignature, b: NodeSignature) => this.anywhere(a, b);
    this.assignInPlace(olds, nexts, "shape-and-place", 0.9);
    this.assign(olds, nexts, score, (p) => (p.reason === "shape-and-place" ? 0.9 : p.score));
    this.pairByChildren();
    this.descend();
    this.assign(olds, nexts, score, (p) => (p.reason === "shape-and-place" ? 0.88 : p.score - 0.02));
    this.assign(
      where(this.old, owner),
      where(this.next, owner),
      (a, b) => {
        const there = this.place(a, b);
        return this.sameOwner(a, b) && there > 0.8 && shapeOf(a, b) > 0.6
          ? { score: there, reason: "shape-and-place" }
          : null;
      },
      (p) => 0.6 + 0.2 * p.score,
    );
  }

  private take(p: Pair, confidence: number): void {
    this.toNext[p.old] = p.next;
    this.toOld[p.next] = p.old;
    this.found.push({ old: p.old, next: p.next, confidence: Math.max(0, Math.min(1, confidence)), reason: p.reason });
  }

  /** 1 at the same place, falling with distance measured against the part's own size. */
  private place(a: NodeSignature, b: NodeSignature): number {
    const d = distance(a.middle, b.middle);
    const own = Math.max(0.02 * this.size, a.diagonal, b.diagonal);
    return d <= 1e-4 * this.size ? 1 : Math.max(0, 0.96 - d / own / 2);
  }

  private sameOwner(a: NodeSignature, b: NodeSignature): boolean {
    return a.parent >= 0 && nth(this.toNext, a.parent) === b.parent;
  }

  /** Name of the cell of a fine grid that a place lies in, or of one beside it. */
  private cellOf(m: readonly number[], dx = 0, dy = 0, dz = 0): string {
    const cell = 1e-3 * this.size;
    return `${Math.floor(nth(m, 0) / cell) + dx},${Math.floor(nth(m, 1) / cell) + dy},${Math.floor(nth(m, 2) / cell) + dz}`;
  }

  /** Pairs what lies below matched owners. Owners come before what they own in both lists, so one pass reaches all. */
  private descend(): void {
    for (let o = 0; o < this.old.length; o++) {
      const n = nth(this.toNext, o);
      if (n >= 0) this.pairChildren(this.oldChildren[o] ?? [], this.nextChildren[n] ?? []);
    }
  }

  /** Pairs of two sets, best first, each node once. What has a rival nearly as good is less sure. */
  private assign(
    olds: readonly number[],
    nexts: readonly number[],
    score: (a: NodeSignature, b: NodeSignature) => Scored,
    confidence: (p: Pair) => number,
  ) {
    const pairs: Pair[] = [];
    for (const o of olds) {
      if (nth(this.toNext, o) >= 0) continue;
      for (const n of nexts) {
        if (nth(this.toOld, n) >= 0) continue;
        const s = score(this.old[o] as NodeSignature, this.next[n] as NodeSignature);
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
      if (nth(this.toNext, p.old) >= 0 || nth(this.toOld, p.next) >= 0) continue;
      const close = [best.get(`o${p.old}`), best.get(`n${p.next}`)].some(
        (two) => two !== undefined && (two[0] === p.score ? two[1] : two[0]) > p.score - 0.04,
      );
      this.take(p, confidence(p) - (close ? 0.35 : 0));
    }
  }

  /** Pairs what has the same shape in the very same place, by a grid: what most of a revision is. */
  private assignInPlace(olds: readonly number[], nexts: readonly number[], reason: MatchReason, confidence: number) {
    const grid = new Map<string, number[]>();
    for (const n of nexts) {
      if (nth(this.toOld, n) >= 0) continue;
      const at = this.cellOf((this.next[n] as NodeSignature).middle);
      const list = grid.get(at);
      if (list) list.push(n);
      else grid.set(at, [n]);
    }
    for (const o of olds) {
      if (nth(this.toNext, o) >= 0) continue;
      const a = this.old[o] as NodeSignature;
      const candidates: number[] = [];
      for (let i = 0; i < 27; i++) {
        for (const n of grid.get(
          this.cellOf(a.middle, (i % 3) - 1, (Math.floor(i / 3) % 3) - 1, Math.floor(i / 9) - 1),
        ) ?? []) {
          const b = this.next[n] as NodeSignature;
          if (nth(this.toOld, n) < 0 && a.kind === b.kind && this.place(a, b) === 1 && shapeOf(a, b) > 0.98)
            candidates.push(n);
        }
      }
      // Two alike in one place cannot be told apart here; the slower pairing says so with its doubt.
      if (candidates.length === 1) this.take({ old: o, next: nth(candidates, 0), score: 1, reason }, confidence);
    }
  }

  private pairChildren(olds: readonly number[], nexts: readonly number[]) {
    const byName = (list: readonly number[], all: readonly NodeSignature[]) => {
      const map = new Map<string, number[]>();
      for (const i of list) {
        const name = (all[i] as NodeSignature).name;
        map.set(name, [...(map.get(name) ?? []), i]);
      }
      return map;
    };
    const before = byName(olds, this.old);
    const after = byName(nexts, this.next);
    for (const [name, list] of before) {
      const others = after.get(name);
      if (!others) continue;
      if (list.length === 1 && others.length === 1) {
        const [o, n] = [nth(list, 0), nth(others, 0)];
        if (nth(this.toNext, o) >= 0 || nth(this.toOld, n) >= 0) continue;
        const a = this.old[o] as NodeSignature;
        const b = this.next[n] as NodeSignature;
        const alike = shapeOf(a, b);
        // A name alone does not make another kind of thing the same thing.
        if (a.kind !== b.kind && alike < 0.2) continue;
        const there = this.place(a, b);
        this.take(
          { old: o, next: n, score: 1, reason: there === 1 ? "name-and-place" : "name" },
          0.72 + 0.28 * Math.max(alike * 0.6 + there * 0.4, there),
        );
      } else {
        // Namesakes: the one in the same place first, whatever their order.
        this.assignInPlace(list, others, "name-and-place", 1);
        this.assign(
          list,
          others,
          (a, b) => {
            const alike = shapeOf(a, b);
            const there = this.place(a, b);
            if (alike < 0.35) return null;
            return { score: 0.35 * alike + 0.65 * there, reason: there === 1 ? "name-and-place" : "name" };
          },
          (p) => (p.score >= 0.95 ? 1 : 0.45 + 0.5 * p.score),
        );
      }
    }
  }

  private anywhere(a: NodeSignature, b: NodeSignature): Scored {
    if (a.kind !== b.kind) return null;
    const alike = shapeOf(a, b);
    const there = this.place(a, b);
    const named = a.name === b.name ? 1 : wordsInCommon(a.name, b.name);
    const owner = this.sameOwner(a, b) ? 1 : 0;
    // In the very same place with the same shape: renamed. The same shape elsewhere needs its name or its owner too.
    if (alike > 0.98 && there === 1)
      return { score: 0.9 + 0.05 * named + 0.05 * owner, reason: "shape-and-place" as const };
    const score = 0.45 * alike + 0.25 * there + 0.2 * named + 0.1 * owner;
    return score >= 0.62 && alike > 0.5 && (there > 0.3 || named > 0.5) ? { score, reason: "shape" as const } : null;
  }
  /** Sub-assemblies by what they hold: the owner of most of the matched parts, deepest first. */
  private pairByChildren(): void {
    for (let o = this.old.length - 1; o >= 0; o--) {
      const a = this.old[o] as NodeSignature;
      if (a.kind !== "assembly" || nth(this.toNext, o) >= 0) continue;
      const votes = new Map<number, number>();
      for (const c of this.oldChildren[o] ?? []) {
        const n = nth(this.toNext, c);
        const owner = n >= 0 ? (this.next[n] as NodeSignature).parent : -1;
        if (owner >= 0 && nth(this.toOld, owner) < 0)
          votes.set(owner, (votes.get(owner) ?? 0) + (this.old[c]?.parts ?? 1));
      }
      const best = [...votes].sort((x, y) => y[1] - x[1])[0];
      if (best && best[1] * 2 > a.parts)
        this.take(
          { old: o, next: best[0], score: 1, reason: "children" },
          0.6 + 0.35 * (best[1] / Math.max(1, a.parts)),
        );
    }
  }
}
