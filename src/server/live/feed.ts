import { pouring, type Sink } from "../http/pour";

/** How often it is looked whether anything is new in what somebody listens to, ms. */
const LOOK_MS = 300;
/** A line that keeps proxies from taking the connection for dead, ms. */
const STILL_MS = 15_000;
/** Whoever listens is judged again so often, ms, give or take a fifth, so that they do not all come at once. */
const JUDGE_MS = 10_000;

/** How something that is listened to stands. */
export interface Looked {
  /** What there is now, as one line: listeners are told when it is another. */
  news: string;
  /** When this is another, whoever listens is judged at once: a link was withdrawn. */
  rights?: string;
}

interface Listener {
  /** Takes an event as it is sent. */
  hear(event: Uint8Array): void;
  judge(): void;
}

interface Watched {
  /** Looks whether anything is new, and tells. */
  look(): void;
  /** What is told without a look. */
  tell(news: string, line: string): void;
  told: string | null;
  listeners: Set<Listener>;
  timer: ReturnType<typeof setInterval>;
}

const text = new TextEncoder();
const eventOf = (line: string): Uint8Array => text.encode(`data: ${line}\n\n`);

// Next.js loads modules once per route bundle; what is looked at must be one list for the process.
const holder = globalThis as { plextanWatched?: Map<string, Watched> };

function watch(look: () => Promise<Looked>): Watched {
  let asking = false;
  let again = false;
  /** Counts what was told without a look: an answer that was asked for before is older than that. */
  let fresher = 0;
  let rights: string | undefined;
  // Made once, however many hear it.
  const hearAll = (line: string) => {
    const event = eventOf(line);
    for (const l of made.listeners) l.hear(event);
  };
  const now = () => {
    again = asking;
    if (asking) return;
    asking = true;
    const then = fresher;
    look()
      .then((found) => {
        if (rights !== undefined && found.rights !== rights) for (const l of made.listeners) l.judge();
        rights = found.rights;
        if (then !== fresher || found.news === made.told) return;
        made.told = found.news;
        hearAll(found.news);
      })
      // The database is away for a moment: the next look finds what is new.
      .catch(() => {})
      .finally(() => {
        asking = false;
        if (again) now();
      });
  };
  const made: Watched = {
    look: now,
    tell(news, line) {
      fresher++;
      made.told = news;
      hearAll(line);
    },
    told: null,
    listeners: new Set(),
    timer: setInterval(now, LOOK_MS),
  };
  return made;
}

/** However many listen to the same in this process, the database is asked once. */
function listen(key: string, look: () => Promise<Looked>, listener: Listener): () => void {
  holder.plextanWatched ??= new Map();
  const all = holder.plextanWatched;
  let watched = all.get(key);
  if (!watched) {
    watched = watch(look);
    all.set(key, watched);
    watched.look();
  } else if (watched.told !== null) listener.hear(eventOf(watched.told));
  watched.listeners.add(listener);
  const own = watched;
  return () => {
    own.listeners.delete(listener);
    if (own.listeners.size > 0 || all.get(key) !== own) return;
    clearInterval(own.timer);
    all.delete(key);
  };
}

/** How many listen in this process. */
export const listeners = (): number =>
  [...(holder.plextanWatched?.values() ?? [])].reduce((n, w) => n + w.listeners.size, 0);

/** Something has changed by this very process: those who listen here need not wait for the next look. */
export function nudge(key: string): void {
  holder.plextanWatched?.get(key)?.look();
}

/**
 * Tells those who listen in this process what has just been stored, without a look.
 * @param news what a look finds now @param line what is told in its place, with more in it
 */
export function tell(key: string, news: string, line: string): void {
  holder.plextanWatched?.get(key)?.tell(news, line);
}

/** News of something as server-sent events, for as long as it is listened to. */
export function feedOf(
  key: string,
  look: () => Promise<Looked>,
  /** `judge` tells whether the listener may still listen; the caller has judged them once. */
  { signal, judge }: { signal: AbortSignal; judge: () => Promise<boolean> },
): Response {
  let stop = () => {};
  const pour = (sink: Sink) => {
    const tellThem = (event: Uint8Array) => {
      try {
        sink.write(event);
      } catch {
        stop();
      }
    };
    // Cut off, they come again, and are refused with the reason.
    const judged = () => void judge().then((may) => may || stop());
    const leave = listen(key, look, { hear: tellThem, judge: judged });
    const still = setInterval(() => tellThem(STILL_HERE), STILL_MS);
    const judging = setInterval(judged, JUDGE_MS * (0.8 + 0.4 * Math.random()));
    stop = () => {
      stop = () => {};
      leave();
      clearInterval(still);
      clearInterval(judging);
      sink.end();
    };
    if (signal.aborted) return stop();
    signal.addEventListener("abort", () => stop());
    tellThem(RETRY);
  };
  const response = new Response(
    new ReadableStream<Uint8Array>(
      {
        pull(controller) {
          // It is poured once, when it is first read.
          if (poured) return;
          poured = true;
          pour({
            write: (bytes) => controller.enqueue(bytes),
            end: () => {
              try {
                controller.close();
              } catch {
                // It was closed from the other side.
              }
            },
          });
        },
        cancel: () => stop(),
      },
      { highWaterMark: 0 },
    ),
    {
      // Untransformed: packing each line for each listener costs more than it saves.
      headers: {
        "Content-Type": "text/event-stream",
        "Cache-Control": "no-store, no-transform",
        "X-Accel-Buffering": "no",
      },
    },
  );
  let poured = false;
  return pouring(response, pour);
}

const STILL_HERE = text.encode(": still here\n\n");
const RETRY = text.encode("retry: 500\n\n");
