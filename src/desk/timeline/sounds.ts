import type { Sequence } from "../../core/document/sequence";
import type { Sound } from "../../core/document/sounds";
import { nth } from "../../core/math/packed";
import type { StepTable } from "../../core/program/layout";
import { PEAKS_PER_SECOND } from "../../core/sound/peaks";
import { soundSpans } from "../../core/sound/schedule";
import { formatSecondsShort, TICKS_PER_SECOND } from "../../core/time/time";
import type { Heard } from "../sounds/soundFile";
import { LANE } from "./lanes";
import type { Inks, View } from "./view";

/** A recording on its lane; times are ticks of the sequence. */
export interface SoundBlock {
  sound: Sound;
  t0: number;
  t1: number;
  /** Where its step ends: a voice that goes on talks into the next. Beyond everything for music. */
  until: number;
  /** How much lies beyond the end of the sequence, ticks. */
  lost: number;
}

/** Lanes of sounds: voices first, then music; none where there are none. */
export function soundRows(
  sequence: Sequence,
  steps: StepTable,
): { kind: "sound"; id: "voice" | "music"; blocks: SoundBlock[] }[] {
  const blocks = soundSpans(sequence, steps).map(({ sound, start, end, lost }) => {
    const step = sound.role === "voice" && sound.step !== null ? steps.position.get(sound.step) : undefined;
    const until = step === undefined ? Number.POSITIVE_INFINITY : nth(steps.end, step);
    return { sound, t0: start, t1: Math.max(end, start + 1), until, lost };
  });
  return (["voice", "music"] as const).flatMap((id) => {
    const own = blocks.filter((b) => b.sound.role === id);
    return own.length > 0 ? [{ kind: "sound" as const, id, blocks: own }] : [];
  });
}

/** What lies under a time of a sound lane; of several that lie over one another the one that was drawn last. */
export function soundAt(
  blocks: readonly SoundBlock[],
  t: number,
  near: number,
): { block: SoundBlock; edge: "start" | "end" | null } | null {
  for (let i = blocks.length - 1; i >= 0; i--) {
    const block = blocks[i] as SoundBlock;
    if (t < block.t0 - near || t > block.t1 + near) continue;
    const wide = block.t1 - block.t0 > 3 * near;
    if (wide && Math.abs(t - block.t0) < near) return { block, edge: "start" };
    if (wide && Math.abs(t - block.t1) < near && !block.sound.repeat) return { block, edge: "end" };
    if (t >= block.t0 && t <= block.t1) return { block, edge: null };
  }
  return null;
}

/** Draws a lane of sounds: each as its waveform, in brick where a voice goes on after its step. */
export function paintSounds(
  ctx: CanvasRenderingContext2D,
  blocks: readonly SoundBlock[],
  heard: Readonly<Record<string, Heard>>,
  chosen: string | null,
  y: number,
  view: View,
  inks: Inks,
): void {
  for (const b of blocks) {
    const x0 = b.t0 * view.perTick - view.left;
    const x1 = Math.max(x0 + 3, b.t1 * view.perTick - view.left);
    if (x1 < 0 || x0 > view.width) continue;
    const selected = b.sound.id === chosen;
    ctx.fillStyle = selected ? inks.pale : inks.sheet;
    ctx.fillRect(x0 + 0.5, y + 1.5, x1 - x0 - 1, LANE - 4);
    ctx.globalAlpha = b.sound.on ? 1 : 0.35;
    const file = heard[b.sound.asset];
    if (file?.state === "ready") wave(ctx, b, file.peaks, x0, x1, y, view, inks);
    ctx.globalAlpha = 1;
    ctx.strokeStyle = b.lost > 0 || file?.state === "failed" ? inks.brick : selected ? inks.working : inks.soft;
    ctx.lineWidth = selected ? 2 : 1;
    if (!b.sound.on || file?.state === "failed") ctx.setLineDash([3, 2]);
    ctx.strokeRect(x0 + 0.5, y + 1.5, x1 - x0 - 1, LANE - 4);
    ctx.setLineDash([]);
    ctx.lineWidth = 1;
  }
}

function wave(
  ctx: CanvasRenderingContext2D,
  b: SoundBlock,
  peaks: Float32Array,
  x0: number,
  x1: number,
  y: number,
  view: View,
  inks: Inks,
): void {
  const { sound } = b;
  const middle = y + LANE / 2 - 0.5;
  const high = LANE / 2 - 3;
  const own = sound.to - sound.from;
  const loud = 10 ** (sound.volume / 20);
  const perPeak = TICKS_PER_SECOND / PEAKS_PER_SECOND;
  const first = Math.max(0, Math.floor(x0));
  const last = Math.min(view.width, Math.ceil(x1));
  const over = b.until * view.perTick - view.left;
  for (let x = first; x < last; x++) {
    const into = (x + view.left) / view.perTick - b.t0;
    if (into < 0) continue;
    const at = sound.from + (sound.repeat ? into % own : into);
    const a = Math.floor(at / perPeak);
    const z = Math.max(a + 1, Math.floor((at + 1 / view.perTick) / perPeak));
    let low = 0;
    let top = 0;
    for (let i = a; i < z && 2 * i + 1 < peaks.length; i++) {
      low = Math.min(low, peaks[2 * i] as number);
      top = Math.max(top, peaks[2 * i + 1] as number);
    }
    ctx.fillStyle = x >= over ? inks.brick : sound.role === "music" ? inks.camera : inks.working;
    const up = Math.min(1, top * loud) * high;
    const down = Math.min(1, -low * loud) * high;
    ctx.fillRect(x, middle - up, 1, Math.max(1, up + down));
  }
}

/** What a recording is, and what of it is not as it should be. */
export function soundTitle({ sound: s, t1, until, lost }: SoundBlock): string {
  const out = [`${s.name}: ${formatSecondsShort(s.to - s.from)} s${s.on ? "" : ", switched off"}.`];
  if (lost > 0) out.push(`${formatSecondsShort(lost)} s lie beyond the end of the sequence and are not heard.`);
  else if (t1 > until) out.push(`It goes on for ${formatSecondsShort(t1 - until)} s after its step.`);
  return out.join(" ");
}
