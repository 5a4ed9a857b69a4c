import { NODES_MAX } from "../core/assembly/assembly";
import { ImportError } from "./importError";

/** The answer to a file that would become more parts than can be worked with. */
export function tooManyNodes(kind: string, count: number): ImportError {
  const said = count > 1e9 ? "more than a thousand million" : count.toLocaleString("en");
  return new ImportError(
    "too-large",
    `The ${kind} file places ${said} parts and sub-assemblies; ${NODES_MAX.toLocaleString("en")} can be taken. Split the assembly, or export it with fewer details.`,
  );
}
