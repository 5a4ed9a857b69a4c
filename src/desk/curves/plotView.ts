import { nth } from "../../core/math/packed";
import { type FrameRate, TICKS_PER_SECOND, ticksPerFrame } from "../../core/time/time";
import type { Shown } from "./model";

/** What part of time and value is seen. */
export interface PlotView {
  t0: number;
  t1: number;
  /** 1 shows all values; more zooms in. */
  zoom: number;
  /** Moved up by so many heights. */
  pan: number;
}

export interface Range {
  low: number;
  high: number;
}

export interface Size {
  width: number;
  height: number;
}

export const RULER_PX = 20;
/** Height of the ruler with the names of the steps under it: nothing is plotted there. */
export const HEAD_PX = 36;
export const AXIS_PX = 58;
/** Room above the highest value of a band and below its lowest, px. */
const ABOVE = 20;
const BELOW = 8;
/** Least height of a strip: less would show no shape. */
const STRIP_PX = 56;

/** Where on the plot a channel is drawn, px from its top. */
export interface Band {
  top: number;
  height: number;
}

/** Strips one under the other, or all on one ground. @returns the bands and how tall they are together */
export function bandsOf(
  count: number,
  size: Size,
  overlaid: boolean,
  scroll: number,
): { bands: Band[]; total: number } {
  const room = Math.max(1, size.height - HEAD_PX);
  if (overlaid || count <= 1)
    return { bands: Array.from({ length: count }, () => ({ top: HEAD_PX, height: room })), total: room };
  const height = Math.max(STRIP_PX, Math.floor(room / count));
  const total = height * count;
  const from = Math.min(Math.max(0, scroll), Math.max(0, total - room));
  return { bands: Array.from({ length: count }, (_, i) => ({ top: HEAD_PX + i * height - from, height })), total };
}

/** Values and times to px and back, for one channel's scale in its band. */
export class Scale {
  private readonly span: number;
  constructor(
    private readonly view: PlotView,
    private readonly width: number,
    readonly band: Band,
    private readonly range: Range,
  ) {
    this.span = range.high - range.low || 1;
  }
  x(t: number): number {
    return AXIS_PX + ((t - this.view.t0) / (this.view.t1 - this.view.t0)) * (this.width - AXIS_PX);
  }
  t(x: number): number {
    return this.view.t0 + ((x - AXIS_PX) / (this.width - AXIS_PX)) * (this.view.t1 - this.view.t0);
  }
  private get inner(): number {
    return Math.max(1, this.band.height - ABOVE - BELOW);
  }
  /** A place between the lowest (0) and the highest that is seen (1). */
  share(y: number): number {
    return 1 - (y - this.band.top - ABOVE) / this.inner;
  }
  y(v: number): number {
    return (
      this.band.top +
      ABOVE +
      (1 - (((v - this.range.low) / this.span - 0.5) * this.view.zoom + 0.5 + this.view.pan)) * this.inner
    );
  }
  v(y: number): number {
    return this.range.low + ((this.share(y) - this.view.pan - 0.5) / this.view.zoom + 0.5) * this.span;
  }
  /** The lowest and the highest value that is seen. */
  seen(): Range {
    return { low: this.v(this.band.top + this.band.height - 2), high: this.v(this.band.top + 2) };
  }
}

/** Zooms values about a place of their band (0 lowest, 1 highest), which keeps its value. */
export function zoomedValues(v: PlotView, about: number, factor: number): PlotView {
  const zoom = Math.min(200, Math.max(0.2, v.zoom * factor));
  return { ...v, zoom, pan: about - 0.5 - ((about - 0.5 - v.pan) * zoom) / v.zoom };
}

/** A range with something to see in it. */
export function roomy({ low, high }: Range): Range {
  if (!(high > low)) {
    const around = Math.max(1, Math.abs(low) * 0.1);
    return { low: (Number.isFinite(low) ? low : 0) - around, high: (Number.isFinite(high) ? high : 0) + around };
  }
  return { low, high };
}

/** Round numbers across a range, about so many. */
export function ticksOf(low: number, high: number, about: number): number[] {
  const raw = (high - low) / Math.max(1, about);
  if (!(raw > 0) || !Number.isFinite(raw)) return [];
  const power = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map((m) => m * power).find((s) => s >= raw) ?? raw;
  const out: number[] = [];
  for (let v = Math.ceil(low / step) * step; v <= high + step * 1e-9; v += step)
    out.push(Math.abs(v) < step * 1e-9 ? 0 : v);
  return out;
}

/** Marks of the time axis, with what is written beside them. */
export function timeMarks(
  view: PlotView,
  width: number,
  rate: FrameRate,
  frames: boolean,
): { t: number; text: string }[] {
  const unit = frames ? ticksPerFrame(rate) : TICKS_PER_SECOND;
  const list = ticksOf(view.t0 / unit, view.t1 / unit, Math.max(2, width / 80));
  return list
    .filter((v) => !frames || Number.isInteger(Math.round(v * 1e6) / 1e6))
    .map((v) => ({ t: v * unit, text: frames ? `${Math.round(v)} f` : `${Number(v.toFixed(3))}` }));
}

/**
 * A channel's curve as the points of a polyline, exact at its edges. Where there are more edges than pixels the lowest
 * and the highest value of each pixel stand for what is in it.
 */
export function pathOf(s: Pick<Shown, "reader">, view: PlotView, size: Size, scale: Scale): string {
  const out: string[] = [];
  const put = (t: number, v: number) => out.push(`${scale.x(t).toFixed(1)},${scale.y(v).toFixed(2)}`);
  const n = Math.max(20, Math.round((size.width - AXIS_PX) / 2));
  const at = (i: number) => view.t0 + ((view.t1 - view.t0) * i) / n;
  const edges = s.reader.edges();
  let e = edges.findIndex((t) => t > view.t0);
  if (e < 0) e = edges.length;
  for (let i = 0; i <= n; i++) {
    const t = at(i);
    put(t, s.reader.at(t));
    const end = i < n ? at(i + 1) : t;
    const from = e;
    while (e < edges.length && nth(edges, e) < end) e++;
    if (e - from <= 4) {
      for (let k = from; k < e; k++) {
        const edge = nth(edges, k);
        put(edge - 1, s.reader.at(edge - 1));
        put(edge, s.reader.at(edge));
      }
      continue;
    }
    let [low, high] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
    for (let k = from; k < e; k++) {
      const v = s.reader.at(nth(edges, k));
      low = Math.min(low, v);
      high = Math.max(high, v);
    }
    put(t, low);
    put(t, high);
  }
  return out.join(" ");
}

/** Zooms time about a moment; never shorter than two frames at 240 a second, never before the start. */
export function zoomed(v: PlotView, about: number, factor: number): PlotView {
  const least = TICKS_PER_SECOND / 120;
  const span = Math.max(least, (v.t1 - v.t0) * factor);
  const k = span / (v.t1 - v.t0);
  const t0 = Math.max(0, about - (about - v.t0) * k);
  return { ...v, t0, t1: t0 + span };
}
