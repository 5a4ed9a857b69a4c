import type { AssemblyIndex } from "../assembly/assembly";
import type { PartTarget } from "../document/parts";
import type { Link, Preparation } from "../document/preparation";
import { linkFault, linkOrder } from "../kinematics/graph";
import { invertLink } from "../kinematics/linkFunction";
import { pieceOf } from "../kinematics/linkKinds";
import { linearInverse, linkFunction } from "../kinematics/links";
import { Refusal } from "../text/refusal";
import { jointAxis } from "./jointFrame";
import type { JointTracks, LinkTracks, NodeTracks } from "./layout";

/** What of a program its links are made in. */
export interface LinkSite {
  readonly index: AssemblyIndex;
  readonly preparation: Preparation;
  readonly linkFaults: Map<string, string>;
  /** Solver matrices in use. */
  solvers: number;
  links: readonly LinkTracks[];
  jointTracks(id: string): JointTracks | null;
  trackPart(target: PartTarget): NodeTracks | null;
}

/** Works out the links of a program's preparation, drivers first; what cannot work is left out and said. */
export function makeLinks(program: LinkSite): void {
  const { preparation } = program;
  if (linkFault(preparation) !== null) return;
  const links: LinkTracks[] = [];
  for (const link of linkOrder(Object.values(preparation.links))) {
    const driver = program.jointTracks(link.driver);
    const follower = program.jointTracks(link.follower);
    if (!driver || !follower) {
      const missing = preparation.joints[driver ? link.follower : link.driver];
      program.linkFaults.set(link.id, `The part of "${missing?.name ?? "a joint"}" is not in this assembly.`);
      continue;
    }
    try {
      const map = linkFunction(link, jointAxis(program.index, driver.joint), jointAxis(program.index, follower.joint));
      const reach = map.reach?.();
      const fault = reach && reachFault(link, driver, reach);
      if (fault) program.linkFaults.set(link.id, fault);
      const tracks: LinkTracks = { link, driver, follower, map, solver: -1 };
      const middle = pieceOf<PartTarget>(link);
      const piece = middle ? program.trackPart(middle) : null;
      if (piece && map.middle) {
        tracks.solver = program.solvers++;
        piece.solver = tracks.solver;
        piece.driverOfPiece = driver;
      }
      follower.driver = tracks;
      links.push(tracks);
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      program.linkFaults.set(link.id, error.message);
    }
  }
  program.links = links;
}

/** What to say of a mechanism that cannot go all the way round; null where the driver's hard limits keep it inside. */
export function reachFault(
  link: Link,
  driver: Pick<JointTracks, "joint" | "sense">,
  reach: { kind: "full" } | { kind: "part"; from: number; to: number } | { kind: "none" },
): string | null {
  if (reach.kind === "full") return null;
  const what =
    link.kind === "crank-slider"
      ? `A rod of ${round(link.rodLength)} mm on a crank of ${round(link.radius)} mm with an offset of ${round(link.offset)} mm`
      : "These four bars";
  if (reach.kind === "none") return `${what} cannot be put together at home. Check the sizes or the pins.`;
  const { joint, sense } = driver;
  const readings = [joint.zero + sense * reach.from, joint.zero + sense * reach.to].sort((a, b) => a - b) as [
    number,
    number,
  ];
  const { limits } = joint;
  if (
    limits?.hard &&
    limits.min !== null &&
    limits.max !== null &&
    limits.min >= readings[0] - 1e-9 &&
    limits.max <= readings[1] + 1e-9
  )
    return null;
  return `${what} cannot go all the way round: "${joint.name}" reaches from ${round(readings[0])}° to ${round(readings[1])}°. Change the sizes, or set hard limits inside that.`;
}

/**
 * The driver that decides a channel of a part or group, where a link does: the joint it follows with, and every way of
 * moving by hand, for a linked part never disagrees with its driver. null where the channel is free.
 */
export function linkedBy(tracks: NodeTracks, channel: string): JointTracks | null {
  const follows = tracks.joints.find((j) => j.driver);
  if (channel.startsWith("joint."))
    return tracks.joints.find((j) => `joint.${j.joint.id}` === channel)?.driver?.driver ?? null;
  if (!/^(slide|turn)\.|^orientation$/.test(channel)) return null;
  return follows?.driver?.driver ?? tracks.driverOfPiece ?? null;
}

/**
 * The driver's reading that brings a follower to a reading of its own, by way of all links between; for chains, at the
 * head. @returns null where no driver position does, or nothing drives the joint.
 */
export function driveBack(
  follower: JointTracks,
  reading: number,
  now: (joint: JointTracks) => number,
): { joint: JointTracks; reading: number } | null {
  let at = follower;
  let wanted = reading;
  while (at.driver) {
    const { link, map, driver } = at.driver;
    const departure = at.sense * (wanted - at.joint.zero);
    const near = driver.sense * (now(driver) - driver.joint.zero);
    const found =
      linearInverse(map, link, departure) ??
      invertLink(map, departure, near, link.kind === "cam" ? (link.period ?? 720) : 360);
    if (found === null) return null;
    wanted = driver.joint.zero + driver.sense * found;
    at = driver;
  }
  return at === follower ? null : { joint: at, reading: wanted };
}

const round = (v: number) => Number(v.toFixed(2)).toString();
