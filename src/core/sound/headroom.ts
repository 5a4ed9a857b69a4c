import { type Sound, VOLUME_LEAST } from "../document/sounds";
import { nth } from "../math/packed";
import { TICKS_PER_SECOND } from "../time/time";
import { type Envelope, gainAt } from "./envelope";
import { MIX_RATE, Mixer, type Pcm } from "./mix";
import { PEAKS_PER_SECOND } from "./peaks";
import type { PlacedSound } from "./schedule";

/** A sound file's samples at the rate of the mix, and the lowest and highest of each stretch of its waveform. */
export interface Waveform {
  pcm: Pcm;
  peaks: Float32Array;
}

/** Music gets softer or louder by at most so much within a stretch: its ramps take a quarter of a second. */
const RAMP = 1 / (0.25 * PEAKS_PER_SECOND);
/** Stretches that are mixed at most; where more might be the loudest, what their waveforms allow for is taken. */
const MIXED_MOST = 200;
const STRETCH = MIX_RATE / PEAKS_PER_SECOND;

/**
 * What everything is lowered by so that nothing of the whole clips, 0 to 1; 1 leaves it. What a file of the whole is
 * lowered by, without mixing all of it: waveforms bound what each stretch can come to, and only those that might be the
 * loudest are mixed, the most promising first.
 *
 * @param waveOf what is at hand of an asset; what is not is not heard either
 */
export function headroom(placed: readonly PlacedSound[], waveOf: (asset: string) => Waveform | null): number {
  const end = Math.max(0, ...placed.map((p) => p.end));
  const bounds = new Float32Array(Math.ceil((end / TICKS_PER_SECOND) * PEAKS_PER_SECOND) + 1);
  for (const p of placed) {
    const wave = waveOf(p.sound.asset);
    if (wave) bound(p, wave.peaks, bounds);
  }
  const loud: number[] = [];
  for (let i = 0; i < bounds.length; i++) if (nth(bounds, i) > 1) loud.push(i);
  if (loud.length === 0) return 1;
  loud.sort((a, b) => nth(bounds, b) - nth(bounds, a));
  const mixer = new Mixer(placed, (asset) => waveOf(asset)?.pcm ?? null);
  let most = 1;
  for (const [n, i] of loud.entries()) {
    if (nth(bounds, i) <= most) break;
    most = Math.max(most, n < MIXED_MOST ? mixer.peak(i * STRETCH, (i + 1) * STRETCH) : nth(bounds, i));
  }
  return 1 / most;
}

/** Adds to each stretch the most that a sound can come to in it. */
function bound({ sound, start, end, fade, duck }: PlacedSound, peaks: Float32Array, bounds: Float32Array): void {
  const per = PEAKS_PER_SECOND / TICKS_PER_SECOND;
  const volume = loudestOf(fade);
  const own = Math.max(1, (sound.to - sound.from) * per);
  const first = Math.floor(start * per);
  const last = Math.min(bounds.length - 1, Math.floor(end * per));
  for (let i = first; i <= last; i++) {
    // Its stretches do not begin where those of the whole do: two of them, or where it begins anew three.
    const into = (i - start * per) % own;
    let v = 0;
    for (let k = -1; k <= 1; k++) v = Math.max(v, peakAt(peaks, sound.from * per + into + k));
    if (sound.repeat && (into < 1 || into > own - 2))
      v = Math.max(v, peakAt(peaks, sound.from * per), peakAt(peaks, sound.to * per - 1));
    const at = i / PEAKS_PER_SECOND;
    const under = duck.length === 0 ? 1 : RAMP + Math.max(gainAt(duck, at), gainAt(duck, at + 1 / PEAKS_PER_SECOND));
    bounds[i] = nth(bounds, i) + v * volume * Math.min(1, under);
  }
}

function peakAt(peaks: Float32Array, stretch: number): number {
  const i = 2 * Math.floor(stretch);
  return i < 0 || i + 1 >= peaks.length ? 0 : Math.max(-nth(peaks, i), nth(peaks, i + 1));
}

function loudestOf(e: Envelope): number {
  let most = 0;
  for (let i = 1; i < e.length; i += 2) most = Math.max(most, nth(e, i));
  return most;
}

/** An envelope at a share of its gain. */
export const lowered = (e: Envelope, gain: number): Envelope => e.map((v, i) => (i % 2 === 1 ? v * gain : v));

/** Sounds that are all softer by a share of their gain; what is silent stays so. */
export function softer(sounds: Readonly<Record<string, Sound>>, gain: number): Record<string, Sound> {
  const by = 20 * Math.log10(gain);
  return Object.fromEntries(
    Object.entries(sounds).map(([id, s]) => [
      id,
      s.volume > VOLUME_LEAST ? { ...s, volume: Math.max(VOLUME_LEAST + 0.01, s.volume + by) } : s,
    ]),
  );
}
