import * as THREE from "three";
import { nth } from "../core/math/packed";
import { type ReadonlyTriple, times } from "../core/math/triple";
import { HandleDragging, SNAP_KINDS, type SnapTarget } from "./handleDrag";
import type { HandleId } from "./handles";
import { worldPoint } from "./pointing";
import type { InputSite, PickedFeature, PickRequest } from "./stagePort";

/** A press that looks around, or picks when it does not move. */
interface LookDrag {
  button: number;
  x: number;
  y: number;
  moved: number;
  target: number | null;
  add: boolean;
  pan: boolean;
}

/** Pixels that belong to a click with an unsteady hand. */
const CLICK_SLACK_PX = 4;
const DOUBLE_CLICK_MS = 350;
/** Flying covers the assembly's radius in so many seconds. */
const FLY_SECONDS = 2.5;
const FLY_KEYS: Readonly<Record<string, ReadonlyTriple>> = {
  ArrowLeft: [-1, 0, 0],
  ArrowRight: [1, 0, 0],
  ArrowUp: [0, 0, 1],
  ArrowDown: [0, 0, -1],
  PageUp: [0, 1, 0],
  PageDown: [0, -1, 0],
};

const SNAP_NAMES: Readonly<Record<string, string>> = {
  corner: "corner",
  "edge-middle": "edge middle",
  circle: "circle centre",
  face: "face",
  axis: "axis",
};

/** Turns pointer and keys on the stage into looking, picking, and drags of handles. */
export class StageInput {
  flying = false;
  private look: LookDrag | null = null;
  private dragging: HandleDragging | null = null;
  private pick: PickRequest | null = null;
  /** Whether what is picked now counts the other way than the model tells. */
  private against = false;
  private pointer: [number, number] | null = null;
  private last = { x: 0, y: 0 };
  private lastClick = { at: 0, node: -1 };
  private readonly held = new Set<string>();
  private flyFrame = 0;
  private readonly listeners: (() => void)[] = [];

  constructor(private readonly stage: InputSite) {
    const { canvas } = stage;
    this.on(canvas, "pointerdown", (e) => this.down(e));
    this.on(canvas, "pointermove", (e) => this.move(e));
    this.on(canvas, "pointerup", (e) => this.up(e));
    this.on(canvas, "pointercancel", () => this.cancelDrag());
    this.on(canvas, "pointerleave", () => {
      stage.events.onHover(null);
      stage.pointing.showFeature(null);
    });
    this.on(canvas, "contextmenu", (e) => e.preventDefault());
    this.on(canvas, "wheel", (e) => this.wheel(e), { passive: false });
    this.on(window, "keydown", (e) => this.keyDown(e), { capture: true });
    this.on(window, "keyup", (e) => this.held.delete(e.key), { capture: true });
    this.on(window, "blur", () => this.held.clear());
  }

  private on<K extends keyof HTMLElementEventMap>(
    target: HTMLElement | Window,
    type: K,
    handler: (e: HTMLElementEventMap[K]) => void,
    options?: AddEventListenerOptions,
  ): void {
    target.addEventListener(type, handler as EventListener, options);
    this.listeners.push(() => target.removeEventListener(type, handler as EventListener, options));
  }

  /** Whether a feature is being picked. */
  get picking(): boolean {
    return this.pick !== null;
  }

  /** Something moves under the hand: pictures are drawn quickly rather than fully. */
  get busy(): boolean {
    return this.dragging !== null || (this.look !== null && this.look.moved >= CLICK_SLACK_PX) || this.held.size > 0;
  }

  beginPick(request: PickRequest): void {
    this.endPick(null);
    this.pick = request;
    this.against = false;
    this.stage.invalidate();
    this.stage.canvas.style.cursor = "crosshair";
  }

  /** Ends a pick; `picked` null means that nothing was taken. */
  endPick(picked: Parameters<PickRequest["onDone"]>[0]): void {
    const request = this.pick;
    if (!request) return;
    this.pick = null;
    this.stage.canvas.style.cursor = "default";
    this.stage.invalidate();
    this.stage.pointing.showFeature(null);
    this.stage.events.onFeature(null);
    request.onDone(picked);
  }

  private local(e: MouseEvent): [number, number] {
    const r = this.stage.canvas.getBoundingClientRect();
    return [e.clientX - r.left, e.clientY - r.top];
  }

  private ndc(x: number, y: number): [number, number] {
    return [(x / this.stage.width) * 2 - 1, 1 - (y / this.stage.height) * 2];
  }

  /** The handle or gauge under a pointer. */
  private handleAt(x: number, y: number): HandleId | null {
    const { stage } = this;
    if (!stage.handleTarget) return null;
    const at = this.ndc(x, y);
    const joint = stage.gauge.shown?.joint.id;
    if (joint && stage.gauge.hit(...at, stage.camera))
      return { kind: "joint", axis: stage.handleTarget.joints.findIndex((j) => j.joint.id === joint) };
    return stage.handles.hit(...at, stage.camera);
  }

  private featureUnder(x: number, y: number): PickedFeature | null {
    const request = this.pick as PickRequest;
    const picked = this.stage.pointing.featureAt(x, y, request.kinds);
    if (!picked || (request.needsDirection && !picked.feature.direction)) return null;
    const { feature } = picked;
    return this.against && feature.direction
      ? { ...picked, feature: { ...feature, direction: times(feature.direction, -1) } }
      : picked;
  }

  /** Shows what a pick would take at a place of the canvas. */
  private showPick(x: number, y: number): void {
    const { stage } = this;
    const picked = this.featureUnder(x, y);
    this.pointer = [x, y];
    stage.pointing.showFeature(picked, this.pick?.turns);
    stage.events.onFeature(picked);
    stage.events.onHover(picked?.node ?? null);
  }

  /** Turns the sense of what is being picked round. */
  flipPick(): void {
    this.against = !this.against;
    if (this.pick && this.pointer) this.showPick(...this.pointer);
  }

  private down(e: PointerEvent): void {
    const { stage } = this;
    const [x, y] = this.local(e);
    stage.canvas.setPointerCapture(e.pointerId);
    stage.canvas.focus({ preventScroll: true });
    if (e.button === 0 && !this.pick) {
      const id = this.handleAt(x, y);
      if (id) {
        this.beginHandle(id, x, y);
        return;
      }
    }
    const hit = stage.pointing.pickAt(x, y);
    this.look = {
      button: e.button,
      x,
      y,
      moved: 0,
      target: hit?.node ?? null,
      add: e.ctrlKey || e.metaKey || e.shiftKey,
      pan: e.button !== 0 || e.shiftKey,
    };
  }

  private move(e: PointerEvent): void {
    const { stage, look } = this;
    const [x, y] = this.local(e);
    this.last = { x, y };
    if (this.dragging) {
      if (this.dragging.move(x, y, e.altKey)) this.emit("move");
      return;
    }
    if (!look) {
      this.hover(x, y);
      return;
    }
    const dx = x - look.x;
    const dy = y - look.y;
    look.moved += Math.abs(dx) + Math.abs(dy);
    look.x = x;
    look.y = y;
    if (look.moved < CLICK_SLACK_PX) return;
    stage.cameras.leaveCamera();
    const first = stage.orbitNodes[0];
    stage.control.orbitAbout = first === undefined ? null : stage.pointing.middleOf(first);
    if (look.pan) stage.control.pan(dx, dy, stage.height, stage.width / stage.height);
    else if (this.flying) stage.control.look(dx, dy);
    else stage.control.orbit(dx, dy);
    stage.invalidate();
  }

  private hover(x: number, y: number): void {
    const { stage } = this;
    if (this.pick) {
      this.showPick(x, y);
      return;
    }
    const id = this.handleAt(x, y);
    const onGauge = stage.gauge.setHot(id?.kind === "joint");
    if (stage.handles.setHot(id?.kind === "joint" ? null : id) || onGauge) stage.invalidate();
    stage.canvas.style.cursor = id ? "grab" : "default";
    stage.events.onHover(id ? null : (stage.pointing.pickAt(x, y)?.node ?? null));
  }

  private up(e: PointerEvent): void {
    const { stage, look } = this;
    const [x, y] = this.local(e);
    this.look = null;
    if (this.dragging) {
      this.dragging.move(x, y, e.altKey);
      this.endHandle("end");
      return;
    }
    if (!look) return;
    if (look.moved >= CLICK_SLACK_PX) {
      // The last picture of a turn was drawn quickly; the one that stays is drawn fully.
      stage.invalidate();
      return;
    }
    if (look.button === 2) {
      stage.events.onMenu(look.target, x, y);
      return;
    }
    if (look.button !== 0) return;
    if (this.pick) {
      const picked = this.featureUnder(x, y);
      if (picked) this.endPick(picked);
      return;
    }
    const now = performance.now();
    const double = now - this.lastClick.at < DOUBLE_CLICK_MS && this.lastClick.node === (look.target ?? -1);
    this.lastClick = { at: now, node: look.target ?? -1 };
    stage.events.onPick(look.target, { add: look.add, double });
  }

  private wheel(e: WheelEvent): void {
    const { stage } = this;
    e.preventDefault();
    const [x, y] = this.local(e);
    const hit = stage.pointing.pickAt(x, y);
    stage.cameras.leaveCamera();
    const toward = hit ? ([hit.point.x, hit.point.y, hit.point.z] as const) : this.atAimDepth(x, y);
    stage.control.zoom(Math.exp((e.deltaMode === 1 ? e.deltaY * 30 : e.deltaY) * 0.0014), toward);
    stage.invalidate();
  }

  /** The point under the pointer at the aim's depth, so that zooming over nothing still goes to the cursor. */
  private atAimDepth(x: number, y: number): ReadonlyTriple | null {
    const { stage } = this;
    const v = stage.control.view;
    const aim = new THREE.Vector3(v["aim.x"], v["aim.y"], v["aim.z"]);
    const normal = new THREE.Vector3().setFromMatrixColumn(stage.camera.matrixWorld, 2);
    const p = stage.pointing
      .rayAt(x, y)
      .intersectPlane(new THREE.Plane().setFromNormalAndCoplanarPoint(normal, aim), new THREE.Vector3());
    return p ? [p.x, p.y, p.z] : null;
  }

  // ---- handles ------------------------------------------------------------------------------------------------

  private beginHandle(id: HandleId, x: number, y: number): void {
    const { stage } = this;
    const tracks = stage.handleTarget;
    if (!tracks) return;
    this.dragging = new HandleDragging(
      {
        camera: stage.camera,
        handles: stage.handles,
        gauge: stage.gauge,
        pose: stage.currentPose,
        tracks,
        parent: stage.departureFrame(tracks),
        width: stage.width,
        height: stage.height,
        ray: (px, py) => stage.pointing.rayAt(px, py),
        snapping: stage.snapping,
        snapTo: this.snapTarget(),
      },
      id,
      x,
      y,
    );
    this.last = { x, y };
    stage.handles.setHot(id);
    stage.canvas.style.cursor = "grabbing";
    this.emit("start");
    stage.invalidate();
  }

  /** Features of everything but what is dragged. */
  private snapTarget(): SnapTarget {
    const { stage } = this;
    const own = new Set<number>();
    for (const root of stage.draggedNodes()) for (let i = root; i < nth(stage.index.end, root); i++) own.add(i);
    return (x, y) => {
      const picked = stage.pointing.featureAt(x, y, SNAP_KINDS, own);
      return picked
        ? {
            point: worldPoint(stage.currentPose, picked),
            name: `${SNAP_NAMES[picked.feature.kind]} of ${stage.index.assembly.nodes[picked.node]?.name ?? "a part"}`,
          }
        : null;
    };
  }

  private emit(phase: "start" | "move" | "end" | "cancel"): void {
    if (this.dragging) this.stage.events.onHandle(this.dragging.event(phase, this.last.x, this.last.y));
  }

  private endHandle(phase: "end" | "cancel"): void {
    this.emit(phase);
    this.dragging = null;
    this.stage.handles.setHot(null);
    this.stage.gauge.setHot(false);
    this.stage.canvas.style.cursor = "default";
    this.stage.invalidate();
  }

  /** Ends a drag without its effect. */
  cancelDrag(): void {
    this.look = null;
    if (this.dragging) this.endHandle("cancel");
  }

  // ---- keys ---------------------------------------------------------------------------------------------------

  private keyDown(e: KeyboardEvent): void {
    const take = () => {
      e.stopImmediatePropagation();
      e.preventDefault();
    };
    if (this.dragging) {
      if (e.key === "Escape") {
        take();
        this.cancelDrag();
      } else if (e.key === "Enter") {
        take();
        this.endHandle("end");
      } else if (/^[0-9.,-]$/.test(e.key) || e.key === "Backspace") {
        take();
        this.type(this.dragging, e.key);
      }
      return;
    }
    if (this.pick && e.key === "Escape") {
      take();
      this.endPick(null);
      return;
    }
    if (
      this.pick?.needsDirection &&
      (e.key === "-" || e.key === "−") &&
      !(e.target as HTMLElement | null)?.closest("input, textarea")
    ) {
      take();
      this.flipPick();
      return;
    }
    if (
      !this.flying ||
      e.ctrlKey ||
      e.altKey ||
      (e.target as HTMLElement | null)?.closest("input, textarea, [role=tree], [role=dialog]")
    )
      return;
    if (FLY_KEYS[e.key]) {
      take();
      this.held.add(e.key);
      this.fly(e.shiftKey ? 4 : 1);
    }
  }

  /** Digits typed while dragging set the change exactly; Backspace takes the last one back. */
  private type(dragging: HandleDragging, key: string): void {
    const text =
      key === "Backspace"
        ? dragging.typed.slice(0, -1)
        : key === "-"
          ? dragging.typed.startsWith("-")
            ? dragging.typed.slice(1)
            : `-${dragging.typed}`
          : dragging.typed + key;
    dragging.typed = text;
    const value = Number(text.replace(",", "."));
    if (text !== "" && Number.isFinite(value)) dragging.set(dragging.isAngle ? value : value * this.stage.mmPerUnit);
    this.emit("move");
  }

  /** Moves the viewer while flying keys are held. */
  private fly(speed: number): void {
    if (this.flyFrame) return;
    let before = performance.now();
    const step = (now: number) => {
      this.flyFrame = 0;
      const seconds = Math.min(0.1, (now - before) / 1000);
      before = now;
      const by = [0, 0, 0];
      for (const key of this.held)
        FLY_KEYS[key]?.forEach((v, k) => {
          by[k] = nth(by, k) + v;
        });
      const mm = (seconds * speed * this.stage.size) / FLY_SECONDS;
      this.stage.control.fly(nth(by, 0) * mm, nth(by, 1) * mm, nth(by, 2) * mm);
      this.stage.invalidate();
      if (this.held.size > 0 && this.flying) this.flyFrame = requestAnimationFrame(step);
    };
    this.flyFrame = requestAnimationFrame(step);
  }

  dispose(): void {
    cancelAnimationFrame(this.flyFrame);
    for (const off of this.listeners) off();
    this.pick = null;
  }
}
