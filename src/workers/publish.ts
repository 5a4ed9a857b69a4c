/**
 * Makes outputs of a film, and shows any frame of one as it will be made, off the main thread, so that a hidden tab
 * does not stall it.
 */
import { type Assembly, type AssemblyIndex, indexAssembly } from "../core/assembly/assembly";
import { type AssemblyPackage, decodePackage } from "../core/assembly/package";
import type { Output } from "../core/document/outputs";
import { FilmHeld, type FilmSent } from "../core/edit/film";
import { contextOf, settingsOf } from "../core/outputs/kind";
import { outputKindOf } from "../core/outputs/kinds";
import type { PictureSettings } from "../core/outputs/picture";
import type { Pcm } from "../core/sound/mix";
import { Refusal } from "../core/text/refusal";
import { VERSION_HEADER } from "../core/text/version";
import { type Asked, Handed, host } from "./host";
import { frameMaker } from "./outputs/maker";
import { LOOKERS, MAKERS } from "./outputs/makers";
import { openSink } from "./outputs/sink";
import { paced } from "./paced";

let open: { bytes: Uint8Array; pkg: AssemblyPackage; index: AssemblyIndex } | null = null;
/** What is made keeps its own film: an edit meanwhile makes another. */
const held = new FilmHeld(false);
/** A canvas that was written on before keeps the letters it had. */
let loaded: Promise<void> = Promise.resolve();
let fontAt: string | null = null;
let shown: { name: string; it: ReturnType<typeof frameMaker> } | null = null;

/** What was made. */
export interface MadeFile {
  file: Blob;
  checked: string[];
}
export interface Share {
  share: number;
  what: string;
}

/** Where files that go into outputs lie: player and letters beside the app, sounds where they are kept. */
export interface Addresses {
  player: string;
  /** To which an asset is added. */
  sounds: string;
  /** To which the name of a font's file is added. */
  letters: string;
  /** The version that the page was made by: a player of another would not know what this one writes. */
  version: string | null;
}

async function fetched(addresses: Addresses, name: string): Promise<Uint8Array | null> {
  const [what, asset = ""] = name.split(" ");
  if (what === "model") return open?.bytes ?? null;
  const at =
    what === "font"
      ? fontAt
      : what === "player"
        ? addresses.player
        : (what === "letters" ? addresses.letters : addresses.sounds) + asset;
  if (at === null) return null;
  const response = await fetch(at).catch(() => null);
  const theirs = response?.headers.get(VERSION_HEADER);
  if (what === "player" && theirs && addresses.version && theirs !== addresses.version)
    throw new Refusal("player-updated");
  return response?.ok ? new Uint8Array(await response.arrayBuffer()) : null;
}

function planned(output: Output, film: string) {
  if (!open) throw new Error("No assembly is open.");
  const kind = outputKindOf(output.kind);
  if (!kind) throw new Refusal("output-not-known", { kind: output.kind });
  const { preparation } = held.named(film);
  const program = held.program(open.index, film);
  const { settings } = settingsOf(kind, output, program);
  const context = contextOf(output, program, preparation.looks);
  if (!context) throw new Refusal("output-empty");
  const wrong = kind.remarks(settings, context).find((r) => r.tone === "wrong");
  if (wrong) throw new Refusal("output-wrong", { text: wrong.text });
  return { kind, settings, context: { ...context, preparation, pkg: open.pkg } };
}

const handlers = {
  open({ bytes, assembly }: { bytes: Uint8Array; assembly: Assembly }): void {
    open = { bytes, pkg: { ...decodePackage(bytes), assembly }, index: indexAssembly(assembly) };
    held.forget();
  },
  film: (sent: FilmSent): void => held.take(sent),
  /** Loads the font of captions; a worker has no styles. */
  font(url: string): void {
    fontAt = url;
    const font = new FontFace("Captions", `url(${url})`);
    loaded = font.load().then(
      // The types are the page's; a worker has its fonts at `self`.
      () => void (self as unknown as { fonts: FontFaceSet }).fonts.add(font),
      () => {},
    );
  },
  /** A moment (ticks) of what an output will show, no larger than so many pixels. */
  async picture({
    film,
    output,
    ticks,
    width,
    height,
  }: {
    film: string;
    output: Output;
    ticks: number;
    width: number;
    height: number;
  }): Promise<Handed<ImageBitmap>> {
    await loaded;
    const { settings, context } = planned(output, film);
    const s = settings as PictureSettings & { clear?: boolean; image?: string };
    const scale = Math.min(1, width / s.width, height / s.height);
    const size = { width: Math.max(1, Math.round(s.width * scale)), height: Math.max(1, Math.round(s.height * scale)) };
    const name = JSON.stringify([film, output.settings, size]);
    if (shown?.name !== name) {
      shown?.it.maker.dispose();
      const clear = s.clear === true && s.image === "png";
      shown = { name, it: frameMaker({ ...s, ...size, fineness: 1 }, context, size, { clear }) };
    }
    shown.it.maker.draw(Math.min(context.range.to - 1, Math.max(context.range.from, ticks)));
    const bitmap = shown.it.canvas.transferToImageBitmap();
    // The canvas is empty now.
    shown.it.maker.forget();
    return new Handed(bitmap, [bitmap]);
  },
  /**
   * What a reader will have before him of an output that is read rather than watched, as HTML.
   * @param step number of the step, where one at a time is looked at
   */
  async look(
    { film, output, step, addresses }: { film: string; output: Output; step: number; addresses: Addresses },
    { signal }: Asked<Share>,
  ): Promise<string> {
    const { settings, context } = planned(output, film);
    await loaded;
    const look = LOOKERS[output.kind];
    if (!look) throw new Refusal("output-not-known", { kind: output.kind });
    const fileOf = (name: string) => fetched(addresses, name);
    return look(settings as never, { ...context, plain: false, signal, fileOf }, step);
  },
  /** Makes an output; nothing half made is left behind. `plain`: in plain light, for a quick look. */
  async make(
    {
      film,
      output,
      plain,
      sounds,
      addresses,
    }: { film: string; output: Output; plain: boolean; sounds: Readonly<Record<string, Pcm>>; addresses: Addresses },
    { tell, signal }: Asked<Share>,
  ): Promise<MadeFile> {
    const { settings, context } = planned(output, film);
    await loaded;
    const make = MAKERS[output.kind];
    if (!make) throw new Refusal("output-not-known", { kind: output.kind });
    const sink = await openSink();
    try {
      const fileOf = (name: string) => fetched(addresses, name);
      const pcmOf = (asset: string) => sounds[asset] ?? null;
      const c = {
        ...context,
        plain,
        sink,
        signal,
        pcmOf,
        fileOf,
        tell: paced((share: number, what: string) => tell({ share, what })),
      };
      const made = await make(settings as never, c);
      const whole = await sink.finish(made.type);
      const file = (await made.after?.(whole)) ?? whole;
      return { file, checked: (await made.check?.(file)) ?? [] };
    } catch (error) {
      await sink.drop().catch(() => {});
      if (error instanceof DOMException && error.name === "QuotaExceededError") throw new Refusal("disk-full");
      throw error;
    }
  },
};
export type PublishWorker = typeof handlers;

host(handlers);
