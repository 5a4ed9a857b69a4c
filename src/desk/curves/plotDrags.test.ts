import { afterEach, beforeEach, describe, expect, test, vi } from "vitest";
import { smallDesk } from "../../../tests/support/desk";
import { node, richFilm, richPreparation } from "../../../tests/support/richFilm";
import { cycleOf } from "../../core/program/spans";
import { TICKS_PER_SECOND } from "../../core/time/time";
import { pointOf } from "../acts/curveActions";
import type { Desk } from "../port";
import { reachOf, type Shown, shownChannels, valueText } from "./model";
import {
  endDrag,
  groundDrag,
  handleDrag,
  type PlotBox,
  type PlotSite,
  pointDrag,
  roomOf,
  type Told,
} from "./plotDrags";
import {
  bandsOf,
  HEAD_PX,
  type PlotView,
  pathOf,
  roomy,
  Scale,
  ticksOf,
  timeMarks,
  zoomed,
  zoomedValues,
} from "./plotView";

const S = TICKS_PER_SECOND;
const SIZE = { width: 858, height: 360 };
const BAND = { top: HEAD_PX, height: SIZE.height - HEAD_PX };
const VIEW: PlotView = { t0: 0, t1: 4 * S, zoom: 1, pan: 0 };
const key = (more: Partial<PointerEvent> = {}) => ({ shiftKey: false, altKey: false, ...more }) as PointerEvent;

let desk: Desk;
beforeEach(() => {
  vi.stubGlobal("cancelAnimationFrame", () => {});
  desk = smallDesk(richFilm(), richPreparation);
});
afterEach(() => vi.unstubAllGlobals());

/** The plot of the arm's channels as it is now, with what it was told last. */
function plot() {
  const shown = shownChannels(desk, [node("root/arm")]);
  const x = shown.find((s) => s.channel === "slide.x") as Shown;
  const scales = new Map(shown.map((s) => [s.id, new Scale(VIEW, SIZE.width, BAND, roomy(reachOf(s, 0, 4 * S)))]));
  const scaleOf = (s: Shown) => scales.get(s.id) as Scale;
  const out = { told: null as Told | null, box: null as PlotBox | null };
  const site: PlotSite = {
    desk,
    shown,
    scaleOf,
    main: scaleOf(x),
    snap: (t) => Math.round(t / (S / 30)) * (S / 30),
    tell: (t) => {
      out.told = t;
    },
    box: (b) => {
      out.box = b;
    },
  };
  const point = (id: string, s = x) => {
    const found = s.curve.keys.find((k) => k.key === id);
    if (!found) throw new Error(`no ${id}`);
    return found;
  };
  return { shown, x, site, out, scaleOf, point };
}
const value = (id: string) => plot().point(id).value;

describe("dragging a point", () => {
  test("takes it along in time and value, on frames, and tells both; one entry of undo", () => {
    const { site, x, out, scaleOf, point } = plot();
    const k = point("a1");
    const drag = pointDrag(site, x, k, false);
    expect(desk.state.points.map((p) => p.key)).toEqual(["a1"]);
    const px = scaleOf(x);
    drag.move(px.x(k.at + 0.21 * S) - px.x(k.at), px.y(k.value + 3) - px.y(k.value), key({ altKey: true }));
    expect(out.told?.text).toMatch(/ s · 15/);
    drag.end(true);
    // Only this channel was moved, so the point is an arrival of its own now, and still selected.
    const [after] = plot().x.curve.keys;
    if (!after) throw new Error("gone");
    expect(desk.state.points.map((p) => p.key)).toEqual([after.key]);
    expect(after.at).toBeCloseTo(k.at + 0.2 * S, -6);
    expect(after.value).toBeCloseTo(15, 6);
    desk.undo();
    expect(plot().point("a1")).toMatchObject({ at: k.at, value: k.value });
  });
  test("given up it leaves no trace", () => {
    const before = desk.body();
    const { site, x, point } = plot();
    const drag = pointDrag(site, x, point("a2"), false);
    drag.move(30, -40, key());
    drag.end(false);
    expect(desk.body()).toBe(before);
    expect(value("a2")).toBe(-8);
  });
  test("with Shift it keeps to the larger of the two, and a lock keeps to its own", () => {
    const { site, x, point } = plot();
    const k = point("a1");
    const drag = pointDrag(site, x, k, false);
    drag.move(40, 12, key({ shiftKey: true }));
    drag.end(true);
    expect(plot().x.curve.keys[0]?.value).toBe(k.value);
    desk.undo();
    desk.set({ curves: { ...desk.state.curves, lock: "value" } });
    const again = plot();
    const held = pointDrag(again.site, again.x, again.point("a1"), false);
    held.move(80, -30, key({ altKey: true }));
    held.end(true);
    const [moved] = plot().x.curve.keys;
    expect(moved?.at).toBe(k.at);
    expect(moved?.value).toBeGreaterThan(k.value);
  });
  test("a value near that of another point is taken over", () => {
    const { site, x, scaleOf, point } = plot();
    const k = point("a1");
    const drag = pointDrag(site, x, k, false);
    drag.move(0, scaleOf(x).y(20) - scaleOf(x).y(k.value) + 3, key());
    drag.end(true);
    expect(plot().x.curve.keys[0]?.value).toBe(20);
  });
  test("with more the point joins those selected, and once more it leaves them", () => {
    const { site, x, point } = plot();
    pointDrag(site, x, point("a1"), false);
    pointDrag(site, x, point("a2"), true);
    expect(desk.state.points.map((p) => p.key)).toEqual(["a1", "a2"]);
    pointDrag(site, x, point("a1"), true);
    expect(desk.state.points.map((p) => p.key)).toEqual(["a2"]);
  });
});

describe("dragging a handle", () => {
  test("sets how far it reaches and where it points; beyond the transition it is held and said", () => {
    const { site, x, scaleOf, out, point } = plot();
    const k = point("a2");
    const px = scaleOf(x);
    const length = k.segment.t1 - k.segment.t0;
    const drag = handleDrag(site, x, k, "arrive");
    drag.move(px.x(0.1 * length) - px.x(0), px.y(-2) - px.y(0), key());
    expect(out.told).toMatchObject({ held: false });
    drag.end(true);
    const shape = plot().point("a2").segment.arrive;
    expect(shape.share).toBeCloseTo(k.segment.arrive.share - 0.1, 2);
    expect(shape.value).toBeCloseTo(k.segment.arrive.value - 2, 1);
    const far = plot();
    handleDrag(far.site, far.x, far.point("a2"), "leave").move(4000, 0, key());
    expect(far.out.told).toMatchObject({ held: true, text: "held here: time does not run backward" });
  });
});

test("the end of a move drawn out does it again in whole cycles, and once when it is drawn back", () => {
  const { site, x, scaleOf, out } = plot();
  const last = x.curve.keys.filter((q) => q.move === x.curve.keys[0]?.move && q.step === x.curve.keys[0]?.step).at(-1);
  if (!last) throw new Error("no point");
  const move = () => desk.body().steps[last.step]?.moves[last.move];
  const own = move();
  if (!own) throw new Error("no move");
  const once = cycleOf(own, desk.body());
  const px = scaleOf(x);
  const far = px.x(2.1 * (once.t1 - once.t0)) - px.x(0);
  const drag = endDrag(site, x, last);
  drag.move(far, 0, key({ altKey: true }));
  expect(out.told?.text).toBe("3 times");
  drag.end(true);
  expect(move()?.repeat).toMatchObject({ times: 3 });
  const now = plot();
  const end = now.x.curve.keys.filter((q) => q.move === last.move && q.step === last.step).at(-1);
  if (!end) throw new Error("no point");
  const back = endDrag(now.site, now.x, end);
  back.move(-far, 0, key({ altKey: true }));
  expect(now.out.told?.text).toBe("once");
  back.end(true);
  expect(move()?.repeat).toBeUndefined();
});

test("a departure that no arrival comes before has a handle of its own to drag", () => {
  const { site, x, scaleOf, point } = plot();
  const k = point("a1");
  const px = scaleOf(x);
  const length = k.segment.t1 - k.segment.t0;
  const drag = handleDrag(site, x, k, "leave");
  drag.move(px.x(0.2 * length) - px.x(0), px.y(4) - px.y(0), key());
  drag.end(true);
  const after = plot().point("a1");
  expect(after.shape).toBe("handles");
  expect(after.segment.leave.share).toBeCloseTo(k.segment.leave.share + 0.2, 2);
  expect(after.segment.leave.value).toBeCloseTo(k.segment.leave.value + 4, 1);
  // It sets off from where it was and arrives where it did.
  expect([after.segment.from, after.segment.to]).toEqual([k.segment.from, k.segment.to]);
  expect(desk.state.undoLabel).toMatch(/^Handle of/);
});

describe("on the ground", () => {
  const frames = (t: number) => Math.round(t / (S / 30)) * (S / 30);
  test("the ruler takes the playhead along, no further than the sequence", () => {
    const { site } = plot();
    const drag = groundDrag(site, site.main.x(1.5 * S), 5, false, frames);
    expect(desk.state.ticks).toBe(1.5 * S);
    drag.move(-9000, 0, key());
    expect(desk.state.ticks).toBe(0);
    drag.end(true);
  });
  test("a box selects what is in it, whichever way it is drawn; a click selects nothing", () => {
    const { site, shown, scaleOf, out } = plot();
    const k = plot().point("a1");
    const own = scaleOf(shown.find((s) => s.channel === "slide.x") as Shown);
    const [px, py] = [own.x(k.at), own.y(k.value)];
    const drag = groundDrag(site, px + 12, py + 12, false, frames);
    drag.move(-24, -24, key());
    expect(out.box).toEqual({ x0: px + 12, y0: py + 12, x1: px - 12, y1: py - 12 });
    drag.end(true);
    expect(desk.state.points.some((p) => p.key === "a1" && p.channel === "slide.x")).toBe(true);
    groundDrag(site, 300, 200, false, frames).click?.();
    expect(desk.state.points).toEqual([]);
  });
});

describe("where a dragged point stops", () => {
  test("at the step's action and a frame from points that stay, and that is said", () => {
    const { site, out, x } = plot();
    const [a] = x.curve.keys;
    if (!a) throw new Error("no points");
    const drag = pointDrag(site, x, a, false);
    drag.move(-4000, 0, key());
    expect([out.told?.held, out.told?.text]).toEqual([true, "held here: the step's action begins"]);
    drag.move(4000, 0, key());
    expect(out.told?.text).toBe("held here: the next point");
    drag.end(true);
    const [first, next] = plot().x.curve.keys;
    expect((next?.at ?? 0) - (first?.at ?? 0)).toBeCloseTo(S / 30, -2);
    expect(plot().x.curve.keys).toHaveLength(x.curve.keys.length);
  });
});

test("a point has room to a frame behind one that stands where the action begins", () => {
  const start = { "slide.x": 3 };
  const of = (id: string, at: number, values: Record<string, number>) => [
    id,
    { id, at, lead: 0, ease: { kind: "soft", start: 0, stop: 0 } as const, values },
  ];
  desk.edit("At the beginning", (d) => {
    for (const m of Object.values(d.steps.s0?.moves ?? {}))
      if (m.kind === "hand" && m.target.type === "node" && m.target.key === "root/arm")
        m.keys = Object.fromEntries([of("first", 0, start), of("second", S / 2, { "slide.x": 8 })]);
  });
  const { site, x } = plot();
  const [first, second] = x.curve.keys;
  if (!first || !second) throw new Error("no points");
  expect(roomOf(site, [pointOf(x, second)])).toMatchObject({ before: "the point before", least: S / 30 - S / 2 });
  expect(roomOf(site, [pointOf(x, first)])).toMatchObject({
    before: "the step's action begins",
    behind: "the next point",
  });
  // Chosen together, neither is in the other's way.
  expect(roomOf(site, [pointOf(x, first), pointOf(x, second)]).before).toBe("the step's action begins");
});

describe("scales of the plot", () => {
  test("lead to px and back", () => {
    const s = new Scale({ t0: S, t1: 5 * S, zoom: 2.5, pan: 0.2 }, SIZE.width, BAND, { low: -10, high: 30 });
    for (const t of [S, 2.2 * S, 5 * S]) expect(s.t(s.x(t))).toBeCloseTo(t, 3);
    for (const v of [-10, 0, 17.5, 30]) expect(s.v(s.y(v))).toBeCloseTo(v, 9);
    expect(s.x(S)).toBe(58);
    expect(s.x(5 * S)).toBe(858);
  });
  test("strips lie one under the other, no lower than can be read; what does not fit is gone through", () => {
    const { bands, total } = bandsOf(3, SIZE, false, 0);
    expect(bands.map((b) => b.top)).toEqual([HEAD_PX, HEAD_PX + 108, HEAD_PX + 216]);
    expect(total).toBe(324);
    const many = bandsOf(10, SIZE, false, 1e6);
    expect(many.bands[0]?.height).toBe(56);
    // At the very end of the scroll the last strip ends where the plot ends.
    expect((many.bands[9]?.top ?? 0) + 56).toBe(SIZE.height);
    const over = bandsOf(10, SIZE, true, 50).bands;
    expect(new Set(over.map((b) => b.top))).toEqual(new Set([HEAD_PX]));
  });
  test("values zoom about the pointer's place", () => {
    const at = (v: PlotView) => new Scale(v, SIZE.width, BAND, { low: -10, high: 30 });
    const before = at(VIEW);
    const y = before.y(21);
    const after = at(zoomedValues(VIEW, before.share(y), 3));
    expect(after.v(y)).toBeCloseTo(21, 9);
    expect(after.v(y) - after.v(y + 10)).toBeCloseTo((before.v(y) - before.v(y + 10)) / 3, 9);
  });
  test("marks are round and inside what is seen; zooming stays about its place", () => {
    const marks = ticksOf(-7, 23, 6);
    expect(marks.every((v) => v >= -7 && v <= 23)).toBe(true);
    expect(marks).toContain(0);
    expect(new Set(marks.slice(1).map((v, i) => Math.round((v - (marks[i] ?? 0)) * 1e6) / 1e6)).size).toBe(1);
    const z = zoomed(VIEW, S, 0.5);
    expect([z.t1 - z.t0, (S - z.t0) / (z.t1 - z.t0)]).toEqual([2 * S, 0.25]);
    const seconds = timeMarks(VIEW, 800, { num: 30, den: 1 }, false);
    expect(seconds.length).toBeGreaterThan(2);
    expect(timeMarks(VIEW, 800, { num: 30, den: 1 }, true).every((m) => /^\d+/.test(m.text))).toBe(true);
    expect(roomy({ low: 3, high: 3 }).high).toBeGreaterThan(roomy({ low: 3, high: 3 }).low);
  });
  test("a path follows the curve", () => {
    const { x, scaleOf } = plot();
    const path = pathOf(x, VIEW, SIZE, scaleOf(x));
    expect(path.split(/[ML ]/).length).toBeGreaterThan(20);
    expect(path).not.toMatch(/NaN|undefined/);
    expect(valueText(x, 12)).toBe("12 mm");
  });
});
