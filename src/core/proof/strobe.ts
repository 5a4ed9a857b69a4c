import { middleOf } from "../geometry/symmetry";
import { nth } from "../math/packed";
import { dot, lengthOf, normalised, type Triple } from "../math/triple";
import type { Pose } from "../program/pose";
import { FRAME_RATES, formatRate, TICKS_PER_SECOND } from "../time/time";
import type { Cannot, Check, Report, StepContext } from "./check";

/** Slower than this a frame nothing that is divided into 200 or fewer can be mistaken for standing, degrees. */
const SLOWEST = 0.5 * (360 / 200);
/** Frames that an illusion must last: for fewer it is not seen. */
const LASTS = 6;
/** Frames after which an axis is taken for the one it turns about. */
const STEADY = 3;

interface Turner {
  node: number;
  geometry: number;
  /** Channels of turns and hinges by which it and what it belongs to are turned. */
  channels: readonly number[];
  /** 12 numbers: turning axes and place in the frame before. */
  was: Float64Array;
  before: Float64Array;
  middle: Triple | null;
  /** The axis of the frame before, own frame; for how many frames it was that, and since when. */
  axis: Triple | null;
  steady: number;
  begun: number;
  radius: number;
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

/** Nodes with a shape that something turns in a step, each with the channels that do. */
function turners(context: StepContext<"near">): Turner[] {
  const { program, shapes } = context;
  if (!shapes) return [];
  const { index, moving, movingTracks, movingGroup } = program;
  const own = new Map<number, number[]>();
  const turning = (names: ReadonlyMap<string, number>) =>
    [...names].flatMap(([name, c]) => (name.startsWith("turn.") || name.startsWith("joint.") ? [c] : []));
  const groups = program.groupList.map((g) => {
    const tracks = program.groupTracks.get(g.id);
    return tracks ? turning(tracks.channels) : [];
  });
  const out: Turner[] = [];
  for (let i = 0; i < moving.length; i++) {
    const node = nth(moving, i);
    const group = nth(movingGroup, i);
    const channels = [
      ...(own.get(nth(index.parent, node)) ?? []),
      ...(movingTracks[i] ? turning((movingTracks[i] as { channels: ReadonlyMap<string, number> }).channels) : []),
      ...(group >= 0 ? (groups[group] ?? []) : []),
    ];
    own.set(node, channels);
    const geometry = shapes.geometryOf(node);
    if (geometry >= 0 && channels.length > 0)
      out.push({
        ...{ node, geometry, channels, middle: null, radius: 0, run: null, axis: null, steady: 0, begun: 0 },
        was: new Float64Array(12),
        before: new Float64Array(channels.length),
      });
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
    const list = turners(context);
    if (list.length === 0) return null;
    let any = false;
    const look = (at: Pose, from: number, to: number) => {
      for (const t of list) {
        if (any && at.visible[t.node]) judge(context, t, at, from, to, report, cannot);
        else close(context, t, report);
        keep(t, at);
      }
      any = true;
    };
    let before = 0;
    return {
      before(at, ticks) {
        look(at, ticks, ticks);
        before = ticks;
      },
      frame(at, ticks) {
        look(at, before, ticks);
        before = ticks;
      },
      end() {
        for (const t of list) close(context, t, report);
      },
    };
  },
};

function keep(t: Turner, at: Pose): void {
  const o = 16 * t.node;
  for (let c = 0; c < 4; c++) for (let r = 0; r < 3; r++) t.was[3 * c + r] = at.world[o + 4 * c + r] as number;
  for (let i = 0; i < t.channels.length; i++) t.before[i] = at.values[t.channels[i] as number] as number;
}

/** Largest change of a turning channel since the frame before: whole turns a frame are told by it. */
function fastest(t: Turner, at: Pose): number {
  let most = 0;
  for (let i = 0; i < t.channels.length; i++) {
    const d = (at.values[t.channels[i] as number] as number) - (t.before[i] as number);
    if (Math.abs(d) > Math.abs(most)) most = d;
  }
  return most;
}

function judge(
  context: StepContext<"near">,
  t: Turner,
  at: Pose,
  from: number,
  to: number,
  report: Report,
  cannot: Cannot,
): void {
  const { shapes, thresholds } = context;
  if (!shapes) return;
  const channel = fastest(t, at);
  if (channel === 0) {
    close(context, t, report);
    return;
  }
  // R = now x before^T: only what stands in its diagonal and beside it is needed.
  const w = at.world;
  const o = 16 * t.node;
  let trace = 0;
  let scale = 0;
  const skew: Triple = [0, 0, 0];
  for (let c = 0; c < 3; c++) {
    const [nx, ny, nz] = [w[o + 4 * c] as number, w[o + 4 * c + 1] as number, w[o + 4 * c + 2] as number];
    const [bx, by, bz] = [t.was[3 * c] as number, t.was[3 * c + 1] as number, t.was[3 * c + 2] as number];
    trace += nx * bx + ny * by + nz * bz;
    scale += Math.sqrt((nx * nx + ny * ny + nz * nz) * (bx * bx + by * by + bz * bz));
    skew[0] += nz * by - ny * bz;
    skew[1] += nx * bz - nz * bx;
    skew[2] += ny * bx - nx * by;
  }
  if (scale === 0) return;
  const factor = 3 / scale;
  const angle = (Math.atan2((Math.hypot(...skew) * factor) / 2, (trace * factor - 1) / 2) * 180) / Math.PI;
  if (Math.max(angle, Math.abs(channel)) < SLOWEST) {
    close(context, t, report);
    return;
  }
  // A whole number of turns a frame has no axis of its own; the frames beside it have.
  const axis = normalised(skew);
  if (!axis) return;
  const local: Triple = [0, 1, 2].map((c) =>
    [0, 1, 2].reduce((sum, r) => sum + (w[o + 4 * c + r] as number) * nth(axis, r), 0),
  ) as Triple;
  // An axis that wanders is no wheel's; and the order about an axis is dear to find.
  const same = t.axis !== null && Math.abs(dot(t.axis, local)) > 0.9998 * lengthOf(local) * lengthOf(t.axis);
  t.steady = same ? t.steady + 1 : 1;
  t.axis = local;
  if (t.steady === 1) t.begun = from;
  if (t.steady < STEADY) {
    if (!same) close(context, t, report);
    return;
  }
  const order = shapes.orderOf(t.geometry, local);
  if (order < 2) {
    close(context, t, report);
    return;
  }
  if (!spins(t, shapes, at, cannot)) {
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
function spins(t: Turner, shapes: NonNullable<StepContext["shapes"]>, at: Pose, cannot: Cannot): boolean {
  if (!t.middle) {
    const g = shapes.geometries[t.geometry];
    if (!g) {
      cannot("no-mesh");
      return false;
    }
    t.middle = middleOf(g);
    const size = [0, 1, 2].map((k) => nth(g.bounds.max, k) - nth(g.bounds.min, k)) as Triple;
    t.radius = lengthOf(size) / 2;
  }
  const m = t.middle;
  const w = at.world;
  const o = 16 * t.node;
  let moved = 0;
  for (let r = 0; r < 3; r++) {
    const now =
      (w[o + r] as number) * m[0] +
      (w[o + 4 + r] as number) * m[1] +
      (w[o + 8 + r] as number) * m[2] +
      (w[o + 12 + r] as number);
    const was =
      (t.was[r] as number) * m[0] +
      (t.was[3 + r] as number) * m[1] +
      (t.was[6 + r] as number) * m[2] +
      (t.was[9 + r] as number);
    moved += (now - was) ** 2;
  }
  return Math.sqrt(moved) < 0.03 * t.radius;
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
