import * as THREE from "three";
import type { SerializedBVH } from "three-mesh-bvh";
import type { AssemblyIndex } from "../core/assembly/assembly";
import { emptyBounds, growByBox } from "../core/assembly/assembly";
import type { AssemblyPackage } from "../core/assembly/package";
import { fitBox, nearestTurn, SENSOR_WIDTH_MM } from "../core/camera/camera";
import type { CameraValues } from "../core/document/sequence";
import { CAMERA_CHANNELS } from "../core/document/sequence";
import { conjugateQuaternion, multiplyQuaternion, quaternionFromAxis } from "../core/math/rotation";
import { createPose, type Overrides, type Pose, pose } from "../core/program/pose";
import { type Program, SLIDE, TURN } from "../core/program/program";
import { AssemblyScene, type Marks } from "./assemblyScene";
import { accumulate, alongAxis, angleAbout, snapped } from "./dragMath";
import { type HandleId, Handles } from "./handles";
import { Picker } from "./picker";
import { createRenderer, setCamera } from "./picture";
import { Surroundings } from "./surroundings";
import { ViewControl } from "./viewControl";

/** A drag on a handle, as it goes. Values are the channel's whole value; `delta` is the change since the drag began. */
export interface HandleDrag {
  phase: "start" | "move" | "end" | "cancel";
  handle: HandleId;
  node: number;
  channel: string;
  value: number;
  delta: number;
  orientation: [number, number, number, number] | null;
  xPx: number;
  yPx: number;
}

export interface StageEvents {
  onPick(node: number | null, how: { add: boolean; double: boolean }): void;
  onHover(node: number | null): void;
  onHandle(drag: HandleDrag): void;
  /** The free view was changed by hand; looking around leaves the camera. */
  onLook(): void;
  /** After every drawn frame: for what is laid over the picture. */
  onDrawn(): void;
}

export interface Snapping {
  on: boolean;
  distanceMm: number;
  angleDeg: number;
}

type Drag =
  | { kind: "view"; button: number; x: number; y: number; moved: number; target: number | null; add: boolean; pan: boolean }
  | {
      kind: "handle";
      id: HandleId;
      start: number;
      origin: THREE.Vector3;
      axis: THREE.Vector3;
      reference: THREE.Vector3;
      first: number | null;
      last: number;
      total: number;
      startPx: [number, number];
      tangent: [number, number] | null;
      orientation: number[];
    };

/**
 * The interactive stage: draws the assembly at a time, on demand; turns pointer input into picks, looks and handle
 * drags. Knows no documents: it is told the program, the time, overrides and marks.
 */
export class Stage {
  readonly renderer: THREE.WebGLRenderer;
  readonly assembly: AssemblyScene;
  readonly camera = new THREE.PerspectiveCamera();
  readonly handles = new Handles();
  readonly control: ViewControl;
  snapping: Snapping = { on: true, distanceMm: 1, angleDeg: 5 };
  private readonly surroundings: Surroundings;
  private readonly picker: Picker;
  private pose: Pose;
  private program: Program;
  private ticks = 0;
  private overrides: Overrides | undefined;
  private handleNode: number | null = null;
  private through = true;
  private drag: Drag | null = null;
  private frame = 0;
  private width = 1;
  private height = 1;
  private poseDirty = true;
  private disposed = false;
  private readonly centre = new THREE.Vector3();
  private radius = 1;
  private readonly listeners: (() => void)[] = [];
  private lastClick = { at: 0, node: -2 };

  constructor(
    readonly canvas: HTMLCanvasElement,
    pkg: AssemblyPackage,
    readonly index: AssemblyIndex,
    trees: (SerializedBVH | null)[],
    program: Program,
    private readonly events: StageEvents,
  ) {
    this.renderer = createRenderer(canvas);
    this.assembly = new AssemblyScene(pkg, index);
    this.picker = new Picker(this.assembly, trees);
    this.surroundings = new Surroundings(this.assembly.scene, this.renderer, index.assembly.up);
    const { min, max } = this.assembly.worldBounds();
    this.surroundings.fit(min, max);
    this.centre.copy(min).add(max).multiplyScalar(0.5);
    this.radius = Math.max(1, min.distanceTo(max) / 2);
    this.program = program;
    this.pose = createPose(program);
    pose(program, 0, this.pose);
    this.control = new ViewControl(this.cameraValues(), index.assembly.up);
    this.listen();
  }

  get currentPose(): Pose {
    return this.pose;
  }

  /** The camera's values at the present time. */
  programCamera(): CameraValues {
    this.update();
    return this.cameraValues();
  }

  private cameraValues(): CameraValues {
    return Object.fromEntries(CAMERA_CHANNELS.map((name, i) => [name, this.pose.camera[i]])) as unknown as CameraValues;
  }

  setProgram(program: Program): void {
    if (program !== this.program) {
      this.program = program;
      this.pose = createPose(program);
    }
    this.refresh();
  }

  setTime(ticks: number): void {
    this.ticks = ticks;
    this.refresh();
  }

  setOverrides(overrides: Overrides | undefined): void {
    this.overrides = overrides;
    this.refresh();
  }

  setMarks(marks: Marks): void {
    this.assembly.setMarks(marks);
    this.invalidate();
  }

  /** Shows handles on a node, or none. */
  setHandleNode(node: number | null): void {
    this.handleNode = node;
    if (node === null) this.handles.visible = false;
    this.refresh();
  }

  private orbitNodes: readonly number[] = [];
  /** What orbiting turns about; with none it is what the view aims at. */
  setOrbitNodes(nodes: readonly number[]): void {
    this.orbitNodes = nodes;
  }

  /** Whether the picture is seen through the camera, or from the free view. */
  setThrough(through: boolean): void {
    this.through = through;
    this.invalidate();
  }
  get isThrough(): boolean {
    return this.through;
  }

  resize(width: number, height: number, pixelRatio: number): void {
    this.width = Math.max(1, width);
    this.height = Math.max(1, height);
    this.renderer.setPixelRatio(pixelRatio);
    this.renderer.setSize(this.width, this.height, false);
    this.invalidate();
  }

  private refresh(): void {
    this.poseDirty = true;
    this.invalidate();
  }

  /** Asks for a frame. Many requests make one. */
  invalidate(): void {
    if (this.frame || this.disposed) return;
    this.frame = requestAnimationFrame(() => {
      this.frame = 0;
      this.draw();
    });
  }

  /** Draws at once. */
  draw(): void {
    if (this.disposed) return;
    this.update();
    this.renderer.autoClear = true;
    this.renderer.render(this.assembly.scene, this.camera);
    if (this.handles.visible) {
      this.handles.face(this.camera);
      this.renderer.autoClear = false;
      this.renderer.clearDepth();
      this.renderer.render(this.handles.scene, this.camera);
      this.renderer.autoClear = true;
    }
    this.events.onDrawn();
  }

  private update(): void {
    if (this.poseDirty) {
      this.poseDirty = false;
      pose(this.program, this.ticks, this.pose, this.overrides);
      this.assembly.apply(this.pose);
      this.renderer.shadowMap.needsUpdate = true;
      this.placeHandles();
    }
    const aspect = this.width / this.height;
    setCamera(this.camera, this.through ? this.fittedCamera(aspect) : this.viewValues(), this.index.assembly.up, aspect, this.centre, this.radius * 1.5);
  }

  /** The camera's values with the lens shortened where the stage is narrower than the picture, so all of it shows. */
  private fittedCamera(aspect: number): number[] {
    const values = Array.from(this.pose.camera);
    const { width, height } = this.program.sequence.picture;
    const picture = width / height;
    // The lens gives the horizontal angle of the picture; a wider stage shows more at the sides instead.
    if (aspect > picture) values[7] = ((values[7] as number) * picture) / aspect;
    return values;
  }

  /** The picture's frame on the canvas in CSS pixels, while looking through the camera. */
  pictureFrame(): { left: number; top: number; width: number; height: number } {
    const { width, height } = this.program.sequence.picture;
    const picture = width / height;
    const aspect = this.width / this.height;
    const w = aspect > picture ? this.height * picture : this.width;
    const h = aspect > picture ? this.height : this.width / picture;
    return { left: (this.width - w) / 2, top: (this.height - h) / 2, width: w, height: h };
  }

  private viewValues(): number[] {
    return CAMERA_CHANNELS.map((name) => this.control.view[name]);
  }

  private placeHandles(): void {
    if (this.handleNode === null) return;
    const node = this.index.assembly.nodes[this.handleNode];
    const tracks = this.program.nodeTracks.get(this.handleNode);
    if (!node || !tracks) {
      this.handles.visible = false;
      return;
    }
    const parent = new THREE.Matrix4();
    if (node.parent >= 0) parent.fromArray(this.pose.world as unknown as number[], 16 * node.parent);
    this.handles.place(tracks, this.pose, parent);
  }

  /** Fits the free view round nodes (all when the list is empty), keeping its direction. */
  fit(nodes: readonly number[]): void {
    this.update();
    const box = new Float64Array(6);
    emptyBounds(box);
    const wanted = nodes.length > 0 ? nodes : this.index.roots;
    for (const root of wanted) {
      for (let i = root; i < (this.index.end[root] as number); i++) {
        const g = this.index.assembly.geometries[this.index.assembly.nodes[i]?.geometry ?? -1];
        if (g) growByBox(box, 0, g.bounds, this.pose.world, 16 * i);
      }
    }
    if (!((box[0] as number) <= (box[3] as number))) return;
    const v = this.leaveCamera();
    this.control.orbitAbout = null;
    this.control.view = {
      ...v,
      ...fitBox(box.subarray(0, 3), box.subarray(3, 6), v.azimuth, v.elevation, v.lens, this.width / this.height, this.index.assembly.up, nodes.length > 0 ? 0.3 : 0.12),
    };
    this.invalidate();
  }

  /** Looks square from a side, keeping what is aimed at. */
  lookFrom(azimuth: number, elevation: number): void {
    const v = this.leaveCamera();
    this.control.view = { ...v, azimuth: nearestTurn(azimuth, v.azimuth), elevation, roll: 0 };
    this.invalidate();
  }

  /** Starts the free view from what is on screen, when the camera was being looked through. */
  private leaveCamera(): CameraValues {
    if (this.through) {
      const values = this.fittedCamera(this.width / this.height);
      this.control.view = Object.fromEntries(CAMERA_CHANNELS.map((name, i) => [name, values[i]])) as unknown as CameraValues;
      this.control.view.lens = Math.max(SENSOR_WIDTH_MM / 9, this.control.view.lens);
      this.through = false;
      this.events.onLook();
    }
    return this.control.view;
  }

  /** The free view as camera values: with the lens the picture would need to show as much. */
  keptView(): CameraValues {
    if (this.through) return this.programCamera();
    const aspect = this.width / this.height;
    const { width, height } = this.program.sequence.picture;
    const view = { ...this.control.view };
    if (aspect > width / height) view.lens = (view.lens * aspect) / (width / height);
    return view;
  }

  /** A PNG of the present moment as published: through the camera, no handles, no marks. */
  async still(width: number, height: number): Promise<Blob> {
    this.update();
    const ratio = this.renderer.getPixelRatio();
    const shot = new THREE.PerspectiveCamera();
    setCamera(shot, this.pose.camera, this.index.assembly.up, width / height, this.centre, this.radius * 1.5);
    this.renderer.setPixelRatio(1);
    this.renderer.setSize(width, height, false);
    this.assembly.withoutMarks(() => this.renderer.render(this.assembly.scene, shot));
    const pending = new Promise<Blob>((resolve, reject) => this.canvas.toBlob((b) => (b ? resolve(b) : reject(new Error("The picture could not be made."))), "image/png"));
    const blob = await pending;
    this.renderer.setPixelRatio(ratio);
    this.renderer.setSize(this.width, this.height, false);
    this.draw();
    return blob;
  }

  /** Where a world point lies on the canvas, CSS pixels; null behind the viewer. */
  toScreen(point: readonly [number, number, number]): { x: number; y: number } | null {
    const p = new THREE.Vector3(...point).project(this.camera);
    if (p.z > 1) return null;
    return { x: ((p.x + 1) / 2) * this.width, y: ((1 - p.y) / 2) * this.height };
  }

  /** Middle of a node as it stands now, world mm. */
  middleOf(node: number): [number, number, number] {
    const box = new Float64Array(6);
    emptyBounds(box);
    for (let i = node; i < (this.index.end[node] as number); i++) {
      const g = this.index.assembly.geometries[this.index.assembly.nodes[i]?.geometry ?? -1];
      if (g) growByBox(box, 0, g.bounds, this.pose.world, 16 * i);
    }
    return [0, 1, 2].map((k) => ((box[k] as number) + (box[3 + k] as number)) / 2) as [number, number, number];
  }

  private rayAt(x: number, y: number): THREE.Ray {
    const raycaster = new THREE.Raycaster();
    raycaster.setFromCamera(new THREE.Vector2((x / this.width) * 2 - 1, 1 - (y / this.height) * 2), this.camera);
    return raycaster.ray;
  }

  /** The part under a point of the canvas (CSS pixels). */
  pickAt(x: number, y: number): ReturnType<Picker["pick"]> {
    return this.picker.pick(this.rayAt(x, y));
  }

  private listen(): void {
    const on = <K extends keyof HTMLElementEventMap>(target: HTMLElement | Window, type: K, handler: (e: HTMLElementEventMap[K]) => void, options?: AddEventListenerOptions) => {
      target.addEventListener(type, handler as EventListener, options);
      this.listeners.push(() => target.removeEventListener(type, handler as EventListener, options));
    };
    on(this.canvas, "pointerdown", (e) => this.down(e));
    on(this.canvas, "pointermove", (e) => this.move(e));
    on(this.canvas, "pointerup", (e) => this.upEvent(e));
    on(this.canvas, "pointercancel", () => this.cancelDrag());
    on(this.canvas, "pointerleave", () => this.events.onHover(null));
    on(this.canvas, "contextmenu", (e) => e.preventDefault());
    on(this.canvas, "wheel", (e) => this.wheel(e), { passive: false });
    on(
      window,
      "keydown",
      (e) => {
        if (e.key === "Escape" && this.drag?.kind === "handle") {
          e.stopImmediatePropagation();
          e.preventDefault();
          this.cancelDrag();
        }
      },
      { capture: true },
    );
  }

  private local(e: MouseEvent): [number, number] {
    const r = this.canvas.getBoundingClientRect();
    return [e.clientX - r.left, e.clientY - r.top];
  }

  private ndc(x: number, y: number): [number, number] {
    return [(x / this.width) * 2 - 1, 1 - (y / this.height) * 2];
  }

  private down(e: PointerEvent): void {
    const [x, y] = this.local(e);
    this.canvas.setPointerCapture(e.pointerId);
    this.canvas.focus({ preventScroll: true });
    if (e.button === 0 && this.handleNode !== null) {
      const id = this.handles.hit(...this.ndc(x, y), this.camera);
      if (id) {
        this.beginHandle(id, x, y);
        return;
      }
    }
    const hit = e.button === 0 ? this.pickAt(x, y) : null;
    this.drag = { kind: "view", button: e.button, x, y, moved: 0, target: hit?.node ?? null, add: e.ctrlKey || e.metaKey || e.shiftKey, pan: e.button !== 0 || e.shiftKey };
  }

  private move(e: PointerEvent): void {
    const [x, y] = this.local(e);
    const drag = this.drag;
    if (!drag) {
      const id = this.handleNode === null ? null : this.handles.hit(...this.ndc(x, y), this.camera);
      if (this.handles.setHot(id)) this.invalidate();
      this.canvas.style.cursor = id ? "grab" : "default";
      this.events.onHover(id ? null : (this.pickAt(x, y)?.node ?? null));
      return;
    }
    if (drag.kind === "handle") {
      this.moveHandle(drag, x, y, e.altKey);
      return;
    }
    const dx = x - drag.x;
    const dy = y - drag.y;
    drag.moved += Math.abs(dx) + Math.abs(dy);
    drag.x = x;
    drag.y = y;
    // A few pixels belong to a click with an unsteady hand.
    if (drag.moved < 4) return;
    this.leaveCamera();
    const first = this.orbitNodes[0];
    this.control.orbitAbout = first === undefined ? null : this.middleOf(first);
    if (drag.pan) this.control.pan(dx, dy, this.height, this.width / this.height);
    else this.control.orbit(dx, dy);
    this.invalidate();
  }

  private upEvent(e: PointerEvent): void {
    const drag = this.drag;
    this.drag = null;
    if (!drag) return;
    if (drag.kind === "handle") {
      const [x, y] = this.local(e);
      this.moveHandle(drag, x, y, e.altKey);
      this.emitHandle(drag, "end", x, y);
      this.handles.setHot(null);
      this.invalidate();
      return;
    }
    if (drag.button === 0 && drag.moved < 4) {
      const now = performance.now();
      const double = now - this.lastClick.at < 350 && this.lastClick.node === (drag.target ?? -1);
      this.lastClick = { at: now, node: drag.target ?? -1 };
      this.events.onPick(drag.target, { add: drag.add, double });
    }
  }

  private wheel(e: WheelEvent): void {
    e.preventDefault();
    const [x, y] = this.local(e);
    const hit = this.pickAt(x, y);
    this.leaveCamera();
    const toward = hit ? ([hit.point.x, hit.point.y, hit.point.z] as const) : this.atAimDepth(x, y);
    this.control.zoom(Math.exp((e.deltaMode === 1 ? e.deltaY * 30 : e.deltaY) * 0.0014), toward);
    this.invalidate();
  }

  /** The point under the pointer at the aim's depth, so that zooming over nothing still goes to the cursor. */
  private atAimDepth(x: number, y: number): readonly [number, number, number] | null {
    const v = this.control.view;
    const aim = new THREE.Vector3(v["aim.x"], v["aim.y"], v["aim.z"]);
    const normal = new THREE.Vector3().setFromMatrixColumn(this.camera.matrixWorld, 2);
    const p = this.rayAt(x, y).intersectPlane(new THREE.Plane().setFromNormalAndCoplanarPoint(normal, aim), new THREE.Vector3());
    return p ? [p.x, p.y, p.z] : null;
  }

  private beginHandle(id: HandleId, x: number, y: number): void {
    const node = this.handleNode as number;
    const tracks = this.program.nodeTracks.get(node);
    if (!tracks) return;
    const origin = this.handles.pivot.clone();
    const eye = new THREE.Vector3().setFromMatrixPosition(this.camera.matrixWorld);
    const axis =
      id.kind === "slide"
        ? (this.handles.slideAxes[id.axis] as THREE.Vector3).clone()
        : id.kind === "turn"
          ? (this.handles.turnAxes[id.axis] as THREE.Vector3).clone()
          : eye.sub(origin).normalize();
    const reference = new THREE.Vector3(1, 0, 0);
    if (Math.abs(axis.x) > 0.9) reference.set(0, 1, 0);
    reference.addScaledVector(axis, -reference.dot(axis)).normalize();
    const channel = id.kind === "slide" ? tracks.first + SLIDE + id.axis : id.kind === "turn" ? tracks.first + TURN + id.axis : -1;
    const start = channel >= 0 ? (this.pose.values[channel] as number) : 0;
    const ray = this.rayAt(x, y);
    const first = id.kind === "slide" ? alongAxis(ray, origin, axis) : angleAbout(ray, origin, axis, reference);
    const q = this.pose.orientations.subarray(4 * tracks.orientation, 4 * tracks.orientation + 4);
    this.drag = {
      kind: "handle",
      id,
      start,
      origin,
      axis,
      reference,
      first,
      last: first ?? 0,
      total: 0,
      startPx: [x, y],
      tangent: id.kind === "slide" || first !== null ? null : this.tangentOf(origin, axis),
      orientation: Array.from(q),
    };
    this.handles.setHot(id);
    this.canvas.style.cursor = "grabbing";
    this.emitHandle(this.drag, "start", x, y);
    this.invalidate();
  }

  /** Screen direction along which an arc seen edge-on is dragged, unit pixels. */
  private tangentOf(origin: THREE.Vector3, axis: THREE.Vector3): [number, number] {
    const a = origin.clone().project(this.camera);
    const b = origin.clone().addScaledVector(axis, this.handles.scale).project(this.camera);
    const dx = (b.x - a.x) * this.width;
    const dy = -(b.y - a.y) * this.height;
    const n = Math.hypot(dx, dy) || 1;
    return [-dy / n, dx / n];
  }

  private moveHandle(drag: Extract<Drag, { kind: "handle" }>, x: number, y: number, free: boolean): void {
    const ray = this.rayAt(x, y);
    const step = this.snapping.on && !free;
    if (drag.id.kind === "slide") {
      const now = alongAxis(ray, drag.origin, drag.axis);
      if (now === null || drag.first === null) return;
      drag.total = snapped(now - drag.first, step ? this.snapping.distanceMm : 0);
    } else if (drag.tangent) {
      const pixels = (x - drag.startPx[0]) * drag.tangent[0] + (y - drag.startPx[1]) * drag.tangent[1];
      drag.total = snapped(pixels * 0.6, step ? this.snapping.angleDeg : 0);
    } else {
      const now = angleAbout(ray, drag.origin, drag.axis, drag.reference);
      if (now === null) return;
      drag.first = accumulate(drag.first ?? 0, drag.last, now);
      drag.last = now;
      drag.total = snapped(drag.first - this.firstAngle(drag), step ? this.snapping.angleDeg : 0);
    }
    this.emitHandle(drag, "move", x, y);
  }

  private firstAngle(drag: Extract<Drag, { kind: "handle" }>): number {
    return angleAbout(this.rayAt(...drag.startPx), drag.origin, drag.axis, drag.reference) ?? 0;
  }

  private emitHandle(drag: Extract<Drag, { kind: "handle" }>, phase: HandleDrag["phase"], xPx: number, yPx: number): void {
    const node = this.handleNode;
    const tracks = node === null ? undefined : this.program.nodeTracks.get(node);
    if (node === null || !tracks) return;
    const { id } = drag;
    let orientation: HandleDrag["orientation"] = null;
    if (id.kind === "free") {
      // The turn is about a world axis; the orientation lives in the parent's frame.
      const parent = this.index.assembly.nodes[node]?.parent ?? -1;
      const turn = new THREE.Quaternion();
      if (parent >= 0) turn.setFromRotationMatrix(new THREE.Matrix4().extractRotation(new THREE.Matrix4().fromArray(this.pose.world as unknown as number[], 16 * parent)));
      const p = [turn.x, turn.y, turn.z, turn.w];
      const world = quaternionFromAxis([drag.axis.x, drag.axis.y, drag.axis.z], drag.total);
      const inParent = multiplyQuaternion(multiplyQuaternion(conjugateQuaternion(p), world), p);
      const q = multiplyQuaternion(inParent, drag.orientation);
      const n = Math.hypot(...q);
      orientation = q.map((v) => v / n) as [number, number, number, number];
    }
    const channel = id.kind === "slide" ? `slide.${"xyz"[id.axis]}` : id.kind === "turn" ? `turn.${tracks.axes[id.axis]?.id}` : "orientation";
    this.events.onHandle({ phase, handle: id, node, channel, value: drag.start + drag.total, delta: drag.total, orientation, xPx, yPx });
  }

  /** Ends a drag without its effect. */
  cancelDrag(): void {
    const drag = this.drag;
    this.drag = null;
    if (drag?.kind !== "handle") return;
    this.emitHandle({ ...drag, total: 0 }, "cancel", 0, 0);
    this.handles.setHot(null);
    this.invalidate();
  }

  dispose(): void {
    this.disposed = true;
    cancelAnimationFrame(this.frame);
    for (const off of this.listeners) off();
    this.assembly.dispose();
    this.surroundings.dispose();
    this.renderer.dispose();
  }
}
