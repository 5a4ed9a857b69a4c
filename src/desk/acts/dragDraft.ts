import { targetId } from "../../core/document/keys";
import type { MadeMove } from "../../core/document/sequence";
import { transformDirection } from "../../core/math/mat4";
import { nth } from "../../core/math/packed";
import type { Triple } from "../../core/math/triple";
import { createPose, sample } from "../../core/program/sampling";
import type { HandleDrag } from "../../stage/handleDrag";
import type { Desk } from "../port";
import type { MoveRef } from "../selection/refs";
import { changeDraft, changeSettings, moveInHand } from "./moveActions";

const SLIDES = ["slide.x", "slide.y", "slide.z"];

/**
 * Takes a drag of the part's handles as the distance, direction, angle or amount of the move that is being made.
 * @returns false where the move has nothing that the handle could set
 */
export function dragDraft(desk: Desk, drag: HandleDrag): boolean {
  const { draft, focus } = desk.state;
  const ref = draft || focus.kind !== "move" ? null : focus.ref;
  const step = draft?.step ?? ref?.step;
  const move = moveInHand(desk, ref);
  if (!step || !move || move.kind === "hand") return false;
  if (move.kind === "explode") return dragExploded(desk, drag, ref, move);
  if (!draft) return false;
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
        move.kind === "joint"
          ? { value, ...(settings.way === "home" ? { way: "by" } : {}) }
          : { degrees: value, ...(settings.way === "home" ? { way: "by" } : {}) },
      ),
    );
    return true;
  }
  if (move.kind === "slide" || move.kind === "take-off") {
    if (!SLIDES.some((c) => c in drag.values)) return false;
    const shift = SLIDES.map(
      (c) => (drag.values[c] ?? pose.values[drag.tracks.channels.get(c) ?? -1] ?? 0) - before(c),
    );
    const distance = Math.hypot(...shift);
    if (distance < 1e-6) return true;
    const world = inAssembly(desk, drag, shift);
    const direction = world.map((v) => (Math.abs(v / distance) < 1e-9 ? 0 : v / distance)) as Triple;
    changeDraft(desk, (m) =>
      Object.assign(m.settings, { direction, distance, ...(move.kind === "slide" ? { way: "by" } : {}) }),
    );
    return true;
  }
  if (move.kind === "turn") {
    const axis = Object.keys(drag.values).find((c) => c.startsWith("turn."));
    if (!axis) return false;
    const value = drag.values[axis] as number;
    changeDraft(desk, (m) =>
      Object.assign(m.settings, {
        axis,
        joints: [],
        way: settings.way === "to" ? "to" : "by",
        degrees: settings.way === "to" ? value : value - before(axis),
      }),
    );
    return true;
  }
  return false;
}

/** A shift in the frame of a part's parent, in the assembly's frame at home. */
function inAssembly(desk: Desk, drag: HandleDrag, shift: readonly number[]): readonly number[] {
  const parent = drag.tracks.node >= 0 ? (desk.index.parent[drag.tracks.node] ?? -1) : -1;
  return parent >= 0 ? transformDirection(desk.index.homeWorld, shift, 16 * parent) : shift;
}

/** A part of an exploded view goes along its own line, however the handle is dragged. */
function dragExploded(
  desk: Desk,
  drag: HandleDrag,
  ref: MoveRef | null,
  move: Extract<MadeMove, { kind: "explode" }>,
): boolean {
  const id = targetId(drag.tracks.target);
  const part = move.settings.parts[id];
  if (!part || !SLIDES.some((c) => c in drag.values)) return false;
  const shift = inAssembly(
    desk,
    drag,
    SLIDES.map((c) => drag.values[c] ?? desk.valueOf(drag.tracks.target, c)),
  );
  const along = shift.reduce((sum, v, k) => sum + v * nth(part.direction, k), 0);
  const distance = Math.max(0, Math.round((along / Math.max(0.01, move.settings.spread)) * 10) / 10);
  changeSettings(
    desk,
    ref,
    { parts: { ...move.settings.parts, [id]: { ...part, distance, byHand: true } } },
    `explode-${id}`,
  );
  return true;
}

/** What brings the moves back to where they are now, should the drag be taken back. */
export function beforeDrag(desk: Desk): () => void {
  const { draft, focus } = desk.state;
  const ref = focus.kind === "move" ? focus.ref : null;
  const move = moveInHand(desk, draft ? null : ref);
  return () => {
    if (draft) desk.setDraft(draft);
    else if (move?.kind === "explode" && moveInHand(desk, ref) !== move)
      changeSettings(desk, ref, { parts: move.settings.parts });
  };
}
