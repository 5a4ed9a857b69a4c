import { readFileSync } from "node:fs";
import path from "node:path";

let known: string | null = null;

/** The version that this process serves: a name that is the same wherever the same sources were built. */
export function buildName(folder = ".next"): string {
  if (known !== null) return known;
  try {
    known = readFileSync(path.join(folder, "BUILD_ID"), "utf8").trim();
  } catch {
    known = "unbuilt";
  }
  return known;
}
