/**
 * Errors whose message is for the user. They are told by name: what comes from a worker or from another bundle of the
 * app has lost its class.
 */
const MEANT: ReadonlySet<string> = new Set([
  "Refusal",
  "ImportError",
  "DocumentError",
  "EditError",
  "PackageError",
  "ApiError",
  "ProjectFileError",
  "ZipError",
]);

/** What is said of a fault of ours, whatever its own words are: those are for the log. */
export const FAULT =
  "Plextan made a mistake here, and nothing was changed. Try it another way; if it comes back, reload the page. Your work is kept.";

/** Whether an error is an answer that was meant, not a fault. */
export const isMeant = (error: unknown): error is Error => error instanceof Error && MEANT.has(error.name);

/** Whether something was given up on purpose. */
export const isStop = (error: unknown): boolean => error instanceof Error && error.name === "AbortError";

/** An error in words for the user. What was not meant goes to the log with all it tells. */
export function problemOf(error: unknown): string {
  if (isMeant(error)) return error.message;
  if (isStop(error)) return "Stopped. Nothing was changed.";
  console.error(error);
  return FAULT;
}
