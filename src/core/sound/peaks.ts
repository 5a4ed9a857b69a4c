/** Peaks a second of a waveform that is drawn. */
export const PEAKS_PER_SECOND = 200;

/**
 * Lowest and highest sample of stretches of equal length, in turn; what a waveform is drawn from.
 * @param first number of the first stretch @param into two values for each stretch
 */
export function peaksInto(channels: readonly Float32Array[], rate: number, first: number, into: Float32Array): void {
  const per = rate / PEAKS_PER_SECOND;
  for (let i = 0; i < into.length / 2; i++) {
    let low = 0;
    let high = 0;
    const a = Math.floor((first + i) * per);
    const b = Math.floor((first + i + 1) * per);
    for (const samples of channels)
      for (let k = a; k < b && k < samples.length; k++) {
        const v = samples[k] as number;
        if (v < low) low = v;
        if (v > high) high = v;
      }
    into[2 * i] = low;
    into[2 * i + 1] = high;
  }
}

/** How many stretches so many samples have. */
export const peakCount = (samples: number, rate: number): number => Math.ceil((samples / rate) * PEAKS_PER_SECOND);
