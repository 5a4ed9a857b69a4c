import { nth } from "../math/packed";
import type { Triple } from "../math/triple";
import type { Program } from "../program/program";
import type { Pose } from "../program/sampling";
import { FRAME_RATES, formatRate, TICKS_PER_SECOND } from "../time/time";
import type { Cannot, Check, Report, StepContext } from "./check";
import type { Shapes } from "./shapes";

/** Share of the least that could deceive from which on frames are looked at closely. */
const CLOSELY = 0.6;
/** Frames that an illusion must last: for fewer it is not seen. */
const LASTS = 6;
/** Frames after which an axis is taken for the one it turns about. */
const STEADY = 3;

/** A part that may be turned, as it is looked at in a step. */
interface Turner {
  node: number;
  geometry: number;
  /** Channels of turns and hinges by which it and what it belongs to are turned. */
  channels: readonly number[];
  /** Turned less than this in a frame it cannot be mistaken, whatever its shape, degrees. */
  slowest: number;
  /** The axis of the frame before, own frame; for how many frames it was that, and since when. */
  axis: Triple;
  steady: number;
  begun: number;
  run: {
    what: string;
    from: number;
    to: number;
    frames: number;
    late: number;
    speed: number;
    apparent: number;
    order: number;
  } | null;
}

/** Nodes with a shape that something may turn, each with the channels that do, packed. */
class Turners {
  private readonly nodes: Int32Array;
  private readonly first: Int32Array;
  private readonly channels: Int32Array;
  private readonly slowest: Float64Array;

  constructor(
    program: Program,
    private readonly shapes: Shapes,
    readonly structure = program.structure,
  ) {
    const list = turnersOf(program, shapes);
    this.nodes = Int32Array.from(list, (t) => t.node);
    this.first = new Int32Array(list.length + 1);
    list.forEach((t, i) => {
      this.first[i + 1] = nth(this.first, i) + t.channels.length;
    });
    this.channels = Int32Array.from(list.flatMap((t) => t.channels));
    this.slowest = Float64Array.from(list, (t) => (CLOSELY * 0.5 * 360) / shapes.mostOrder(shapes.geometryOf(t.node)));
  }

  get length(): number {
    return this.nodes.length;
  }

  /** Whether one may have turned far enough since the frame before to be mistaken: by all that turns it together. */
  fast(i: number, { values: now, visible }: Pose, { values: before }: Pose): boolean {
    let sum = 0;
    for (let k = this.first[i] as number; k < (this.first[i + 1] as number); k++) {
      const c = this.channels[k] as number;
      sum += Math.abs((now[c] as number) - (before[c] as number));
    }
    return sum >= (this.slowest[i] as number) && visible[this.nodes[i] as number] === 1;
  }

  make(i: number): Turner {
    const node = nth(this.nodes, i);
    return {
      ...{ node, geometry: this.shapes.geometryOf(node), slowest: nth(this.slowest, i) },
      channels: [...this.channels.subarray(this.first[i], this.first[i + 1])],
      ...{ run: null, axis: [0, 0, 0], steady: 0, begun: 0 },
    };
  }
}

/** Which parts may turn is the same for all steps. */
const known = new WeakMap<Program, { shapes: Shapes; turners: Turners }>();
function turnersIn(program: Program, shapes: Shapes): Turners {
  const it = known.get(program);
  if (it?.shapes === shapes && it.turners.structure === program.structure) return it.turners;
  const turners = new Turners(program, shapes);
  known.set(program, { shapes, turners });
  return turners;
}

function turnersOf(program: Program, shapes: Shapes): { node: number; channels: number[] }[] {
  const { index } = program;
  const { moving, movingTracks, movingGroup } = program.listed;
  const own = new Map<number, number[]>();
  const turning = (names: ReadonlyMap<string, number>) =>
    [...names].flatMap(([name, c]) => (name.startsWith("turn.") || name.startsWith("joint.") ? [c] : []));
  const groups = program.groupList.map((g) => {
    const tracks = program.groupTracks.get(g.id);
    return tracks ? turning(tracks.channels) : [];
  });
  const out: { node: number; channels: number[] }[] = [];
  for (let i = 0; i < moving.length; i++) {
    const node = nth(moving, i);
    const group = nth(movingGroup, i);
    const channels = [
      ...(own.get(nth(index.parent, node)) ?? []),
      ...(movingTracks[i] ? turning((movingTracks[i] as { channels: ReadonlyMap<string, number> }).channels) : []),
      ...(group >= 0 ? (groups[group] ?? []) : []),
    ];
    own.set(node, channels);
    if (shapes.geometryOf(node) >= 0 && channels.length > 0) out.push({ node, channels });
  }
  return out;
}

/**
 * Parts that look the same after a fraction of a turn (gears, fans, splined shafts) and turn from frame to frame by
 * nearly a multiple of it, so that they seem to stand or to turn backward. What counts is how far the mesh really
 * turns from frame to frame, whatever drives it.
 */
export const strobe: Check<"near"> = {
  id: "strobe",
  title: "Seems to stand or to turn backward",
  why: "A wheel that turns a whole tooth in a frame stands still in the video, whatever it does in 3D.",
  needs: ["poses", "meshes"],
  thresholds: { near: { label: "Nearer to a whole tooth than", unit: "%", min: 5, max: 49, usual: 35 } },
  mends: {},
  watch(context, report, cannot) {
    const { program, shapes, frame } = context;
    if (!shapes) return null;
    const turners = turnersIn(program, shapes);
    if (turners.length === 0) return null;
    // Only what is fast enough at some time is followed.
    const list: (Turner | null)[] = Array.from({ length: turners.length }, () => null);
    const moved = new Uint8Array(turners.length);
    return {
      frame(at, ticks, was) {
        if (!was) return;
        for (let i = 0; i < list.length; i++) {
          if (turners.fast(i, at, was)) {
            const t = list[i] ?? turners.make(i);
            list[i] = t;
            moved[i] = 1;
            judge(context, t, at, was, ticks - frame, ticks, report, cannot);
          } else if (moved[i]) {
            moved[i] = 0;
            pause(context, list[i] as Turner, report);
          }
        }
      },
      end() {
        for (const t of list) if (t) close(context, t, report);
      },
    };
  },
};

/** Largest change of a turning channel since the frame before: whole turns a frame are told by it. */
function fastest(t: Turner, at: Pose, was: Pose): number {
  let most = 0;
  for (let i = 0; i < t.channels.length; i++) {
    const c = t.channels[i] as number;
    const d = (at.values[c] as number) - (was.values[c] as number);
    if (Math.abs(d) > Math.abs(most)) most = d;
  }
  return most;
}

const _turn = { angle: 0, x: 0, y: 0, z: 0, wholly: false };

/**
 * How far a node turns from one matrix to the next, degrees from 0 to 180, and about which axis of its own frame (of
 * length 1; none where it is half a turn or whole ones). Null for what has no size. What it gives is used again.
 */
function turnBetween(v: Float64Array, w: Float64Array, o: number): typeof _turn | null {
  // R = now x before^T: only what stands in its diagonal and beside it is needed.
  let trace = 0;
  let scale = 0;
  let x = 0;
  let y = 0;
  let z = 0;
  for (let p = o; p < o + 12; p += 4) {
    const nx = w[p] as number;
    const ny = w[p + 1] as number;
    const nz = w[p + 2] as number;
    const bx = v[p] as number;
    const by = v[p + 1] as number;
    const bz = v[p + 2] as number;
    trace += nx * bx + ny * by + nz * bz;
    scale += Math.sqrt((nx * nx + ny * ny + nz * nz) * (bx * bx + by * by + bz * bz));
    x += nz * by - ny * bz;
    y += nx * bz - nz * bx;
    z += ny * bx - nx * by;
  }
  if (scale === 0) return null;
  const sine = Math.sqrt(x * x + y * y + z * z);
  _turn.angle = (Math.atan2((sine * 3) / scale / 2, ((trace * 3) / scale - 1) / 2) * 180) / Math.PI;
  const ux = (w[o] as number) * x + (w[o + 1] as number) * y + (w[o + 2] as number) * z;
  const uy = (w[o + 4] as number) * x + (w[o + 5] as number) * y + (w[o + 6] as number) * z;
  const uz = (w[o + 8] as number) * x + (w[o + 9] as number) * y + (w[o + 10] as number) * z;
  const length = Math.sqrt(ux * ux + uy * uy + uz * uz);
  _turn.wholly = sine < 1e-12 * scale || length === 0;
  _turn.x = ux / length;
  _turn.y = uy / length;
  _turn.z = uz / length;
  return _turn;
}

function judge(
  context: StepContext<"near">,
  t: Turner,
  at: Pose,
  was: Pose,
  from: number,
  to: number,
  report: Report,
  cannot: Cannot,
): void {
  const { shapes, thresholds } = context;
  if (!shapes) return;
  const channel = fastest(t, at, was);
  const turn = turnBetween(was.world, at.world, 16 * t.node);
  if (!turn) return;
  const { angle } = turn;
  if (Math.max(angle, Math.abs(channel)) < t.slowest) {
    pause(context, t, report);
    return;
  }
  // A whole number of turns a frame has no axis of its own; the frames beside it have.
  if (turn.wholly) return;
  // An axis that wanders is no wheel's; and the order about an axis is dear to find.
  const same = Math.abs(t.axis[0] * turn.x + t.axis[1] * turn.y + t.axis[2] * turn.z) > 0.9998;
  t.steady = same ? t.steady + 1 : 1;
  t.axis[0] = turn.x;
  t.axis[1] = turn.y;
  t.axis[2] = turn.z;
  if (t.steady === 1) t.begun = from;
  if (t.steady < STEADY) {
    if (!same && t.run) close(context, t, report);
    return;
  }
  const order = shapes.orderOf(t.geometry, t.axis);
  if (order < 2) {
    close(context, t, report);
    return;
  }
  if (!spins(t, shapes, at, was, cannot)) {
    close(context, t, report);
    return;
  }
  // How far it really turns: the least angle that the matrices tell, and as many turns more as the channel says.
  const sign = Math.abs(channel) > 180 ? Math.round((Math.abs(channel) - angle) / 360) : 0;
  const other = Math.abs(channel) > 180 ? Math.round((Math.abs(channel) + angle) / 360) : 0;
  const plusTurns = Math.abs(360 * sign + angle - Math.abs(channel));
  const minusTurns = Math.abs(360 * other - angle - Math.abs(channel));
  const turned = sign === 0 && other === 0 ? angle : plusTurns <= minusTurns ? 360 * sign + angle : 360 * other - angle;
  const part = 360 / order;
  const apparent = turned - part * Math.round(turned / part);
  const near = thresholds.near / 100;
  const stands = Math.abs(apparent) <= 0.08 * part;
  const what =
    turned < 0.5 * part || Math.abs(apparent) > near * part
      ? null
      : stands
        ? "stands"
        : apparent < 0
          ? "backward"
          : null;
  if (what === null || (t.run && t.run.what !== what)) close(context, t, report);
  if (what === null) return;
  // The frames in which the axis was only found out belong to it.
  t.run ??= {
    what,
    from: t.begun,
    to,
    frames: 0,
    late: t.steady === STEADY ? STEADY - 1 : 0,
    speed: 0,
    apparent: 0,
    order,
  };
  t.run.to = to;
  t.run.frames++;
  t.run.speed += turned;
  t.run.apparent += apparent;
}

/** Whether it turns about its own middle rather than round something else. */
function spins(t: Turner, shapes: Shapes, at: Pose, was: Pose, cannot: Cannot): boolean {
  const g = shapes.geometries[t.geometry];
  if (!g) {
    cannot("no-mesh");
    return false;
  }
  const m = shapes.middleOf(t.geometry);
  const o = 16 * t.node;
  let moved = 0;
  for (let r = 0; r < 3; r++) moved += (row(at.world, o + r, m) - row(was.world, o + r, m)) ** 2;
  return Math.sqrt(moved) < 0.03 * shapes.radiusOf(t.geometry);
}

/** One coordinate of a place that a matrix puts somewhere. */
const row = (w: Float64Array, o: number, m: Triple): number =>
  (w[o] as number) * m[0] + (w[o + 4] as number) * m[1] + (w[o + 8] as number) * m[2] + (w[o + 12] as number);

/** Stands, or turns too slowly to be mistaken: its axis has to be found anew. */
function pause(context: StepContext<"near">, t: Turner, report: Report): void {
  t.steady = 0;
  if (t.run) close(context, t, report);
}

function close(context: StepContext<"near">, t: Turner, report: Report): void {
  const { run } = t;
  t.run = null;
  if (!run || run.frames + run.late < LASTS) return;
  const { program, frame, step } = context;
  const perSecond = TICKS_PER_SECOND / frame;
  const speed = (run.speed / run.frames) * perSecond;
  const part = 360 / run.order;
  const rate = FRAME_RATES.find((r) => speed / (r.rate.num / r.rate.den) < 0.4 * part);
  const key = program.index.assembly.nodes[t.node]?.key ?? "";
  report({
    ...{ severity: "look", what: run.what, step: step.id, from: run.from, to: run.to },
    ...{ targets: [{ type: "node", key }], mends: [], about: [key] },
    numbers: {
      speed: { value: speed, unit: "°/s" },
      order: { value: run.order, unit: "" },
      seems: { value: (run.apparent / run.frames) * perSecond, unit: "°/s" },
      below: { value: 0.4 * part * perSecond, unit: "°/s" },
      ...(rate ? { rate: { value: Number.parseFloat(formatRate(rate.rate)), unit: "1/s" as const } } : {}),
    },
  });
}
