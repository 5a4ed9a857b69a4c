import { nth } from "../../core/math/packed";
import { type Block, LANE, type Lane, type Pin } from "./lanes";
import { BAND, firstPin, HEAD, type Scene } from "./paint";
import { lanesIn } from "./rows";
import { type SoundBlock, soundAt } from "./sounds";
import type { View } from "./view";

/** What lies under the pointer. */
export type Hit =
  | { what: "pin"; lane: Lane; pin: Pin; under: Pin[] }
  | { what: "lead"; lane: Lane; pin: Pin }
  | { what: "block"; lane: Lane; block: Block; edge: "start" | "end" | null }
  | { what: "still"; step: string; which: "before" | "after" }
  | { what: "step"; step: string }
  | { what: "marker"; at: number }
  | { what: "range"; edge: "from" | "to" }
  | { what: "scale"; edge: "start" | "end" }
  | { what: "ruler" }
  | { what: "sound"; block: SoundBlock; edge: "start" | "end" | null }
  | { what: "lane"; lane: Lane | null; row: number };

const NEAR = 6;

/** Finds what lies at a place of the canvas, CSS px. */
export function hitAt(s: Scene, view: View, x: number, y: number): Hit {
  const t = (x + view.left) / view.perTick;
  if (y < BAND) return bandHit(s, view, x);
  if (y < HEAD + 2 && y > HEAD - 11 && s.span) {
    if (Math.abs(x - (s.span.t1 * view.perTick - view.left)) < 6) return { what: "scale", edge: "end" };
    if (Math.abs(x - (s.span.t0 * view.perTick - view.left)) < 6) return { what: "scale", edge: "start" };
  }
  if (y < HEAD) return rulerHit(s, view, x);
  const i = Math.floor((y - HEAD + view.top) / LANE);
  const row = s.rows[i];
  if (row?.kind === "sound") {
    const found = soundAt(row.blocks, t, NEAR / view.perTick);
    return found ? { what: "sound", ...found } : { what: "lane", lane: null, row: i };
  }
  if (!row || row.kind === "group") return { what: "lane", lane: null, row: i };
  const { lane } = row;
  const inside = y - (HEAD + i * LANE - view.top);
  const { action } = s.steps;
  const near = NEAR / view.perTick;
  const under: Pin[] = [];
  for (let k = firstPin(lane.pins, action, t - near); k < lane.pins.length; k++) {
    const pin = lane.pins[k] as Pin;
    if (nth(action, pin.position) + pin.at > t + near) break;
    under.push(pin);
  }
  under.sort((a, b) => Math.abs(nth(action, a.position) + a.at - t) - Math.abs(nth(action, b.position) + b.at - t));
  if (under[0]) return { what: "pin", lane, pin: under[0], under };
  // The start of a lead can be drawn out in the lower half, where its fill begins.
  if (inside > LANE / 2) {
    const lead = lane.pins.find((p) => p.from < p.at && Math.abs(nth(action, p.position) + p.from - t) < near);
    if (lead) return { what: "lead", lane, pin: lead };
  }
  let best: { block: Block; edge: "start" | "end" | null } | null = null;
  for (const block of lane.blocks) {
    const a = nth(action, block.position) + block.t0;
    const b = nth(action, block.position) + block.t1;
    const w = (b - a) * view.perTick;
    const slack = w < 3 ? near : 0;
    if (t < a - near || t > b + near) continue;
    const edge = w > 14 && Math.abs(t - a) < near ? "start" : w > 6 && Math.abs(t - b) < near ? "end" : null;
    if (edge === null && (t < a - slack || t > b + slack)) continue;
    if (!best || block.t1 - block.t0 < best.block.t1 - best.block.t0) best = { block, edge };
  }
  return best ? { what: "block", lane, ...best } : { what: "lane", lane, row: i };
}

function bandHit(s: Scene, view: View, x: number): Hit {
  const { ids, start, action, still, end } = s.steps;
  const px = (t: number) => t * view.perTick - view.left;
  for (let i = 0; i < ids.length; i++) {
    const step = ids[i] as string;
    if (Math.abs(x - px(nth(end, i))) < 5 && x <= px(nth(end, i)) + 1) return { what: "still", step, which: "after" };
    const room = px(nth(still, i)) - px(nth(action, i));
    if (Math.abs(x - px(nth(action, i))) < 5 && room > 16 && x < px(nth(action, i)) + 3)
      return { what: "still", step, which: "before" };
    if (x >= px(nth(start, i)) && x < px(nth(end, i))) return { what: "step", step };
  }
  return { what: "ruler" };
}

function rulerHit(s: Scene, view: View, x: number): Hit {
  const px = (t: number) => t * view.perTick - view.left;
  for (let i = s.markers.length - 1; i >= 0; i--) {
    const m = s.markers[i] as Scene["markers"][number];
    if (x >= px(m.at) - 3 && x <= px(m.at) + 40) return { what: "marker", at: i };
  }
  if (s.range) {
    if (Math.abs(x - px(s.range.from)) < 5) return { what: "range", edge: "from" };
    if (Math.abs(x - px(s.range.to)) < 5) return { what: "range", edge: "to" };
  }
  return { what: "ruler" };
}

/** Pins and blocks inside a box of the canvas, CSS px. */
export function inBox(
  s: Scene,
  view: View,
  box: { x0: number; y0: number; x1: number; y1: number },
): { pins: Pin[]; blocks: Block[] } {
  const t0 = (Math.min(box.x0, box.x1) + view.left) / view.perTick;
  const t1 = (Math.max(box.x0, box.x1) + view.left) / view.perTick;
  const r0 = Math.max(0, Math.floor((Math.min(box.y0, box.y1) - HEAD + view.top) / LANE));
  const r1 = Math.min(s.rows.length - 1, Math.floor((Math.max(box.y0, box.y1) - HEAD + view.top) / LANE));
  const pins: Pin[] = [];
  const blocks: Block[] = [];
  const { action } = s.steps;
  for (let i = r0; i <= r1; i++) {
    // A closed row stands for all that is in it.
    for (const lane of lanesIn(s.rows[i])) {
      for (const p of lane.pins) {
        const at = nth(action, p.position) + p.at;
        if (at >= t0 && at <= t1) pins.push(p);
      }
      for (const b of lane.blocks) {
        const by = nth(action, b.position);
        if (b.t1 + by >= t0 && b.t0 + by <= t1) blocks.push(b);
      }
    }
  }
  return { pins, blocks };
}
