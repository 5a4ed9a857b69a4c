// The framework loads modules once per route: what is noted on a request must be found by each of them.
const AT_HAND = Symbol.for("plextan.atHand");

/**
 * Notes on a request how its body is read whole, straight from the connection: a stream between takes longer over a short
 * one than all that is made of it. The request itself has no body then; it is read by `readBody`.
 */
export const atHand = (request: Request, whole: () => Promise<Uint8Array>): Request =>
  Object.assign(request, { [AT_HAND]: whole });

/** How a request's body is read whole; null where it has a stream alone. */
export const atHandOf = (request: Request): (() => Promise<Uint8Array>) | null =>
  (request as { [AT_HAND]?: () => Promise<Uint8Array> })[AT_HAND] ?? null;

/**
 * The connection was cut before all of a body was here: nobody waits for an answer, and nothing is wrong with the server.
 * By name: the framework loads a module once for each route, so a class may be there several times.
 */
export const cutOff = (): Error => Object.assign(new Error("The connection was cut."), { name: "CutOff" });
export const isCutOff = (error: unknown): boolean => (error as Error | null)?.name === "CutOff";
