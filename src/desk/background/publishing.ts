import type { Output } from "../../core/document/outputs";
import type { Film } from "../../core/edit/film";
import type { Pcm } from "../../core/sound/mix";
import { isStop, problemOf } from "../../core/text/problem";
import type { PublishWorker } from "../../workers/publish";
import type { Desk } from "../port";
import { samplesOf } from "../sounds/heard";
import type { Making } from "../state";
import { ownVersion } from "../updated";
import { FilmSender } from "./filmSender";
import { filmOf, identity } from "./filmWatch";
import { WorkerClient } from "./workerClient";

/** The page's own answers that the making of outputs needs. */
export interface PublishPort {
  /** Where the app is served from. */
  origin(): string;
  /** Address of the font of captions, or null. */
  fontUrl(): string | null;
}

const clientFor = (desk: Desk): WorkerClient<PublishWorker> =>
  new WorkerClient<PublishWorker>(
    () =>
      typeof Worker === "undefined"
        ? null
        : new Worker(new URL("../../workers/publish.ts", import.meta.url), { type: "module" }),
    () => ({ name: "open", input: { bytes: desk.packageBytes, assembly: desk.pkg.assembly } }),
  );

/** What tells whether something made is still what would be made. */
export const madeOf = (desk: Desk, output: Output): string => {
  // Names and outputs are in a sequence too, and change nothing of what is made.
  const { steps, stepOrder, cameras, camera, picture, rate, sounds = null } = desk.body();
  const film = [desk.state.preparation.body, steps, stepOrder, cameras, picture, rate, sounds ?? cameras]
    .map(identity)
    .join(" ");
  return `${film} ${camera} ${JSON.stringify([output.kind, output.range, output.settings])}`;
};

export const makingKey = (desk: Desk, id: string): string => `${desk.state.sequenceId} ${id}`;

/** A quarter of the size, in plain light, without what takes long. */
export function quickly(output: Output): Output {
  const quarter = (v: unknown) => Math.max(16, 2 * Math.round(Number(v) / 8));
  const { width, height } = output.settings;
  return {
    ...output,
    settings: { ...output.settings, width: quarter(width), height: quarter(height), fineness: 1, blur: 1 },
  };
}

/** How many outputs of a desk wait or are being made. */
export const beingMade = (desk: Desk): number =>
  Object.values(desk.state.making).filter((m) => m.state === "busy" || m.state === "waiting").length;

interface Job {
  key: string;
  output: Output;
  film: Film;
  of: string;
  name: string;
  quick: boolean;
  /** Samples of what is heard, of the sequence that was open when it was asked for. */
  sounds: Promise<Readonly<Record<string, Pcm>>>;
  abort: AbortController;
}

/** Makes outputs one after another, each in a worker of its own. */
export class Publishing {
  private readonly waiting: Job[] = [];
  private now: Job | null = null;

  constructor(
    private readonly desk: Desk,
    private readonly port: PublishPort,
  ) {}

  /** Queues an output of the sequence as it is now. @param name of the file */
  make(output: Output, name: string, quick = false): void {
    const key = makingKey(this.desk, output.id);
    this.stop(output.id);
    this.forget(key);
    const film = filmOf(this.desk);
    const of = madeOf(this.desk, output);
    const sounds = samplesOf(this.desk, film.sequence);
    this.waiting.push({ key, output, film, of, name, quick, sounds, abort: new AbortController() });
    this.set(key, { state: "waiting" });
    if (!this.now) void this.next();
  }

  /** Gives up making an output, also before it began. */
  stop(id: string): void {
    const key = makingKey(this.desk, id);
    const at = this.waiting.findIndex((j) => j.key === key);
    if (at >= 0) this.waiting.splice(at, 1);
    if (this.now?.key === key) this.now.abort.abort();
    if (at >= 0 || this.now?.key === key) this.set(key, null);
  }

  private async next(): Promise<void> {
    const job = this.waiting.shift() ?? null;
    this.now = job;
    if (!job) return;
    const { key, output, abort } = job;
    const client = clientFor(this.desk);
    let since = performance.now();
    let first = 0;
    this.set(key, { state: "busy", share: 0, what: "starting", left: null });
    try {
      const font = this.port.fontUrl();
      if (font) await client.ask("font", font, { signal: abort.signal });
      const film = new FilmSender(client).send(job.film);
      const { file, checked } = await client.ask(
        "make",
        {
          film,
          output: job.quick ? quickly(output) : output,
          plain: job.quick,
          sounds: await job.sounds,
          addresses: addressesOf(this.desk, this.port),
        },
        {
          signal: abort.signal,
          tell: ({ share, what }) => {
            if (abort.signal.aborted) return;
            // Counted from the first news on, which also pays for starting up.
            if (first === 0) {
              first = share;
              since = performance.now();
            }
            const took = performance.now() - since;
            const left = share > first + 0.02 ? (took / (share - first)) * (1 - share) : null;
            this.set(key, { state: "busy", share, what, left: left === null ? null : left / 1000 });
          },
        },
      );
      if (!abort.signal.aborted)
        this.set(key, {
          ...{ state: "done", url: URL.createObjectURL(file), name: job.name, type: file.type, size: file.size },
          ...{ checked, of: job.of, quick: job.quick },
        });
    } catch (error) {
      if (!abort.signal.aborted) this.set(key, isStop(error) ? null : { state: "failed", message: problemOf(error) });
    } finally {
      client.end();
      void this.next();
    }
  }

  private forget(key: string): void {
    const was = this.desk.state.making[key];
    if (was?.state === "done") URL.revokeObjectURL(was.url);
  }

  private set(key: string, making: Making | null): void {
    const { [key]: _, ...rest } = this.desk.state.making;
    this.desk.set({ making: making ? { ...rest, [key]: making } : rest });
  }

  dispose(): void {
    this.waiting.length = 0;
    this.now?.abort.abort();
    for (const key of Object.keys(this.desk.state.making)) this.forget(key);
  }
}

/** Where the files lie that go into what is made. */
const addressesOf = (desk: Desk, port: PublishPort) => ({
  player: `${port.origin()}/player/page.js`,
  letters: `${port.origin()}/player/letters/`,
  sounds: `${port.origin()}/api/projects/${desk.state.projectId}/sounds/`,
  version: ownVersion(),
});

const all = new WeakMap<Desk, Publishing>();
/** What makes the outputs of a desk: it goes on while other views are open. */
export function publishingOf(desk: Desk, port: PublishPort): Publishing {
  const it = all.get(desk) ?? new Publishing(desk, port);
  all.set(desk, it);
  return it;
}

/** Shows moments of an output as they will be made; only the last that was asked for. */
export class OutputPreview {
  private readonly client: WorkerClient<PublishWorker>;
  private readonly films: FilmSender;
  private busy = false;
  private wanted: (() => Promise<void>) | null = null;

  constructor(
    private readonly desk: Desk,
    private readonly port: PublishPort,
  ) {
    this.client = clientFor(desk);
    this.films = new FilmSender(this.client);
    const font = port.fontUrl();
    // Without it the browser's own letters stand in.
    if (font) this.client.ask("font", font).catch(() => {});
  }

  /**
   * Asks for a moment, ticks; what was asked before and is not drawn yet is left out.
   * @param show told the picture, to be closed by whoever shows it @param failed told why there is none
   */
  ask(
    output: Output,
    ticks: number,
    room: { width: number; height: number },
    show: (picture: ImageBitmap) => void,
    failed: (message: string) => void,
  ): void {
    this.wanted = async () => {
      try {
        const film = this.films.send(filmOf(this.desk));
        show(await this.client.ask("picture", { film, output, ticks, ...room }));
      } catch (error) {
        if (!isStop(error)) failed(problemOf(error));
      }
    };
    if (!this.busy) void this.go();
  }

  /**
   * Asks for what a reader will have before him, as HTML; what was asked before and is not there yet is left out.
   * @param step number of the step that is looked at, where it is one at a time
   */
  look(output: Output, step: number, show: (html: string) => void, failed: (message: string) => void): void {
    this.wanted = async () => {
      try {
        const film = this.films.send(filmOf(this.desk));
        const asked = { film, output, step, addresses: addressesOf(this.desk, this.port) };
        show(await this.client.ask("look", asked));
      } catch (error) {
        if (!isStop(error)) failed(problemOf(error));
      }
    };
    if (!this.busy) void this.go();
  }

  private async go(): Promise<void> {
    this.busy = true;
    while (this.wanted) {
      const next = this.wanted;
      this.wanted = null;
      await next();
    }
    this.busy = false;
  }

  dispose(): void {
    this.wanted = null;
    this.client.end();
  }
}
