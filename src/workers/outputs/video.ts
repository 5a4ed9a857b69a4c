import {
  ALL_FORMATS,
  BlobSource,
  CanvasSource,
  canEncodeVideo,
  Input,
  Mp4OutputFormat,
  Output,
  Quality,
  type VideoSample,
  VideoSampleSink,
  type VideoSource,
  WebMOutputFormat,
} from "mediabunny";
import { bitrateOf, chaptersOf, evenSize, rateOf, VIDEO_FORMATS, type VideoSettings } from "../../core/outputs/video";
import { MIX_RATE } from "../../core/sound/mix";
import { Refusal } from "../../core/text/refusal";
import { frameCount, frameToTicks, TICKS_PER_SECOND, ticksPerFrame } from "../../core/time/time";
import { CHAPTERS_MOST, chapterRoom, withChapters } from "../../formats/out/mp4/chapters";
import { tagRoom, withWebmChapters } from "../../formats/out/webm/chapters";
import type { FrameMaker } from "../../stage/frameMaker";
import { frameMaker, goOn, type MakeContext, type Maker } from "./maker";
import { targetOf } from "./sink";
import { checkSound, type Heard, heardIn, SoundTrack } from "./sound";
import { WarmSource } from "./warmSource";

/** Share of the time that drawing and encoding takes; the rest looks at what was made. */
const DRAWING = 0.85;
/** In a still no frame may differ from the one before by more, levels of 255 on average. */
export const STILL_MOST = 0.1;

/**
 * A video, frame by frame at exact times. Key frames stand where motion begins and where it ends: within a still the
 * picture stays what it began with, and nothing pulses. What was made is decoded again and looked at.
 */
export const makeVideo: Maker<VideoSettings> = async (s, c) => {
  const format = VIDEO_FORMATS[s.format];
  const size = evenSize(s);
  const rate = rateOf(s);
  const fps = rate.num / rate.den;
  const bitrate = bitrateOf(s);
  if (!(await canEncodeVideo(format.codec, { ...size, bitrate })))
    throw new Refusal("no-encoder", { format: format.label });
  const per = ticksPerFrame(rate);
  const { maker, canvas } = frameMaker(s, c, size, {
    blur: { samples: s.blur, ticks: (per * s.shutter) / 360 },
  });
  const frames = frameCount(c.range.to - c.range.from, rate);
  const output = new Output({
    format: format.ending === ".mp4" ? new Mp4OutputFormat({ fastStart: "reserve" }) : new WebMOutputFormat(),
    target: targetOf(c.sink),
  });
  const sources: Source[] = [];
  try {
    const source = await sourceOf(canvas, format.codec, s.mbit > 0 ? null : s.quality, bitrate);
    sources.push(source);
    const mp4 = format.ending === ".mp4";
    const chapters = s.chapters ? chaptersOf(c) : [];
    // Room for the chapters: in an MP4 at four bytes a packet at least, else in the place of tags.
    const room = mp4 && chapters.length > 0 ? Math.ceil(chapterRoom(chapters) / 4) : 0;
    if (!mp4 && chapters.length > 0) output.setMetadataTags({ comment: ".".repeat(tagRoom(chapters)) });
    output.addVideoTrack(source.track, { frameRate: fps, maximumPacketCount: frames + 8 + room });
    const heard = s.sound > 0 ? heardIn(c, Math.round((frames * per * MIX_RATE) / TICKS_PER_SECOND)) : null;
    const sound = heard && (await SoundTrack.of(output, format.sound, s.sound, heard));
    await output.start();
    const stills: boolean[] = [];
    const told: string[] = [];
    const keys = new KeyFrames(maker, Math.round(s.keyEvery * fps));
    for (let f = 0; f < frames; f++) {
      goOn(c.signal);
      const ticks = c.range.from + frameToTicks(f, rate);
      const drawn = maker.draw(ticks);
      stills.push(!drawn);
      const next = f + 1 < frames ? c.range.from + frameToTicks(f + 1, rate) : null;
      const keyFrame = keys.at(f, drawn, next);
      await source.add((f * per) / TICKS_PER_SECOND, per / TICKS_PER_SECOND, { keyFrame, still: !drawn });
      await sound?.until(((f + 1) * per) / TICKS_PER_SECOND);
      c.tell((DRAWING * (f + 1)) / frames, `frame ${f + 1} of ${frames}`);
    }
    await source.finish();
    sound?.finish();
    await output.finalize();
    return {
      type: format.type,
      after: async (file) => {
        const made = await (mp4 ? withChapters(file, chapters) : withWebmChapters(file, chapters));
        told.push(...chaptersTold(chapters.length, made !== file, mp4));
        return made;
      },
      check: async (file) => [...(await checkVideo(file, s, c, stills, heard)), ...told],
    };
  } catch (error) {
    await output.cancel().catch(() => {});
    throw error;
  } finally {
    for (const source of sources) source.close();
    maker.dispose();
  }
};

/** What became of the chapters, in words. */
function chaptersTold(asked: number, there: boolean, mp4: boolean): string[] {
  if (asked === 0) return [];
  if (!there) return ["no room for chapters, which were left out"];
  if (mp4 && asked > CHAPTERS_MOST) return [`the first ${CHAPTERS_MOST} of ${asked} chapters`];
  return [`${asked} ${asked === 1 ? "chapter" : "chapters"}`];
}

/** What takes frames of a canvas and makes a track of them. */
interface Source {
  track: VideoSource;
  add(at: number, takes: number, options: { keyFrame: boolean; still: boolean }): Promise<void>;
  finish(): Promise<void>;
  close(): void;
}

async function sourceOf(
  canvas: OffscreenCanvas,
  codec: "avc" | "vp9" | "av1",
  quality: number | null,
  bitrate: number,
): Promise<Source> {
  if (codec === "avc") return WarmSource.of(canvas, bitrate);
  const track = new CanvasSource(canvas, {
    codec,
    // One fineness all through: with a rate to keep to, stills get better frame by frame.
    ...(quality === null ? { bitrate } : { quality: new Quality({ quantizer: quantizerOf(quality), bitrate }) }),
    keyFrameInterval: 3600,
  });
  return {
    track,
    add: (at, takes, { keyFrame }) => track.add(at, takes, { keyFrame }),
    finish: async () => {},
    close: () => {},
  };
}

/** How coarsely VP9 and AV1 may round for bits a pixel: eight steps halve them. */
const quantizerOf = (bits: number): number => Math.round(Math.max(4, Math.min(58, 32 - 8 * Math.log2(bits / 0.12))));

/** Where a key frame goes. */
class KeyFrames {
  private last = 0;
  private still = true;

  constructor(
    private readonly maker: FrameMaker,
    /** Most frames of motion without one. */
    private readonly every: number,
  ) {}

  at(frame: number, drawn: boolean, next: number | null): boolean {
    // The frame with which a still begins is the last that is drawn.
    const rests = next !== null && this.maker.rests(next);
    const begins = drawn && this.still;
    const ends = drawn && rests;
    const key = frame === 0 || begins || ends || (drawn && frame - this.last >= this.every);
    if (key) this.last = frame;
    this.still = rests || !drawn;
    return key;
  }
}

/** Looks at a video that was made: as many frames as asked for, each at its time, and stills that stand. */
async function checkVideo(
  file: Blob,
  s: VideoSettings,
  c: MakeContext,
  stills: readonly boolean[],
  heard: Heard | null,
): Promise<string[]> {
  const input = new Input({ source: new BlobSource(file), formats: ALL_FORMATS });
  const track = await input.getPrimaryVideoTrack();
  const size = evenSize(s);
  const rate = rateOf(s);
  const per = ticksPerFrame(rate) / TICKS_PER_SECOND;
  const frames = stills.length;
  const otherwise = (what: string) => new Refusal("made-otherwise", { what });
  if (!track) throw otherwise("there is no picture in it");
  const [width, height] = [await track.getDisplayWidth(), await track.getDisplayHeight()];
  if (width !== size.width || height !== size.height) throw otherwise(`it is ${width} × ${height} pixels`);
  let count = 0;
  let worst = 0;
  let compared = 0;
  let before: Uint8Array | null = null;
  for await (const sample of new VideoSampleSink(track).samples()) {
    goOn(c.signal);
    if (Math.abs(sample.timestamp - count * per) > 0.002) {
      sample.close();
      throw otherwise(`frame ${count + 1} stands at ${sample.timestamp.toFixed(3)} s`);
    }
    const next = stills[count + 1] === true;
    const now = stills[count] || next ? await lightness(sample) : null;
    if (now && before && stills[count]) {
      compared++;
      worst = Math.max(worst, difference(now, before));
    }
    before = now;
    count++;
    sample.close();
    c.tell(DRAWING + ((1 - DRAWING) * count) / frames, `looking at frame ${count} of ${frames}`);
  }
  if (count !== frames) throw otherwise(`it has ${count} frames, and should have ${frames}`);
  const checked = [`${count.toLocaleString("en")} ${count === 1 ? "frame" : "frames"}, each at its time`];
  if (compared > 0)
    checked.push(
      worst <= STILL_MOST
        ? "stills stand"
        : `in stills a frame differs from the one before by up to ${worst.toFixed(2)} of 255 levels`,
    );
  if (heard) checked.push(...(await checkSound(input, heard)));
  return checked;
}

/** The lightness of a sample, one byte a pixel. */
async function lightness(sample: VideoSample): Promise<Uint8Array> {
  const { codedWidth, codedHeight } = sample;
  const bytes = new Uint8Array(sample.allocationSize());
  await sample.copyTo(bytes);
  // Planar formats begin with it, whatever follows.
  return bytes.subarray(0, codedWidth * codedHeight);
}

function difference(a: Uint8Array, b: Uint8Array): number {
  let sum = 0;
  for (let i = 0; i < a.length; i++) sum += Math.abs((a[i] as number) - (b[i] as number));
  return a.length > 0 ? sum / a.length : 0;
}
