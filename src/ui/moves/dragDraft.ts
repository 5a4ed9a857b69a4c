import { transformDirection } from "../../core/math/mat4";
import { createPose, sample } from "../../core/program/pose";
import type { HandleDrag } from "../../stage/stage";
import type { Desk } from "../desk/desk";
import { changeDraft } from "./moveActions";

/**
 * Takes a drag of the part's handles as the distance, direction, angle or amount of the move that is being made.
 * @returns false where the move has nothing that the handle could set
 */
export function dragDraft(desk: Desk, drag: HandleDrag): boolean {
  const { draft } = desk.state;
  if (!draft) return false;
  const { move, step } = draft;
  const settings = move.settings as Record<string, unknown>;
  const pose = createPose(desk.program);
  sample(desk.program, (desk.program.steps.action[desk.program.steps.position.get(step) ?? 0] ?? 0) + move.start, pose);
  const before = (channel: string) => pose.values[drag.tracks.channels.get(channel) ?? -1] ?? 0;
  if (drag.joint) {
    const by = drag.joint.reading - before(`joint.${drag.joint.id}`);
    if (move.kind !== "joint" && move.kind !== "turn") return false;
    if (!(settings.joints as string[]).includes(drag.joint.id)) return false;
    const value = settings.way === "to" ? drag.joint.reading : by;
    changeDraft(desk, (m) =>
      Object.assign(
        m.settings,
        move.kind === "joint" ? { value, ...(settings.way === "home" ? { way: "by" } : {}) } : { degrees: value, ...(settings.way === "home" ? { way: "by" } : {}) },
      ),
    );
    return true;
  }
  if (move.kind === "slide" || move.kind === "take-off") {
    if (!["slide.x", "slide.y", "slide.z"].some((c) => c in drag.values)) return false;
    const shift = ["slide.x", "slide.y", "slide.z"].map((c) => (drag.values[c] ?? pose.values[drag.tracks.channels.get(c) ?? -1] ?? 0) - before(c));
    const distance = Math.hypot(...shift);
    if (distance < 1e-6) return true;
    const parent = drag.tracks.node >= 0 ? (desk.index.parent[drag.tracks.node] ?? -1) : -1;
    const world = parent >= 0 ? transformDirection(desk.index.homeWorld, shift, 16 * parent) : shift;
    const direction = world.map((v) => (Math.abs(v / distance) < 1e-9 ? 0 : v / distance)) as [number, number, number];
    changeDraft(desk, (m) => Object.assign(m.settings, { direction, distance, ...(move.kind === "slide" ? { way: "by" } : {}) }));
    return true;
  }
  if (move.kind === "turn") {
    const axis = Object.keys(drag.values).find((c) => c.startsWith("turn."));
    if (!axis) return false;
    const value = drag.values[axis] as number;
    changeDraft(desk, (m) =>
      Object.assign(m.settings, { axis, joints: [], way: settings.way === "to" ? "to" : "by", degrees: settings.way === "to" ? value : value - before(axis) }),
    );
    return true;
  }
  return false;
}
