import type { AssemblyIndex } from "../assembly/assembly";
import { copyKeys } from "../assembly/prepared";
import type { PartTarget } from "../document/parts";
import { DEFAULT_AXES, type Preparation, type TurnAxis } from "../document/preparation";
import { type AnyTarget, CAMERA_CHANNELS, type Sequence, type Target, targetId } from "../document/sequence";
import { EASE_STRIDE, type Ease, writeEase } from "../ease/ease";
import { nth } from "../math/packed";
import { type GroupEntry, listGroups } from "./groups";
import { jointFrame } from "./jointFrame";
import {
  type CameraTracks,
  emptySteps,
  type JointTracks,
  type LinkTracks,
  type NodeTracks,
  type Placed,
  type Report,
  type StepTable,
  type Transition,
} from "./layout";
import { makeLinks } from "./linking";
import { pivotOf } from "./pivots";
import { TrackTable } from "./tracks";

export { pivotOf } from "./pivots";

/** Nodes that may depart from home, parents first. */
export interface MovingNodes {
  moving: Int32Array;
  /** The tracks of each, or null. */
  movingTracks: (NodeTracks | null)[];
  /** The number of the moving group that each belongs to itself, or -1. */
  movingGroup: Int32Array;
}

/** Channels of parts that are not 0 at home. */
const AT_HOME: Readonly<Record<string, number>> = { "size.x": 1, "size.y": 1, "size.z": 1, opacity: 1, visible: 1 };

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
  readonly groupTracks = new Map<string, NodeTracks>();
  /** Groups of the preparation with members that exist, and each node's group (index into them) or -1. */
  groupList: readonly GroupEntry[];
  groupOf: Int32Array;
  /** Links in an order in which drivers come first, those that the geometry allows. */
  links: readonly LinkTracks[] = [];
  /** What keeps a link from working, by its id, in words for the user. */
  readonly linkFaults = new Map<string, string>();
  /** Solver matrices in use. */
  solvers = 0;
  private readonly joints = new Map<string, JointTracks>();
  /** Channel of each look, where one is keyed. */
  readonly lookChannels = new Map<string, number>();
  readonly cameras = new Map<string, CameraTracks>();
  /** The same in the order in which they are tracked, for finding one by number without an iterator. */
  readonly cameraList: CameraTracks[] = [];
  steps: StepTable = emptySteps();
  readonly reports = new Map<string, Report[]>();
  /** Transitions of each target by its id, in the order in which they were placed. */
  readonly placed = new Map<string, Placed[]>();
  /** Channel "shown" of each move that draws over the picture. */
  readonly overlays = new Map<string, number>();
  /** Targets with values that depend on how long the steps before them are: one runs on until another takes over. */
  readonly offsetBound = new Set<string>();
  /** Channel that says which camera is live, by its number among the sequence's; -1 until something cuts. */
  live = -1;
  /** What is dimmed while a channel says so: all but the nodes that `keep` marks with 1. */
  dims: { channel: number; dim: number; keep: Uint8Array }[] = [];
  /** What {@link listed} gives, and whether tracks were added since. */
  private list: MovingNodes = { moving: new Int32Array(0), movingTracks: [], movingGroup: new Int32Array(0) };
  private stale = false;
  /** Nodes hidden in the preparation, with all below them. */
  hidden: Uint8Array;
  /** What each keyed look hides, in place of the preparation, while its channel says that it is worn. */
  readonly lookHidden: { channel: number; hidden: Uint8Array }[] = [];
  /** Keys of copies of parts, whose rest is not to be seen. */
  private readonly copies: ReadonlySet<string>;
  /** Shows transitions as snaps at their arrivals, to judge timing by itself. Never in what is published. */
  blocked = false;
  /** Grows whenever channels or moving nodes were added, so that buffers can be made anew. */
  structure = 0;

  constructor(
    readonly index: AssemblyIndex,
    public preparation: Preparation,
    public sequence: Sequence,
  ) {
    this.hidden = new Uint8Array(index.assembly.nodes.length);
    const groups = listGroups(index, preparation);
    this.groupList = groups.list;
    this.groupOf = groups.groupOf;
    this.copies = new Set(copyKeys(preparation));
    // A copy is not there until something brings it up.
    for (const key of this.copies) this.trackNode(key);
    // A joint moves with its driver, so whatever has one is tracked from the start.
    for (const joint of Object.values(preparation.joints)) this.trackPart(joint.target);
    makeLinks(this);
  }

  /** Eases set aside so far, used or not. */
  get easesTaken(): number {
    return this.eases;
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
    return this.trackPart({ type: "node", key });
  }

  /** Tracks of a part or group, made on first need. @returns null when it does not exist. */
  trackPart(target: PartTarget): NodeTracks | null {
    const node = target.type === "node" ? this.index.indexOf.get(target.key) : -1;
    if (node === undefined) return null;
    if (target.type === "group" && !this.groupList.some((g) => g.id === target.id)) return null;
    const known = target.type === "group" ? this.groupTracks.get(target.id) : this.nodeTracks.get(node);
    if (known) return known;
    const axes = this.axesOf(target);
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
      ["visible", target.type === "node" && this.copies.has(target.key) ? 0 : 1],
      ["tint-colour", 0],
    ] as [string, number][]) {
      add(name, rest);
    }
    for (const axis of axes) add(`turn.${axis.id}`, 0);
    const joints = Object.values(this.preparation.joints)
      .filter((j) => samePart(j.target, target))
      .map((joint): JointTracks => {
        const made: JointTracks = {
          joint,
          channel: add(`joint.${joint.id}`, joint.zero),
          sense: joint.flipped ? -1 : 1,
          ...jointFrame(this.index, joint),
          driver: null,
        };
        this.joints.set(joint.id, made);
        return made;
      });
    const tracks: NodeTracks = {
      node,
      target,
      joints,
      solver: -1,
      driverOfPiece: null,
      axes,
      first,
      orientation: this.orientations.addChannel([0, 0, 0, 1]),
      pivot: pivotOf(this.index, this.preparation, target),
      channels,
    };
    if (target.type === "group") this.groupTracks.set(target.id, tracks);
    else this.nodeTracks.set(node, tracks);
    this.nodes.push(tracks);
    this.stale = true;
    this.structure++;
    return tracks;
  }

  /**
   * Takes over the groups of an edited preparation. Right only while nothing acts on a group whose members changed:
   * what was tracked of one that is gone is let go.
   */
  regroup(preparation: Preparation): void {
    const groups = listGroups(this.index, preparation);
    this.groupList = groups.list;
    this.groupOf = groups.groupOf;
    const there = new Set(groups.list.map((g) => g.id));
    for (const [id, tracks] of this.groupTracks) {
      if (there.has(id)) continue;
      this.groupTracks.delete(id);
      this.nodes.splice(this.nodes.indexOf(tracks), 1);
    }
    this.stale = true;
    this.structure++;
  }

  /** The axes that a part or group turns about, whether it has tracks or not. */
  axesOf(target: PartTarget): readonly TurnAxis[] {
    return (target.type === "node" ? this.preparation.nodes[target.key]?.axes : undefined) ?? DEFAULT_AXES;
  }

  /**
   * What a channel of a part or group says that has no tracks, and so stands at home; null for what has some. Whoever
   * only looks asks here first: tracks are sampled at every frame.
   */
  atHome(target: AnyTarget, channel: string): number | null {
    const tracked =
      target.type === "group"
        ? this.groupTracks.has(target.id)
        : target.type !== "node" || this.nodeTracks.has(this.index.indexOf.get(target.key) ?? -1);
    return tracked ? null : (AT_HOME[channel] ?? 0);
  }

  /** A joint by id; null when its part is gone. */
  jointTracks(id: string): JointTracks | null {
    return this.joints.get(id) ?? null;
  }

  /** Channel of a look's weight, made on first need. @returns -1 when there is no such look. */
  trackLook(id: string): number {
    const known = this.lookChannels.get(id);
    if (known !== undefined) return known;
    if (!this.preparation.looks[id]) return -1;
    const channel = this.scalars.addChannel([0]);
    this.lookChannels.set(id, channel);
    const hidden = new Uint8Array(this.index.assembly.nodes.length);
    hiddenBy(this.index, this.preparation.looks[id]?.nodes ?? {}, hidden);
    this.lookHidden.push({ channel, hidden });
    this.structure++;
    return channel;
  }

  /** Channel that says how much of a move's drawing over the picture is to be seen, made on first need. */
  trackOverlay(move: string): number {
    const known = this.overlays.get(move);
    if (known !== undefined) return known;
    const channel = this.scalars.addChannel([0]);
    this.overlays.set(move, channel);
    this.structure++;
    return channel;
  }

  private trackLive(): number {
    if (this.live < 0) {
      this.live = this.scalars.addChannel([Object.keys(this.sequence.cameras).indexOf(this.sequence.camera)]);
      this.structure++;
    }
    return this.live;
  }

  /** Whether there is something with this name to be moved. */
  exists(target: AnyTarget): boolean {
    if (target.type === "node" || target.type === "group") return this.trackPart(target) !== null;
    return target.type !== "camera" || this.trackCamera(target.id) !== null;
  }

  /** Nodes that a part target moves: itself, or a group's members. */
  nodesOf(target: AnyTarget): readonly number[] {
    if (target.type === "group") return this.groupList.find((g) => g.id === target.id)?.members ?? [];
    const node = target.type === "node" ? this.index.indexOf.get(target.key) : undefined;
    return node === undefined ? [] : [node];
  }

  /** Tracks of a camera, made on first need. */
  trackCamera(id: string): CameraTracks | null {
    const known = this.cameras.get(id);
    if (known) return known;
    const camera = this.sequence.cameras[id];
    if (!camera) return null;
    const channels = CAMERA_CHANNELS.map((name) => this.scalars.addChannel([camera.home[name]]));
    const tracks = { first: nth(channels, 0) };
    this.cameras.set(id, tracks);
    this.cameraList.push(tracks);
    this.structure++;
    return tracks;
  }

  /** Channel number of a name on a target, or -1. */
  channelOf(target: AnyTarget, name: string): number {
    if (target.type === "camera") {
      const i = CAMERA_CHANNELS.indexOf(name as (typeof CAMERA_CHANNELS)[number]);
      const tracks = this.trackCamera(target.id);
      return i < 0 || !tracks ? -1 : tracks.first + i;
    }
    if (target.type === "overlay") return name === "shown" ? this.trackOverlay(target.id) : -1;
    if (target.type === "picture") return name === "live" ? this.trackLive() : -1;
    if (target.type === "look") return this.trackLook(name.replace(/^look\./, ""));
    return this.trackPart(target)?.channels.get(name) ?? -1;
  }

  /**
   * Every transition of a target, for lists and pictures; in order of its groups, then time.
   * An orientation has the channel name "orientation" and values of four numbers.
   */
  transitions(target: Target): Transition[] {
    const groups = this.groupsOf.get(targetId(target)) ?? { scalars: [], orientations: [] };
    const names = new Map<number, string>();
    if (target.type === "camera")
      for (const [k, name] of CAMERA_CHANNELS.entries()) names.set((this.cameras.get(target.id)?.first ?? 0) + k, name);
    else if (target.type === "picture") names.set(this.live, "live");
    else if (target.type === "look") for (const [name, c] of this.lookChannels) names.set(c, `look.${name}`);
    else for (const [name, c] of this.trackPart(target)?.channels ?? []) names.set(c, name);
    const out: Transition[] = target.type === "node" || target.type === "group" ? this.drivenTransitions(target) : [];
    const read = (table: TrackTable, list: readonly number[]) => {
      for (const g of list) {
        const width = nth(table.width, g);
        const free = table.stride === 4;
        const parts = free ? 1 : width;
        const channels = Array.from({ length: parts }, (_, k) =>
          free ? "orientation" : (names.get(nth(table.members, nth(table.memberAt, g) + k)) ?? ""),
        );
        for (let i = 0; i < nth(table.count, g); i++) {
          const row = nth(table.offset, g) + i;
          const at = nth(table.valueAt, g) + i * width;
          for (let k = 0; k < parts; k++)
            out.push({
              channel: channels[k] as string,
              step: nth(table.step, row),
              t0: nth(table.t0, row),
              t1: nth(table.t1, row),
              ease: nth(table.ease, row),
              from: free ? [...table.v0.subarray(at, at + 4)] : [nth(table.v0, at + k)],
              to: free ? [...table.v1.subarray(at, at + 4)] : [nth(table.v1, at + k)],
            });
        }
      }
    };
    read(this.scalars, groups.scalars);
    read(this.orientations, groups.orientations);
    return out;
  }

  /** What a part does because a link makes it: its driver's transitions, in its own values. */
  private drivenTransitions(target: PartTarget): Transition[] {
    const tracks =
      target.type === "node"
        ? this.nodeTracks.get(this.index.indexOf.get(target.key) ?? -1)
        : this.groupTracks.get(target.id);
    if (!tracks) return [];
    const out: Transition[] = [];
    for (const link of this.links) {
      const own = tracks.joints.includes(link.follower);
      if (!own && !(tracks.solver >= 0 && link.solver === tracks.solver)) continue;
      const value = (reading: number) => {
        const departure = link.map.follower(link.driver.sense * (reading - link.driver.joint.zero));
        return link.follower.joint.zero + link.follower.sense * departure;
      };
      const name = `joint.${link.driver.joint.id}`;
      for (const t of this.transitions(link.driver.joint.target)) {
        if (t.channel === name)
          out.push({
            ...t,
            channel: own ? `joint.${link.follower.joint.id}` : "linked",
            from: t.from.map(value),
            to: t.to.map(value),
          });
      }
    }
    return out;
  }

  /** Nodes whose world transform may depart from home. Listed anew when tracks were added, at the next look. */
  get listed(): MovingNodes {
    if (this.stale) this.listMoving();
    return this.list;
  }
  get moving(): Int32Array {
    return this.listed.moving;
  }

  private listMoving(): void {
    this.stale = false;
    const all = this.index.assembly.nodes;
    const moves = new Uint8Array(all.length);
    const list: number[] = [];
    const groups: number[] = [];
    const movingTracks: MovingNodes["movingTracks"] = [];
    for (let i = 0; i < all.length; i++) {
      const parent = all[i]?.parent ?? -1;
      const tracks = this.nodeTracks.get(i) ?? null;
      const member = nth(this.groupOf, i);
      const group = member >= 0 && this.groupTracks.has(this.groupList[member]?.id ?? "") ? member : -1;
      if (!tracks && group < 0 && !(parent >= 0 && moves[parent])) continue;
      moves[i] = 1;
      list.push(i);
      groups.push(group);
      movingTracks.push(tracks);
    }
    this.list = { moving: Int32Array.from(list), movingTracks, movingGroup: Int32Array.from(groups) };
  }
}

/** Marks nodes that are hidden themselves or with something above them. */
export function hiddenBy(
  index: AssemblyIndex,
  nodes: Readonly<Record<string, { hidden?: boolean | undefined }>>,
  out: Uint8Array,
): void {
  index.assembly.nodes.forEach((node, i) => {
    out[i] = (node.parent >= 0 && out[node.parent]) || nodes[node.key]?.hidden ? 1 : 0;
  });
}

/** True when two targets are the same part or group. */
export function samePart(a: PartTarget, b: PartTarget): boolean {
  return a.type === "node" ? b.type === "node" && a.key === b.key : b.type === "group" && a.id === b.id;
}
