import type { PartTarget } from "../../core/document/parts";
import { invertedAffine, transformDirection, transformPoint } from "../../core/math/mat4";
import type { Triple } from "../../core/math/triple";
import { unit } from "../../core/math/triple";
import { worldDirection, worldPoint } from "../../stage/pointing";
import type { PickedFeature } from "../../stage/stagePort";
import type { Desk } from "../port";

/**
 * A picked feature in the frame that joints and pivots of a target are kept in: the part's own, for a group the
 * assembly's, each as it stands now. So an axis picked on a neighbour lands where it was pointed at.
 * @returns null when nothing is drawn; the direction is null where the feature has none.
 */
export function inTargetFrame(
  desk: Desk,
  target: PartTarget,
  picked: PickedFeature,
): { point: Triple; direction: Triple | null } | null {
  const stage = desk.view;
  if (!stage) return null;
  const pose = stage.currentPose;
  const group = target.type === "group" ? desk.program.groupList.findIndex((g) => g.id === target.id) : -1;
  const node = target.type === "node" ? (desk.index.indexOf.get(target.key) ?? -1) : -1;
  if (group < 0 && node < 0) return null;
  const back = group >= 0 ? invertedAffine(pose.groups, 16 * group) : invertedAffine(pose.world, 16 * node);
  const direction = worldDirection(stage.currentPose, picked);
  return {
    point: transformPoint(back, worldPoint(stage.currentPose, picked).toArray()),
    direction: direction ? unit(transformDirection(back, direction.toArray())) : null,
  };
}

/** A picked feature in the assembly's frame at home: its part's departure taken back. */
export function atHome(desk: Desk, picked: PickedFeature): { point: Triple; direction: Triple | null } {
  const home = desk.index.homeWorld;
  const { point, direction } = picked.feature;
  return {
    point: transformPoint(home, point, 16 * picked.node),
    direction: direction ? unit(transformDirection(home, direction, 16 * picked.node)) : null,
  };
}
