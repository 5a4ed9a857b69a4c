import type { Sequence } from "../../core/document/sequence";
import { nth } from "../../core/math/packed";
import type { Program } from "../../core/program/program";
import { isOn } from "../../core/program/spans";
import { TICKS_PER_SECOND } from "../../core/time/time";
import { selectedSpan } from "../acts/timingActions";
import type { Desk } from "../port";
import type { DeskState } from "../state";
import { commentsOf } from "./comments";
import { findingsOf } from "./findings";
import { type Hit, hitAt } from "./hit";
import { LANE, Lanes } from "./lanes";
import { HEAD, moveId, paint, pinId, type Scene } from "./paint";
import { rowsOf, type TimelineRow } from "./rows";
import { soundRows } from "./sounds";
import { type Inks, inksOf, type View } from "./view";

/** Room right of the sequence's end, px. */
const MARGIN = 28;
/** Widest a browser lets something be, px, with room to spare. */
const WIDEST = 12_000_000;
const CLOSED = "plextan-closed-lanes";

/** What the surface draws on and moves. */
export interface SurfaceParts {
  canvas: HTMLCanvasElement;
  scroller: HTMLElement;
  spacer: HTMLElement;
  playhead: HTMLElement;
  /** Holds the marks for keyboard and screen readers; busy while they are not those of the picture. */
  over: HTMLElement;
}

/**
 * The timeline as it is drawn: kept up to date with the desk without React, so that scrubbing moves the playhead only
 * and dragging draws what is in sight only.
 */
export class TimelineSurface {
  readonly view: View = { perTick: 0, left: 0, top: 0, width: 0, height: 0 };
  readonly scene: Scene;
  rows: TimelineRow[] = [];
  private readonly lanes = new Lanes();
  private readonly ctx: CanvasRenderingContext2D;
  private readonly inks: Inks;
  private raf = 0;
  private readonly stop: () => void;
  private closed: Set<string>;
  private ratio = 1;
  /** Told when rows or what is in sight change. */
  readonly onRows = new Set<() => void>();
  /** What the lanes were listed of. */
  private listed: { program: Program | null; sequence: Sequence | null } = { program: null, sequence: null };
  readonly onView = new Set<() => void>();
  /** Zoom beyond showing all: 1 shows the whole sequence. */
  zoom = 1;

  constructor(
    readonly desk: Desk,
    readonly parts: SurfaceParts,
  ) {
    this.ctx = parts.canvas.getContext("2d") as CanvasRenderingContext2D;
    this.inks = inksOf(parts.canvas);
    this.closed = readClosed();
    const { steps } = desk.program;
    this.scene = {
      ...{
        rows: [],
        steps,
        titles: [],
        focusStep: null,
        rate: desk.sequence.rate,
        range: null,
        markers: [],
        pending: [],
        outside: [],
        findings: [],
        said: [],
        outsideLane: "",
        live: [],
      },
      ...{
        pins: new Set(),
        moves: new Set(),
        hover: null,
        shift: 0,
        box: null,
        guide: null,
        goal: null,
        span: null,
        heard: {},
        sound: null,
      },
    };
    this.read(desk.state, null);
    this.stop = desk.store.subscribe((s, before) => this.read(s, before));
  }

  dispose(): void {
    this.stop();
    cancelAnimationFrame(this.raf);
  }

  /** Takes over what changed on the desk. */
  private read(s: DeskState, before: DeskState | null): void {
    const { scene } = this;
    if (before && s.ticks !== before.ticks) this.movePlayhead();
    let draw = false;
    const changed = <K extends keyof DeskState>(...keys: K[]) =>
      before === null || keys.some((k) => s[k] !== before[k]);
    // An edit is there first and its film after it: lanes are made once, when both are.
    if (changed("programVersion", "assemblyVersion", "sequenceId")) {
      const { program, sequence } = this.desk;
      // What is only prepared otherwise, such as hidden, moves nothing otherwise.
      if (changed("assemblyVersion") || program !== this.listed.program || sequence !== this.listed.sequence)
        this.relist();
      draw = true;
    }
    if (changed("pins", "focus")) {
      const keys = s.pins.length > 0 ? s.pins : s.focus.kind === "key" ? [s.focus.ref] : [];
      scene.pins = new Set(keys.map(pinId));
      scene.focusStep = s.focus.kind === "step" ? s.focus.id : null;
      draw = true;
    }
    if (changed("marked")) {
      scene.moves = new Set(s.marked.map(moveId));
      draw = true;
    }
    if (changed("heard", "focus")) {
      scene.heard = s.heard;
      scene.sound = s.focus.kind === "sound" ? s.focus.id : null;
      draw = true;
    }
    if (changed("range")) {
      scene.range = s.range;
      draw = true;
    }
    if (changed("pending")) {
      scene.pending = [...new Set(Object.values(s.pending).map((p) => p.at))];
      draw = true;
    }
    if (changed("framing")) {
      scene.outside = Object.values(s.framing ?? {}).flatMap((f) => f.outside);
      draw = true;
    }
    if (changed("proof", "programVersion")) {
      scene.findings = findingsOf(this.desk);
      draw = true;
    }
    if (changed("reviewing", "programVersion")) {
      scene.said = commentsOf(this.desk);
      draw = true;
    }
    if (changed("programVersion", "pins", "marked", "focus"))
      scene.span = s.pins.length + s.marked.length > 1 ? selectedSpan(this.desk) : null;
    if (before === null) this.movePlayhead();
    if (draw) this.invalidate();
  }

  /** Lanes and rows anew after an edit. */
  relist(): void {
    const { desk, scene } = this;
    const { program, sequence } = desk;
    this.listed = { program, sequence };
    const moving = rowsOf(desk.index, this.lanes.update(program, sequence), this.closed);
    this.rows = [...soundRows(sequence, program.steps), ...moving];
    scene.rows = this.rows;
    scene.steps = program.steps;
    scene.titles = program.steps.ids.map((id) => sequence.steps[id]?.title ?? "");
    scene.rate = sequence.rate;
    scene.goal = sequence.goal;
    scene.markers = Object.values(sequence.markers)
      .flatMap((m) => {
        const at = program.steps.position.get(m.step);
        return at === undefined
          ? []
          : [{ id: m.id, name: m.name, at: nth(program.steps.start, at) + m.at, chosen: false }];
      })
      .sort((a, b) => a.at - b.at);
    const cameras = program.live < 0 ? "camera" : "picture";
    scene.outsideLane = this.lanes.list.find((l) => l.target.type === cameras)?.id ?? "";
    scene.live = program.live < 0 ? [] : this.liveNames();
    this.fit();
    for (const tell of this.onRows) tell();
  }

  private liveNames(): { at: number; name: string }[] {
    const { program, sequence } = this.desk;
    const out = [{ at: 0, name: sequence.cameras[sequence.camera]?.name ?? "" }];
    program.steps.ids.forEach((id, i) => {
      const step = sequence.steps[id];
      for (const move of Object.values(step?.moves ?? {})) {
        if (move.kind === "camera-cut" && step && isOn(step, move))
          out.push({
            at: nth(program.steps.action, i) + move.start,
            name: sequence.cameras[move.settings.camera]?.name ?? "?",
          });
      }
    });
    return out.sort((a, b) => a.at - b.at);
  }

  toggleRow(id: string): void {
    if (this.closed.has(id)) this.closed.delete(id);
    else this.closed.add(id);
    writeClosed(this.closed);
    this.relist();
    this.invalidate();
  }

  /** Takes over the size of the place that it is drawn in, CSS px. */
  resize(width: number, height: number, ratio: number): void {
    const { canvas } = this.parts;
    this.view.width = width;
    this.view.height = height;
    this.ratio = ratio;
    canvas.width = Math.round(width * ratio);
    canvas.height = Math.round(height * ratio);
    canvas.style.width = `${width}px`;
    canvas.style.height = `${height}px`;
    this.fit();
    this.draw();
  }

  private get length(): number {
    return Math.max(this.desk.program.steps.length, TICKS_PER_SECOND);
  }

  /** Largest zoom: one frame fills the place. */
  get mostZoom(): number {
    const whole = (this.view.width - MARGIN) / this.length;
    const frame = this.view.width / (TICKS_PER_SECOND / (this.scene.rate.num / this.scene.rate.den));
    return Math.max(1, Math.min(frame / Math.max(whole, 1e-30), WIDEST / Math.max(1, this.view.width)));
  }

  /** Brings scale and scrolled size in line with length, zoom and place. */
  private fit(): void {
    const { view, parts } = this;
    if (view.width <= MARGIN) return;
    this.zoom = Math.min(Math.max(1, this.zoom), this.mostZoom);
    view.perTick = ((view.width - MARGIN) / this.length) * this.zoom;
    const width = Math.round(this.length * view.perTick + MARGIN);
    const height = HEAD + this.rows.length * LANE + 8;
    parts.spacer.style.width = `${Math.max(width, view.width)}px`;
    parts.spacer.style.height = `${Math.max(height, view.height)}px`;
    this.scrolled();
  }

  /** Takes over where it is scrolled to. */
  scrolled(): void {
    const { scroller } = this.parts;
    this.view.left = scroller.scrollLeft;
    this.view.top = scroller.scrollTop;
    this.movePlayhead();
    this.invalidate();
    for (const tell of this.onView) tell();
  }

  /** Zooms, keeping the time at a place (px from the left of the lanes) where it is. */
  zoomTo(zoom: number, x = this.view.width / 2): void {
    const t = (x + this.view.left) / this.view.perTick;
    this.zoom = zoom;
    this.fit();
    this.parts.scroller.scrollLeft = t * this.view.perTick - x;
    this.scrolled();
  }

  fitAll(): void {
    this.show(null);
  }
  fitSelection(): void {
    this.show(selectedSpan(this.desk));
  }
  zoomBy(factor: number): void {
    this.zoomTo(this.zoom * factor);
  }

  /** Shows a span of time with a little room on both sides; null shows all. */
  show(span: { t0: number; t1: number } | null): void {
    if (!span) {
      this.zoomTo(1);
      return;
    }
    const room = Math.max((span.t1 - span.t0) * 0.08, TICKS_PER_SECOND / 10);
    const whole = (this.view.width - MARGIN) / this.length;
    this.zoom = (this.view.width - MARGIN) / (span.t1 - span.t0 + 2 * room) / whole;
    this.fit();
    this.parts.scroller.scrollLeft = (span.t0 - room) * this.view.perTick;
    this.scrolled();
  }

  timeAt(x: number): number {
    return Math.max(0, (x + this.view.left) / this.view.perTick);
  }
  xOf(t: number): number {
    return t * this.view.perTick - this.view.left;
  }
  hit(x: number, y: number): Hit {
    return hitAt(this.scene, this.view, x, y);
  }

  private flag: HTMLElement | null = null;
  private label: HTMLElement | null = null;
  movePlayhead(): void {
    const { playhead } = this.parts;
    const x = this.xOf(this.desk.state.ticks);
    const hidden = x < -1 || x > this.view.width + 1;
    playhead.style.visibility = hidden ? "hidden" : "visible";
    if (hidden) return;
    playhead.style.transform = `translateX(${x}px)`;
    this.flag ??= playhead.querySelector(".playhead-flag");
    this.label ??= playhead.querySelector(".playhead-time");
    this.flag?.classList.toggle("left", x > this.view.width - 64);
    if (this.label) this.label.textContent = (this.desk.state.ticks / TICKS_PER_SECOND).toFixed(3);
  }

  /** Draws before the next frame. */
  invalidate(): void {
    if (this.raf) return;
    this.raf = requestAnimationFrame(() => {
      this.raf = 0;
      this.draw();
    });
  }

  draw(): void {
    if (this.view.width <= 0) return;
    this.ctx.setTransform(this.ratio, 0, 0, this.ratio, 0, 0);
    paint(this.ctx, this.scene, this.view, this.inks);
  }
}

export { HEAD };

function readClosed(): Set<string> {
  try {
    return new Set(JSON.parse(localStorage.getItem(CLOSED) ?? "[]") as string[]);
  } catch {
    return new Set();
  }
}

function writeClosed(closed: ReadonlySet<string>): void {
  try {
    localStorage.setItem(CLOSED, JSON.stringify([...closed]));
  } catch {
    // Without storage it holds until the page is left.
  }
}
