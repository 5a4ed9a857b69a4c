import * as THREE from "three";
import type { SerializedBVH } from "three-mesh-bvh";
import type { AssemblyIndex } from "../core/assembly/assembly";
import type { AssemblyPackage } from "../core/assembly/package";
import { fitBox, nearestTurn, SENSOR_WIDTH_MM } from "../core/camera/camera";
import type { Look, LookNode } from "../core/document/looks";
import type { CameraValues } from "../core/document/sequence";
import { CAMERA_CHANNELS } from "../core/document/sequence";
import { SURROUNDINGS_DEFAULT, type Surroundings as SurroundingsSettings } from "../core/document/surroundings";
import { type Feature, type FeatureKind, featureAt } from "../core/geometry/features";
import { nth } from "../core/math/packed";
import type { ReadonlyTriple, Triple } from "../core/math/triple";
import type { NodeTracks } from "../core/program/layout";
import { createPose, type Overrides, type Pose, pose, posedBounds } from "../core/program/pose";
import type { Program } from "../core/program/program";
import { Aids } from "./aids";
import { AssemblyScene, type Marks } from "./assemblyScene";
import { ExplosionLines } from "./explosionLines";
import { FeatureMarker } from "./featureMarker";
import { Gauge, gaugeState } from "./gauge";
import type { HandleDrag, Snapping } from "./handleDrag";
import { type HandleFrame, Handles, viewSpan } from "./handles";
import { drawNotes, NotesLayer, STAGE_FONT } from "./notesLayer";
import { Painter } from "./painter";
import { type Hit, Picker } from "./picker";
import { createRenderer, setCamera, setParallelCamera } from "./picture";
import { type Place, type SecondSource, SecondView } from "./secondView";
import { StageInput } from "./stageInput";
import { Surroundings } from "./surroundings";
import { timedLook } from "./timedLook";
import { ViewControl } from "./viewControl";

export type { HandleDrag, Snapping } from "./handleDrag";

/** A feature that was pointed at, with the part it belongs to. */
export interface PickedFeature {
  node: number;
  /** In the part's own frame, mm. */
  feature: Feature;
}

/** What a pick asks for. */
export interface PickRequest {
  kinds: readonly FeatureKind[];
  /** Only features with a direction count. */
  needsDirection: boolean;
  onDone(picked: PickedFeature | null): void;
}

export interface StageEvents {
  onPick(node: number | null, how: { add: boolean; double: boolean }): void;
  onHover(node: number | null): void;
  onHandle(drag: HandleDrag): void;
  /** What a pick would take, while pointing; null over nothing. */
  onFeature(picked: PickedFeature | null): void;
  onMenu(node: number | null, xPx: number, yPx: number): void;
  /** The free view was changed by hand; looking around leaves the camera. */
  onLook(): void;
  /** After every drawn frame: for what is laid over the picture. */
  onDrawn(): void;
}

/** How near to an edge or corner a pointer takes it, CSS pixels. */
const FEATURE_REACH_PX = 9;

/** A plain, fast picture to work in, apart from the look that is published. */
const WORKING: SurroundingsSettings = { ...SURROUNDINGS_DEFAULT, light: "bench", occlusion: 0, contact: 0, ground: "shadow" };

/**
 * The interactive stage: draws the assembly at a time, on demand, and holds the view. Pointer and keys are taken by
 * StageInput. Knows no documents: it is told the program, the time, overrides, looks and marks.
 */
export class Stage {
  readonly renderer: THREE.WebGLRenderer;
  readonly assembly: AssemblyScene;
  readonly handles = new Handles();
  readonly gauge = new Gauge();
  readonly marker = new FeatureMarker();
  readonly aids: Aids;
  readonly control: ViewControl;
  readonly picker: Picker;
  snapping: Snapping = { on: true, distanceMm: 1, angleDeg: 5, from: "steps", geometry: false };
  private readonly perspective = new THREE.PerspectiveCamera();
  private readonly parallelCamera = new THREE.OrthographicCamera();
  private readonly surroundings: Surroundings;
  private readonly painter: Painter;
  private readonly input: StageInput;
  private pose: Pose;
  private program: Program;
  private ticks = 0;
  private overrides: Overrides | undefined;
  private target: NodeTracks | null = null;
  private gaugeJoint: string | null = null;
  private frameOf: HandleFrame = "owner";
  private through = true;
  private parallel = false;
  private working = false;
  private settings: SurroundingsSettings = SURROUNDINGS_DEFAULT;
  private looks: Readonly<Record<string, LookNode>> = {};
  private frame = 0;
  private readonly lines: ExplosionLines;
  /** The look that a move makes the picture wear now; null for the one it began with. */
  private timed: Look | null = null;
  /** Labels and dimensions, over the picture. */
  readonly notes = new NotesLayer();
  private readonly fitted = new Float64Array(8);
  width = 1;
  height = 1;
  private poseDirty = true;
  private disposed = false;
  private readonly centre = new THREE.Vector3();
  private radius = 1;

  constructor(
    readonly canvas: HTMLCanvasElement,
    readonly pkg: AssemblyPackage,
    readonly index: AssemblyIndex,
    trees: (SerializedBVH | null)[],
    program: Program,
    readonly events: StageEvents,
  ) {
    this.renderer = createRenderer(canvas);
    this.assembly = new AssemblyScene(pkg, index);
    this.picker = new Picker(this.assembly, trees);
    this.surroundings = new Surroundings(this.assembly.scene, this.renderer, index.assembly.up, this.assembly.lines);
    const { min, max } = this.assembly.worldBounds();
    this.surroundings.fit(min, max);
    this.centre.copy(min).add(max).multiplyScalar(0.5);
    this.radius = Math.max(1, min.distanceTo(max) / 2);
    this.painter = new Painter(this.renderer, this.assembly, this.surroundings, this.radius);
    this.lines = new ExplosionLines(this.assembly.scene, 2 * this.radius);
    this.aids = new Aids(this.radius);
    this.program = program;
    this.pose = createPose(program);
    pose(program, 0, this.pose);
    this.control = new ViewControl(this.cameraValues(), index.assembly.up);
    this.input = new StageInput(this);
  }

  get currentPose(): Pose {
    return this.pose;
  }
  /** The camera that draws now. */
  get camera(): THREE.Camera {
    return this.parallel && !this.through ? this.parallelCamera : this.perspective;
  }
  /** Half the diagonal of the assembly, mm. */
  get size(): number {
    return this.radius;
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

  /** Takes over finishes, ghosts and surroundings. What did not change costs nothing. */
  setLook(nodes: Readonly<Record<string, LookNode>>, settings: SurroundingsSettings): void {
    const before = this.wornNow();
    this.looks = nodes;
    this.settings = settings;
    this.wear(before);
    this.invalidate();
  }

  /** Finishes and surroundings that are worn now: the timed look's where there is one. */
  private wornNow(): { nodes: Readonly<Record<string, LookNode>>; settings: SurroundingsSettings } {
    return { nodes: this.timed?.nodes ?? this.looks, settings: this.timed?.surroundings ?? this.settings };
  }

  /** Brings the scene to what is worn now, from what was before. */
  private wear(before: ReturnType<Stage["wornNow"]>): void {
    const now = this.wornNow();
    if (now.nodes !== before.nodes) {
      this.assembly.setLooks(now.nodes);
      this.surroundings.moved();
    }
    if (now.settings !== before.settings) {
      if (!this.working) this.light();
      this.surroundings.moved();
    }
  }

  /** A clear and fast picture to work in, or the one that is published. */
  setWorking(on: boolean): void {
    this.working = on;
    this.light();
    this.surroundings.moved();
    this.invalidate();
  }

  /** Lights the scene: plainly while that is asked for, else as it is worn. */
  private light(plain = this.working): void {
    this.surroundings.set(plain ? WORKING : this.wornNow().settings, plain);
    this.assembly.setMirroring(!plain);
  }

  /** Told while playing: what is soft may then lag by a frame. Standing still it is exact. */
  setPlaying(on: boolean): void {
    if (this.surroundings.hurried === on) return;
    this.surroundings.hurried = on;
    this.surroundings.moved();
    this.invalidate();
  }

  /** Shows handles on a part or group, or none. */
  setHandleTarget(tracks: NodeTracks | null): void {
    this.target = tracks;
    if (!tracks) this.handles.visible = false;
    this.refresh();
  }
  get handleTarget(): NodeTracks | null {
    return this.target;
  }

  /** Shows the gauge of a joint of the target, or none. */
  setGauge(joint: string | null): void {
    this.gaugeJoint = joint;
    this.refresh();
  }

  /** Directions that slide handles run along. */
  setHandleFrame(frame: HandleFrame): void {
    this.frameOf = frame;
    this.refresh();
  }

  /** Length of the display unit, mm: what digits typed while dragging are read in. */
  mmPerUnit = 1;
  /** Nodes that the handles move: the part, or a group's members. */
  draggedNodes(): readonly number[] {
    const { target } = this;
    if (!target) return [];
    const { target: what, node } = target;
    if (what.type === "node") return [node];
    return this.program.groupList.find((g) => g.id === what.id)?.members ?? [];
  }

  orbitNodes: readonly number[] = [];
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

  /** Draws the free view without perspective. */
  setParallel(on: boolean): void {
    this.leaveCamera();
    this.parallel = on;
    this.invalidate();
  }

  /** Flying: drags look round, the arrow keys move. */
  setFlying(on: boolean): void {
    if (on) this.leaveCamera();
    this.input.flying = on;
  }

  /** Asks for a feature; Escape or another request ends it. */
  beginPick(request: PickRequest): void {
    this.input.beginPick(request);
  }
  endPick(): void {
    this.input.endPick(null);
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
    // What was asked for before is done with this picture.
    if (this.frame) cancelAnimationFrame(this.frame);
    this.frame = 0;
    this.update();
    this.renderer.autoClear = true;
    this.painter.draw(this.camera, this.working || this.input.busy);
    this.renderer.autoClear = false;
    this.drawAids();
    if (this.handles.visible) this.drawOver(this.handles);
    if (this.gauge.shown) this.drawOver(this.gauge);
    if (this.marker.shown) this.drawOver(this.marker);
    this.renderer.autoClear = true;
    this.drawSecond();
    this.drawNotes();
    this.events.onDrawn();
  }

  private drawAids(): void {
    this.aids.setCamera(this.through ? null : this.pose.camera, this.aspect, this.index.assembly.up);
    if (!this.aids.any) return;
    let { camera } = this;
    if (camera === this.perspective) {
      // The view's near and far planes hug the assembly; a camera may stand well outside.
      const wide = this.aidsCamera.copy(this.perspective, false);
      wide.near *= 0.02;
      wide.far *= 20;
      wide.updateProjectionMatrix();
      camera = wide;
    }
    this.renderer.render(this.aids.scene, camera);
  }
  private readonly aidsCamera = new THREE.PerspectiveCamera();

  private readonly second = new SecondView();
  private readonly paintQuick = (camera: THREE.Camera) => this.painter.draw(camera, true);

  /** Shows a second view, or none; see SecondView. */
  setSecond(source: SecondSource | null): void {
    this.second.source = source;
    this.invalidate();
  }

  /** Where the second view lies, CSS pixels. */
  secondPlace(): Place {
    return this.second.place(this.width, this.height, this.aspect);
  }

  /** Width over height of the picture. */
  private get aspect(): number {
    const { width, height } = this.program.sequence.picture;
    return width / height;
  }

  private drawSecond(): void {
    const { source, values } = this.second;
    if (source === null) return;
    if (source === "other" && this.through) for (let k = 0; k < 8; k++) values[k] = this.control.view[CAMERA_CHANNELS[k] as keyof CameraValues];
    else for (let k = 0; k < 8; k++) values[k] = (source === "other" ? undefined : this.pose.values[source + k]) ?? nth(this.pose.camera, k);
    this.second.draw(this.renderer, this.width, this.height, this.aspect, this.index.assembly.up, this.centre, this.radius * 1.5, this.paintQuick);
  }

  private drawNotes(): void {
    if (!this.notes.needed(this.program)) return;
    this.notes.draw(this.program, this.pose, this.camera, this.renderer.getPixelRatio(), this.width, this.height, this.through ? this.pictureFrame() : null);
  }

  private drawOver(layer: { scene: THREE.Scene; face(camera: THREE.Camera): void }): void {
    layer.face(this.camera);
    this.renderer.clearDepth();
    this.renderer.render(layer.scene, this.camera);
  }

  private update(): void {
    if (this.poseDirty) {
      this.poseDirty = false;
      pose(this.program, this.ticks, this.pose, this.overrides);
      const look = timedLook(this.program, this.pose);
      if (look !== this.timed) {
        const before = this.wornNow();
        this.timed = look;
        this.wear(before);
      }
      // A camera that moves round what stands still needs no other shadows.
      if (this.assembly.apply(this.pose)) this.surroundings.moved();
      this.lines.apply(this.program, this.pose);
      this.placeHandles();
    }
    const aspect = this.width / this.height;
    const values = this.through ? this.fittedCamera(aspect) : this.viewValues();
    if (this.camera === this.parallelCamera) setParallelCamera(this.parallelCamera, values, this.index.assembly.up, aspect, this.centre, this.radius * 1.5);
    else setCamera(this.perspective, values, this.index.assembly.up, aspect, this.centre, this.radius * 1.5);
  }

  /** The camera's values with the lens shortened where the stage is narrower than the picture, so all of it shows. */
  private fittedCamera(aspect: number): Float64Array {
    const values = this.fitted;
    values.set(this.pose.camera);
    const { width, height } = this.program.sequence.picture;
    const picture = width / height;
    // The lens gives the horizontal angle of the picture; a wider stage shows more at the sides instead.
    if (aspect > picture) values[7] = (nth(values, 7) * picture) / aspect;
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

  private viewValues(): Float64Array {
    for (let i = 0; i < CAMERA_CHANNELS.length; i++) this.fitted[i] = this.control.view[CAMERA_CHANNELS[i] as keyof CameraValues];
    return this.fitted;
  }

  /** World matrix of the frame that a part or group departs in. */
  departureFrame(tracks: NodeTracks): THREE.Matrix4 {
    const m = new THREE.Matrix4();
    const parent = tracks.node >= 0 ? (this.index.assembly.nodes[tracks.node]?.parent ?? -1) : -1;
    if (parent >= 0) m.fromArray(this.pose.world as unknown as number[], 16 * parent);
    return m;
  }

  private placeHandles(): void {
    const tracks = this.target;
    if (!tracks) {
      this.gauge.set(null);
      return;
    }
    const parent = this.departureFrame(tracks);
    const own = tracks.node >= 0 ? new THREE.Matrix4().fromArray(this.pose.world as unknown as number[], 16 * tracks.node) : parent;
    this.handles.place(tracks, this.pose, parent, own, this.frameOf);
    this.gauge.set(gaugeState(tracks, this.gaugeJoint, this.pose, parent));
  }

  /** Fits the free view round nodes (all when the list is empty), keeping its direction. */
  fit(nodes: readonly number[]): void {
    this.update();
    const box = posedBounds(this.index, nodes.length > 0 ? nodes : this.index.roots, this.pose);
    if (!(nth(box, 0) <= nth(box, 3))) return;
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

  /** Looks square at a feature of a part as it stands. */
  lookSquare(picked: PickedFeature): void {
    const direction = this.worldDirection(picked);
    if (!direction) return;
    this.leaveCamera();
    const eye = new THREE.Vector3().setFromMatrixPosition(this.camera.matrixWorld);
    const point = this.worldPoint(picked);
    // An axis has no front; it is looked along from the side that is nearer.
    if (picked.feature.kind !== "face" && direction.dot(eye.sub(point)) < 0) direction.negate();
    this.control.squareTo(direction.toArray(), point.toArray());
    this.invalidate();
  }

  /** World place of a picked feature as its part stands now. */
  worldPoint({ node, feature }: PickedFeature): THREE.Vector3 {
    return new THREE.Vector3(...feature.point).applyMatrix4(new THREE.Matrix4().fromArray(this.pose.world as unknown as number[], 16 * node));
  }
  worldDirection({ node, feature }: PickedFeature): THREE.Vector3 | null {
    return feature.direction ? new THREE.Vector3(...feature.direction).transformDirection(new THREE.Matrix4().fromArray(this.pose.world as unknown as number[], 16 * node)) : null;
  }

  /** Starts the free view from what is on screen, when the camera was being looked through. */
  leaveCamera(): CameraValues {
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

  /** A picture of the present moment as published: no handles, no marks. Through the camera, or what is looked at now. */
  async still(width: number, height: number, from: "camera" | "view" = "camera", type = "image/png"): Promise<Blob> {
    this.update();
    const ratio = this.renderer.getPixelRatio();
    const shot = new THREE.PerspectiveCamera();
    const values = from === "view" && !this.through ? CAMERA_CHANNELS.map((n) => this.keptView()[n]) : this.pose.camera;
    setCamera(shot, values, this.index.assembly.up, width / height, this.centre, this.radius * 1.5);
    this.renderer.setPixelRatio(1);
    this.renderer.setSize(width, height, false);
    if (this.working) this.light(false);
    this.assembly.withoutMarks(() => this.painter.draw(shot, false));
    // Copied at once and the stage drawn again in the same breath, so that nobody ever sees the small picture.
    const copy = new OffscreenCanvas(width, height);
    const c = copy.getContext("2d");
    c?.drawImage(this.canvas, 0, 0);
    const whole = { left: 0, top: 0, width, height };
    if (c) drawNotes(c, this.program, this.pose, shot, whole, whole, STAGE_FONT);
    if (this.working) this.light();
    this.renderer.setPixelRatio(ratio);
    this.renderer.setSize(this.width, this.height, false);
    this.draw();
    return copy.convertToBlob({ type, quality: 0.82 });
  }

  /** Where a world point lies on the canvas, CSS pixels; null behind the viewer. */
  toScreen(point: ReadonlyTriple): { x: number; y: number } | null {
    const p = new THREE.Vector3(...point).project(this.camera);
    if (p.z > 1) return null;
    return { x: ((p.x + 1) / 2) * this.width, y: ((1 - p.y) / 2) * this.height };
  }

  /** Length of a CSS pixel at a world point, mm. */
  mmPerPixel(point: ReadonlyTriple): number {
    const c = this.camera;
    if (c instanceof THREE.OrthographicCamera) return (c.top - c.bottom) / this.height;
    const away = -new THREE.Vector3(...point).applyMatrix4(c.matrixWorldInverse).z;
    return (2 * away * Math.tan((this.perspective.fov * Math.PI) / 360)) / this.height;
  }

  /** Middle of a node as it stands now, world mm. */
  middleOf(node: number): Triple {
    const box = posedBounds(this.index, [node], this.pose);
    return [0, 1, 2].map((k) => (nth(box, k) + nth(box, 3 + k)) / 2) as Triple;
  }

  rayAt(x: number, y: number): THREE.Ray {
    const raycaster = new THREE.Raycaster();
    raycaster.setFromCamera(new THREE.Vector2((x / this.width) * 2 - 1, 1 - (y / this.height) * 2), this.camera);
    return raycaster.ray;
  }

  /** The part under a point of the canvas (CSS pixels). */
  pickAt(x: number, y: number, except: ReadonlySet<number> | null = null): Hit | null {
    return this.picker.pick(this.rayAt(x, y), except);
  }

  /** The feature of a part under a point of the canvas, of the wanted kinds; edges and corners count within a few pixels. */
  featureAt(x: number, y: number, kinds: readonly FeatureKind[], except: ReadonlySet<number> | null = null): PickedFeature | null {
    const hit = this.pickAt(x, y, except);
    const part = hit && this.assembly.byNode.get(hit.node);
    const geometry = part && this.pkg.geometries[part.geometry];
    if (!hit || !part || !geometry) return null;
    const reach = ((viewSpan(this.camera, hit.point) / this.height) * FEATURE_REACH_PX) / Math.max(1e-9, part.matrix.getMaxScaleOnAxis());
    const local = hit.point.clone().applyMatrix4(part.matrix.clone().invert());
    const feature = featureAt(geometry, hit.triangle, local.toArray(), reach, kinds);
    return feature ? { node: hit.node, feature } : null;
  }

  /** Shows what a pick would take, or nothing. */
  showFeature(picked: PickedFeature | null): void {
    if (picked) this.marker.show(this.worldPoint(picked), this.worldDirection(picked));
    else if (!this.marker.hide()) return;
    this.invalidate();
  }

  /** Ends a drag without its effect. */
  cancelDrag(): void {
    this.input.cancelDrag();
  }

  dispose(): void {
    this.disposed = true;
    cancelAnimationFrame(this.frame);
    this.input.dispose();
    this.painter.dispose();
    this.lines.dispose();
    this.aids.dispose();
    this.assembly.dispose();
    this.surroundings.dispose();
    this.renderer.dispose();
  }
}
