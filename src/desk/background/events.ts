/** A page that is hidden for so long hears no events until it is seen again, ms. */
const HIDDEN_MS = 5000;

/**
 * Hears the server-sent events of an address while the page is seen. Each stream holds one of the six connections that
 * a browser has to a server without HTTP/2: with some pages left open in the background nothing else would get through.
 * @param lost called when it stops hearing, whatever the reason: then it has to be asked
 * @returns what ends it; null where there are no events
 */
export function hearEvents(path: string, hear: (data: string) => void, lost: () => void): (() => void) | null {
  if (typeof EventSource === "undefined") return null;
  let source: EventSource | null = null;
  let hiding: ReturnType<typeof setTimeout> | undefined;
  const open = () => {
    if (source) return;
    source = new EventSource(path);
    source.onmessage = (e) => hear(String(e.data));
    source.onerror = lost;
  };
  const shut = () => {
    source?.close();
    source = null;
  };
  const turned = () => {
    clearTimeout(hiding);
    if (!document.hidden) open();
    else
      hiding = setTimeout(() => {
        shut();
        lost();
      }, HIDDEN_MS);
  };
  open();
  // Opened in the background, it may stay there.
  if (document.hidden) turned();
  document.addEventListener("visibilitychange", turned);
  return () => {
    clearTimeout(hiding);
    document.removeEventListener("visibilitychange", turned);
    shut();
  };
}
