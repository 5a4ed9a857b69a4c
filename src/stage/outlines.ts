import type * as THREE from "three";
import { nth } from "../core/math/packed";
import { BatchList, type Ranges } from "./batchList";
import { EdgeMaterial } from "./edgeLines";
import { STAGE_COLORS } from "./palette";

/** What an outline says of a part, and how heavy it is: least weight, and of the picture's own. */
const INKS = {
  hover: { opacity: 0.9, least: 1.2, share: 1 },
  selected: { opacity: 1, least: 1.5, share: 1.3 },
  pending: { opacity: 1, least: 1.6, share: 1.3 },
} as const;
export type Outline = keyof typeof INKS;
const NAMES = Object.keys(INKS) as Outline[];

/** The outlines of marked parts, over everything: one call for all that are marked alike. */
export class Outlines {
  /** Number of each part's outline in NAMES and one more; 0 for none. */
  private readonly marks: Uint8Array;
  private readonly seen: Uint8Array;
  private readonly inks: readonly EdgeMaterial[];
  private readonly lists: readonly BatchList[];
  private changed = false;

  /** @param dash length of a dash, mm */
  constructor(scene: THREE.Scene, edges: THREE.BatchedMesh, ranges: Ranges, dash: number) {
    const n = ranges.starts.length;
    [this.marks, this.seen] = [new Uint8Array(n), new Uint8Array(n)];
    this.inks = NAMES.map(
      (name) =>
        new EdgeMaterial(STAGE_COLORS.working, INKS[name].opacity, name === "pending" ? [dash, dash * 0.7] : null),
    );
    this.lists = this.inks.map((ink) => {
      const list = new BatchList(edges, ranges, ink);
      list.renderOrder = 3;
      scene.add(list);
      return list;
    });
  }

  /** What is drawn. */
  get drawn(): readonly THREE.Object3D[] {
    return this.lists;
  }

  at(id: number): Outline | null {
    return NAMES[nth(this.marks, id) - 1] ?? null;
  }

  set(id: number, outline: Outline | null): void {
    const mark = outline ? NAMES.indexOf(outline) + 1 : 0;
    if (this.marks[id] === mark) return;
    this.marks[id] = mark;
    this.changed = true;
  }
  /** Says whether a part is in sight. */
  show(id: number, on: boolean): void {
    if ((this.seen[id] === 1) === on) return;
    this.seen[id] = on ? 1 : 0;
    if (this.marks[id] !== 0) this.changed = true;
  }

  /** Lists what is outlined, where it changed since the last picture. */
  list(): void {
    if (!this.changed) return;
    this.changed = false;
    const { lists, marks, seen } = this;
    for (let k = 0; k < lists.length; k++) (lists[k] as BatchList).begin();
    for (let id = 0; id < marks.length; id++)
      if (marks[id] !== 0 && seen[id] === 1) (lists[nth(marks, id) - 1] as BatchList).put(id);
    for (let k = 0; k < lists.length; k++) (lists[k] as BatchList).end();
  }

  /** Fits the lines to the size of the picture about to be drawn (pixels). */
  fit(widthPx: number, heightPx: number, weight: number): void {
    for (let k = 0; k < NAMES.length; k++) {
      const { least, share, opacity } = INKS[NAMES[k] as Outline];
      (this.inks[k] as EdgeMaterial).fitTo(widthPx, heightPx, Math.max(least, weight * share), opacity);
    }
  }

  dispose(): void {
    for (const list of this.lists) list.dispose();
    for (const ink of this.inks) ink.dispose();
  }
}
