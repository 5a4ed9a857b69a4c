import { TICKS_PER_SECOND } from "../time/time";
import { type Envelope, gainAt } from "./envelope";
import type { PlacedSound } from "./schedule";

/** Sound as samples: -1 to 1, one array a channel, all of one length. */
export interface Pcm {
  rate: number;
  channels: readonly Float32Array[];
}

/** Rate that everything is decoded to and mixed at. */
export const MIX_RATE = 48_000;
const BLOCK = 4096;
/** Gains change in straight lines: they are worked out at both ends of so many samples. */
const STRETCH = 64;
const TICKS_PER_SAMPLE = TICKS_PER_SECOND / MIX_RATE;

/**
 * Mixes placed sounds to two channels, piece by piece: memory does not grow with the length. One channel sounds on
 * both sides; of more than two the first two are heard.
 */
export class Mixer {
  private readonly tracks: { placed: PlacedSound; left: Float32Array; right: Float32Array }[] = [];
  /** Names of sounds whose samples are not to be had. */
  readonly missing: string[] = [];

  /** @param pcmOf samples of an asset at {@link MIX_RATE}, or null */
  constructor(placed: readonly PlacedSound[], pcmOf: (asset: string) => Pcm | null) {
    for (const p of placed) {
      const pcm = pcmOf(p.sound.asset);
      const left = pcm?.channels[0];
      if (!pcm || !left || pcm.rate !== MIX_RATE) this.missing.push(p.sound.name);
      else this.tracks.push({ placed: p, left, right: pcm.channels[1] ?? left });
    }
  }

  /** Whether anything is heard between two times, ticks. */
  heard(from: number, to: number): boolean {
    return this.tracks.some(({ placed }) => placed.end > from && placed.start < to);
  }

  /**
   * Writes samples into two arrays of one length.
   * @param first number of the first sample, counted from the start of the sequence
   */
  into(first: number, left: Float32Array, right: Float32Array): void {
    left.fill(0);
    right.fill(0);
    for (const track of this.tracks) add(track, first, left, right);
  }

  /** The number of the loudest sample between two. */
  loudest(first: number, last: number): number {
    const [left, right] = [new Float32Array(BLOCK), new Float32Array(BLOCK)];
    let most = 0;
    let found = first;
    for (let at = first; at < last; at += BLOCK) {
      const n = Math.min(BLOCK, last - at);
      if (!this.heard(at * TICKS_PER_SAMPLE, (at + n) * TICKS_PER_SAMPLE)) continue;
      this.into(at, left, right);
      for (let i = 0; i < n; i++) {
        const v = Math.max(Math.abs(left[i] as number), Math.abs(right[i] as number));
        if (v <= most) continue;
        most = v;
        found = at + i;
      }
    }
    return found;
  }

  /** Highest sample there is between two samples, as a share of full scale; 0 for silence. */
  peak(first: number, last: number): number {
    const [left, right] = [new Float32Array(1), new Float32Array(1)];
    this.into(this.loudest(first, last), left, right);
    return Math.max(Math.abs(left[0] as number), Math.abs(right[0] as number));
  }
}

function add(
  { placed, left, right }: { placed: PlacedSound; left: Float32Array; right: Float32Array },
  first: number,
  outLeft: Float32Array,
  outRight: Float32Array,
): void {
  const { sound, start, end, fade, duck } = placed;
  const begins = Math.round(start / TICKS_PER_SAMPLE);
  const ends = Math.round(end / TICKS_PER_SAMPLE);
  const from = Math.round(sound.from / TICKS_PER_SAMPLE);
  // A file may be decoded to a few samples less than it says it is long.
  const own = Math.max(1, Math.round((sound.to - sound.from) / TICKS_PER_SAMPLE));
  const a = Math.max(first, begins);
  const b = Math.min(first + outLeft.length, ends);
  // Stretches of the whole, not of the piece, so that pieces of any size give the same.
  for (let cell = a - (a % STRETCH); cell < b; cell += STRETCH) {
    const g0 = gain(fade, duck, cell);
    const slope = (gain(fade, duck, cell + STRETCH) - g0) / STRETCH;
    if (g0 === 0 && slope === 0) continue;
    const last = Math.min(b, cell + STRETCH);
    for (let at = Math.max(a, cell); at < last; at++) {
      const source = from + ((at - begins) % own);
      if (source >= left.length) continue;
      const g = g0 + slope * (at - cell);
      const to = at - first;
      outLeft[to] = (outLeft[to] as number) + g * (left[source] as number);
      outRight[to] = (outRight[to] as number) + g * (right[source] as number);
    }
  }
}

const gain = (fade: Envelope, duck: Envelope, sample: number): number =>
  gainAt(fade, sample / MIX_RATE) * gainAt(duck, sample / MIX_RATE);
