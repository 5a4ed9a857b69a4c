import { type SequenceCommand, updateStep } from "../../core/edit/sequenceCommands";
import { againUntil } from "../../core/edit/timing/afterwards";
import { roomBefore, shiftItems, type TimeItem } from "../../core/edit/timing/items";
import { moveMarker } from "../../core/edit/timing/markers";
import { scaleItems, setEnd } from "../../core/edit/timing/retime";
import { nth } from "../../core/math/packed";
import { problemOf } from "../../core/text/problem";
import { formatSecondsShort, snapToFrame } from "../../core/time/time";
import { actionStart, namesOf, sayBetween, selectedItems, selectTimed, shiftWay } from "../acts/timingActions";
import { rememberRange } from "../remembered/timingStore";
import { chooseParts } from "../selection/selecting";
import { nothing, sound } from "../selection/selection";
import type { Hit } from "./hit";
import { inBox } from "./hit";
import { HEAD, moveId, pinId } from "./paint";
import { snapped, snapTimes } from "./snapTimes";
import { soundDrag } from "./soundDrags";
import { soundTitle } from "./sounds";
import type { TimelineSurface } from "./surface";

/** Up to so many dragged things the stage follows while dragging; beyond, when they are let go. */
const LIVE = 60;
const SLOP = 3;

interface Drag {
  move(x: number, y: number, e: PointerEvent): void;
  /** Ends it: taken, or taken back. */
  end(taken: boolean): void;
}

/** What the pointer does on the timeline. Escape takes a drag back; a held Alt switches snapping off. */
export class TimelinePointer {
  private drag: Drag | null = null;
  private from = { x: 0, y: 0, id: -1 };
  private moved = false;
  private click: (() => void) | null = null;

  constructor(private readonly surface: TimelineSurface) {
    const { canvas } = surface.parts;
    canvas.addEventListener("pointerdown", this.down);
    canvas.addEventListener("pointermove", this.over);
    canvas.addEventListener("pointerup", this.up);
    canvas.addEventListener("pointercancel", this.cancel);
    canvas.addEventListener("dblclick", this.double);
    window.addEventListener("keydown", this.escape, true);
  }

  dispose(): void {
    const { canvas } = this.surface.parts;
    canvas.removeEventListener("pointerdown", this.down);
    canvas.removeEventListener("pointermove", this.over);
    canvas.removeEventListener("pointerup", this.up);
    canvas.removeEventListener("pointercancel", this.cancel);
    canvas.removeEventListener("dblclick", this.double);
    window.removeEventListener("keydown", this.escape, true);
  }

  private place(e: PointerEvent | MouseEvent): { x: number; y: number } {
    const r = this.surface.parts.canvas.getBoundingClientRect();
    return { x: e.clientX - r.left, y: e.clientY - r.top };
  }

  private down = (e: PointerEvent) => {
    if (e.button !== 0) return;
    const { canvas } = this.surface.parts;
    canvas.setPointerCapture(e.pointerId);
    canvas.focus({ preventScroll: true });
    const { x, y } = this.place(e);
    this.from = { x, y, id: e.pointerId };
    this.moved = false;
    this.click = null;
    this.drag = this.begin(this.surface.hit(x, y), x, y, e);
  };

  private over = (e: PointerEvent) => {
    const { x, y } = this.place(e);
    if (!this.drag) {
      this.hover(this.surface.hit(x, y));
      return;
    }
    if (!this.moved && Math.hypot(x - this.from.x, y - this.from.y) < SLOP) return;
    this.moved = true;
    this.drag.move(x, y, e);
  };

  private up = () => {
    const { drag } = this;
    this.drag = null;
    if (!drag) return;
    if (!this.moved) this.click?.();
    drag.end(this.moved);
    this.clear();
  };

  private cancel = () => {
    this.drag?.end(false);
    this.drag = null;
    this.clear();
  };

  private escape = (e: KeyboardEvent) => {
    if (e.key !== "Escape" || !this.drag) return;
    e.preventDefault();
    e.stopPropagation();
    this.cancel();
  };

  private clear(): void {
    const { scene } = this.surface;
    scene.shift = 0;
    scene.box = null;
    scene.guide = null;
    this.surface.invalidate();
  }

  private double = (e: MouseEvent) => {
    const { x, y } = this.place(e);
    const hit = this.surface.hit(x, y);
    const { desk } = this.surface;
    if (hit.what === "pin") desk.seek(nth(this.surface.scene.steps.action, hit.pin.position) + hit.pin.at);
    if (hit.what === "step" || hit.what === "still") {
      const i = desk.program.steps.position.get(hit.step);
      if (i !== undefined)
        this.surface.show({ t0: nth(desk.program.steps.start, i), t1: nth(desk.program.steps.end, i) });
    }
  };

  private hover(hit: Hit): void {
    const { canvas } = this.surface.parts;
    const { scene } = this.surface;
    const next = hit.what === "pin" ? pinId(hit.pin) : hit.what === "block" ? moveId(hit.block) : null;
    const ends =
      hit.what === "still" ||
      hit.what === "lead" ||
      hit.what === "range" ||
      hit.what === "scale" ||
      ((hit.what === "block" || hit.what === "sound") && hit.edge !== null);
    canvas.style.cursor = ends
      ? "ew-resize"
      : hit.what === "ruler" || hit.what === "marker" || hit.what === "sound"
        ? "pointer"
        : next
          ? "pointer"
          : "default";
    canvas.title = titleOf(hit);
    if (next === scene.hover) return;
    scene.hover = next;
    this.surface.invalidate();
  }

  private begin(hit: Hit, x: number, y: number, e: PointerEvent): Drag | null {
    const { desk } = this.surface;
    const more = e.ctrlKey || e.metaKey;
    if (hit.what === "pin") {
      const ref = { step: hit.pin.step, move: hit.pin.move, key: hit.pin.key };
      const chosen = this.surface.scene.pins.has(pinId(ref));
      if (more) selectTimed(desk, [ref], [], "toggle");
      else if (!chosen) selectTimed(desk, [ref], []);
      else
        this.click = () => {
          // Pins that lie under one another are reached one after the other.
          const at = hit.under.findIndex((p) => this.surface.scene.pins.has(pinId(p)));
          const next = hit.under[(at + 1) % hit.under.length] ?? hit.pin;
          selectTimed(desk, [{ step: next.step, move: next.move, key: next.key }], []);
        };
      // The last arrival of a move is where it ends: drawn out with Shift, the move is done again.
      if (e.shiftKey && isLast(hit)) return this.ending({ step: ref.step, move: ref.move }, "end", hit.pin.position);
      return this.shifting(nth(this.surface.scene.steps.action, hit.pin.position) + hit.pin.at);
    }
    if (hit.what === "block") {
      const ref = { step: hit.block.step, move: hit.block.move };
      const chosen = this.surface.scene.moves.has(moveId(ref));
      if (more) selectTimed(desk, [], [ref], "toggle");
      else if (!chosen) selectTimed(desk, [], [ref]);
      else this.click = () => selectTimed(desk, [], [ref]);
      if (hit.edge) return this.ending(ref, hit.edge, hit.block.position);
      return this.shifting(nth(this.surface.scene.steps.action, hit.block.position) + hit.block.t0);
    }
    if (hit.what === "sound") {
      chooseParts(desk, sound(hit.block.sound.id));
      const { surface } = this;
      return soundDrag(
        { surface, x, snaps: (event) => this.snaps(event), finish: (command, label) => this.finish(command, label) },
        hit,
      );
    }
    if (hit.what === "lead") {
      const ref = { step: hit.pin.step, move: hit.pin.move, key: hit.pin.key };
      selectTimed(desk, [ref], []);
      return this.ending(ref, "start", hit.pin.position);
    }
    if (hit.what === "still") return this.still(hit.step, hit.which);
    if (hit.what === "step") {
      const scrub = this.scrubbing();
      this.click = () => chooseParts(desk, nothing(hit.step));
      scrub.move(x, y, e);
      return scrub;
    }
    if (hit.what === "marker") return this.marker(hit.at);
    if (hit.what === "range") return this.ranging(hit.edge);
    if (hit.what === "scale") return this.scaling(hit.edge);
    if (hit.what === "ruler") {
      if (e.shiftKey) return this.newRange(x);
      const scrub = this.scrubbing();
      scrub.move(x, y, e);
      return scrub;
    }
    this.click = () => {
      desk.pause();
      desk.seek(snapToFrame(this.surface.timeAt(x), desk.sequence.rate));
      if (!more) selectTimed(desk, [], []);
    };
    return this.boxing(x, y, more);
  }

  private scrubbing(): Drag {
    const { desk } = this.surface;
    desk.pause();
    return {
      move: (x) =>
        desk.seek(
          snapToFrame(Math.min(this.surface.timeAt(x), Math.max(desk.program.steps.length, 1)), desk.sequence.rate),
        ),
      end: () => {},
    };
  }

  private snaps(e: PointerEvent): boolean {
    return this.surface.desk.state.timing.snap && !e.altKey;
  }

  /** Dragging what is selected in time; `at` is the time of what was taken hold of. */
  private shifting(at: number): Drag {
    const { desk, scene, view } = this.surface;
    let items: TimeItem[] = [];
    let list: ReturnType<typeof snapTimes> | null = null;
    let least = 0;
    let by = 0;
    const command = (): SequenceCommand => shiftItems(desk.body(), items, by, shiftWay(desk));
    return {
      move: (x, _y, e) => {
        if (!list) {
          items = selectedItems(desk);
          least = roomBefore(desk.body(), items);
          const pins = scene.pins;
          const moves = scene.moves;
          list = snapTimes(
            scene,
            desk.state.ticks,
            (step, move, key) => pins.has(`${step}\n${key}`) || moves.has(`${step}\n${move}`),
          );
        }
        const { at: t, guide } = snapped(list, at + (x - this.from.x) / view.perTick, scene, view, this.snaps(e));
        const next = Math.max(least, t - at);
        scene.guide = guide ?? {
          at: at + next,
          label: `${next < 0 ? "−" : "+"}${formatSecondsShort(Math.abs(next))} s`,
        };
        if (next === by) return;
        by = next;
        if (items.length <= LIVE) desk.preview(command());
        else scene.shift = by;
        this.surface.invalidate();
      },
      end: (taken) => {
        scene.shift = 0;
        if (!list) return;
        if (taken && by !== 0) {
          try {
            desk.edit(`Move ${namesOf(desk, items)}`, command());
          } catch (error) {
            desk.preview(null);
            desk.notify("problem", problemOf(error));
          }
        } else desk.preview(null);
      },
    };
  }

  /** Dragging one end of a move, or the beginning of a lead. */
  private ending(item: TimeItem, end: "start" | "end", position: number): Drag {
    const { desk, scene, view } = this.surface;
    const action = nth(scene.steps.action, position);
    const list = snapTimes(
      scene,
      desk.state.ticks,
      (step, move, key) => step === item.step && move === item.move && (item.key === undefined || key === item.key),
    );
    let command: SequenceCommand | null = null;
    return {
      move: (x, _y, e) => {
        const { at, guide } = snapped(list, (x + view.left) / view.perTick, scene, view, this.snaps(e));
        if (e.shiftKey && end === "end" && item.key === undefined) {
          // Drawn out with Shift it is done again, as often as there is room.
          const { times, command: again } = againUntil(desk.body(), item, at - action);
          if (desk.preview(again) === null) command = again;
          scene.guide = { at, label: times === 1 ? "once" : `${times} times` };
          this.surface.invalidate();
          return;
        }
        // An arrival's move has no end of its own to be drawn out without it.
        if (item.key === undefined && desk.body().steps[item.step]?.moves[item.move]?.kind === "hand") return;
        const next = setEnd(item, end, Math.max(0, at - action));
        const fault = desk.preview(next);
        if (fault === null) command = next;
        scene.guide = guide ?? { at, label: `${formatSecondsShort(at - action)} s` };
        this.surface.invalidate();
      },
      end: (taken) =>
        void this.finish(taken ? command : null, `${end === "start" ? "Start" : "End"} of ${namesOf(desk, [item])}`),
    };
  }

  /** Drawing out an end of the selection scales it about its other end; with Shift, about the playhead. */
  private scaling(edge: "start" | "end"): Drag {
    const { desk, scene, view } = this.surface;
    const items = selectedItems(desk);
    const span = scene.span ?? { t0: 0, t1: 1 };
    const at = edge === "start" ? span.t0 : span.t1;
    const list = snapTimes(
      scene,
      desk.state.ticks,
      (step, move, key) => scene.pins.has(`${step}\n${key}`) || scene.moves.has(`${step}\n${move}`),
    );
    const start = actionStart(desk);
    let command: SequenceCommand | null = null;
    let factor = 1;
    return {
      move: (x, _y, e) => {
        const pivot = e.shiftKey ? desk.state.ticks : edge === "start" ? span.t1 : span.t0;
        const { at: t, guide } = snapped(list, (x + view.left) / view.perTick, scene, view, this.snaps(e));
        const k = (t - pivot) / (at - pivot);
        if (!(k > 0.001) || !Number.isFinite(k)) return;
        factor = k;
        const next = scaleItems(items, pivot, k, start);
        const fault = desk.preview(next);
        if (fault === null) command = next;
        scene.guide = { at: t, label: `×${k.toFixed(3)}${guide ? ` · ${guide.label}` : ""}` };
        this.surface.invalidate();
      },
      end: (taken) =>
        void sayBetween(desk, () =>
          this.finish(taken ? command : null, `Scale ${namesOf(desk, items)} by ${factor.toFixed(3)}`),
        ),
    };
  }

  private finish(command: SequenceCommand | null, label: string): boolean {
    const { desk } = this.surface;
    if (command && desk.edit(label, command)) return true;
    desk.preview(null);
    return false;
  }

  private still(id: string, which: "before" | "after"): Drag {
    const { desk, view, scene } = this.surface;
    const step = desk.body().steps[id];
    let command: SequenceCommand | null = null;
    return {
      move: (x) => {
        if (!step) return;
        const was = which === "before" ? step.stillBefore : step.stillAfter;
        const next = Math.max(0, snapToFrame(was + (x - this.from.x) / view.perTick, desk.sequence.rate));
        command = updateStep(id, which === "before" ? { stillBefore: next } : { stillAfter: next });
        desk.preview(command);
        const i = desk.program.steps.position.get(id) ?? 0;
        const at = which === "before" ? desk.program.steps.action[i] : desk.program.steps.end[i];
        scene.guide = { at: at as number, label: `still ${which} ${formatSecondsShort(next)} s` };
        this.surface.invalidate();
      },
      end: (taken) => this.finish(taken ? command : null, `Still ${which} of "${step?.title ?? ""}"`),
    };
  }

  private marker(at: number): Drag {
    const { desk, scene, view } = this.surface;
    const m = scene.markers[at] as TimelineSurface["scene"]["markers"][number];
    const list = snapTimes(scene, desk.state.ticks, () => false).filter((t) => t.what !== m.name);
    let command: SequenceCommand | null = null;
    this.click = () => {
      desk.pause();
      desk.seek(m.at);
    };
    return {
      move: (x, _y, e) => {
        const { at: t, guide } = snapped(list, (x + view.left) / view.perTick, scene, view, this.snaps(e));
        const step = desk.stepAtPlayhead(t);
        if (!step) return;
        command = moveMarker(m.id, step.id, t - step.start);
        desk.preview(command);
        scene.guide = guide;
      },
      end: (taken) => this.finish(taken ? command : null, `Move marker "${m.name}"`),
    };
  }

  private setRange(range: { from: number; to: number } | null): void {
    const { desk } = this.surface;
    desk.set({ range });
    rememberRange(desk.state.sequenceId, range);
  }

  private ranging(edge: "from" | "to"): Drag {
    const { desk } = this.surface;
    const was = desk.state.range;
    return {
      move: (x) => {
        if (!was) return;
        const t = snapToFrame(Math.min(this.surface.timeAt(x), desk.program.steps.length), desk.sequence.rate);
        const next = { ...was, [edge]: t };
        if (next.to > next.from) this.setRange(next);
      },
      end: (taken) => {
        if (!taken) this.setRange(was);
      },
    };
  }

  /** Shift and a drag on the ruler choose what is played. */
  private newRange(x0: number): Drag {
    const { desk } = this.surface;
    const was = desk.state.range;
    return {
      move: (x) => {
        const [a, b] = [this.surface.timeAt(Math.min(x0, x)), this.surface.timeAt(Math.max(x0, x))].map((t) =>
          snapToFrame(Math.min(t, desk.program.steps.length), desk.sequence.rate),
        ) as [number, number];
        if (b > a) this.setRange({ from: a, to: b });
      },
      end: (taken) => {
        if (!taken) this.setRange(was);
      },
    };
  }

  private boxing(x0: number, y0: number, add: boolean): Drag {
    const { desk, scene, view } = this.surface;
    return {
      move: (x, y) => {
        scene.box = { x0, y0: Math.max(HEAD, y0), x1: x, y1: Math.max(HEAD, y) };
        this.surface.invalidate();
      },
      end: (taken) => {
        const { box } = scene;
        if (!taken || !box) return;
        const found = inBox(scene, view, box);
        const moves = new Map(found.blocks.map((b) => [moveId(b), { step: b.step, move: b.move }]));
        selectTimed(
          desk,
          found.pins.map(({ step, move, key }) => ({ step, move, key })),
          [...moves.values()],
          add ? "add" : "set",
        );
      },
    };
  }
}

function titleOf(hit: Hit): string {
  if (hit.what === "still") return `Drag to change the still ${hit.which}`;
  if (hit.what === "lead") return "Drag to change the lead";
  if (hit.what === "block" && hit.edge) return `Drag the ${hit.edge}`;
  if (hit.what === "sound") return hit.edge ? `Trim the ${hit.edge}` : soundTitle(hit.block);
  if (hit.what === "scale") return "Drag to scale what is selected about its other end; with Shift, about the playhead";
  if (hit.what === "ruler") return "Drag to scrub; with Shift, choose what is played";
  return "";
}

/** Whether a pin is the last one of its move. */
function isLast({ lane, pin }: Extract<Hit, { what: "pin" }>): boolean {
  return lane.pins.every((p) => p.move !== pin.move || p.step !== pin.step || p.at <= pin.at);
}
