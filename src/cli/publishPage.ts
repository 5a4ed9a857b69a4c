/** The page in which the command line draws: it hands everything to the app's own worker, and sends what was made. */

import type { Output } from "../core/document/outputs";
import type { Sequence } from "../core/document/sequence";
import type { Pcm } from "../core/sound/mix";
import { FilmSender } from "../desk/background/filmSender";
import { WorkerClient, type WorkerLike } from "../desk/background/workerClient";
import { decodeSound } from "../desk/sounds/decode";
import type { PublishWorker } from "../workers/publish";

declare global {
  interface Window {
    plextanTell(share: number, what: string): Promise<void>;
    plextanMake(output: Output): Promise<{ checked: string[]; fault?: string }>;
  }
}

/** The samples of a sequence's recordings, decoded as the app does. */
async function soundsOf(sequence: Sequence): Promise<Record<string, Pcm>> {
  const out: Record<string, Pcm> = {};
  for (const { asset, file } of Object.values(sequence.sounds ?? {}))
    out[asset] ??= (await decodeSound(await (await fetch(`/sound/${asset}`)).arrayBuffer(), file)).pcm;
  return out;
}

async function open(): Promise<{ client: WorkerClient<PublishWorker>; film: string; sounds: Record<string, Pcm> }> {
  const [job, bytes] = await Promise.all([
    fetch("/job").then((r) => r.json()),
    fetch("/package").then(async (r) => new Uint8Array(await r.arrayBuffer())),
  ]);
  const client = new WorkerClient<PublishWorker>(
    () => new Worker("/worker.js") as WorkerLike,
    () => ({ name: "open", input: { bytes, assembly: job.assembly } }),
  );
  await client.ask("font", `${location.origin}/font.woff2`);
  const { preparation, sequence } = job;
  const film = new FilmSender(client).send({ name: "film", preparation, sequence });
  return { client, film, sounds: await soundsOf(sequence) };
}

let opened: ReturnType<typeof open> | null = null;

/** Makes an output and sends it back; it is asked for one after another. */
async function make(output: Output): Promise<{ checked: string[]; fault?: string }> {
  try {
    opened ??= open();
    const { client, film, sounds } = await opened;
    const { origin } = location;
    const { file, checked } = await client.ask(
      "make",
      {
        ...{ film, output, plain: false, sounds },
        addresses: {
          player: `${origin}/player.js`,
          sounds: `${origin}/sound/`,
          letters: `${origin}/letters/`,
          version: null,
        },
      },
      { tell: ({ share, what }) => void window.plextanTell(share, what) },
    );
    await fetch("/made", { method: "POST", body: file });
    return { checked };
  } catch (error) {
    return { checked: [], fault: error instanceof Error ? error.message : String(error) };
  }
}

window.plextanMake = make;
