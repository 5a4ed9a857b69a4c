import { database } from "../database/pool";
import { roundVersion } from "./rounds";

/** How often it is looked whether anything is new in rounds that somebody listens to, ms. */
const LOOK_MS = 300;
/** A line that keeps proxies from taking the connection for dead, ms. */
const STILL_MS = 15_000;
/** A listener comes again after so long, and is judged again: a link may have been withdrawn. */
const LASTS_MS = 60_000;

interface Watched {
  version: number;
  listeners: Set<(version: number) => void>;
  timer: ReturnType<typeof setInterval>;
}

// Next.js loads modules once per route bundle; the rounds that are looked at must be one list for the process.
const holder = globalThis as { plextanRounds?: Map<string, Watched> };

/** However many listen to a round in this process, the database is asked once. */
function listen(round: string, hear: (version: number) => void): () => void {
  holder.plextanRounds ??= new Map();
  const rounds = holder.plextanRounds;
  let watched = rounds.get(round);
  if (!watched) {
    let asking = false;
    const made: Watched = {
      version: -1,
      listeners: new Set(),
      timer: setInterval(() => {
        if (asking) return;
        asking = true;
        roundVersion(database(), round)
          .then((version) => {
            if (version === made.version) return;
            made.version = version;
            for (const l of made.listeners) l(version);
          })
          // The database is away for a moment: the next look finds what is new.
          .catch(() => {})
          .finally(() => {
            asking = false;
          });
      }, LOOK_MS),
    };
    watched = made;
    rounds.set(round, watched);
  } else if (watched.version >= 0) hear(watched.version);
  watched.listeners.add(hear);
  const own = watched;
  return () => {
    own.listeners.delete(hear);
    if (own.listeners.size > 0 || rounds.get(round) !== own) return;
    clearInterval(own.timer);
    rounds.delete(round);
  };
}

/** A stream of a round's versions, for as long as it is listened to. */
export function feedOf(round: string, signal: AbortSignal): Response {
  const text = new TextEncoder();
  let stop = () => {};
  const body = new ReadableStream<Uint8Array>({
    start(controller) {
      const tell = (line: string) => {
        try {
          controller.enqueue(text.encode(line));
        } catch {
          stop();
        }
      };
      const leave = listen(round, (version) => tell(`data: ${version}\n\n`));
      const still = setInterval(() => tell(": still here\n\n"), STILL_MS);
      const last = setTimeout(() => stop(), LASTS_MS);
      stop = () => {
        leave();
        clearInterval(still);
        clearTimeout(last);
        stop = () => {};
        try {
          controller.close();
        } catch {}
      };
      signal.addEventListener("abort", () => stop());
      tell("retry: 1000\n\n");
    },
    cancel() {
      stop();
    },
  });
  return new Response(body, {
    headers: { "Content-Type": "text/event-stream", "Cache-Control": "no-store", "X-Accel-Buffering": "no" },
  });
}
