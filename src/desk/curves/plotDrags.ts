import type { CurveKey } from "../../core/edit/curves/channel";
import { clampedHandle, moveCurveKeys, setHandle } from "../../core/edit/curves/edit";
import type { SequenceCommand } from "../../core/edit/sequenceCommands";
import { againUntil } from "../../core/edit/timing/afterwards";
import { formatSeconds, ticksPerFrame } from "../../core/time/time";
import { pointId, pointNames, pointOf, refsOf, selectPoints } from "../acts/curveActions";
import { actionStart } from "../acts/timingActions";
import type { Desk } from "../port";
import type { PointRef } from "../selection/refs";
import { samePoint } from "../selection/selection";
import { type Shown, valueText } from "./model";
import { HEAD_PX, type Scale } from "./plotView";

/** What follows a press on the plot until the pointer is let go of. Distances in px from where it was pressed. */
export interface PlotDrag {
  move(dx: number, dy: number, e: PointerEvent): void;
  /** `taken` is false when it was given up or never moved. */
  end(taken: boolean): void;
  click?(): void;
}

/** A rectangle that is drawn to select what is in it, px. */
export interface PlotBox {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
}

/** What is told beside the pointer while something is dragged; `held` where it cannot go on. */
export interface Told {
  x: number;
  y: number;
  text: string;
  held?: boolean;
}

/** What dragging knows of the plot. */
export interface PlotSite {
  desk: Desk;
  shown: readonly Shown[];
  scaleOf(s: Shown): Scale;
  /** The scale that time is read by. */
  main: Scale;
  /** A time on a frame, unless the key that lets go of frames is held. */
  snap(t: number, e: PointerEvent): number;
  tell(told: Told): void;
  box(box: PlotBox): void;
}

function finish(desk: Desk, command: SequenceCommand | null, label: string, after?: () => void): void {
  if (command && desk.edit(label, command)) after?.();
  else desk.preview(null);
}

/** What a drag may change: as it is set, or with Shift the larger of the two. */
function lockOf(desk: Desk, dx: number, dy: number, e: PointerEvent): Desk["state"]["curves"]["lock"] {
  if (e.shiftKey) return Math.abs(dx) > Math.abs(dy) ? "time" : "value";
  return desk.state.curves.lock;
}

/** How far points may go in time, ticks, and what is in the way on either side. */
interface Room {
  least: number;
  most: number;
  before: string;
  behind: string;
}

/**
 * The room that points have in time: not before their step's action, and not onto points of their channels that stay
 * where they are, from which they keep a frame.
 */
export function roomOf(site: Pick<PlotSite, "desk" | "shown">, points: readonly PointRef[]): Room {
  const { desk } = site;
  const frame = ticksPerFrame(desk.sequence.rate);
  const room: Room = { least: Number.NEGATIVE_INFINITY, most: Number.POSITIVE_INFINITY, before: "", behind: "" };
  const chosen = new Set(points.map(pointId));
  for (const s of site.shown) {
    const { keys } = s.curve;
    keys.forEach((k, i) => {
      if (!chosen.has(pointId(pointOf(s, k)))) return;
      const begin = actionStart(desk)(k.step) - k.at;
      if (begin > room.least) Object.assign(room, { least: begin, before: "the step's action begins" });
      const stays = (q: CurveKey | undefined) => q !== undefined && !chosen.has(pointId(pointOf(s, q)));
      const [a, b] = [keys[i - 1], keys[i + 1]];
      if (a && stays(a) && a.step === k.step && a.at + frame - k.at > room.least)
        Object.assign(room, { least: Math.min(0, a.at + frame - k.at), before: "the point before" });
      if (b && stays(b) && b.step === k.step && b.at - frame - k.at < room.most)
        Object.assign(room, { most: Math.max(0, b.at - frame - k.at), behind: "the next point" });
    });
  }
  return room;
}

/** Dragging points: time and value, or the one that is not locked. With `more` the point joins those selected. */
export function pointDrag(site: PlotSite, s: Shown, k: CurveKey, more: boolean): PlotDrag {
  const { desk, shown, scaleOf } = site;
  const own = pointOf(s, k);
  const was = desk.state.points.some((x) => samePoint(x, own));
  if (more) selectPoints(desk, [own], "toggle");
  else if (!was) selectPoints(desk, [own]);
  const scale = scaleOf(s);
  let command: SequenceCommand | null = null;
  let moved: ReturnType<typeof moveCurveKeys> | null = null;
  let room: Room | null = null;
  return {
    click: () => {
      if (!was || more) return;
      // Points that lie under one another are reached one after the other.
      const under = (x: Shown) =>
        x.curve.keys.filter(
          (q) =>
            Math.abs(scaleOf(x).x(q.at) - scale.x(k.at)) < 5 && Math.abs(scaleOf(x).y(q.value) - scale.y(k.value)) < 5,
        );
      const near = shown.flatMap((x) => under(x).map((q) => pointOf(x, q)));
      const at = near.findIndex((p) => samePoint(p, own));
      selectPoints(desk, [near[(at + 1) % near.length] ?? own]);
    },
    move: (dx, dy, e) => {
      const lock = lockOf(desk, dx, dy, e);
      room ??= roomOf(site, desk.state.points);
      const asked = lock === "value" ? k.at : site.snap(scale.t(scale.x(k.at) + dx), e);
      const at = k.at + Math.max(room.least, Math.min(room.most, asked - k.at));
      const held = at === asked ? null : asked < at ? room.before : room.behind;
      let rise = lock === "time" ? 0 : scale.v(scale.y(k.value) + dy) - k.value;
      // A value near that of another point of the channel is taken over.
      if (!e.altKey && rise !== 0) {
        const same = s.curve.keys.find((q) => q !== k && Math.abs(scale.y(q.value) - scale.y(k.value + rise)) < 5);
        rise = (same ? same.value : Number((k.value + rise).toPrecision(5))) - k.value;
      }
      moved = moveCurveKeys(refsOf(desk.state.points), { by: at - k.at, rise });
      if (desk.preview(moved.command) === null) command = moved.command;
      const value = k.value + rise;
      const where = `${formatSeconds(at)} s · ${valueText(s, value, 3)}`;
      site.tell({
        ...{ x: scale.x(at), y: scale.y(value), text: held ? `held here: ${held}` : where },
        held: held !== null,
      });
    },
    end: (taken) => {
      const before = desk.state.points;
      finish(desk, taken ? command : null, `Move ${pointNames(desk, before)}`, () => {
        const targets = before.map((p: PointRef) => p.target);
        const refs = moved?.refs.flatMap((r, i) => (targets[i] ? [{ ...r, target: targets[i] }] : [])) ?? [];
        if (refs.length > 0) selectPoints(desk, refs);
      });
    },
  };
}

/** Dragging a handle of a transition: how far it reaches in time, and where it points to. */
export function handleDrag(site: PlotSite, s: Shown, k: CurveKey, side: "leave" | "arrive"): PlotDrag {
  const { desk } = site;
  const scale = site.scaleOf(s);
  const length = k.segment.t1 - k.segment.t0;
  const handle = k.segment[side];
  const base = side === "leave" ? { t: k.segment.t0, v: k.segment.from } : { t: k.segment.t1, v: k.segment.to };
  const sign = side === "leave" ? 1 : -1;
  const at = { t: base.t + sign * handle.share * length, v: base.v + handle.value };
  let command: SequenceCommand | null = null;
  return {
    move: (dx, dy, e) => {
      const lock = lockOf(desk, dx, dy, e);
      const t = lock === "value" ? at.t : scale.t(scale.x(at.t) + dx);
      const v = lock === "time" ? at.v : scale.v(scale.y(at.v) + dy);
      const { handle: next, held } = clampedHandle({ share: (sign * (t - base.t)) / length, value: v - base.v });
      command = setHandle(desk.program, s.target, pointOf(s, k), side, next);
      desk.preview(command);
      const text = held
        ? "held here: time does not run backward"
        : `${Math.round(next.share * 100)} % of the way · ${valueText(s, next.value, 2)}`;
      site.tell({ x: scale.x(base.t + sign * next.share * length), y: scale.y(v), text, held });
    },
    end: (taken) => finish(desk, taken ? command : null, `Handle of ${s.name}`),
  };
}

/**
 * The end of a move by hand, drawn out beyond its last point: it is done again, as often as there is room; drawn back
 * it is done once.
 */
export function endDrag(site: PlotSite, s: Shown, k: CurveKey): PlotDrag {
  const { desk } = site;
  const scale = site.scaleOf(s);
  const action = actionStart(desk)(k.step);
  let command: SequenceCommand | null = null;
  return {
    move: (dx, _dy, e) => {
      const t = scale.t(scale.x(k.at) + dx);
      const again = againUntil(desk.body(), k, site.snap(t, e) - action);
      command = again.command;
      desk.preview(command);
      site.tell({
        x: scale.x(t),
        y: scale.y(k.value),
        text: again.times === 1 ? "once" : `${again.times} times`,
        held: false,
      });
    },
    end: (taken) => finish(desk, taken ? command : null, `Afterwards of ${s.owner}`),
  };
}

/** A press on the ground: on the ruler it takes the playhead along, below it draws a box round points. */
export function groundDrag(
  site: PlotSite,
  x0: number,
  y0: number,
  add: boolean,
  snap: (t: number) => number,
): PlotDrag {
  const { desk, shown, scaleOf, main } = site;
  if (y0 < HEAD_PX) {
    desk.pause();
    const to = (x: number) => desk.seek(snap(Math.max(0, Math.min(desk.program.steps.length, main.t(x)))));
    to(x0);
    return { move: (dx) => to(x0 + dx), end: () => {} };
  }
  let last: PlotBox | null = null;
  return {
    click: () => !add && selectPoints(desk, []),
    move: (dx, dy) => {
      last = { x0, y0, x1: x0 + dx, y1: y0 + dy };
      site.box(last);
    },
    end: (taken) => {
      if (!taken || !last) return;
      const [a, b] = [Math.min(last.x0, last.x1), Math.max(last.x0, last.x1)];
      const [c, d] = [Math.min(last.y0, last.y1), Math.max(last.y0, last.y1)];
      const within = (v: number, low: number, high: number) => v >= low && v <= high;
      const inside = shown.flatMap((s) => {
        const scale = scaleOf(s);
        return s.curve.keys
          .filter((k) => within(scale.x(k.at), a, b) && within(scale.y(k.value), c, d))
          .map((k) => pointOf(s, k));
      });
      selectPoints(desk, inside, add ? "add" : "set");
    },
  };
}
