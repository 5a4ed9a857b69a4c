import { ImportError } from "./importError";

/** Parts and sub-assemblies that a file may place: what is beyond what can be shown one by one is put together. */
export const OCCURRENCES_MAX = 250_000;

/** The answer to a file that would become more parts than can be worked with. */
export function tooManyNodes(kind: string, count: number): ImportError {
  const said = count > 1e9 ? "more than a thousand million" : count.toLocaleString("en");
  return new ImportError(
    "too-large",
    `The ${kind} file places ${said} parts and sub-assemblies; ${OCCURRENCES_MAX.toLocaleString("en")} can be taken. Split the assembly, or export it with fewer details.`,
  );
}
