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
export const AXIS_PX = 58;
/** Room above the highest value, for the names of the steps, and below the lowest. */
const ABOVE = 26;
const BELOW = 14;

/** Values and times to px and back, for one channel's scale. */
export class Scale {
  private readonly span: number;
  constructor(
    private readonly view: PlotView,
    private readonly size: Size,
    private readonly range: Range,
  ) {
    this.span = range.high - range.low || 1;
  }
  x(t: number): number {
    return AXIS_PX + ((t - this.view.t0) / (this.view.t1 - this.view.t0)) * (this.size.width - AXIS_PX);
  }
  t(x: number): number {
    return this.view.t0 + ((x - AXIS_PX) / (this.size.width - AXIS_PX)) * (this.view.t1 - this.view.t0);
  }
  private get inner(): number {
    return this.size.height - RULER_PX - ABOVE - BELOW;
  }
  y(v: number): number {
    return (
      RULER_PX +
      ABOVE +
      (1 - (((v - this.range.low) / this.span - 0.5) * this.view.zoom + 0.5 + this.view.pan)) * this.inner
    );
  }
  v(y: number): number {
    return (
      this.range.low +
      ((1 - (y - RULER_PX - ABOVE) / this.inner - this.view.pan - 0.5) / this.view.zoom + 0.5) * this.span
    );
  }
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

/** A channel's curve as the points of a polyline, exact at its edges. */
export function pathOf(s: Pick<Shown, "reader">, view: PlotView, size: Size, scale: Scale): string {
  const out: string[] = [];
  const n = Math.max(20, Math.round((size.width - AXIS_PX) / 2));
  const times: number[] = [];
  for (let i = 0; i <= n; i++) times.push(view.t0 + ((view.t1 - view.t0) * i) / n);
  for (const e of s.reader.edges()) if (e > view.t0 && e < view.t1) times.push(e - 1, e);
  times.sort((a, b) => a - b);
  for (const t of times) out.push(`${scale.x(t).toFixed(1)},${scale.y(s.reader.at(t)).toFixed(2)}`);
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
