import { type LoopSettings, loopTimes } from "../../core/outputs/loop";
import { rateOf } from "../../core/outputs/video";
import { Refusal } from "../../core/text/refusal";
import { frameCount, frameToTicks } from "../../core/time/time";
import { webpFrame, webpHead, webpLength } from "../../formats/out/webp/animated";
import type { FrameMaker } from "../../stage/frameMaker";
import { frameMaker, goOn, type MakeContext, type Maker } from "./maker";

/** Frames that a palette is made from, and pixels of each. */
const LOOKED_AT = 12;
const PIXELS = 20_000;

/** Writes pictures one after another; each stands until the next is written. */
interface Writer {
  /** @param takes how long it stands, in units of the format */
  add(takes: number): Promise<void>;
  end(): void;
}

/**
 * A loop for web pages. A picture that does not change is written once and stands longer; of a GIF only what changed
 * is written again.
 */
export const makeLoop: Maker<LoopSettings> = async (s, c) => {
  const frames = frameCount(c.range.to - c.range.from, rateOf(s));
  const times = loopTimes(s, frames);
  const { maker, canvas } = frameMaker(s, c, s);
  try {
    const at = (f: number) => c.range.from + frameToTicks(f, rateOf(s));
    const open = { put: appending(c), canvas };
    const writer = s.format === "gif" ? await gifWriter(s, c, maker, frames, at, open) : webpWriter(s, open, c);
    let pictures = 0;
    for (let f = 0; f < frames; ) {
      goOn(c.signal);
      maker.draw(at(f));
      let next = f + 1;
      while (next < frames && maker.rests(at(next))) next++;
      await writer.add((times[next] as number) - (times[f] as number));
      pictures++;
      f = next;
      c.tell(f / frames, `frame ${f} of ${frames}`);
    }
    writer.end();
    const type = s.format === "gif" ? "image/gif" : "image/webp";
    return {
      type,
      check: (file) => checkLoop(file, pictures, (times[frames] as number) / (s.format === "gif" ? 100 : 1000)),
    };
  } finally {
    maker.dispose();
  }
};

interface Open {
  put(data: Uint8Array): void;
  canvas: OffscreenCanvas;
}

function appending(c: MakeContext): (data: Uint8Array) => void {
  let at = 0;
  return (data) => {
    c.sink.write(at, data);
    at += data.byteLength;
  };
}

/** An even pattern of thresholds (Bayer 1973), -0.5 to 0.5. */
const PATTERN = [0, 8, 2, 10, 12, 4, 14, 6, 3, 11, 1, 9, 15, 7, 13, 5].map((v) => (v + 0.5) / 16 - 0.5);
/** How far the grain reaches, levels. */
const GRAIN = 12;

/** The picture's pixels; with grain of a pattern that stands still, so that what does not move stays the same. */
function pixelsOf({ canvas }: Open, grain: boolean): Uint8ClampedArray {
  const context = canvas.getContext("2d") as OffscreenCanvasRenderingContext2D;
  const { data } = context.getImageData(0, 0, canvas.width, canvas.height);
  if (!grain) return data;
  for (let y = 0, i = 0; y < canvas.height; y++)
    for (let x = 0; x < canvas.width; x++, i += 4) {
      const by = GRAIN * (PATTERN[4 * (y & 3) + (x & 3)] as number);
      for (let k = 0; k < 3; k++) data[i + k] = (data[i + k] as number) + by;
    }
  return data;
}

async function gifWriter(
  s: LoopSettings,
  c: MakeContext,
  maker: FrameMaker,
  frames: number,
  at: (frame: number) => number,
  open: Open,
): Promise<Writer> {
  // Asked for only where it is needed: others have no use for it.
  const { applyPalette, GIFEncoder, quantize } = await import("gifenc");
  const { width, height } = s;
  const looked = Math.min(LOOKED_AT, frames);
  const every = Math.max(1, Math.floor((width * height) / PIXELS));
  const some: number[] = [];
  for (let i = 0; i < looked; i++) {
    goOn(c.signal);
    maker.draw(at(Math.floor((i * frames) / looked)));
    const words = new Uint32Array(pixelsOf(open, s.grain).buffer);
    for (let k = i % every; k < words.length; k += every) some.push(words[k] as number);
    c.tell(0, `looking for colours, ${i + 1} of ${looked}`);
  }
  maker.forget();
  const palette = quantize(new Uint8Array(Uint32Array.from(some).buffer), s.colours);
  // One more, which stands for what is as it was.
  const unchanged = palette.length;
  const table = [...palette, [0, 0, 0] as [number, number, number]];
  const encoder = GIFEncoder({ auto: false });
  encoder.writeHeader();
  let before: Uint8Array | null = null;
  const flush = () => {
    open.put(encoder.bytes());
    encoder.reset();
  };
  return {
    async add(takes) {
      const index = applyPalette(pixelsOf(open, s.grain), palette);
      const written: Uint8Array = before ? index.map((v, i) => (v === before?.[i] ? unchanged : v)) : index;
      encoder.writeFrame(written, width, height, {
        ...(before ? {} : { first: true, palette: table, repeat: s.times === 1 ? -1 : Math.max(0, s.times - 1) }),
        ...{ delay: 10 * takes, transparent: before !== null, transparentIndex: unchanged, dispose: 1 },
      });
      before = index;
      flush();
    },
    end() {
      encoder.finish();
      flush();
    },
  };
}

function webpWriter(s: LoopSettings, { put, canvas }: Open, c: MakeContext): Writer {
  let bytes = 0;
  const add = (data: Uint8Array) => {
    put(data);
    bytes += data.byteLength;
  };
  add(webpHead(s.width, s.height, s.times));
  return {
    async add(takes) {
      const blob = await canvas.convertToBlob({ type: "image/webp", quality: s.quality });
      if (blob.type !== "image/webp") throw new Refusal("no-encoder", { format: "WebP" });
      add(webpFrame(new Uint8Array(await blob.arrayBuffer()), s.width, s.height, takes));
    },
    end: () => c.sink.write(4, webpLength(bytes)),
  };
}

/** What a browser has to look into animations; the types of the page do not know it everywhere. */
interface Decoder {
  completed: Promise<void>;
  tracks: { ready: Promise<void>; selectedTrack: { frameCount: number } | null };
  decode(options: { frameIndex: number }): Promise<{ image: { duration: number | null; close(): void } }>;
  close(): void;
}

/** Looks at a loop that was made: as many pictures as were written, standing for as long as the part lasts. */
async function checkLoop(file: Blob, pictures: number, seconds: number): Promise<string[]> {
  const { ImageDecoder } = globalThis as unknown as {
    ImageDecoder?: new (init: { data: ReadableStream; type: string }) => Decoder;
  };
  const said = `${pictures.toLocaleString("en")} ${pictures === 1 ? "picture" : "pictures"}`;
  if (!ImageDecoder) return [said];
  const decoder = new ImageDecoder({ data: file.stream(), type: file.type });
  try {
    await decoder.completed;
    await decoder.tracks.ready;
    const count = decoder.tracks.selectedTrack?.frameCount ?? 0;
    if (count !== pictures) throw new Refusal("made-otherwise", { what: `it has ${count} pictures, not ${pictures}` });
    let lasts = 0;
    for (let i = 0; i < count; i++) {
      const { image } = await decoder.decode({ frameIndex: i });
      lasts += (image.duration ?? 0) / 1e6;
      image.close();
    }
    if (count > 1 && Math.abs(lasts - seconds) > 0.001)
      throw new Refusal("made-otherwise", { what: `it lasts ${lasts.toFixed(2)} s` });
    return [`${said}, ${seconds.toFixed(2)} s in all`];
  } finally {
    decoder.close();
  }
}
