/** How often it is looked whether anything is new in what somebody listens to, ms. */
const LOOK_MS = 300;
/** A line that keeps proxies from taking the connection for dead, ms. */
const STILL_MS = 15_000;
/** A listener comes again after so long, and is judged again: they may have been removed, a link withdrawn. */
const LASTS_MS = 20_000;

interface Watched {
  /** Looks whether anything is new, and tells. */
  look(): void;
  told: string | null;
  listeners: Set<(news: string) => void>;
  timer: ReturnType<typeof setInterval>;
}

// Next.js loads modules once per route bundle; what is looked at must be one list for the process.
const holder = globalThis as { plextanWatched?: Map<string, Watched> };

/**
 * However many listen to the same in this process, the database is asked once.
 * @param look what there is now, as one line; listeners are told when it is another
 */
function listen(key: string, look: () => Promise<string>, hear: (news: string) => void): () => void {
  holder.plextanWatched ??= new Map();
  const all = holder.plextanWatched;
  let watched = all.get(key);
  if (!watched) {
    let asking = false;
    let again = false;
    const now = () => {
      again = asking;
      if (asking) return;
      asking = true;
      look()
        .then((news) => {
          if (news === made.told) return;
          made.told = news;
          for (const l of made.listeners) l(news);
        })
        // The database is away for a moment: the next look finds what is new.
        .catch(() => {})
        .finally(() => {
          asking = false;
          if (again) now();
        });
    };
    const made: Watched = { look: now, told: null, listeners: new Set(), timer: setInterval(now, LOOK_MS) };
    watched = made;
    all.set(key, watched);
  } else if (watched.told !== null) hear(watched.told);
  watched.listeners.add(hear);
  const own = watched;
  return () => {
    own.listeners.delete(hear);
    if (own.listeners.size > 0 || all.get(key) !== own) return;
    clearInterval(own.timer);
    all.delete(key);
  };
}

/** Something has changed by this very process: those who listen here need not wait for the next look. */
export function nudge(key: string): void {
  holder.plextanWatched?.get(key)?.look();
}

/** News of something as server-sent events, for as long as it is listened to. The caller has judged the listener. */
export function feedOf(key: string, look: () => Promise<string>, signal: AbortSignal): Response {
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
      const leave = listen(key, look, (news) => tell(`data: ${news}\n\n`));
      const still = setInterval(() => tell(": still here\n\n"), STILL_MS);
      const last = setTimeout(() => stop(), LASTS_MS);
      stop = () => {
        stop = () => {};
        leave();
        clearInterval(still);
        clearTimeout(last);
        try {
          controller.close();
        } catch {
          // It was closed from the other side.
        }
      };
      signal.addEventListener("abort", () => stop());
      tell("retry: 500\n\n");
    },
    cancel() {
      stop();
    },
  });
  return new Response(body, {
    headers: { "Content-Type": "text/event-stream", "Cache-Control": "no-store", "X-Accel-Buffering": "no" },
  });
}
