import { VERSION_HEADER } from "../core/text/version";

let updated = false;
const told = new Set<() => void>();

/** The version that this page was made by; null where it does not say. */
export const ownVersion = (): string | null =>
  typeof document === "undefined" ? null : (document.documentElement.dataset.build ?? null);

/** Looks whether an answer comes from another version than the page does. */
export function noteVersion(response: Pick<Response, "headers">): void {
  const theirs = response.headers.get(VERSION_HEADER);
  const ours = ownVersion();
  if (updated || !theirs || !ours || theirs === ours) return;
  updated = true;
  for (const tell of told) tell();
}

/** Whether Plextan was updated since this page was opened. */
export const isUpdated = (): boolean => updated;

/** Is told once it was. @returns what ends it */
export function onUpdated(tell: () => void): () => void {
  told.add(tell);
  return () => told.delete(tell);
}
