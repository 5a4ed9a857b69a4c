import { invertedAffine, multiplied, transformPoint } from "../math/mat4";
import { nth } from "../math/packed";
import { cross, dot, lengthOf, minus, normalised, plus, shifted, type Triple, times } from "../math/triple";
import type { Body } from "./bodies";
import { lineLength } from "./chains";
import type { Mask } from "./mask";
import { type Projection, WIDE } from "./projection";
import { travelFrom } from "./screw";

/** An arrow in a picture, units of the drawing. */
export interface Arrow {
  /** Its shaft, from the tail to the tip: x y x y … */
  points: Float64Array;
  /** Whether it has a tip at its beginning, too: what moves there and back. */
  both: boolean;
  /** What it is drawn from. */
  of: "slide" | "turn";
  body: Body;
}

/** Sizes, units of the drawing. */
export const ARROW = { shaft: 5.5, tip: 21, halfTip: 9 } as const;
/** Room beside an arrow, to what acts and to other arrows. */
const GAP = 4;
const ROOM = ARROW.halfTip + GAP;
/** Room to the edge of the picture. */
const EDGE = 12;
const LEAST = 34;
const MOST = 210;
/** What moves less than this in the picture has no direction in it. */
const HARDLY = 9;
/** Widest sweep of a curved arrow, degrees, and its least. */
const SWEEP = 300;
const LEAST_SWEEP = 24;
/** So many bodies have arrows, those that move farthest. */
export const MOST_ARROWS = 24;
/** Where something comes back to within this share of how far it went, it goes there and back. */
const BACK = 0.15;

/**
 * Arrows along what moves in a picture: straight ones for what slides, curved ones about the axis for what turns, both
 * for what is screwed. Directions, axes and angles are the motion's; where there is no room for all of its length, an
 * arrow is shorter. None covers what acts, leaves the picture or meets another: each is tried in places beside the way
 * that it shows, nearest first, and left out where none is free.
 * @param moment number of the moment that the picture shows, among those of the motion: before the last, arrows say
 *   what comes; at the last, what was
 * @param mask what acts, in this picture; arrows are added to it @param parent of each node; -1 for none
 * @returns the arrows, and the bodies that have none for want of room
 */
export function arrowsOf(
  bodies: readonly Body[],
  moment: number,
  view: Projection,
  mask: Mask,
  parent: ArrayLike<number>,
): { arrows: Arrow[]; without: Body[] } {
  const room = new Room(mask, view.high);
  const ways = bodies
    .map((body) => ({ body, way: wayOf(body, carrierOf(body, bodies, parent), moment) }))
    .sort((a, b) => b.way.reach - a.way.reach);
  const arrows: Arrow[] = [];
  const without: Body[] = [];
  for (const { body, way } of ways) {
    const own: Arrow[] = [];
    if (arrows.length < MOST_ARROWS) {
      const slide = way.slides ? slideArrow(way, view, room) : null;
      if (slide) own.push(room.take({ points: slide, both: way.backSlide, of: "slide", body }));
      const turn = way.axis ? turnArrow(way, view, room) : null;
      if (turn) own.push(room.take({ points: turn, both: way.backTurn, of: "turn", body }));
    }
    if (own.length === 0) without.push(body);
    arrows.push(...own);
  }
  return { arrows, without };
}

/** The way of a body as a picture shows it. */
interface Way {
  /** Corners of its bounds at the picture's moment. */
  corners: Triple[];
  /** Its middle along the way that is shown, without turning. */
  path: Triple[];
  axis: { point: Triple; direction: Triple } | null;
  /** Degrees about the axis, from and to, against the picture's moment. */
  sweep: readonly [number, number];
  /** Whether the arrow leads to where it is in the picture; else on from there. */
  arrives: boolean;
  slides: boolean;
  backSlide: boolean;
  backTurn: boolean;
  /** How far it goes, mm. */
  reach: number;
}

/** @param carrier what carries the body along and moves itself: its own arrows say what it does */
function wayOf(body: Body, carrier: Body | null, moment: number): Way {
  const { bounds } = body;
  const last = body.motion.length - 1;
  const now = body.motion[Math.min(moment, last)] as readonly number[];
  const corners = Array.from({ length: 8 }, (_, c) =>
    transformPoint(now, [0, 1, 2].map((k) => nth(bounds, k + ((c >> k) & 1 ? 3 : 0))) as Triple),
  );
  const middle = times(
    corners.reduce<Triple>((a, b) => plus(a, b), [0, 0, 0]),
    1 / 8,
  );
  const size = Math.max(...corners.map((c) => lengthOf(minus(c, middle))), 1e-6);
  const { turning, path } = travelFrom(ownMotion(body, carrier, moment), moment, middle, size);
  const arrives = moment >= last;
  const most = farthest(path);
  const turned = turning?.turned ?? [0];
  const [low, high] = [Math.min(...turned), Math.max(...turned)];
  const [first, end] = [nth(turned, 0), nth(turned, turned.length - 1)];
  const backTurn = turning !== null && Math.abs(end - first) < BACK * (high - low);
  return {
    ...{ corners, path, arrives, backTurn, axis: turning?.axis ?? null },
    sweep: backTurn ? [low, high] : [first, end],
    slides: most.far > (turning ? 0.12 : 1e-6) * size,
    backSlide: most.back,
    reach: Math.max(most.far, ((high - low) * Math.PI * size) / 180),
  };
}

/** The motion of a body since a moment, as if what carries it stood where it is then. */
function ownMotion(body: Body, carrier: Body | null, moment: number): number[][] {
  const back = invertedAffine(body.motion[moment] as readonly number[]);
  return body.motion.map((m, k) => {
    const since = multiplied(m, back);
    const carried = carrier?.motion[k];
    if (!carried) return since;
    return multiplied(multiplied(carrier.motion[moment] as readonly number[], invertedAffine(carried)), since);
  });
}

/** The nearest body whose root holds that of another. */
function carrierOf(body: Body, bodies: readonly Body[], parent: ArrayLike<number>): Body | null {
  for (let n = nth(parent, body.root); n >= 0; n = nth(parent, n)) {
    const found = bodies.find((b) => b !== body && b.root === n);
    if (found) return found;
  }
  return null;
}

/** How far a path goes from where it begins, and whether it comes back. */
function farthest(path: readonly Triple[]): { far: number; at: number; back: boolean } {
  const first = path[0] as Triple;
  const away = path.map((p) => lengthOf(minus(p, first)));
  const far = Math.max(...away);
  return { far, at: away.indexOf(far), back: nth(away, away.length - 1) < BACK * far };
}

/** What is free of what acts and of other arrows. */
class Room {
  constructor(
    private readonly mask: Mask,
    private readonly high: number,
  ) {}

  free(x: number, y: number): boolean {
    return x >= EDGE && y >= EDGE && x <= WIDE - EDGE && y <= this.high - EDGE && this.mask.distance(x, y) >= ROOM;
  }

  /** Whether a line is, everywhere. */
  allFree(points: ArrayLike<number>): boolean {
    for (let i = 0; i + 3 < points.length; i += 2) {
      const [ax, ay, bx, by] = [nth(points, i), nth(points, i + 1), nth(points, i + 2), nth(points, i + 3)];
      const n = Math.max(1, Math.ceil(Math.hypot(bx - ax, by - ay) / 4));
      for (let k = 0; k <= n; k++) if (!this.free(ax + ((bx - ax) * k) / n, ay + ((by - ay) * k) / n)) return false;
    }
    return true;
  }

  take(arrow: Arrow): Arrow {
    this.mask.line(arrow.points, 2 * ARROW.halfTip);
    return arrow;
  }
}

/** How far a way may bend from a straight line before its arrow follows it, share of its length. */
const BENT = 0.08;

/** An arrow along what slides: on its way where that bends and is free, else straight. */
function slideArrow(way: Way, view: Projection, room: Room): Float64Array | null {
  const places = way.path.flatMap((p) => view.place(p) ?? []);
  if (places.length < 2 * way.path.length) return null;
  return (way.backSlide ? null : bentArrow(places, way.arrives, room)) ?? straightArrow(way, view, room);
}

/** The longest free piece of a way that bends, the end of it that is far from what moves if there are two alike. */
function bentArrow(places: readonly number[], arrives: boolean, room: Room): Float64Array | null {
  const line = respaced(places, 4);
  const n = line.length / 2;
  if (n < 3) return null;
  const [ax, ay, bx, by] = [nth(line, 0), nth(line, 1), nth(line, 2 * n - 2), nth(line, 2 * n - 1)];
  const long = Math.hypot(bx - ax, by - ay);
  let off = 0;
  for (let i = 0; i < n; i++)
    off = Math.max(
      off,
      Math.abs((nth(line, 2 * i) - ax) * (by - ay) - (nth(line, 2 * i + 1) - ay) * (bx - ax)) / (long || 1),
    );
  if (off < BENT * long || off < 2 * HARDLY) return null;
  let best: readonly [number, number] = [0, 0];
  let begun = -1;
  for (let i = 0; i <= n; i++) {
    const free = i < n && room.free(nth(line, 2 * i), nth(line, 2 * i + 1));
    if (free && begun < 0) begun = i;
    if (free || begun < 0) continue;
    const longer = i - begun - (best[1] - best[0]);
    if (longer > 0 || (longer === 0 && !arrives)) best = [begun, i];
    begun = -1;
  }
  const points = line.slice(2 * best[0], 2 * best[1]);
  return points.length >= 4 && lineLength(points) >= 1.5 * LEAST ? points : null;
}

/** A line as points so far apart. */
function respaced(line: readonly number[], step: number): Float64Array {
  const out: number[] = [nth(line, 0), nth(line, 1)];
  let left = step;
  for (let i = 2; i + 1 < line.length; i += 2) {
    const [ax, ay] = [nth(line, i - 2), nth(line, i - 1)];
    const [dx, dy] = [nth(line, i) - ax, nth(line, i + 1) - ay];
    const long = Math.hypot(dx, dy);
    let at = left;
    for (; at <= long; at += step) out.push(ax + (dx * at) / long, ay + (dy * at) / long);
    left = at - long;
  }
  return Float64Array.from(out);
}

/** A straight arrow along a way: on the way itself before or behind what moves, or beside it. */
function straightArrow(way: Way, view: Projection, room: Room): Float64Array | null {
  const { path } = way;
  const [from, to] = way.backSlide
    ? [path[0] as Triple, path[farthest(path).at] as Triple]
    : [path[0] as Triple, path[path.length - 1] as Triple];
  const [a, b] = [view.place(from), view.place(to)];
  if (!a || !b) return null;
  const long = Math.hypot(b[0] - a[0], b[1] - a[1]);
  if (long < HARDLY) return null;
  const [ux, uy] = [(b[0] - a[0]) / long, (b[1] - a[1]) / long];
  const here = way.arrives ? b : a;
  // What moves as a box along and across the way, about where it is.
  const box = extents(way.corners, view, here, ux, uy);
  if (!box) return null;
  const full = Math.max(LEAST, Math.min(MOST, long));
  // Lanes: on the way, and beside what moves on either side, farther and farther out.
  const lanes = [0];
  for (const out of [ROOM, 2.5 * ROOM, 5 * ROOM, 9 * ROOM]) lanes.push(box.right + out, box.left - out);
  for (const share of [0.35, 0.7]) lanes.push(share * box.right, share * box.left);
  let best = null as { points: Float64Array; cost: number } | null;
  for (const share of [1, 0.75, 0.55, 0.4]) {
    const length = full * share;
    if (length < LEAST) break;
    for (const lane of lanes) {
      const beside = lane > box.right || lane < box.left;
      for (let j = 0; j <= 10; j++) {
        // On its own lane it begins where what moves ends; beside it, it may lie anywhere along it.
        const ahead = way.arrives ? box.back - ROOM - length - j * 14 : box.front + ROOM + j * 14;
        const along = beside ? middleOf(way.arrives, box, length) + spread(j) * 16 : ahead;
        const x = here[0] + along * ux - lane * uy;
        const y = here[1] + along * uy + lane * ux;
        const cost =
          (1 - share) * 120 +
          Math.abs(lane) * 0.6 +
          Math.abs(along - (way.arrives ? -length : 0)) * 0.25 +
          (beside ? 12 : 0);
        if (best && cost >= best.cost) continue;
        const points = Float64Array.of(x, y, x + length * ux, y + length * uy);
        if (room.allFree(points)) best = { points, cost };
      }
    }
    if (best) break;
  }
  return best?.points ?? null;
}

/** Beside what moves an arrow lies level with it, and a little on the way. */
const middleOf = (arrives: boolean, box: { front: number; back: number }, length: number) =>
  (box.front + box.back) / 2 - length / 2 + (arrives ? -1 : 1) * 0.25 * (box.front - box.back);

/** 0 1 -1 2 -2 … */
const spread = (j: number) => (j % 2 === 1 ? (j + 1) / 2 : -j / 2);

/** How far corners reach along and across a direction from a place, in the picture. */
function extents(
  corners: readonly Triple[],
  view: Projection,
  [hx, hy]: readonly [number, number],
  ux: number,
  uy: number,
): { front: number; back: number; left: number; right: number } | null {
  const out = { front: -1e9, back: 1e9, left: 1e9, right: -1e9 };
  for (const c of corners) {
    const p = view.place(c);
    if (!p) return null;
    const along = (p[0] - hx) * ux + (p[1] - hy) * uy;
    const across = -(p[0] - hx) * uy + (p[1] - hy) * ux;
    out.front = Math.max(out.front, along);
    out.back = Math.min(out.back, along);
    out.right = Math.max(out.right, across);
    out.left = Math.min(out.left, across);
  }
  return out;
}

const STARTS = [0, 1, -1, 2, -2, 3, -3, 4, -4, 5, -5, 6, -6, 7, -7, 8, -8, 9, -9, 10, -10, 11, -11, 12];
/** Where a curved arrow may be, from where it is best on: how far out, where along its axis, and where it begins. */
const TURN_PLACES = [1.06, 1.2, 0.8, 0.55, 1.45, 1.8, 2.4, 3.2]
  .flatMap((out, i) =>
    [0, 1, 2, 3, 4].flatMap((level) =>
      STARTS.map((start, s) => ({ out, level, start, cost: 5 * i + 3 * level + 4 * s })),
    ),
  )
  .sort((a, b) => a.cost - b.cost);
/** Degrees between two places of a curved arrow that are tried. */
const START_STEP = 15;

/** A curved arrow about an axis: outside of what turns, at one of some places along the axis. */
function turnArrow(way: Way, view: Projection, room: Room): Float64Array | null {
  const axis = way.axis as NonNullable<Way["axis"]>;
  const d = axis.direction;
  // What turns, about its axis: how far out it reaches, where along, and where its farthest corner is.
  let [low, high, radius] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY, 0];
  let hand: Triple = [0, 0, 0];
  for (const c of way.corners) {
    const off = minus(c, axis.point);
    const z = dot(off, d);
    const out = shifted(off, d, -z);
    low = Math.min(low, z);
    high = Math.max(high, z);
    if (lengthOf(out) <= radius) continue;
    radius = lengthOf(out);
    hand = out;
  }
  // About its middle, what it is farthest out at is the middle of it: a lid's far edge and not one of its corners.
  const middle = way.corners.reduce<Triple>((a, c) => plus(a, times(c, 1 / 8)), [0, 0, 0]);
  const off = minus(middle, axis.point);
  const outward = shifted(off, d, -dot(off, d));
  const x = normalised(lengthOf(outward) > 0.15 * radius ? outward : hand) ?? normalised(cross(d, [1, 0, 0]) as Triple);
  if (!x || radius < 1e-6) return null;
  const y = cross(d, x);
  const [from, to] = way.sweep;
  const sense = to >= from ? 1 : -1;
  const whole = Math.min(SWEEP, Math.max(LEAST_SWEEP, Math.abs(to - from)));
  // Where it begins: on from where what turns is, or up to it.
  const begin = way.backTurn ? from : way.arrives ? -sense * whole : 0;
  const levels = [(low + high) / 2, high, low, high + 0.15 * (high - low), low - 0.15 * (high - low)];
  for (const share of [1, 0.8, 0.6, 0.4, 0.25, 0.15]) {
    const sweep = whole * share;
    if (sweep < Math.min(LEAST_SWEEP, whole)) break;
    // Shorter than the way, an arrow that arrives still ends at what turns.
    const first = begin + (way.arrives && !way.backTurn ? sense * (whole - sweep) : 0);
    for (const { out, level, start } of TURN_PLACES) {
      const at = first + start * START_STEP;
      const around = { out: out * radius, level: nth(levels, level), at, by: sense * sweep };
      const points = arc(axis.point, d, x, y, around, view);
      // Whether it folds is asked last: it takes longest.
      if (points && lineLength(points) >= LEAST && room.allFree(points) && !folds(points)) return points;
    }
  }
  return null;
}

/** A part of a circle about an axis, as it is seen. */
function arc(
  point: Triple,
  d: Triple,
  x: Triple,
  y: Triple,
  a: { out: number; level: number; at: number; by: number },
  view: Projection,
): Float64Array | null {
  const n = Math.max(8, Math.ceil(Math.abs(a.by) / 4));
  const points = new Float64Array(2 * (n + 1));
  for (let k = 0; k <= n; k++) {
    const t = ((a.at + (a.by * k) / n) * Math.PI) / 180;
    const p = plus(shifted(point, d, a.level), plus(times(x, a.out * Math.cos(t)), times(y, a.out * Math.sin(t))));
    const seen = view.place(p);
    if (!seen) return null;
    points.set(seen, 2 * k);
  }
  return points;
}

/** Whether a curve bends so sharply that its two arms run into one another, as a circle does that is seen from its side. */
function folds(points: Float64Array): boolean {
  const n = points.length / 2;
  const room = 2 * ARROW.halfTip;
  for (let i = 0; i < n; i++) {
    let along = 0;
    for (let j = i + 1; j < n; j++) {
      along += Math.hypot(nth(points, 2 * j) - nth(points, 2 * j - 2), nth(points, 2 * j + 1) - nth(points, 2 * j - 1));
      const straight = Math.hypot(
        nth(points, 2 * j) - nth(points, 2 * i),
        nth(points, 2 * j + 1) - nth(points, 2 * i + 1),
      );
      if (along > 3 * room && straight < room) return true;
      if (along > 2 * LEAST && straight < 0.35 * along && along < 4 * room) return true;
    }
  }
  return false;
}
