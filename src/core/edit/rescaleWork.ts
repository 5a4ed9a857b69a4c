import type { Preparation } from "../document/preparation";
import { keysOf, type Sequence, scaleHandles, timedSteps } from "../document/sequence";
import { hasPitch, turns } from "../kinematics/jointKinds";
import { scaleLink } from "../kinematics/linkKinds";
import type { Triple } from "../math/triple";
import { mapMoveLengths } from "./traverse";

/** Channels whose values are lengths, of a part or group and of the camera. */
const isLength = (channel: string, slides: ReadonlySet<string>) =>
  channel.startsWith("slide.") ||
  channel.startsWith("aim.") ||
  channel === "distance" ||
  (channel.startsWith("joint.") && slides.has(channel.slice(6)));

const slideJoints = (preparation: Preparation) =>
  new Set(Object.values(preparation.joints).flatMap((j) => (turns(j) ? [] : [j.id])));

/** Makes every length in a preparation larger by a factor: for an assembly that is read again in another unit. */
export function rescalePreparation(factor: number): (draft: Preparation) => void {
  return (draft) => {
    const slides = slideJoints(draft);
    const grow = (v: Triple) => v.map((x) => x * factor) as Triple;
    for (const node of Object.values(draft.nodes)) {
      if (node.pivot) node.pivot.at = grow(node.pivot.at);
      // A moved home is a rigid motion: its shift grows, its turn stays.
      if (node.home) node.home = node.home.map((v, i) => (i >= 12 && i < 15 ? v * factor : v));
    }
    for (const group of Object.values(draft.groups)) if (group.pivot) group.pivot = grow(group.pivot);
    for (const joint of Object.values(draft.joints)) {
      joint.point = grow(joint.point);
      if (hasPitch(joint)) joint.pitch *= factor;
      if (turns(joint)) continue;
      joint.zero *= factor;
      if (joint.limits) {
        if (joint.limits.min !== null) joint.limits.min *= factor;
        if (joint.limits.max !== null) joint.limits.max *= factor;
      }
    }
    for (const link of Object.values(draft.links))
      scaleLink(link, [slides.has(link.driver), slides.has(link.follower)], factor);
    for (const pose of Object.values(draft.poses)) growValues(pose.values, slides, factor);
  };
}

function growValues(values: Record<string, number>, slides: ReadonlySet<string>, factor: number): void {
  for (const [channel, value] of Object.entries(values))
    if (isLength(channel, slides)) values[channel] = value * factor;
}

/** The same for a sequence: slides, camera places and distances. `preparation` tells which joints are slides. */
export function rescaleSequence(preparation: Preparation, factor: number): (draft: Sequence) => void {
  const slides = slideJoints(preparation);
  return (draft) => {
    for (const camera of Object.values(draft.cameras))
      growValues(camera.home as Record<string, number>, slides, factor);
    for (const step of timedSteps(draft)) {
      for (const move of Object.values(step.moves)) {
        for (const key of keysOf(move)) {
          growValues(key.values, slides, factor);
          for (const channel of Object.keys(key.shapes ?? {}))
            if (isLength(channel, slides)) scaleHandles(key, channel, factor);
        }
        mapMoveLengths(
          move,
          (joint) => slides.has(joint),
          (mm) => mm * factor,
        );
      }
    }
  };
}
