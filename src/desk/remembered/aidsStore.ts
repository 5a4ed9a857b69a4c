import { drawsInSoftware } from "../../stage/machine";
import type { Aids } from "../state";

const NAME = "plextan-aids";
const AIDS_DEFAULT: Aids = {
  path: true,
  ghosts: false,
  thirds: false,
  margins: false,
  second: "",
  working: false,
  pictures: true,
  framing: true,
  proof: true,
  smooth: true,
};
const FLAGS = ["path", "ghosts", "thirds", "margins", "working", "pictures", "framing", "proof", "smooth"] as const;

/**
 * The helps of the desk as they were last set in this browser; a second view is not brought back. Edges are smoothed
 * unless the machine would take long over it, or as was chosen.
 */
export function lastAids(): Aids {
  const aids = { ...AIDS_DEFAULT, smooth: !drawsInSoftware() };
  try {
    const found = JSON.parse(localStorage.getItem(NAME) ?? "{}") as Partial<Aids>;
    for (const flag of FLAGS) if (typeof found[flag] === "boolean") aids[flag] = found[flag];
  } catch {
    // What cannot be read is as usual.
  }
  return aids;
}

export function rememberAids(aids: Aids): void {
  try {
    localStorage.setItem(NAME, JSON.stringify(aids));
  } catch {
    // Without storage they hold until the page is left.
  }
}
