"use client";
import { useMemo } from "react";
import * as THREE from "three";
import { threadsOf } from "../../core/review/reading";
import { TICKS_PER_SECOND } from "../../core/time/time";
import { goToComment } from "../../desk/acts/reviewing";
import { worldOf } from "../../stage/pointing";
import type { Stage } from "../../stage/stage";
import { useDesk, useDeskState } from "../desk/context";

const _point = new THREE.Vector3();

/** Open comments that are pinned to a part, where it stands now: near their moment, while the review is open. */
export function StagePins({ stage }: { stage: Stage }) {
  const desk = useDesk();
  const { open, round, chosen } = useDeskState((s) => s.reviewing);
  const ticks = useDeskState((s) => s.ticks);
  const playing = useDeskState((s) => s.playing);
  const { stepOrder } = desk.sequence;
  const all = useMemo(() => (open && round ? threadsOf(round.comments, stepOrder) : []), [open, round, stepOrder]);
  if (!open || !round) return null;
  const { steps } = desk.program;
  const near = all.filter(({ comment: c }) => {
    const at = steps.position.get(c.step);
    if (at === undefined || c.settled || c.takenBack) return false;
    const from = (steps.start[at] ?? 0) + c.from;
    return c.id === chosen || (ticks >= from - TICKS_PER_SECOND && ticks <= from + c.until - c.from + TICKS_PER_SECOND);
  });
  const picked = all.find((t) => t.comment.id === chosen)?.comment;
  const frame = stage.cameras.pictureFrame() ?? { left: 0, top: 0, width: stage.width, height: stage.height };
  return (
    <>
      {near.map(({ comment: c }) => {
        const node = c.pin && desk.index.indexOf.get(c.pin.node);
        if (!c.pin || node === undefined || node === null) return null;
        _point.set(...c.pin.point).applyMatrix4(worldOf(stage.currentPose, node));
        const at = stage.cameras.toScreen(_point.toArray());
        return at ? (
          <button
            key={c.id}
            type="button"
            className={`review-pin ${c.id === chosen ? "chosen" : ""}`}
            style={{ transform: `translate(${at.x}px, ${at.y}px)` }}
            title={c.text}
            aria-label={`Comment of ${c.by.name}: ${c.text}`}
            onClick={() => goToComment(desk, c)}
          >
            {all.findIndex((t) => t.comment.id === c.id) + 1}
          </button>
        ) : null;
      })}
      {picked && picked.strokes.length > 0 && !playing && (
        <svg className="review-drawn" style={frame} viewBox="0 0 1 1" preserveAspectRatio="none" aria-hidden="true">
          {picked.strokes.map((l) => (
            <polyline className="review-line" key={l.join()} points={pointsOf(l)} />
          ))}
        </svg>
      )}
    </>
  );
}

/** A line's points for SVG, without their pressure. */
const pointsOf = (l: readonly number[]): string => {
  const out: string[] = [];
  for (let i = 0; i + 2 < l.length; i += 3) out.push(`${l[i]},${l[i + 1]}`);
  return out.join(" ");
};
