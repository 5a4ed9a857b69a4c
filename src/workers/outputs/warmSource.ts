import { CanvasSource, EncodedPacket, EncodedVideoPacketSource, Mp4OutputFormat, NullTarget, Output } from "mediabunny";
import { HeldFrames } from "../../formats/out/video/heldFrames";

/** Frames that are encoded before the first and thrown away. */
const WARM = 10;
/** Frames that the encoder may have taken and not given back. */
const QUEUED = 6;
/** How long it is waited for what the encoder says of its stream, ms: some give their first frame late. */
const SAID_MS = 2000;
/** How long held frames are written at a stretch, ms: in between a cancel is heard, and the encoder gives back. */
const STRETCH_MS = 40;

/** A frame on its way into the file. */
interface Due {
  at: number;
  takes: number;
  /** Of the encoder; null until it comes. A frame that is held has none. */
  packet: EncodedPacket | null;
  held: boolean;
}

/**
 * A canvas encoded as H.264 by the browser, which keeps to a rate and does not know at first how much it may spend: its
 * first frames would be poor, and a still that begins the film would get better before one's eyes. So it is given some
 * frames before the first one, which nobody sees. In a still it is given nothing: what stands is the frame before it,
 * where its stream can say so.
 */
export class WarmSource {
  readonly track = new EncodedVideoPacketSource("avc");
  private readonly encoder: VideoEncoder;
  private config: VideoDecoderConfig | undefined;
  private written: Promise<void> = Promise.resolve();
  private fault: Error | null = null;
  /** Frames that are not in the file yet, in their order. */
  private readonly due: Due[] = [];
  private begun = false;
  private rested = 0;
  private held: HeldFrames | null = null;
  private readonly said: Promise<void>;
  private say = () => {};

  private constructor(
    private readonly canvas: OffscreenCanvas,
    config: VideoEncoderConfig,
  ) {
    this.said = new Promise((done) => {
      this.say = done;
    });
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

  /**
   * Encodes what stands on the canvas, at a time and for a time, s; the first is encoded some times before.
   * @param still shows what the frame before shows; a key frame follows the last of them
   */
  async add(at: number, takes: number, { keyFrame, still }: { keyFrame: boolean; still: boolean }): Promise<void> {
    if (!this.begun) await this.warmUp(takes);
    const held = still && this.held !== null;
    this.due.push({ at, takes, packet: null, held });
    if (held) {
      this.write();
      if (performance.now() - this.rested > STRETCH_MS) {
        await new Promise((r) => setTimeout(r));
        this.rested = performance.now();
      }
    } else await this.encode(at, takes, keyFrame);
    await this.written;
  }

  private async warmUp(takes: number): Promise<void> {
    this.begun = true;
    for (let i = 0; i < WARM; i++) await this.encode((i - WARM) * takes, takes, i === 0);
    await Promise.race([this.said, new Promise((r) => setTimeout(r, SAID_MS))]);
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
    const config = meta?.decoderConfig;
    if (config) {
      this.config = config;
      this.held = config.description ? HeldFrames.of(bytesOf(config.description)) : null;
      this.say();
    }
    if (chunk.timestamp < 0) return;
    // Frames come back in the order in which they were given.
    const next = this.due.find((d) => !d.held && d.packet === null);
    if (!next) return;
    next.packet = EncodedPacket.fromEncodedChunk(chunk).clone({ timestamp: next.at, duration: next.takes });
    this.write();
  }

  /** Writes what is next in the file and there, one after the other. */
  private write(): void {
    for (let d = this.due[0]; d && (d.held || d.packet); d = this.due[0]) {
      this.due.shift();
      const packet = d.packet ?? this.holding(d);
      if (!packet) return;
      if (d.packet) this.held?.after(d.packet.data);
      const config = this.config;
      this.written = this.written.then(() => this.track.add(packet, config ? { decoderConfig: config } : {}));
      // Whoever waits for it next is told.
      this.written.catch((e: Error) => {
        this.fault = e;
      });
    }
  }

  private holding({ at, takes }: Due): EncodedPacket | null {
    try {
      return new EncodedPacket(this.held?.next() ?? new Uint8Array(), "delta", at, takes);
    } catch (e) {
      this.fault = e as Error;
      return null;
    }
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

const bytesOf = (b: AllowSharedBufferSource): Uint8Array =>
  ArrayBuffer.isView(b) ? new Uint8Array(b.buffer, b.byteOffset, b.byteLength) : new Uint8Array(b);

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
