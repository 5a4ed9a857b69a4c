import type { AssemblyPackage } from "../../core/assembly/package";
import type { Preparation } from "../../core/document/preparation";
import { applyLook, lookNow } from "../../core/edit/preparationCommands";
import type { OutputContext } from "../../core/outputs/kind";
import { type PictureSettings, pictureIn } from "../../core/outputs/picture";
import type { Pcm } from "../../core/sound/mix";
import { TICKS_PER_SECOND } from "../../core/time/time";
import { FrameMaker, type FrameOptions } from "../../stage/frameMaker";
import type { Sink } from "./sink";

/** What an output is made from. */
export interface MakeContext extends OutputContext {
  pkg: AssemblyPackage;
  preparation: Preparation;
  /** In plain light, for a quick look. */
  plain: boolean;
  sink: Sink;
  signal: AbortSignal;
  /** Samples of a sound file, at the rate of the mix; null where they are not to be had. */
  pcmOf(asset: string): Pcm | null;
  /** A file that goes into what is made: "model" as it is stored, "player", "font", "letters" with the name of a font's file, or "sound" with its asset; null where it is not to be had. */
  fileOf(name: string): Promise<Uint8Array | null>;
  /** @param share done, 0 to 1 @param what it is at, in words */
  tell(share: number, what: string): void;
}

/** What was made of it, once all is written. */
export interface Made {
  type: string;
  /** Puts something into the file that is known only when it is whole. */
  after?(file: Blob): Promise<Blob>;
  /** Looks at the file, and says what was found as it should be. @throws Refusal where it is not */
  check?(file: Blob): Promise<string[]>;
}
export type Maker<S extends object> = (settings: S, c: MakeContext) => Promise<Made>;

/** What an output is looked at from before it is made. */
export type LookContext = Omit<MakeContext, "sink" | "pcmOf" | "tell">;
/** What a reader will have before him, as HTML. @param step number of the step that is looked at, where one is */
export type Looker<S extends object> = (settings: S, c: LookContext, step: number) => Promise<string>;

/** What is drawn and the canvas it stands on, for settings of pictures. */
export function frameMaker(
  s: PictureSettings,
  c: Pick<MakeContext, "pkg" | "preparation" | "program"> & Partial<Pick<MakeContext, "plain">>,
  size: { width: number; height: number },
  more: Partial<FrameOptions> = {},
): { maker: FrameMaker; canvas: OffscreenCanvas } {
  const canvas = new OffscreenCanvas(size.width, size.height);
  const preparation = structuredClone(c.preparation);
  if (s.look !== "") applyLook(s.look)(preparation);
  const maker = new FrameMaker(canvas, c.pkg, c.program, lookNow(preparation), {
    captions: s.captions === "none" ? null : { style: s.captions, size: s.captionSize, place: s.captionPlace },
    titles: s.titles > 0 ? { ticks: s.titles * TICKS_PER_SECOND, size: s.captionSize, captions: s.captionPlace } : null,
    picture: pictureIn({ ...s, ...size }, c.program),
    fineness: s.fineness,
    plain: c.plain === true,
    ...more,
  });
  return { maker, canvas };
}

/** @throws AbortError once it was given up */
export function goOn(signal: AbortSignal): void {
  if (signal.aborted) throw new DOMException("stopped", "AbortError");
}
