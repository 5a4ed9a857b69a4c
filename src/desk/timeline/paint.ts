import { nth } from "../../core/math/packed";
import type { FrameRate } from "../../core/time/time";
import { formatSecondsShort, TICKS_PER_SECOND, ticksPerFrame } from "../../core/time/time";
import type { Heard } from "../sounds/soundFile";
import { paintComments, type SaidAt } from "./comments";
import { type Found, paintFindings } from "./findings";
import { LANE, type Lane, type Pin } from "./lanes";
import type { TimelineRow } from "./rows";
import { paintSounds } from "./sounds";
import type { Inks, View } from "./view";

export const BAND = 30;
export const RULER = 20;
export const HEAD = BAND + RULER;
/** Width of the lanes' names, px. */
export const NAMES = 156;

/** Everything that is drawn, as plain data; `shift` is what is being dragged. */
export interface Scene {
  rows: readonly TimelineRow[];
  /** Start of each step's action, its start, end of action and end, ticks. */
  steps: {
    ids: readonly string[];
    start: Float64Array;
    action: Float64Array;
    still: Float64Array;
    end: Float64Array;
    length: number;
  };
  titles: readonly string[];
  focusStep: string | null;
  rate: FrameRate;
  range: { from: number; to: number } | null;
  markers: readonly { id: string; name: string; at: number; chosen: boolean }[];
  pending: readonly number[];
  outside: readonly { t0: number; t1: number }[];
  /** Open findings of the proof. */
  findings: readonly Found[];
  /** Open comments of the review. */
  said: readonly SaidAt[];
  /** Id of the lane that shows what is outside the picture. */
  outsideLane: string;
  /** Names of live cameras from times on, on the lane of cuts. */
  live: readonly { at: number; name: string }[];
  pins: ReadonlySet<string>;
  moves: ReadonlySet<string>;
  hover: string | null;
  shift: number;
  box: { x0: number; y0: number; x1: number; y1: number } | null;
  guide: { at: number; label: string } | null;
  goal: number | null;
  /** Sound files by asset, and the recording that is chosen. */
  heard: Readonly<Record<string, Heard>>;
  sound: string | null;
  /** From the first beginning to the last end of several selected things, whose ends can be drawn out; ticks. */
  span: { t0: number; t1: number } | null;
}

export const pinId = (p: { step: string; move: string; key: string }): string => `${p.step}\n${p.key}`;
export const moveId = (m: { step: string; move: string }): string => `${m.step}\n${m.move}`;

const MONO = '10.5px "IBM Plex Mono", monospace';
const SANS = '11.5px "IBM Plex Sans", sans-serif';
/** Ruler steps, seconds. */
const SECONDS = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1800];

/** Draws the timeline: lanes below, the steps and the ruler over them. The canvas is in CSS px. */
export function paint(ctx: CanvasRenderingContext2D, s: Scene, view: View, inks: Inks): void {
  ctx.clearRect(0, 0, view.width, view.height);
  ctx.textBaseline = "middle";
  const first = Math.max(0, Math.floor(view.top / LANE));
  const last = Math.min(s.rows.length - 1, Math.floor((view.top + view.height - HEAD) / LANE));
  const t0 = view.left / view.perTick;
  const t1 = (view.left + view.width) / view.perTick;
  ctx.save();
  ctx.beginPath();
  ctx.rect(0, HEAD, view.width, view.height - HEAD);
  ctx.clip();
  for (let i = first; i <= last; i++) {
    const row = s.rows[i] as TimelineRow;
    const y = HEAD + i * LANE - view.top;
    if (row.kind === "group") {
      ctx.fillStyle = inks.sunken;
      ctx.globalAlpha = 0.5;
      ctx.fillRect(0, y, view.width, LANE - 1);
      ctx.globalAlpha = 1;
    }
    ctx.fillStyle = inks.hairline;
    ctx.fillRect(0, y + LANE - 1, view.width, 1);
    if (row.kind === "sound") paintSounds(ctx, row.blocks, s.heard, s.sound, y, view, inks);
    else if (row.kind === "lane") lane(ctx, s, row.lane, y, view, inks, t0, t1);
    else if (row.open) for (const l of row.lanes) hint(ctx, s, l, y, view, inks, t0, t1);
    else for (const l of row.lanes) lane(ctx, s, l, y, view, inks, t0, t1, true);
  }
  stepEdges(ctx, s, view, inks);
  for (const t of s.pending) {
    const x = Math.round(t * view.perTick - view.left) + 0.5;
    ctx.strokeStyle = inks.working;
    ctx.setLineDash([4, 3]);
    line(ctx, x, HEAD, x, view.height);
    ctx.setLineDash([]);
  }
  shade(ctx, s, view, inks, HEAD, view.height);
  ctx.restore();
  band(ctx, s, view, inks, t0, t1);
  ruler(ctx, s, view, inks, t0, t1);
  paintFindings(ctx, s.findings, view, inks, HEAD);
  paintComments(ctx, s.said, view, inks, HEAD - 5);
  if (s.guide) {
    const x = Math.round(s.guide.at * view.perTick - view.left) + 0.5;
    ctx.strokeStyle = inks.working;
    ctx.lineWidth = 1;
    line(ctx, x, BAND, x, view.height);
    ctx.font = MONO;
    const width = ctx.measureText(s.guide.label).width + 8;
    const left = Math.min(x + 3, view.width - width - 2);
    ctx.fillStyle = inks.working;
    ctx.fillRect(left, HEAD + 2, width, 15);
    ctx.fillStyle = inks.sheet;
    ctx.fillText(s.guide.label, left + 4, HEAD + 10);
  }
  if (s.box) {
    const { x0, y0, x1, y1 } = s.box;
    ctx.fillStyle = inks.pale;
    ctx.globalAlpha = 0.5;
    ctx.fillRect(Math.min(x0, x1), Math.min(y0, y1), Math.abs(x1 - x0), Math.abs(y1 - y0));
    ctx.globalAlpha = 1;
    ctx.strokeStyle = inks.working;
    ctx.strokeRect(Math.min(x0, x1) + 0.5, Math.min(y0, y1) + 0.5, Math.abs(x1 - x0), Math.abs(y1 - y0));
  }
}

function line(ctx: CanvasRenderingContext2D, x0: number, y0: number, x1: number, y1: number): void {
  ctx.beginPath();
  ctx.moveTo(x0, y0);
  ctx.lineTo(x1, y1);
  ctx.stroke();
}

/** The first pin of a lane at or after a time of the sequence. */
export function firstPin(pins: readonly Pin[], action: Float64Array, t: number): number {
  let lo = 0;
  let hi = pins.length;
  while (lo < hi) {
    const mid = (lo + hi) >> 1;
    const p = pins[mid] as Pin;
    if (nth(action, p.position) + p.at < t) lo = mid + 1;
    else hi = mid;
  }
  return lo;
}

function lane(
  ctx: CanvasRenderingContext2D,
  s: Scene,
  l: Lane,
  y: number,
  view: View,
  inks: Inks,
  t0: number,
  t1: number,
  closed = false,
): void {
  const { action } = s.steps;
  const { perTick, left } = view;
  const tone = l.target.type === "camera" || l.target.type === "picture" ? inks.camera : inks.working;
  for (const b of l.blocks) {
    const chosen = s.moves.has(`${b.step}\n${b.move}`);
    const by = nth(action, b.position) + (chosen ? s.shift : 0);
    if (b.t1 + by < t0 || b.t0 + by > t1) continue;
    const x = (b.t0 + by) * perTick - left;
    const w = Math.max(3, (b.t1 - b.t0) * perTick);
    ctx.fillStyle = chosen ? inks.pale : inks.sunken;
    ctx.fillRect(x + 0.5, y + 2.5, w - 1, LANE - 6);
    ctx.strokeStyle = b.clash ? inks.brick : chosen || s.hover === `${b.step}\n${b.move}` ? inks.working : "#8d8f8c";
    ctx.lineWidth = chosen ? 2 : 1;
    if (b.clash) ctx.setLineDash([3, 2]);
    ctx.strokeRect(x + 0.5, y + 2.5, w - 1, LANE - 6);
    ctx.setLineDash([]);
    ctx.lineWidth = 1;
    // Where each cycle of a repeated one begins anew.
    const once = b.once - b.t0;
    if (b.once < b.t1 && once * perTick > 4) {
      ctx.strokeStyle = inks.soft;
      for (let t = b.once; t < b.t1 - 1; t += once) {
        const cx = Math.round((t + by) * perTick - left) + 0.5;
        line(ctx, cx, y + 3, cx, y + 9);
      }
    }
  }
  motion(ctx, s, l, y, view, tone, t0, t1);
  if (l.target.type === "picture") {
    ctx.font = SANS;
    ctx.fillStyle = inks.ink;
    for (const c of s.live) ctx.fillText(c.name, Math.max(2, c.at * perTick - left + 6), y + LANE / 2);
  }
  if (l.id === s.outsideLane) {
    ctx.fillStyle = inks.brick;
    for (const o of s.outside)
      if (o.t1 > t0 && o.t0 < t1) ctx.fillRect(o.t0 * perTick - left, y + 1, Math.max(2, (o.t1 - o.t0) * perTick), 3);
  }
  if (!closed) pins(ctx, s, l, y, view, inks, t0, t1);
}

/** The fill: blank where it is still, as high as it is fast. */
function motion(
  ctx: CanvasRenderingContext2D,
  s: Scene,
  l: Lane,
  y: number,
  view: View,
  tone: string,
  t0: number,
  t1: number,
): void {
  const { action } = s.steps;
  const { perTick, left } = view;
  const foot = y + LANE - 1;
  const high = LANE - 9;
  ctx.fillStyle = tone;
  ctx.strokeStyle = tone;
  for (const m of l.stretches) {
    const by = nth(action, m.position);
    if (m.t1 + by < t0 || m.t0 + by > t1) continue;
    const x = (m.t0 + by) * perTick - left;
    const w = (m.t1 - m.t0) * perTick;
    const n = m.course.length - 1;
    if (w < 2) {
      // Too narrow for a shape: thousands of them are a line of rectangles.
      const top = foot - 3 - nth(m.course, n >> 1) * m.scale * high;
      ctx.globalAlpha = 0.3;
      ctx.fillRect(x, top, w, foot - top);
      ctx.globalAlpha = 0.55;
      ctx.fillRect(x, top - 0.5, w, 1);
      continue;
    }
    ctx.beginPath();
    ctx.moveTo(x, foot);
    for (let i = 0; i <= n; i++) ctx.lineTo(x + (w * i) / n, foot - 3 - nth(m.course, i) * m.scale * high);
    ctx.lineTo(x + w, foot);
    ctx.globalAlpha = 0.3;
    ctx.fill();
    ctx.globalAlpha = 0.55;
    ctx.stroke();
  }
  for (const r of l.runs) {
    const end = nth(action, r.position) + r.at;
    const other = r.to ? nth(action, r.to.position) + r.to.at : r.after ? s.steps.length : 0;
    const [a, b] = r.after ? [end, other] : [other, end];
    if (b <= a || b < t0 || a > t1) continue;
    const x0 = Math.max(-4, a * perTick - left);
    const x1 = Math.min(view.width + 4, b * perTick - left);
    const top = foot - 3 - r.speed * high;
    ctx.globalAlpha = 0.14;
    ctx.fillRect(x0, top, x1 - x0, foot - top);
    ctx.globalAlpha = 0.7;
    ctx.setLineDash([5, 3]);
    line(ctx, x0, top, x1, top);
    ctx.setLineDash([]);
  }
  ctx.globalAlpha = 1;
}

/** On the row of an open sub-assembly only where something of it moves. */
function hint(
  ctx: CanvasRenderingContext2D,
  s: Scene,
  l: Lane,
  y: number,
  view: View,
  inks: Inks,
  t0: number,
  t1: number,
): void {
  ctx.fillStyle = inks.working;
  ctx.globalAlpha = 0.22;
  for (const m of l.stretches) {
    const by = nth(s.steps.action, m.position);
    if (m.t1 + by < t0 || m.t0 + by > t1) continue;
    ctx.fillRect((m.t0 + by) * view.perTick - view.left, y + LANE - 8, Math.max(1, (m.t1 - m.t0) * view.perTick), 4);
  }
  ctx.globalAlpha = 1;
}

function pins(
  ctx: CanvasRenderingContext2D,
  s: Scene,
  l: Lane,
  y: number,
  view: View,
  inks: Inks,
  t0: number,
  t1: number,
): void {
  const { action } = s.steps;
  const edge = 8 / view.perTick + Math.abs(s.shift);
  for (let i = firstPin(l.pins, action, t0 - edge); i < l.pins.length; i++) {
    const p = l.pins[i] as Pin;
    const at = nth(action, p.position) + p.at;
    if (at > t1 + edge) break;
    const id = `${p.step}\n${p.key}`;
    const chosen = s.pins.has(id);
    const x = (at + (chosen || s.moves.has(`${p.step}\n${p.move}`) ? s.shift : 0)) * view.perTick - view.left;
    ctx.strokeStyle = chosen ? inks.working : p.shortened ? inks.brick : inks.ink;
    ctx.lineWidth = 1.2;
    line(ctx, x, y + 9, x, y + LANE - 1);
    ctx.beginPath();
    ctx.arc(x, y + 7, chosen || s.hover === id ? 4.4 : 3.6, 0, 2 * Math.PI);
    ctx.fillStyle = chosen ? inks.working : inks.sheet;
    ctx.fill();
    ctx.lineWidth = p.shortened ? 2 : 1.4;
    ctx.stroke();
  }
  ctx.lineWidth = 1;
}

function stepEdges(ctx: CanvasRenderingContext2D, s: Scene, view: View, inks: Inks): void {
  ctx.strokeStyle = inks.hairline;
  for (let i = 0; i < s.steps.ids.length; i++) {
    const x = Math.round(nth(s.steps.end, i) * view.perTick - view.left) + 0.5;
    if (x >= 0 && x <= view.width) line(ctx, x, HEAD, x, view.height);
  }
}

/** The span of several selected things, as a bracket under the ruler: its ends scale them. */
function bracket(ctx: CanvasRenderingContext2D, t0: number, t1: number, view: View, inks: Inks): void {
  const [a, b] = [t0 * view.perTick - view.left, t1 * view.perTick - view.left];
  ctx.fillStyle = inks.working;
  ctx.fillRect(a, HEAD - 4, b - a, 2);
  for (const x of [a, b]) {
    ctx.beginPath();
    ctx.roundRect(x - 3, HEAD - 9, 6, 9, 2);
    ctx.fill();
  }
}

/** Darkens what lies outside the range that is played. */
function shade(ctx: CanvasRenderingContext2D, s: Scene, view: View, inks: Inks, y0: number, y1: number): void {
  if (!s.range) return;
  const a = s.range.from * view.perTick - view.left;
  const b = s.range.to * view.perTick - view.left;
  ctx.fillStyle = inks.ink;
  ctx.globalAlpha = 0.1;
  if (a > 0) ctx.fillRect(0, y0, Math.min(view.width, a), y1 - y0);
  if (b < view.width) ctx.fillRect(Math.max(0, b), y0, view.width - Math.max(0, b), y1 - y0);
  ctx.globalAlpha = 1;
}

function band(ctx: CanvasRenderingContext2D, s: Scene, view: View, inks: Inks, t0: number, t1: number): void {
  const { start, action, still, end, ids } = s.steps;
  const { perTick, left } = view;
  ctx.fillStyle = inks.paper;
  ctx.fillRect(0, 0, view.width, BAND);
  for (let i = 0; i < ids.length; i++) {
    const [a, b, c, d] = [start[i], action[i], still[i], end[i]] as [number, number, number, number];
    if (d < t0 || a > t1) continue;
    const x = a * perTick - left;
    const w = Math.max(2, (d - a) * perTick);
    const focused = s.focusStep === ids[i];
    ctx.fillStyle = inks.sheet;
    ctx.strokeStyle = focused ? inks.working : inks.hairline;
    ctx.lineWidth = focused ? 2 : 1;
    ctx.beginPath();
    ctx.roundRect(x + 1, 1, w - 2, BAND - 4, 3);
    ctx.fill();
    // A still is a pale gap that carries its length.
    ctx.fillStyle = inks.sunken;
    ctx.font = MONO;
    for (const [from, to] of [
      [a, b],
      [c, d],
    ] as const) {
      const gap = (to - from) * perTick;
      if (gap < 1) continue;
      ctx.fillStyle = inks.sunken;
      ctx.fillRect(from * perTick - left + 1.5, 2, gap - 3, BAND - 6);
      if (gap < 30) continue;
      ctx.fillStyle = inks.soft;
      ctx.textAlign = "center";
      ctx.fillText(formatSecondsShort(to - from), (from * perTick - left + to * perTick - left) / 2, BAND / 2);
      ctx.textAlign = "left";
    }
    ctx.beginPath();
    ctx.roundRect(x + 1, 1, w - 2, BAND - 4, 3);
    ctx.stroke();
    ctx.lineWidth = 1;
    const room0 = Math.max(0, b * perTick - left);
    const room = Math.min(view.width, c * perTick - left) - room0 - 10;
    if (room < 14) continue;
    ctx.font = SANS;
    ctx.fillStyle = inks.ink;
    ctx.fillText(fitted(ctx, `${i + 1} ${s.titles[i] ?? ""}`, room), room0 + 5, BAND / 2 - 0.5);
  }
}

const widths = new Map<string, number>();
/** A text cut to a width, with an ellipsis. Widths are remembered, for measuring is slow. */
function fitted(ctx: CanvasRenderingContext2D, text: string, room: number): string {
  const measure = (t: string) => {
    const known = widths.get(t);
    if (known !== undefined) return known;
    if (widths.size > 4000) widths.clear();
    const w = ctx.measureText(t).width;
    widths.set(t, w);
    return w;
  };
  if (measure(text) <= room) return text;
  let n = Math.min(text.length - 1, Math.max(0, Math.floor((text.length * room) / measure(text))));
  while (n > 0 && measure(`${text.slice(0, n)}…`) > room) n--;
  return n > 0 ? `${text.slice(0, n)}…` : "";
}

function ruler(ctx: CanvasRenderingContext2D, s: Scene, view: View, inks: Inks, t0: number, t1: number): void {
  const { perTick, left, width } = view;
  ctx.fillStyle = inks.paper;
  ctx.fillRect(0, BAND, width, RULER);
  ctx.fillStyle = inks.hairline;
  ctx.fillRect(0, HEAD - 1, width, 1);
  ctx.font = MONO;
  ctx.strokeStyle = "#b9b2a0";
  ctx.fillStyle = inks.soft;
  const per = ticksPerFrame(s.rate);
  const mark = (t: number, label: string) => {
    const x = Math.round(t * perTick - left) + 0.5;
    line(ctx, x, HEAD - 6, x, HEAD - 1);
    if (label) ctx.fillText(label, x + 3, BAND + RULER / 2 - 1);
  };
  if (per * perTick >= 9) {
    // Frames can be told apart: the ruler counts them.
    const every = [1, 2, 5, 10, 20].find((n) => n * per * perTick >= 46) ?? 25;
    for (let f = Math.max(0, Math.floor(t0 / per)); f * per <= t1; f++) mark(f * per, f % every === 0 ? `${f} f` : "");
  } else {
    const every = (SECONDS.find((n) => n * TICKS_PER_SECOND * perTick >= 62) ?? 3600) * TICKS_PER_SECOND;
    for (let n = Math.max(0, Math.floor(t0 / every)); n * every <= t1; n++)
      mark(n * every, String(Number(((n * every) / TICKS_PER_SECOND).toFixed(2))));
  }
  if (s.range) {
    const a = s.range.from * perTick - left;
    const b = s.range.to * perTick - left;
    ctx.fillStyle = inks.working;
    ctx.globalAlpha = 0.5;
    ctx.fillRect(a, BAND, b - a, 3);
    ctx.globalAlpha = 1;
    for (const x of [a, b - 3]) ctx.fillRect(x, BAND, 3, RULER - 1);
  }
  if (s.span) bracket(ctx, s.span.t0 + s.shift, s.span.t1 + s.shift, view, inks);
  shade(ctx, s, view, inks, BAND, HEAD);
  for (const t of s.pending) {
    ctx.fillStyle = inks.working;
    ctx.font = `600 ${SANS}`;
    ctx.fillText("pending", t * perTick - left + 4, BAND + RULER / 2);
  }
  ctx.font = SANS;
  for (const m of s.markers) {
    const x = Math.round(m.at * perTick - left) + 0.5;
    if (x < -120 || x > width) continue;
    const text = fitted(ctx, m.name, 110);
    const w = ctx.measureText(text).width + 8;
    ctx.fillStyle = m.chosen ? inks.pale : "#fff8dc";
    ctx.strokeStyle = m.chosen ? inks.working : inks.ink;
    ctx.lineWidth = 0.8;
    ctx.beginPath();
    ctx.roundRect(x, BAND + 2, w, RULER - 6, 2);
    ctx.fill();
    ctx.stroke();
    ctx.lineWidth = 1;
    line(ctx, x, BAND + 2, x, HEAD);
    ctx.fillStyle = inks.ink;
    ctx.fillText(text, x + 4, BAND + RULER / 2 - 0.5);
  }
  if (s.goal !== null) {
    const x = Math.round(s.goal * perTick - left) + 0.5;
    ctx.strokeStyle = inks.brick;
    ctx.setLineDash([2, 2]);
    line(ctx, x, BAND, x, view.height);
    ctx.setLineDash([]);
  }
}
