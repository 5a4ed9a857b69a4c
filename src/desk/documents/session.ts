const PREFIX = "plextan-page-";

const locks = () => (typeof navigator === "undefined" ? undefined : navigator.locks);

/** Marks a page as open until the returned function is called or the page is gone, whatever ends it. */
export function holdSession(session: string): () => void {
  let release = () => {};
  void locks()?.request(
    PREFIX + session,
    () =>
      new Promise<void>((done) => {
        release = done;
      }),
  );
  return () => release();
}

/** Sessions whose pages are open in this browser; none where the browser cannot tell. */
export async function livingSessions(): Promise<ReadonlySet<string>> {
  const held = (await locks()?.query())?.held ?? [];
  return new Set(held.flatMap((l) => (l.name?.startsWith(PREFIX) ? [l.name.slice(PREFIX.length)] : [])));
}
