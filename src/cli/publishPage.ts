/** The page in which the command line draws: it hands everything to the app's own worker, and sends what was made. */
import { FilmSender } from "../desk/background/filmSender";
import { WorkerClient, type WorkerLike } from "../desk/background/workerClient";
import type { PublishWorker } from "../workers/publish";

declare global {
  interface Window {
    plextanTell(share: number, what: string): Promise<void>;
    plextanMade: Promise<{ checked: string[]; fault?: string }>;
  }
}

async function make(): Promise<{ checked: string[]; fault?: string }> {
  try {
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
    const { file, checked } = await client.ask(
      "make",
      { film, output: job.output, plain: false },
      { tell: ({ share, what }) => void window.plextanTell(share, what) },
    );
    await fetch("/made", { method: "POST", body: file });
    return { checked };
  } catch (error) {
    return { checked: [], fault: error instanceof Error ? error.message : String(error) };
  }
}

window.plextanMade = make();
