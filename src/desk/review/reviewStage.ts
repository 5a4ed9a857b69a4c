import { indexAssembly } from "../../core/assembly/assembly";
import { decodePackage } from "../../core/assembly/package";
import { preparedAssembly } from "../../core/assembly/prepared";
import type { Preparation } from "../../core/document/preparation";
import type { Sequence } from "../../core/document/sequence";
import { lookNow } from "../../core/edit/preparationCommands";
import { nth } from "../../core/math/packed";
import { compile } from "../../core/program/compile";
import type { Program } from "../../core/program/program";
import { type Identities, withIdentities } from "../../core/revision/identity";
import type { Waveform } from "../../core/sound/headroom";
import { Following } from "../../player/following";
import { lookAround } from "../../player/page/gestures";
import { Player } from "../../player/player";
import { browserSpeaker } from "../../player/speaker";
import { plain } from "../api";
import { lightsOf, lightsReady } from "../background/lights";
import { loadRound } from "../background/loadAssembly";
import { decodeSound } from "../sounds/decode";
import { peaksOf } from "../sounds/heard";
import { Loudness, softened } from "../sounds/loudness";

export interface ReviewFilm {
  program: Program;
  sequence: Sequence;
  preparation: Preparation;
  bytes: Uint8Array;
}

/** Fetches what a round shows and compiles it. @throws ApiError */
export async function loadReview(
  round: string,
  signal: AbortSignal,
): Promise<ReviewFilm & { pkg: ReturnType<typeof decodePackage> }> {
  const [film, loaded] = await Promise.all([
    plain<{ identities: Identities; preparation: Preparation; sequence: Sequence }>(`/api/rounds/${round}/film`).then(
      async (f) => {
        await lightsReady(lightsOf(f.preparation));
        return f;
      },
    ),
    loadRound(round, signal),
  ]);
  const bytes = new Uint8Array(loaded.bytes);
  const read = decodePackage(bytes);
  const { preparation, sequence } = film;
  const assembly = preparedAssembly(withIdentities(read.assembly, film.identities), preparation);
  const program = compile(indexAssembly(assembly), preparation, sequence);
  return { pkg: { ...read, assembly }, program, sequence, preparation, bytes };
}

/** What is heard is fetched so long after a stage was made, ms. */
const LISTENS_MS = 600;

/** A round's film on two canvases, with its sound: played, stepped through and looked round in. */
export class ReviewStage {
  readonly player: Player;
  private readonly loudness = new Loudness();
  private readonly following = new Following(() =>
    softened(browserSpeaker(), () => {
      const { sequence, program } = this.film;
      return this.loudness.of(sequence, program.steps, this.files, (asset) => this.waves.get(asset) ?? null);
    }),
  );
  private readonly waves = new Map<string, Waveform & { buffer: AudioBuffer }>();
  private files = 0;
  private listening: ReturnType<typeof setTimeout> | undefined;
  muted = false;

  constructor(
    private readonly round: string,
    readonly film: Awaited<ReturnType<typeof loadReview>>,
    picture: HTMLCanvasElement,
    notes: HTMLCanvasElement,
    /** Anything has changed: the playhead, whose view it is. Called every frame while it plays. */
    private readonly onChange: () => void,
    /** A place of the picture was clicked, CSS pixels. */
    onTap: (x: number, y: number) => void,
  ) {
    const { pkg, program, preparation, sequence } = film;
    this.player = new Player(
      picture,
      notes,
      {
        ...{ pkg, program, look: lookNow(preparation), range: { from: 0, to: program.steps.length } },
        triggers: Object.values(sequence.triggers ?? {}),
        letters: '"IBM Plex Sans", sans-serif',
      },
      { onChange: () => this.changed(), onPutBack: () => {} },
    );
    // After the first picture, and before somebody plays: then nothing begins late.
    if (this.hasSound) this.listening = setTimeout(() => void this.listen(), LISTENS_MS);
    let at = { x: 0, y: 0 };
    picture.addEventListener("pointerdown", (e) => {
      const r = picture.getBoundingClientRect();
      at = { x: e.clientX - r.left, y: e.clientY - r.top };
    });
    lookAround(picture, this.player, { named: () => {}, tapped: () => onTap(at.x, at.y) });
  }

  /** Id of the step at the playhead. */
  get step(): string {
    return this.film.program.steps.ids[this.player.step] ?? "";
  }
  /** Beginning of a step, ticks; 0 for one that is not there. */
  startOf = (step: string): number => {
    const at = this.film.program.steps.position.get(step);
    return at === undefined ? 0 : nth(this.film.program.steps.start, at);
  };
  get hasSound(): boolean {
    return Object.keys(this.film.sequence.sounds ?? {}).length > 0;
  }

  private changed(): void {
    const { player, film } = this;
    if (!this.hasSound || !player.playing || this.muted) this.following.quiet();
    else {
      this.following.follow({
        ...{ ticks: player.ticks, speed: player.speed, sequence: film.sequence },
        ...{ steps: film.program.steps, files: this.files, bufferOf: (asset: string) => this.waves.get(asset)?.buffer },
      });
    }
    this.onChange();
  }

  /** Fetches what is heard. */
  private async listen(): Promise<void> {
    const assets = new Set(Object.values(this.film.sequence.sounds ?? {}).map((s) => s.asset));
    await Promise.all(
      [...assets].map(async (asset) => {
        const r = await fetch(`/api/rounds/${this.round}/sounds/${asset}`).catch(() => null);
        const it = r?.ok ? await decodeSound(await r.arrayBuffer(), asset).catch(() => null) : null;
        if (!it) return;
        this.waves.set(asset, { ...it, peaks: await peaksOf(it.pcm) });
        this.files++;
      }),
    );
  }

  dispose(): void {
    clearTimeout(this.listening);
    this.following.quiet();
    this.player.dispose();
  }
}
