"use client";
import { useEffect, useRef, useState } from "react";
import { nth } from "../../core/math/packed";
import { formatSecondsShort } from "../../core/time/time";
import { nudgeSound } from "../../desk/acts/soundActs";
import { nudge, selectTimed } from "../../desk/acts/timingActions";
import { nameOf, targetName } from "../../desk/names";
import { chooseParts } from "../../desk/selection/selecting";
import { sound } from "../../desk/selection/selection";
import { type Block, LANE, type Pin } from "../../desk/timeline/lanes";
import { firstPin, HEAD, moveId, pinId } from "../../desk/timeline/paint";
import type { SoundBlock } from "../../desk/timeline/sounds";
import type { TimelineSurface } from "../../desk/timeline/surface";
import { useDesk, useDeskState } from "../desk/context";

/** Most marks that are made; more are not told apart by anyone. */
const MOST = 160;
/** Settled for so long, ms, before the marks are made anew. */
const REST = 120;

interface Mark {
  key: string;
  x: number;
  y: number;
  width: number;
  name: string;
  pin: Pin | null;
  block: Block | null;
  sound: SoundBlock | null;
}

/**
 * What is drawn on the canvas, once more as buttons without a look: for the keyboard and for who listens instead of
 * looking. The pointer goes through them to the canvas. Made anew when the picture has settled, never while something
 * moves.
 */
export function Marks({ surface }: { surface: TimelineSurface }) {
  const desk = useDesk();
  const [marks, setMarks] = useState<Mark[]>([]);
  const chosen = useDeskState((s) => s.pins);
  const marked = useDeskState((s) => s.marked);
  const framing = useDeskState((s) => s.framing);
  const chosenSound = useDeskState((s) => (s.focus.kind === "sound" ? s.focus.id : null));
  const timer = useRef(0);
  useEffect(() => {
    const later = () => {
      surface.parts.over.setAttribute("aria-busy", "true");
      clearTimeout(timer.current);
      timer.current = window.setTimeout(() => {
        timer.current = 0;
        setMarks(marksOf(surface));
      }, REST);
    };
    const stop = desk.store.subscribe((s, before) => {
      if (s.programVersion !== before.programVersion || s.sequenceId !== before.sequenceId) later();
    });
    surface.onView.add(later);
    later();
    return () => {
      clearTimeout(timer.current);
      stop();
      surface.onView.delete(later);
    };
  }, [desk, surface]);
  useEffect(() => {
    if (timer.current === 0) surface.parts.over.setAttribute("aria-busy", "false");
  }, [surface, marks]);
  const outside = outsideOf(surface, framing);
  return (
    <>
      {marks.map((m) =>
        m.pin ? (
          <button
            key={m.key}
            type="button"
            className={`pin ${m.pin.shortened ? "shortened" : ""} ${chosen.some((p) => p.key === m.pin?.key) ? "selected" : ""}`}
            style={{ left: m.x - 6, top: m.y, width: 12, height: LANE }}
            aria-label={m.name}
            aria-pressed={chosen.some((p) => p.key === m.pin?.key)}
            onFocus={(e) => e.currentTarget.matches(":focus-visible") && pick(desk, m)}
            onClick={() => pick(desk, m)}
            onKeyDown={(e) => keys(desk, e, m)}
          />
        ) : (
          <button
            key={m.key}
            type="button"
            className={`lane-block ${m.block?.clash ? "clash" : ""}`}
            style={{ left: m.x, top: m.y, width: m.width, height: LANE }}
            aria-label={m.name}
            aria-pressed={m.sound ? chosenSound === m.sound.sound.id : marked.some((x) => x.move === m.block?.move)}
            onClick={() => pick(desk, m)}
            onKeyDown={(e) => keys(desk, e, m)}
          />
        ),
      )}
      {outside.map((o) => (
        <span
          key={o.key}
          className="lane-outside"
          role="img"
          aria-label={o.name}
          style={{ left: o.x, top: o.y, width: o.width }}
        />
      ))}
    </>
  );
}

function pick(desk: ReturnType<typeof useDesk>, m: Mark): void {
  if (m.pin) selectTimed(desk, [{ step: m.pin.step, move: m.pin.move, key: m.pin.key }], []);
  else if (m.sound) chooseParts(desk, sound(m.sound.sound.id));
  else if (m.block) selectTimed(desk, [], [{ step: m.block.step, move: m.block.move }]);
}

function keys(desk: ReturnType<typeof useDesk>, e: React.KeyboardEvent, m: Mark): void {
  const shift = m.sound ? nudgeSound : nudge;
  if (e.key === "Enter") pick(desk, m);
  else if (e.key === "ArrowRight" && !e.ctrlKey) shift(desk, e.shiftKey ? 10 : 1);
  else if (e.key === "ArrowLeft" && !e.ctrlKey) shift(desk, e.shiftKey ? -10 : -1);
  else return;
  e.preventDefault();
  e.stopPropagation();
}

/** Where something that acts is not wholly in the picture, as the canvas shows it on the camera's lane. */
function outsideOf(
  surface: TimelineSurface,
  framing: ReturnType<typeof useDesk>["state"]["framing"],
): { key: string; name: string; x: number; y: number; width: number }[] {
  const { desk, scene, view, rows } = surface;
  const row = rows.findIndex((r) => r.kind === "lane" && r.id === scene.outsideLane);
  if (row < 0) return [];
  const y = HEAD + row * LANE - view.top;
  return Object.values(framing ?? {}).flatMap((f) =>
    f.outside.slice(0, MOST).map((o) => ({
      key: `${f.step} ${o.t0}`,
      name: `${nameOf(desk, o.nodes[0] ?? -1)}${o.nodes.length > 1 ? ` and ${o.nodes.length - 1} more` : ""} outside the picture from ${formatSecondsShort(o.t0)} s`,
      x: surface.xOf(o.t0),
      y,
      width: Math.max(2, (o.t1 - o.t0) * view.perTick),
    })),
  );
}

function marksOf(surface: TimelineSurface): Mark[] {
  const { desk, scene, view, rows } = surface;
  const out: Mark[] = [];
  const { action } = scene.steps;
  const first = Math.max(0, Math.floor(view.top / LANE));
  const last = Math.min(rows.length - 1, Math.floor((view.top + view.height - HEAD) / LANE));
  const [t0, t1] = [surface.timeAt(0), surface.timeAt(view.width)];
  for (let i = first; i <= last; i++) {
    const row = rows[i];
    const y = HEAD + i * LANE - view.top;
    for (const b of row?.kind === "sound" ? row.blocks : []) {
      if (b.t1 < t0 || b.t0 > t1 || out.length >= MOST) continue;
      const width = Math.max(3, (b.t1 - b.t0) * view.perTick);
      const what = row?.id === "music" ? "Music" : "Recording";
      out.push({
        ...{ key: b.sound.id, x: surface.xOf(b.t0), y, width, pin: null, block: null, sound: b },
        name: `${what} "${b.sound.name}" from ${formatSecondsShort(b.t0)} to ${formatSecondsShort(b.t1)} s`,
      });
    }
    if (row?.kind !== "lane") continue;
    const name = targetName(desk, row.lane.target);
    for (const block of row.lane.blocks) {
      const by = nth(action, block.position);
      if (block.t1 + by < t0 || block.t0 + by > t1 || out.length >= MOST) continue;
      const label = desk.body().steps[block.step]?.moves[block.move]?.name ?? "";
      out.push({
        key: `${row.id} ${moveId(block)}`,
        x: surface.xOf(block.t0 + by),
        y,
        width: Math.max(3, (block.t1 - block.t0) * view.perTick),
        name: label,
        pin: null,
        block,
        sound: null,
      });
    }
    for (let k = firstPin(row.lane.pins, action, t0); k < row.lane.pins.length && out.length < MOST; k++) {
      const pin = row.lane.pins[k] as Pin;
      const at = nth(action, pin.position) + pin.at;
      if (at > t1) break;
      out.push({
        key: `${row.id} ${pinId(pin)}`,
        x: surface.xOf(at),
        y,
        width: 12,
        name: `Arrival of ${name} at ${formatSecondsShort(at)} s`,
        pin,
        block: null,
        sound: null,
      });
    }
  }
  return out;
}
