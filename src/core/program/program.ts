import type { AssemblyIndex } from "../assembly/assembly";
import { DEFAULT_AXES, type Preparation, type TurnAxis } from "../document/preparation";
import { CAMERA_CHANNELS, type Sequence, type Target } from "../document/sequence";
import { EASE_STRIDE, type Ease, writeEase } from "../ease/ease";
import { multiplyAffine } from "../math/mat4";
import { TrackTable } from "./tracks";

/** Something the compiler had to change or wants known. Wording is made in the interface. */
export interface Report {
  code: "lead-shortened" | "arrival-hidden" | "target-gone";
  step: string;
  move: string;
  key: string;
  /** Channel name; "" where all are meant. */
  channel: string;
  askedTicks: number;
  usedTicks: number;
}

/** Where the channels of one moving node live. -1: none. */
export interface NodeTracks {
  node: number;
  axes: readonly TurnAxis[];
  /** First of the three slide channels; three sizes, opacity, tint and visible follow, then one turn per axis. */
  first: number;
  orientation: number;
  pivot: readonly [number, number, number];
  /** Channel number by name. */
  channels: ReadonlyMap<string, number>;
}

/** One change of one channel: from a value to another, between two times of a step's action. */
export interface Transition {
  channel: string;
  /** Position of the step in the order of those that are on. */
  step: number;
  t0: number;
  t1: number;
  ease: number;
  from: number[];
  to: number[];
}

export interface CameraTracks {
  /** Eight channels in the order of CAMERA_CHANNELS. */
  first: number;
}

export const SLIDE = 0;
export const SIZE = 3;
export const OPACITY = 6;
export const TINT = 7;
export const VISIBLE = 8;
export const TURN = 9;

/** Where each step lies, by position in the order of the steps that are on. All ticks. */
export interface StepTable {
  ids: string[];
  /** Position by id; steps that are off have none. */
  position: Map<string, number>;
  start: Float64Array;
  /** Start of the action: the end of the still before. */
  action: Float64Array;
  /** End of the action: the start of the still after. */
  still: Float64Array;
  end: Float64Array;
  length: number;
}

/**
 * A compiled sequence: what `pose` reads. Changed in place by the compiler after an edit; see compile.ts.
 * Channels of nodes and cameras are numbered together in `scalars`; orientations in `orientations`.
 */
export class Program {
  readonly scalars = new TrackTable(1);
  readonly orientations = new TrackTable(4);
  /** Groups of each target, by its id. */
  readonly groupsOf = new Map<string, { scalars: number[]; orientations: number[] }>();
  easeTable = new Float64Array(64 * EASE_STRIDE);
  private eases = 0;
  private readonly easeIndex = new Map<string, number>();
  readonly nodes: NodeTracks[] = [];
  readonly nodeTracks = new Map<number, NodeTracks>();
  readonly cameras = new Map<string, CameraTracks>();
  steps: StepTable = emptySteps();
  readonly reports = new Map<string, Report[]>();
  /** Nodes whose world transform may depart from home, parents first; with the tracks of each or null. */
  moving: Int32Array = new Int32Array(0);
  movingTracks: (NodeTracks | null)[] = [];
  /** Nodes hidden in the preparation, with all below them. */
  hidden: Uint8Array;
  /** Grows whenever channels or moving nodes were added, so that buffers can be made anew. */
  structure = 0;

  constructor(
    readonly index: AssemblyIndex,
    public preparation: Preparation,
    public sequence: Sequence,
  ) {
    this.hidden = new Uint8Array(index.assembly.nodes.length);
  }

  /** Number of an ease in the table; equal eases share one. */
  ease(ease: Ease): number {
    const key = ease.kind === "soft" ? `s${ease.start},${ease.stop}` : `c${ease.x1},${ease.y1},${ease.x2},${ease.y2}`;
    const known = this.easeIndex.get(key);
    if (known !== undefined) return known;
    const n = this.eases++;
    if ((n + 1) * EASE_STRIDE > this.easeTable.length) {
      const next = new Float64Array(this.easeTable.length * 2);
      next.set(this.easeTable);
      this.easeTable = next;
    }
    writeEase(ease, this.easeTable, n * EASE_STRIDE);
    this.easeIndex.set(key, n);
    return n;
  }

  /** Tracks of a node, made on first need. @returns null when the node is not in the assembly. */
  trackNode(key: string): NodeTracks | null {
    const node = this.index.indexOf.get(key);
    if (node === undefined) return null;
    const known = this.nodeTracks.get(node);
    if (known) return known;
    const axes = this.preparation.nodes[key]?.axes ?? DEFAULT_AXES;
    const channels = new Map<string, number>();
    const add = (name: string, rest: number) => {
      const c = this.scalars.addChannel([rest]);
      channels.set(name, c);
      return c;
    };
    const first = add("slide.x", 0);
    for (const [name, rest] of [
      ["slide.y", 0],
      ["slide.z", 0],
      ["size.x", 1],
      ["size.y", 1],
      ["size.z", 1],
      ["opacity", 1],
      ["tint", 0],
      ["visible", 1],
    ] as const) {
      add(name, rest);
    }
    for (const axis of axes) add(`turn.${axis.id}`, 0);
    const tracks: NodeTracks = { node, axes, first, orientation: this.orientations.addChannel([0, 0, 0, 1]), pivot: pivotOf(this.index, this.preparation, node), channels };
    this.nodeTracks.set(node, tracks);
    this.nodes.push(tracks);
    this.listMoving();
    return tracks;
  }

  /** Tracks of a camera, made on first need. */
  trackCamera(id: string): CameraTracks | null {
    const known = this.cameras.get(id);
    if (known) return known;
    const camera = this.sequence.cameras[id];
    if (!camera) return null;
    const channels = CAMERA_CHANNELS.map((name) => this.scalars.addChannel([camera.home[name]]));
    const tracks = { first: channels[0] as number };
    this.cameras.set(id, tracks);
    this.structure++;
    return tracks;
  }

  /** Channel number of a name on a target, or -1. */
  channelOf(target: Target, name: string): number {
    if (target.type === "camera") {
      const i = CAMERA_CHANNELS.indexOf(name as (typeof CAMERA_CHANNELS)[number]);
      const tracks = this.trackCamera(target.id);
      return i < 0 || !tracks ? -1 : tracks.first + i;
    }
    return this.trackNode(target.key)?.channels.get(name) ?? -1;
  }

  /**
   * Every transition of a target, for lists and pictures; in order of its groups, then time.
   * An orientation has the channel name "orientation" and values of four numbers.
   */
  transitions(target: Target): Transition[] {
    const id = target.type === "node" ? `n:${target.key}` : `c:${target.id}`;
    const groups = this.groupsOf.get(id);
    if (!groups) return [];
    const names = new Map<number, string>();
    if (target.type === "node") for (const [name, c] of this.trackNode(target.key)?.channels ?? []) names.set(c, name);
    else for (const [k, name] of CAMERA_CHANNELS.entries()) names.set((this.cameras.get(target.id)?.first ?? 0) + k, name);
    const out: Transition[] = [];
    const read = (table: TrackTable, list: readonly number[]) => {
      for (const g of list) {
        const width = table.width[g] as number;
        for (let i = 0; i < (table.count[g] as number); i++) {
          const row = (table.offset[g] as number) + i;
          const at = (table.valueAt[g] as number) + i * width;
          const base = { step: table.step[row] as number, t0: table.t0[row] as number, t1: table.t1[row] as number, ease: table.ease[row] as number };
          if (table.stride === 4) out.push({ ...base, channel: "orientation", from: [...table.v0.subarray(at, at + 4)], to: [...table.v1.subarray(at, at + 4)] });
          else {
            for (let k = 0; k < width; k++) {
              const channel = names.get(table.members[(table.memberAt[g] as number) + k] as number) ?? "";
              out.push({ ...base, channel, from: [table.v0[at + k] as number], to: [table.v1[at + k] as number] });
            }
          }
        }
      }
    };
    read(this.scalars, groups.scalars);
    read(this.orientations, groups.orientations);
    return out;
  }

  private batching = false;
  /** Runs `work`, which may add many tracks, and lists the moving nodes once at the end. */
  batch(work: () => void): void {
    this.batching = true;
    try {
      work();
    } finally {
      this.batching = false;
    }
    this.listMoving();
  }

  private listMoving(): void {
    if (this.batching) return;
    const all = this.index.assembly.nodes;
    const moves = new Uint8Array(all.length);
    const list: number[] = [];
    this.movingTracks = [];
    for (let i = 0; i < all.length; i++) {
      const parent = all[i]?.parent ?? -1;
      const tracks = this.nodeTracks.get(i) ?? null;
      if (!tracks && !(parent >= 0 && moves[parent])) continue;
      moves[i] = 1;
      list.push(i);
      this.movingTracks.push(tracks);
    }
    this.moving = Int32Array.from(list);
    this.structure++;
  }
}

function emptySteps(): StepTable {
  const none = new Float64Array(0);
  return { ids: [], position: new Map(), start: none, action: none, still: none, end: none, length: 0 };
}

/** A node's pivot in its parent's home frame, mm: as prepared, else the middle of its bounds at home. */
export function pivotOf(index: AssemblyIndex, preparation: Preparation, node: number): [number, number, number] {
  const entry = index.assembly.nodes[node];
  if (!entry) return [0, 0, 0];
  const prepared = preparation.nodes[entry.key]?.pivot;
  if (prepared) return prepared;
  return middleInParent(index, node);
}

/** Middle of a subtree's bounds at home, measured in the parent's home frame (not in the world's, where boxes grow under rotation). */
function middleInParent(index: AssemblyIndex, node: number): [number, number, number] {
  const { nodes, geometries } = index.assembly;
  const min = [Infinity, Infinity, Infinity];
  const max = [-Infinity, -Infinity, -Infinity];
  const local = new Map<number, Float64Array>();
  for (let i = node; i < (index.end[node] as number); i++) {
    const entry = nodes[i];
    if (!entry) continue;
    const m = new Float64Array(16);
    const above = i === node ? null : local.get(entry.parent);
    if (above) multiplyAffine(m, 0, above, 0, entry.home, 0);
    else m.set(entry.home);
    local.set(i, m);
    const box = entry.geometry >= 0 ? geometries[entry.geometry]?.bounds : undefined;
    if (!box) continue;
    for (let corner = 0; corner < 8; corner++) {
      const x = (corner & 1 ? box.max : box.min)[0],
        y = (corner & 2 ? box.max : box.min)[1],
        z = (corner & 4 ? box.max : box.min)[2];
      for (let k = 0; k < 3; k++) {
        const v = (m[k] as number) * x + (m[4 + k] as number) * y + (m[8 + k] as number) * z + (m[12 + k] as number);
        min[k] = Math.min(min[k] as number, v);
        max[k] = Math.max(max[k] as number, v);
      }
    }
  }
  if (!((min[0] as number) <= (max[0] as number))) {
    const home = nodes[node]?.home;
    return [home?.[12] ?? 0, home?.[13] ?? 0, home?.[14] ?? 0];
  }
  return [0, 1, 2].map((k) => ((min[k] as number) + (max[k] as number)) / 2) as [number, number, number];
}
