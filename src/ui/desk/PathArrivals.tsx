"use client";
import { useRef } from "react";
import type { PartTarget } from "../../core/document/parts";
import { hand, type Key, targetId } from "../../core/document/sequence";
import { shiftKey } from "../../core/edit/sequenceCommands";
import { invertedAffine, transformDirection } from "../../core/math/mat4";
import { nth } from "../../core/math/packed";
import type { Triple } from "../../core/math/triple";
import { nodePath } from "../../core/program/path";
import { pose } from "../../core/program/pose";
import { createPose } from "../../core/program/sampling";
import { formatSecondsShort } from "../../core/time/time";
import { selectTimed } from "../../desk/acts/timingActions";
import { nodesOf } from "../../desk/names";
import type { Desk } from "../../desk/port";
import { targetOf } from "../../desk/selection/selecting";
import type { Stage } from "../../stage/stage";
import { useDesk, useDeskState } from "./context";

const SLIDES = ["slide.x", "slide.y", "slide.z"];

/**
 * The arrivals of what is selected as dots on its path: a click goes there, a drag moves the arrival in the picture's
 * plane.
 */
export function PathArrivals({ stage }: { stage: Stage }) {
  const desk = useDesk();
  useDeskState((s) => s.programVersion);
  useDeskState((s) => s.selection);
  useDeskState((s) => s.ticks);
  const drag = useRef<{ key: Key; x: number; y: number; perPixel: [number, number, number][]; moved: boolean } | null>(
    null,
  );
  const target = targetOf(desk);
  const step = desk.stepAtPlayhead();
  const node = target ? nodesOf(desk, target)[0] : undefined;
  if (!target || !step || node === undefined) return null;
  const arrivals = Object.values(desk.sequence.steps[step.id]?.moves ?? {}).flatMap((m) => {
    const it = hand(m);
    if (!it?.on || targetId(it.target) !== targetId(target)) return [];
    return Object.values(it.keys)
      .filter((k) => SLIDES.some((c) => c in k.values))
      .map((key) => ({ move: m.id, key }));
  });
  if (arrivals.length === 0) return null;
  const times = arrivals.map(({ key }) => step.action + key.at);
  const points = nodePath(desk.program, node, times);
  return (
    <>
      {arrivals.map(({ move, key }, i) => {
        const at = stage.cameras.toScreen([nth(points, 3 * i), nth(points, 3 * i + 1), nth(points, 3 * i + 2)]);
        if (!at) return null;
        const time = nth(times, i);
        return (
          <button
            key={key.id}
            type="button"
            className="path-arrival"
            style={{ left: at.x, top: at.y }}
            title={`Arrival at ${formatSecondsShort(key.at)} s of the action. Drag it; click to go there.`}
            aria-label={`Arrival at ${formatSecondsShort(key.at)} s on the path`}
            onPointerDown={(e) => {
              e.currentTarget.setPointerCapture(e.pointerId);
              drag.current = {
                key,
                moved: false,
                x: e.clientX,
                y: e.clientY,
                perPixel: planeOf(desk, stage, target, node, time, points.subarray(3 * i, 3 * i + 3)),
              };
            }}
            onPointerMove={(e) => {
              const d = drag.current;
              if (d?.key.id !== key.id || (Math.abs(e.clientX - d.x) < 1 && Math.abs(e.clientY - d.y) < 1)) return;
              shift(desk, step.id, move, d.key, d.perPixel, e.clientX - d.x, e.clientY - d.y);
              d.moved = true;
            }}
            onPointerUp={() => {
              if (drag.current?.moved) desk.seal();
              drag.current = null;
            }}
            onKeyDown={(e) => {
              const d = drag.current;
              if (e.key !== "Escape" || !d?.moved) return;
              // Takes the drag back, as on the handles.
              e.stopPropagation();
              shift(desk, step.id, move, d.key, d.perPixel, 0, 0);
              desk.seal();
              drag.current = null;
            }}
            onClick={() => {
              desk.seek(time);
              selectTimed(desk, [{ step: step.id, move, key: key.id }], []);
            }}
          />
        );
      })}
    </>
  );
}

/**
 * How slide x, y and z of a target change for one pixel to the right and one down, in the picture's plane at a point.
 */
function planeOf(
  desk: Desk,
  stage: Stage,
  target: PartTarget,
  node: number,
  ticks: number,
  point: Float32Array,
): [number, number, number][] {
  const world = createPose(desk.program);
  pose(desk.program, ticks, world);
  const camera = stage.camera.matrixWorld.elements;
  const p = stage.cameras.toScreen([nth(point, 0), nth(point, 1), nth(point, 2)]);
  const one = p ? stage.cameras.mmPerPixel([nth(point, 0), nth(point, 1), nth(point, 2)]) : 1;
  const parent = target.type === "node" ? (desk.index.parent[node] ?? -1) : -1;
  const back = parent >= 0 ? invertedAffine(world.world, 16 * parent) : null;
  return [0, 4].map((o) => {
    const sign = o === 0 ? one : -one;
    const w = [0, 1, 2].map((k) => nth(camera, o + k) * sign) as Triple;
    return back ? transformDirection(back, w) : w;
  });
}

/** Puts an arrival so many pixels from where it was when the drag began: the values it had then, and the shift. */
function shift(
  desk: Desk,
  step: string,
  move: string,
  from: Key,
  perPixel: readonly [number, number, number][],
  dx: number,
  dy: number,
): void {
  const by = SLIDES.map((channel, k) => [
    channel,
    nth(perPixel[0] ?? [0, 0, 0], k) * dx + nth(perPixel[1] ?? [0, 0, 0], k) * dy,
  ]);
  desk.edit(
    "Drag an arrival on its path",
    shiftKey(step, move, from.id, from.values, Object.fromEntries(by)),
    `path-${from.id}`,
  );
}
