/** The graph of links: which joint drives which. Works on ids alone, so that documents can be checked with it. */
import { Refusal } from "../text/refusal";
import { JOINT_KIND_NAMES, JOINT_KINDS, type JointKind } from "./jointKinds";
import { fitsNeed, type Need, needsOf } from "./linkKinds";

export interface LinkGraphInput {
  joints: Readonly<Record<string, { id: string; name: string; kind: JointKind }>>;
  links: Readonly<Record<string, { id: string; name: string; kind: string; driver: string; follower: string }>>;
}

/** The kinds of joints that would do, in words. */
const wanted = (need: Need) =>
  JOINT_KIND_NAMES.filter((kind) => fitsNeed(need, { kind }))
    .map((kind) => JOINT_KINDS[kind].title.toLowerCase())
    .join(" or ");

/**
 * What is wrong with the links as a whole, in words for the user: a joint that is missing or of the wrong kind, one
 * with two drivers, a cycle (its path named). @returns null when nothing is.
 */
export function linkFault({ joints, links }: LinkGraphInput): string | null {
  const driverOf = new Map<string, string>();
  for (const link of Object.values(links)) {
    const driver = joints[link.driver];
    const follower = joints[link.follower];
    if (!driver || !follower) return `The link "${link.name}" names a joint that does not exist.`;
    const [a, b] = needsOf(link.kind);
    if (!fitsNeed(a, driver))
      return `The link "${link.name}" needs a ${wanted(a)} as its driver; "${driver.name}" is a ${driver.kind}.`;
    if (!fitsNeed(b, follower))
      return `The link "${link.name}" needs a ${wanted(b)} as its follower; "${follower.name}" is a ${follower.kind}.`;
    const other = driverOf.get(follower.id);
    if (other !== undefined)
      return `"${follower.name}" would have two drivers, "${joints[other]?.name}" and "${driver.name}". Remove one of the links.`;
    driverOf.set(follower.id, driver.id);
  }
  const cycle = findCycle(driverOf);
  if (cycle)
    return `The links run in a circle: ${cycle.map((j) => joints[j]?.name ?? j).join(" drives ")}. Remove one of them.`;
  return null;
}

/**
 * A circle in a follower-to-driver map, drivers first, its first joint repeated at the end; null when there is none.
 */
function findCycle(driverOf: ReadonlyMap<string, string>): string[] | null {
  const done = new Set<string>();
  for (const start of driverOf.keys()) {
    const path: string[] = [];
    const at = new Map<string, number>();
    for (let j: string | undefined = start; j !== undefined && !done.has(j); j = driverOf.get(j)) {
      const seen = at.get(j);
      if (seen !== undefined) return [...path.slice(seen), j].reverse();
      at.set(j, path.length);
      path.push(j);
    }
    for (const j of path) done.add(j);
  }
  return null;
}

/** Links in an order in which every driver is known before its followers. @throws Refusal on a circle. */
export function linkOrder<T extends { driver: string; follower: string }>(links: readonly T[]): T[] {
  const byFollower = new Map(links.map((l) => [l.follower, l]));
  const out: T[] = [];
  const state = new Map<T, "open" | "done">();
  const visit = (link: T) => {
    if (state.get(link) === "done") return;
    if (state.get(link) === "open") throw new Refusal("links-circle");
    state.set(link, "open");
    const above = byFollower.get(link.driver);
    if (above) visit(above);
    state.set(link, "done");
    out.push(link);
  };
  for (const link of links) visit(link);
  return out;
}
