/** Where what is sent bit by bit goes. */
export interface Sink {
  /** @throws where nobody takes it any more */
  write(bytes: Uint8Array): void;
  end(): void;
}

// The framework loads modules once per route: what is noted on an answer must be found by each of them.
const POUR = Symbol.for("plextan.pour");

/**
 * Notes on an answer how it is written straight to a connection, in place of its body. What fifty listen to is written
 * fifty times: by way of a stream each, the last waits twice as long.
 */
export const pouring = (response: Response, pour: (sink: Sink) => void): Response =>
  Object.assign(response, { [POUR]: pour });

/** How an answer is written straight to a connection; null where it has a body alone. */
export const pourOf = (response: Response): ((sink: Sink) => void) | null =>
  (response as { [POUR]?: (sink: Sink) => void })[POUR] ?? null;
