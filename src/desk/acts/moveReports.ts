import type { Report } from "../../core/program/layout";
import type { Desk } from "../port";
import type { MoveRef } from "../selection/refs";

/** What the compiler has to say of a move, in words. */
export function reportsOf(desk: Desk, ref: MoveRef): string[] {
  const step = desk.sequence.steps[ref.step];
  const move = step?.moves[ref.move];
  const out = new Set<string>();
  for (const [target, reports] of desk.program.reports) {
    for (const r of reports)
      if (r.move === ref.move && (r.step === ref.step || r.step === "")) out.add(words(desk, r, target, ref.step));
  }
  out.delete("");
  if (move?.kind === "camera-cut" && !desk.sequence.cameras[move.settings.camera]) out.add("This camera is gone.");
  if (move?.kind === "pose" && !desk.state.preparation.body.poses[move.settings.pose])
    out.add("This named pose is gone. Choose another.");
  if (move?.kind === "look" && !desk.state.preparation.body.looks[move.settings.look])
    out.add("This look is gone. Choose another.");
  return [...out];
}

function words(desk: Desk, r: Report, target: string, step: string): string {
  const other = r.other === undefined ? "" : (desk.sequence.steps[step]?.moves[r.other]?.name ?? "another move");
  if (r.code === "clash")
    return r.lost
      ? `"${other}" takes over before this has ended.`
      : `Takes over from "${other}", which has not ended yet.`;
  if (r.code === "target-gone") return `"${nameOf(target)}" is not in this assembly.`;
  if (r.code === "joint-gone") return "A joint that it needs is gone.";
  if (r.code === "linked") return `"${nameOf(target)}" follows another joint and cannot be moved by itself.`;
  if (r.code === "beyond-limit") return "Goes beyond the joint's limits.";
  if (r.code === "nothing-to-reverse") return "The move that this puts back is gone, off, or comes later.";
  return "";
}

/** The end of a target's path, as it is called in the tree. */
const nameOf = (target: string) =>
  target.startsWith("n:") ? target.slice(target.lastIndexOf("/") + 1) : "What it moves";

/** The number of moves of a step that clash, and whether something that it moves is gone. */
export function stepFaults(desk: Desk, step: string): { clashes: number; gone: boolean } {
  const clashing = new Set<string>();
  let gone = false;
  for (const reports of desk.program.reports.values()) {
    for (const r of reports) {
      if (r.step !== step) continue;
      if (r.code === "clash") clashing.add(r.move);
      if (r.code === "target-gone" || r.code === "joint-gone") gone = true;
    }
  }
  return { clashes: clashing.size, gone };
}
