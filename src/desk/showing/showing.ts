import type { AssemblyIndex } from "../../core/assembly/assembly";
import type { Look } from "../../core/document/looks";
import type { Preparation } from "../../core/document/preparation";
import type { LightSetup } from "../../core/document/surroundings";
import { runCommand } from "../../core/edit/history";
import { applyLook, lookNow } from "../../core/edit/preparationCommands";
import type { Proposed } from "../../core/finish/proposals";
import { lightIsKept } from "../../core/light/keptLight";
import { withPreparation } from "../../core/program/compile";
import type { Overrides } from "../../core/program/sampling";
import { MM_PER_UNIT } from "../../core/units/units";
import { NO_MARKS } from "../../stage/assemblyScene";
import type { Stage } from "../../stage/stage";
import { isHere } from "../acts/pending";
import { lightsReady } from "../background/lights";
import { nodesOf } from "../names";
import type { Desk } from "../port";
import { targetOf } from "../selection/selecting";
import type { Spot } from "../state";

/** What parts wear, with what is proposed for them over it. */
function withProposed(nodes: Look["nodes"], proposed: readonly Proposed[] | null): Look["nodes"] {
  if (!proposed) return nodes;
  const out = { ...nodes };
  for (const { key, finish } of proposed) out[key] = { ...out[key], finish };
  return out;
}

/** Colours of two parts that are pointed at together: neither is that of a selection. */
const POINTED = ["#D08A12", "#466EA8"] as const;

/** All see-through but the parts that are pointed at, which are told apart by colour. */
function pointedAt(nodes: Look["nodes"], spot: Spot, all: readonly { key: string; geometry: number }[]): Look["nodes"] {
  const out: Look["nodes"] = {};
  for (const { key, geometry } of all) {
    // What an owner wears holds for all below it.
    if (geometry < 0) continue;
    const at = spot.keys.indexOf(key);
    const color = POINTED[at];
    out[key] =
      color === undefined
        ? { ...nodes[key], ghost: true }
        : { finish: { color, roughness: 0.6, metalness: 0, opacity: 1, emissive: "#000000", glow: 0 } };
  }
  return out;
}

/** Tells the stage what a desk shows: time, pending poses, what is selected, finishes and surroundings. */
export class Showing {
  stage: Stage | null = null;

  constructor(private readonly desk: Desk) {}

  /** Connects the drawn stage. */
  attach(stage: Stage | null): void {
    this.stage = stage;
    this.unmarked = false;
    if (!stage) return;
    stage.snapping = this.desk.state.snapping;
    stage.setProgram(this.desk.program);
    stage.setHandleFrame(this.desk.state.handleFrame);
    stage.setWorking(this.desk.state.aids.working);
    this.dress();
    this.show();
  }

  /** Pending poses that belong to the playhead, as the sampling takes them; undefined for none. */
  overrides(): Overrides | undefined {
    // Asked for every frame while playing.
    if (Object.keys(this.desk.state.pending).length === 0) return undefined;
    const channels = new Map<number, number>();
    const orientations = new Map<number, readonly number[]>();
    for (const p of Object.values(this.desk.state.pending)) {
      if (!isHere(this.desk, p)) continue;
      for (const [name, value] of Object.entries(p.values)) {
        const c = this.desk.program.channelOf(p.target, name);
        if (c >= 0) channels.set(c, value);
      }
      if (p.orientation && (p.target.type === "node" || p.target.type === "group")) {
        const tracks = this.desk.program.trackPart(p.target);
        if (tracks) orientations.set(tracks.orientation, p.orientation);
      }
    }
    return channels.size + orientations.size > 0 ? { channels, orientations } : undefined;
  }

  /** Brings the stage up to date with time, pending poses and selection. */
  show(): void {
    const { stage } = this;
    if (!stage) return;
    stage.setOverrides(this.overrides());
    stage.setPlaying(this.desk.state.playing);
    this.desk.program.blocked = this.desk.state.playing && this.desk.state.play.blocked;
    stage.setTime(this.desk.state.ticks);
    const target = this.desk.state.playing ? null : targetOf(this.desk);
    stage.mmPerUnit = MM_PER_UNIT[this.desk.state.preparation.body.displayUnit];
    stage.setHandleTarget(target ? this.desk.program.trackPart(target) : null);
    stage.setGauge(target ? this.desk.state.joint : null);
    stage.orbitNodes = this.desk.state.selection;
    this.marks();
  }

  private dressed: { of: Preparation["nodes"]; nodes: ReturnType<typeof lookNow>["nodes"] } | null = null;
  /** Brings finishes, ghosts and surroundings on the stage up to date: as prepared, or of the look compared with. */
  dress(): void {
    const { preparation } = this.desk.state;
    // Light and ground change far more often than finishes, which are looked through part by part.
    if (this.dressed?.of !== preparation.body.nodes)
      this.dressed = { of: preparation.body.nodes, nodes: lookNow(preparation.body).nodes };
    if (this.stage) this.dressStage(this.stage);
  }

  /** The light that is shown. */
  private lit: LightSetup | null = null;
  /** Dresses a stage as the desk's own is. */
  dressStage(stage: Stage): void {
    const { comparing, preparation, proposed } = this.desk.state;
    const worn = comparing === null ? undefined : preparation.body.looks[comparing];
    const nodes = worn?.nodes ?? withProposed(this.dressed?.nodes ?? lookNow(preparation.body).nodes, proposed);
    const { spot } = this.desk.state;
    const settings = worn?.surroundings ?? preparation.body.surroundings;
    // A light that was just chosen is worked out beside the page; until it is there, the one before stays.
    const lacks = typeof Worker !== "undefined" && !lightIsKept(settings.light) && this.lit !== null;
    const light = lacks ? (this.lit ?? settings.light) : settings.light;
    if (lacks) void lightsReady([settings.light]).then(() => this.dress());
    this.lit = light;
    stage.setLook(
      spot ? pointedAt(nodes, spot, this.desk.index.assembly.nodes) : nodes,
      lacks ? { ...settings, light } : settings,
    );
    stage.setSpot(spot?.place ?? null);
  }

  /** Points at a place, with all but the parts it is about seen through; null ends that. */
  showSpot(spot: Spot | null): void {
    if (spot === this.desk.state.spot) return;
    this.desk.set({ spot });
    this.dress();
    this.marks();
  }

  /** Shows finishes that are only proposed over what is worn; null takes them off again. */
  propose(proposed: readonly Proposed[] | null): void {
    this.desk.set({ proposed });
    this.dress();
  }

  /** Shows a saved look in place of what is prepared now, without changing anything; null goes back. */
  compareLook(id: string | null): void {
    const { preparation } = this.desk.state;
    const look = id === null ? undefined : preparation.body.looks[id];
    this.desk.set({ comparing: look ? look.id : null });
    // Visibility is part of a look and comes by way of the program.
    let shown = preparation.body;
    if (look) {
      shown = runCommand(preparation.body, applyLook(look.id)).document;
    }
    this.desk.program = withPreparation(this.desk.program, shown);
    this.stage?.setProgram(this.desk.program);
    this.dress();
    this.show();
  }

  private unmarked = false;
  private chosen: { of: readonly number[] | null; in: AssemblyIndex | null; all: ReadonlySet<number> } = {
    of: null,
    in: null,
    all: new Set(),
  };
  /** Marks what is selected, pending and under the pointer. */
  marks(): void {
    // While playing nothing is marked, and that is said once.
    if (this.desk.state.playing && this.unmarked) return;
    this.unmarked = this.desk.state.playing;
    // Two parts that are pointed at have colours of their own.
    if (this.desk.state.playing || this.desk.state.spot) {
      this.stage?.setMarks(NO_MARKS);
      return;
    }
    const { index, state } = this.desk;
    // What is pointed at changes often, and what is selected seldom.
    if (this.chosen.of !== state.selection || this.chosen.in !== index)
      this.chosen = { of: state.selection, in: index, all: under(index, state.selection) };
    const pending: number[] = [];
    for (const t of this.desk.state.draft?.move.targets ?? []) pending.push(...nodesOf(this.desk, t));
    for (const p of Object.values(this.desk.state.pending)) {
      if (isHere(this.desk, p)) pending.push(...nodesOf(this.desk, p.target));
    }
    this.stage?.setMarks({
      selected: this.chosen.all,
      pending: under(index, pending),
      hover: state.hover ?? -1,
    });
  }
}

/** Nodes, with all below them. */
function under(index: AssemblyIndex, nodes: Iterable<number>): Set<number> {
  const out = new Set<number>();
  for (const n of nodes) for (let i = n; i < (index.end[n] ?? 0); i++) out.add(i);
  return out;
}
