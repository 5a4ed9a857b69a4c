import { CanvasSource, EncodedPacket, EncodedVideoPacketSource, Mp4OutputFormat, NullTarget, Output } from "mediabunny";

/** Frames that are encoded before the first and thrown away. */
const WARM = 10;
/** Frames that the encoder may have taken and not given back. */
const QUEUED = 6;

/**
 * A canvas encoded as H.264 by the browser, which keeps to a rate and does not know at first how much it may spend: its
 * first frames would be poor, and a still that begins the film would get better before one's eyes. So it is given some
 * frames before the first one, which nobody sees.
 */
export class WarmSource {
  readonly track = new EncodedVideoPacketSource("avc");
  private readonly encoder: VideoEncoder;
  private config: VideoDecoderConfig | undefined;
  private written: Promise<void> = Promise.resolve();
  private fault: Error | null = null;
  /** Exact times by those in microseconds that an encoder knows. */
  private readonly times = new Map<number, { at: number; takes: number }>();

  private constructor(
    private readonly canvas: OffscreenCanvas,
    config: VideoEncoderConfig,
  ) {
    this.encoder = new VideoEncoder({
      output: (chunk, meta) => this.take(chunk, meta),
      error: (e) => {
        this.fault = e;
      },
    });
    this.encoder.configure(config);
  }

  /** @param bitrate bits a second */
  static async of(canvas: OffscreenCanvas, bitrate: number): Promise<WarmSource> {
    return new WarmSource(canvas, await configOf(canvas, bitrate));
  }

  /** Encodes what stands on the canvas, at a time and for a time, s; the first is encoded some times before. */
  async add(at: number, takes: number, { keyFrame }: { keyFrame: boolean }): Promise<void> {
    if (this.times.size === 0) for (let i = 0; i < WARM; i++) await this.encode((i - WARM) * takes, takes, i === 0);
    this.times.set(Math.round(at * 1e6), { at, takes });
    await this.encode(at, takes, keyFrame);
  }

  private async encode(at: number, takes: number, keyFrame: boolean): Promise<void> {
    while (this.encoder.encodeQueueSize >= QUEUED && !this.fault)
      await new Promise((r) => this.encoder.addEventListener("dequeue", r, { once: true }));
    if (this.fault) throw this.fault;
    const frame = new VideoFrame(this.canvas, {
      timestamp: Math.round(at * 1e6),
      duration: Math.round(takes * 1e6),
    });
    this.encoder.encode(frame, { keyFrame });
    frame.close();
    await this.written;
  }

  private take(chunk: EncodedVideoChunk, meta: EncodedVideoChunkMetadata | undefined): void {
    this.config = meta?.decoderConfig ?? this.config;
    const time = this.times.get(chunk.timestamp);
    if (chunk.timestamp < 0 || !time) return;
    const packet = EncodedPacket.fromEncodedChunk(chunk).clone({ timestamp: time.at, duration: time.takes });
    const config = this.config;
    this.written = this.written.then(() => this.track.add(packet, config ? { decoderConfig: config } : {}));
    // Whoever waits for it next is told.
    this.written.catch((e: Error) => {
      this.fault = e;
    });
  }

  /** Waits until all is written. */
  async finish(): Promise<void> {
    await this.encoder.flush();
    await this.written;
    if (this.fault) throw this.fault;
  }

  close(): void {
    if (this.encoder.state !== "closed") this.encoder.close();
  }
}

/** How the browser's encoder is set up for a canvas: as the library would. */
async function configOf(canvas: OffscreenCanvas, bitrate: number): Promise<VideoEncoderConfig> {
  let config: VideoEncoderConfig | null = null;
  const output = new Output({ format: new Mp4OutputFormat(), target: new NullTarget() });
  const source = new CanvasSource(canvas, {
    ...{ codec: "avc", bitrate },
    onEncoderConfig: (c) => {
      config = c;
    },
  });
  output.addVideoTrack(source);
  await output.start();
  await source.add(0, 1 / 30);
  await output.cancel();
  if (!config) throw new Error("The encoder was not set up.");
  return config;
}
