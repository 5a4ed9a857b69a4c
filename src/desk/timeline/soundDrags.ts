import type { SequenceCommand } from "../../core/edit/sequenceCommands";
import { trimSound } from "../../core/edit/soundCommands";
import { formatSecondsShort } from "../../core/time/time";
import { soundTo } from "../acts/soundActs";
import type { Hit } from "./hit";
import { snapped, snapTimes } from "./snapTimes";
import type { SoundBlock } from "./sounds";
import type { TimelineSurface } from "./surface";

/** What a drag needs of the pointer that does it. */
export interface Grip {
  surface: TimelineSurface;
  /** Where it was taken hold of, px from the left of the lanes. */
  x: number;
  snaps(e: PointerEvent): boolean;
  finish(command: SequenceCommand | null, label: string): boolean;
}

interface Drag {
  move(x: number, y: number, e: PointerEvent): void;
  end(taken: boolean): void;
}

/** Dragging a recording moves it, dragging one of its ends trims it. */
export const soundDrag = (grip: Grip, { block, edge }: Extract<Hit, { what: "sound" }>): Drag =>
  edge ? trimming(grip, block, edge) : moving(grip, block);

/** A voice joins the step in which it is let go of. */
function moving({ surface, x: x0, snaps, finish }: Grip, block: SoundBlock): Drag {
  const { desk, scene, view } = surface;
  const list = snapTimes(scene, desk.state.ticks, () => false);
  let command: SequenceCommand | null = null;
  return {
    move: (x, _y, e) => {
      const { at, guide } = snapped(list, block.t0 + (x - x0) / view.perTick, scene, view, snaps(e));
      const next = soundTo(desk, block.sound.id, at);
      if (!next || desk.preview(next) !== null) return;
      command = next;
      scene.guide = guide ?? { at, label: `${formatSecondsShort(at)} s` };
      surface.invalidate();
    },
    end: (taken) => void finish(taken ? command : null, `Move recording "${block.sound.name}"`),
  };
}

function trimming({ surface, snaps, finish }: Grip, { sound: was, t0, t1 }: SoundBlock, edge: "start" | "end"): Drag {
  const { desk, scene, view } = surface;
  const list = snapTimes(scene, desk.state.ticks, () => false);
  let command: SequenceCommand | null = null;
  return {
    move: (x, _y, e) => {
      const { at, guide } = snapped(list, (x + view.left) / view.perTick, scene, view, snaps(e));
      const by = at - (edge === "start" ? t0 : t1);
      // A recording has no more than was recorded, and none of it before its step.
      const from = edge === "start" ? Math.max(was.from - was.at, 0, was.from + by) : was.from;
      const to = edge === "end" ? Math.min(was.length, was.from + (t1 - t0) + by) : was.to;
      const next = trimSound(was.id, from, to);
      if (desk.preview(next) !== null) return;
      command = next;
      const whole = from === 0 && to === was.length;
      const heard = `${formatSecondsShort(to - from)} s${whole ? ", all of it" : ` of ${formatSecondsShort(was.length)} s`}`;
      const end = edge === "start" ? t0 + from - was.from : t0 + to - from;
      scene.guide = { at: end, label: guide ? `${heard} · ${guide.label}` : heard };
      surface.invalidate();
    },
    end: (taken) => void finish(taken ? command : null, `Trim recording "${was.name}"`),
  };
}
