import type { Film } from "../../core/edit/film";
import type { WatchWorker } from "../../workers/watch";
import type { Desk } from "../port";
import { FilmSender } from "./filmSender";
import { WorkerClient } from "./workerClient";

/** One watcher for the open assembly, shared by all that looks at the film in the background. */
let open: { client: WorkerClient<WatchWorker>; films: FilmSender; of: Desk["pkg"] } | null = null;

/** The watcher, and what sends it films. */
export function watcherFor(desk: Desk): { client: WorkerClient<WatchWorker>; films: FilmSender } {
  if (open?.of === desk.pkg) return open;
  open?.client.end();
  const client = new WorkerClient<WatchWorker>(
    () =>
      typeof Worker === "undefined"
        ? null
        : new Worker(new URL("../../workers/watch.ts", import.meta.url), { type: "module" }),
    () => ({ name: "open", input: { bytes: desk.packageBytes, assembly: desk.pkg.assembly } }),
  );
  open = { client, films: new FilmSender(client), of: desk.pkg };
  return open;
}

/** Ends the watcher; asked again, it starts anew. */
export function endWatcher(): void {
  open?.client.end();
  open = null;
}

const names = new WeakMap<object, number>();
let count = 0;
/** A number for a document's body as it is: bodies are never changed in place. */
export function identity(of: object): number {
  let n = names.get(of);
  if (n === undefined) {
    n = ++count;
    names.set(of, n);
  }
  return n;
}

/** The film as it is stored, without a move that is only being made. */
export function filmOf(desk: Desk): Film {
  const preparation = desk.state.preparation.body;
  const sequence = desk.body();
  return { name: `${identity(preparation)} ${identity(sequence)}`, preparation, sequence };
}
