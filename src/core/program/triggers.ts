import type { Trigger } from "../document/triggers";
import { nth } from "../math/packed";
import { conjugateQuaternion, multiplyQuaternion, slerp } from "../math/rotation";
import { TICKS_PER_SECOND } from "../time/time";
import type { Program } from "./program";
import { createPose, type Overrides, type Pose, sample } from "./sampling";

/** Shortest time in which something is played, s: a jump would not be understood. */
const SHORTEST = 0.15;

/** What a trigger plays: between which times, and which channels. */
interface Played {
  trigger: Trigger;
  from: number;
  to: number;
  channels: readonly number[];
  orientations: readonly number[];
}

/** A trigger that is open, or on its way. */
interface Open {
  played: Played;
  /** How far it is, 0 to 1, and where it goes. */
  share: number;
  way: 1 | -1;
  /** How everything stands in the film where it begins: its channels' values, four each for orientations. */
  begins: Map<number, number>;
  turns: Map<number, readonly number[]>;
}

/** Which channels of which parts a trigger moves, by what the step compiles to; null where nothing is left of it. */
function playedBy(program: Program, trigger: Trigger): Played | null {
  const position = program.steps.position.get(trigger.step);
  if (position === undefined) return null;
  let [t0, t1] = [Number.POSITIVE_INFINITY, 0];
  const driven = new Set(program.links.map((l) => l.follower.channel));
  const channels = new Set<number>();
  const orientations = new Set<number>();
  for (const [id, rows] of program.placed) {
    const target = id.startsWith("n:")
      ? ({ type: "node", key: id.slice(2) } as const)
      : id.startsWith("g:")
        ? ({ type: "group", id: id.slice(2) } as const)
        : null;
    if (!target) continue;
    for (const row of rows) {
      if (row.step !== trigger.step || (trigger.move !== null && row.move !== trigger.move)) continue;
      t0 = Math.min(t0, row.t0);
      t1 = Math.max(t1, row.t1);
      if (row.channel === "orientation") {
        const own = program.trackPart(target)?.orientation;
        if (own !== undefined) orientations.add(own);
      } else {
        const c = program.channelOf(target, row.channel);
        // What a link drives goes along with its driver and has no way of its own.
        if (c >= 0 && !driven.has(c)) channels.add(c);
      }
    }
  }
  if (channels.size + orientations.size === 0) return null;
  const action = nth(program.steps.action, position);
  return { trigger, from: action + t0, to: action + t1, channels: [...channels], orientations: [...orientations] };
}

/**
 * Plays moves on their own over whatever stands: each from there to what it ends with in the film, and back from
 * wherever it is, without a jump. Several at once do not disturb one another; of two that want one channel the later
 * lies over the earlier, and gives it back.
 */
export class Triggers {
  readonly list: readonly Trigger[];
  private readonly played = new Map<string, Played>();
  private readonly open = new Map<string, Open>();
  private readonly under: Pose;
  private readonly now: Pose;
  private readonly out: Overrides = { channels: new Map(), orientations: new Map() };

  constructor(
    private readonly program: Program,
    triggers: readonly Trigger[],
  ) {
    for (const t of triggers) {
      const played = playedBy(program, t);
      if (played) this.played.set(t.id, played);
    }
    this.list = triggers.filter((t) => this.played.has(t.id));
    this.under = createPose(program);
    this.now = createPose(program);
  }

  /** Whether a trigger is open or opening. */
  isOpen(id: string): boolean {
    return this.open.get(id)?.way === 1;
  }

  /** Sets a trigger going, or back from where it is. */
  toggle(id: string): void {
    const known = this.open.get(id);
    if (known) {
      known.way = known.way === 1 ? -1 : 1;
      return;
    }
    const played = this.played.get(id);
    if (!played) return;
    sample(this.program, played.from, this.now);
    const { values, orientations } = this.now;
    const begins = new Map(played.channels.map((c) => [c, nth(values, c)]));
    const turns = new Map(played.orientations.map((c) => [c, four(orientations, c)]));
    this.open.set(id, { played, share: 0, way: 1, begins, turns });
  }

  /** Lets go of all of them at once. */
  reset(): void {
    this.open.clear();
  }

  /** Goes on by so many seconds. @returns whether anything still moves */
  advance(seconds: number): boolean {
    let moving = false;
    for (const [id, it] of this.open) {
      const { from, to } = it.played;
      const takes = Math.max(SHORTEST, (to - from) / TICKS_PER_SECOND);
      it.share = Math.max(0, Math.min(1, it.share + (it.way * seconds) / takes));
      if (it.way < 0 && it.share === 0) this.open.delete(id);
      else if (it.way > 0 ? it.share < 1 : it.share > 0) moving = true;
    }
    return moving;
  }

  /**
   * What stands otherwise than in the film at a time (ticks); undefined where nothing does. The same object at every
   * call.
   */
  overrides(ticks: number): Overrides | undefined {
    if (this.open.size === 0) return undefined;
    const { channels, orientations } = this.out;
    channels.clear();
    orientations.clear();
    sample(this.program, ticks, this.under);
    for (const { played, share, begins, turns } of this.open.values()) {
      sample(this.program, played.from + share * (played.to - played.from), this.now);
      // What lies under it goes over into what the film ends with.
      const left = 1 - share;
      for (const [c, was] of begins) {
        const under = channels.get(c) ?? nth(this.under.values, c);
        channels.set(c, nth(this.now.values, c) + left * (under - was));
      }
      for (const [c, was] of turns) {
        const under = orientations.get(c) ?? four(this.under.orientations, c);
        orientations.set(c, carried(under, was, four(this.now.orientations, c), left));
      }
    }
    return this.out;
  }
}

const four = (values: Float64Array, c: number): number[] => [0, 1, 2, 3].map((k) => nth(values, 4 * c + k));

/** A turn of the film, with a share of what lies under it is turned otherwise than the film began. */
function carried(under: readonly number[], begins: readonly number[], now: readonly number[], left: number): number[] {
  const apart = multiplyQuaternion(under, conjugateQuaternion(begins));
  const part = [0, 0, 0, 1];
  slerp(part, 0, [0, 0, 0, 1], 0, apart, 0, left);
  return multiplyQuaternion(part, now);
}
