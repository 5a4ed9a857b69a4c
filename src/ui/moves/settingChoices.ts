import { targetId } from "../../core/document/keys";
import type { PartTarget } from "../../core/document/parts";
import type { MadeMove } from "../../core/document/sequence";
import { turns } from "../../core/kinematics/jointKinds";
import { ownJoints } from "../../core/moves/turn";
import { problemOf } from "../../core/text/problem";
import { mayOwnAxis, ownHinges } from "../../desk/acts/joining";
import type { Desk } from "../../desk/port";

export const ABOUT_OWN = "own";
/** Axes of their own that no joint stands for yet. */
export const FIND_OWN = "find own";

/** Lets a move turn its parts about their own axes; hinges that are missing are made. */
export function turnAboutOwn(desk: Desk, move: MadeMove, take: (settings: Record<string, unknown>) => void): void {
  try {
    const parts = move.targets.filter((t): t is PartTarget => t.type === "node" || t.type === "group");
    take({ axis: "joint", joints: ownHinges(desk, parts) });
  } catch (error) {
    desk.notify("problem", problemOf(error));
  }
}

/** Axes a move may turn its parts about: their joints, and the axes they are declared to turn about. */
export function axisChoices(
  desk: Desk,
  move: MadeMove,
): { value: string; label: string; settings: Record<string, unknown> }[] {
  const preparation = desk.state.preparation.body;
  const out: { value: string; label: string; settings: Record<string, unknown> }[] = [];
  const only = move.targets.length === 1 ? move.targets[0] : undefined;
  if (only) {
    for (const j of Object.values(preparation.joints)) {
      if (targetId(j.target) === targetId(only) && turns(j))
        out.push({ value: `joint ${j.id}`, label: j.name, settings: { axis: "joint", joints: [j.id] } });
    }
  } else {
    const joints = ownJoints({ preparation, targets: move.targets }, turns);
    if (joints.length > 0)
      out.push({ value: ABOUT_OWN, label: "their own joints", settings: { axis: "joint", joints } });
  }
  const first = move.targets[0];
  const axes = first && (first.type === "node" || first.type === "group") ? desk.program.axesOf(first) : [];
  for (const a of axes)
    out.push({
      value: `turn.${a.id}`,
      label: `${a.name}, through the pivot`,
      settings: { axis: `turn.${a.id}`, joints: [] },
    });
  const parts = move.targets.filter((t): t is PartTarget => t.type === "node" || t.type === "group");
  if (parts.length > 0 && parts.some((t) => mayOwnAxis(desk, t)))
    out.push({ value: FIND_OWN, label: parts.length === 1 ? "its own axis" : "their own axes", settings: {} });
  return out;
}

/** Joints of the parts that a move acts on. */
export function jointChoices(desk: Desk, move: MadeMove): { value: string; label: string }[] {
  const ids = new Set(move.targets.map(targetId));
  return Object.values(desk.state.preparation.body.joints)
    .filter((j) => ids.has(targetId(j.target)))
    .map((j) => ({ value: j.id, label: j.name }));
}
