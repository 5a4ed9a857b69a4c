import { turns } from "../../core/kinematics/jointKinds";
import { nth } from "../../core/math/packed";
import { formatLength, formatNumber } from "../../core/units/units";
import type { HandleDrag } from "../../stage/handleDrag";
import type { Stage } from "../../stage/stage";
import { beforeDrag, dragDraft } from "../acts/dragDraft";
import { keepPending } from "../acts/keeping";
import { pendingHere, setPending } from "../acts/pending";
import { pend } from "../acts/posing";
import type { Desk } from "../port";
import { climb, select } from "../selection/selecting";

const FRAMES = { owner: "", part: " of the part", assembly: " of the assembly" } as const;

/** What the stage reports, turned into selection, pending poses and read-outs. */
export function stageEvents(
  desk: Desk,
  onDrawn: () => void,
  onGraphics: (lost: boolean) => void,
): ConstructorParameters<typeof Stage>[5] {
  let before: Desk["state"]["pending"] = {};
  let takeBack = () => {};
  return {
    onPick(node, { add, double }) {
      if (node === null) {
        if (!add) select(desk, []);
        return;
      }
      const { selection, group } = desk.state;
      if (add) {
        select(desk, selection.includes(node) ? selection.filter((n) => n !== node) : [...selection, node]);
        return;
      }
      // A second quick click climbs from the part to its group or the sub-assembly that owns it, a third to the one
      // above.
      const inside = selection.some((n) => node >= n && node < nth(desk.index.end, n));
      if (double && inside && (selection.length === 1 || group !== null)) climb(desk);
      else select(desk, [node]);
    },
    onHover: (node) => desk.setHover(node),
    onFeature: (feature) => desk.set({ feature }),
    onMenu(node, x, y) {
      if (node !== null && !desk.state.selection.some((n) => node >= n && node < nth(desk.index.end, n)))
        select(desk, [node]);
      const r = desk.view?.canvas.getBoundingClientRect();
      desk.set({ menu: { x: x + (r?.left ?? 0), y: y + (r?.top ?? 0) } });
    },
    onLook: () => desk.set({ through: false }),
    onDrawn,
    onGraphics,
    onHandle(drag) {
      const { target } = drag.tracks;
      if (drag.phase === "start") {
        before = desk.state.pending;
        takeBack = beforeDrag(desk);
        desk.pause();
        return;
      }
      if (drag.phase === "cancel") {
        setPending(desk, { ...before });
        takeBack();
        desk.set({ readout: null });
        return;
      }
      if (dragDraft(desk, drag)) {
        if (drag.phase === "end") desk.seal();
        desk.set({ readout: drag.phase === "end" ? null : { x: drag.xPx, y: drag.yPx, text: dragText(desk, drag) } });
        return;
      }
      const done = drag.joint
        ? pend(desk, target, { [`joint.${drag.joint.id}`]: drag.joint.reading })
        : drag.orientation
          ? pend(desk, target, {}, drag.orientation)
          : pend(desk, target, drag.values);
      if (!done) desk.view?.input.cancelDrag();
      desk.set({
        readout: drag.phase === "end" || !done ? null : { x: drag.xPx, y: drag.yPx, text: dragText(desk, drag) },
      });
      if (drag.phase === "end" && done && desk.state.keepOnRelease) keepPending(desk);
    },
  };
}

/** The change since the drag began, and the value from home. */
function dragText(desk: Desk, drag: HandleDrag): string {
  const unit = desk.state.preparation.body.displayUnit;
  const signed = (text: string) => (drag.delta > 0 ? `+${text}` : text);
  const { handle } = drag;
  const note = drag.snappedTo ? `  on ${drag.snappedTo}` : drag.typed !== "" ? `  typed ${drag.typed}` : "";
  const angle = (v: number) => `${formatNumber(v, 2)}°`;
  if (drag.joint) {
    const joint = desk.state.preparation.body.joints[drag.joint.id];
    const show = joint && !turns(joint) ? (v: number) => formatLength(v, unit) : angle;
    const shown = pendingHere(desk, drag.tracks.target)?.pose.values[`joint.${drag.joint.id}`] ?? drag.joint.reading;
    return `${joint?.name} ${signed(show(drag.delta))}  reads ${show(shown)}${note}`;
  }
  if (handle.kind === "turn") {
    const axis = drag.tracks.axes[handle.axis];
    return `${axis?.name} ${signed(angle(drag.delta))}  from home ${angle(drag.values[`turn.${axis?.id}`] ?? 0)}${note}`;
  }
  if (handle.kind === "free") return `free turn ${signed(angle(drag.delta))}${note}`;
  const values = Object.entries(drag.values);
  const axis =
    handle.kind === "slide"
      ? "XYZ"[handle.axis]
      : "XYZ"
          .replace("XYZ"[handle.kind === "plane" ? handle.axis : 0] ?? "", "")
          .split("")
          .join(" and ");
  const from = values
    .map(([c, v]) =>
      values.length > 1 ? `${c.slice(-1).toUpperCase()} ${formatLength(v, unit)}` : formatLength(v, unit),
    )
    .join("  ");
  return `${axis}${FRAMES[desk.state.handleFrame]} ${signed(formatLength(drag.delta, unit))}  from home ${from}${note}`;
}
