import * as THREE from "three";
import type { SerializedBVH } from "three-mesh-bvh";
import type { AssemblyIndex } from "../core/assembly/assembly";
import type { AssemblyPackage } from "../core/assembly/package";
import type { LookNode } from "../core/document/looks";
import type { Surroundings as SurroundingsSettings } from "../core/document/surroundings";
import type { ReadonlyTriple } from "../core/math/triple";
import type { NodeTracks } from "../core/program/layout";
import { pose } from "../core/program/pose";
import type { Program } from "../core/program/program";
import { createPose, type Overrides, type Pose } from "../core/program/sampling";
import { timedLook } from "../core/program/timedLook";
import { Aids } from "./aids";
import { AssemblyScene, type Marks } from "./assemblyScene";
import { StageCameras, valuesOf } from "./cameras";
import { ExplosionLines } from "./explosionLines";
import { watchGraphics } from "./graphicsWatch";
import type { Snapping } from "./handleDrag";
import type { HandleFrame } from "./handles";
import { NotesLayer } from "./notesLayer";
import { Overlays } from "./overlays";
import { Painter } from "./painter";
import { Picker } from "./picker";
import { createRenderer } from "./picture";
import { Pointing, worldOf } from "./pointing";
import { type Place, type SecondSource, SecondView } from "./secondView";
import { StageInput } from "./stageInput";
import type { StageEvents } from "./stagePort";
import { takeStill } from "./still";
import { Surroundings } from "./surroundings";
import { ViewControl } from "./viewControl";
import { Wardrobe } from "./wardrobe";

/**
 * The interactive stage: draws the assembly at a time, on demand. It is put together of what it wears (Wardrobe), what
 * it is seen through (StageCameras), what lies under the pointer (Pointing) and what is done by hand (StageInput).
 * Knows no documents: it is told the program, the time, overrides, looks and marks.
 */
export class Stage {
  readonly renderer: THREE.WebGLRenderer;
  readonly assembly: AssemblyScene;
  private readonly over = new Overlays();
  readonly handles = this.over.handles;
  readonly gauge = this.over.gauge;
  readonly marker = this.over.marker;
  readonly aids: Aids;
  readonly control: ViewControl;
  readonly picker: Picker;
  readonly cameras: StageCameras;
  readonly pointing: Pointing;
  readonly input: StageInput;
  /** Labels and dimensions, over the picture. */
  readonly notes = new NotesLayer();
  /** Middle of the assembly at home, mm. */
  readonly centre = new THREE.Vector3();
  /** Half the diagonal of the assembly, mm. */
  readonly size: number;
  /** CSS pixels. */
  width = 1;
  height = 1;
  snapping: Snapping = { on: true, distanceMm: 1, angleDeg: 5, from: "steps", geometry: false };
  /** Length of the display unit, mm: what digits typed while dragging are read in. */
  mmPerUnit = 1;
  orbitNodes: readonly number[] = [];
  private readonly surroundings: Surroundings;
  private readonly painter: Painter;
  private readonly wardrobe: Wardrobe;
  private readonly lines: ExplosionLines;
  private readonly second = new SecondView();
  private readonly unwatch: () => void;
  private ticks = 0;
  private overrides: Overrides | undefined;
  private frame = 0;
  private poseDirty = true;
  private disposed = false;
  private shown: Pose;

  constructor(
    readonly canvas: HTMLCanvasElement,
    readonly pkg: AssemblyPackage,
    readonly index: AssemblyIndex,
    trees: (SerializedBVH | null)[],
    public program: Program,
    readonly events: StageEvents,
    /** Edges are smoothed as it is drawn; a still always is. */
    smooth = true,
  ) {
    this.renderer = createRenderer(canvas, smooth);
    this.assembly = new AssemblyScene(pkg, index);
    this.picker = new Picker(this.assembly, trees);
    this.surroundings = new Surroundings(this.assembly, this.renderer, index.assembly.up);
    const { min, max } = this.assembly.worldBounds();
    this.surroundings.fit(min, max);
    this.centre.copy(min).add(max).multiplyScalar(0.5);
    this.size = Math.max(1, min.distanceTo(max) / 2);
    this.painter = new Painter(this.renderer, this.assembly, this.surroundings, this.size);
    this.wardrobe = new Wardrobe(this.assembly, this.surroundings);
    this.lines = new ExplosionLines(this.assembly.scene, 2 * this.size);
    this.aids = new Aids(this.size);
    this.shown = createPose(program);
    pose(program, 0, this.shown);
    this.control = new ViewControl(valuesOf(this.shown.camera), index.assembly.up);
    this.cameras = new StageCameras(this);
    this.pointing = new Pointing(this);
    this.input = new StageInput(this);
    this.unwatch = watchGraphics(canvas, (lost) => {
      if (!lost) {
        this.surroundings.revive();
        this.invalidate();
      }
      events.onGraphics(lost);
    });
  }

  /** The pose that is shown. Read it at once: it is written anew with every frame. */
  get currentPose(): Pose {
    return this.shown;
  }
  /** The camera that draws now. */
  get camera(): THREE.Camera {
    return this.cameras.current;
  }
  get handleTarget(): NodeTracks | null {
    return this.over.target;
  }

  // ---- what is shown ------------------------------------------------------------------------------------------

  setProgram(program: Program): void {
    if (program !== this.program) {
      this.program = program;
      this.shown = createPose(program);
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
    this.wardrobe.setPrepared(nodes, settings);
    this.invalidate();
  }
  /** A clear and fast picture to work in, or the one that is published. */
  setWorking(on: boolean): void {
    this.wardrobe.setWorking(on);
    this.invalidate();
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
    this.over.target = tracks;
    this.refresh();
  }
  /** Points at a place, mm, or at none. */
  setSpot(place: ReadonlyTriple | null): void {
    if (this.over.setSpot(place)) this.invalidate();
  }
  /** Shows the gauge of a joint of the target, or none. */
  setGauge(joint: string | null): void {
    this.over.joint = joint;
    this.refresh();
  }
  /** Directions that slide handles run along. */
  setHandleFrame(frame: HandleFrame): void {
    this.over.frame = frame;
    this.refresh();
  }
  /** Flying: drags look round, the arrow keys move. */
  setFlying(on: boolean): void {
    if (on) this.cameras.leaveCamera();
    this.input.flying = on;
  }
  /** Shows a second view, or none; see SecondView. */
  setSecond(source: SecondSource | null): void {
    this.second.source = source;
    this.invalidate();
  }
  /** Where the second view lies, CSS pixels. */
  secondPlace(): Place {
    return this.second.place(this.width, this.height, this.cameras.aspect);
  }
  resize(width: number, height: number, pixelRatio: number): void {
    const same = this.width === Math.max(1, width) && this.height === Math.max(1, height);
    if (same && this.renderer.getPixelRatio() === pixelRatio) return;
    this.width = Math.max(1, width);
    this.height = Math.max(1, height);
    this.renderer.setPixelRatio(pixelRatio);
    this.renderer.setSize(this.width, this.height, false);
    this.invalidate();
  }

  /** Nodes that the handles move: the part, or a group's members. */
  draggedNodes(): readonly number[] {
    return this.over.target ? this.program.nodesOf(this.over.target.target) : [];
  }

  /** World matrix of the frame that a part or group departs in. */
  departureFrame(tracks: NodeTracks): THREE.Matrix4 {
    const parent = tracks.node >= 0 ? (this.index.assembly.nodes[tracks.node]?.parent ?? -1) : -1;
    return parent >= 0 ? worldOf(this.shown, parent) : new THREE.Matrix4();
  }

  // ---- drawing ------------------------------------------------------------------------------------------------

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

  /** Brings the scene to the time that is shown, if it is not there. */
  update(): void {
    if (this.poseDirty) {
      this.poseDirty = false;
      pose(this.program, this.ticks, this.shown, this.overrides);
      this.wardrobe.setTimed(timedLook(this.program, this.shown));
      // A camera that moves round what stands still needs no other shadows.
      if (this.assembly.apply(this.shown)) this.surroundings.moved(this.assembly.low);
      this.lines.apply(this.program, this.shown);
      const { target } = this.over;
      this.over.place(this.shown, target && this.departureFrame(target));
    }
    this.cameras.place();
  }

  /** Draws at once. */
  draw(): void {
    if (this.disposed) return;
    // What was asked for before is done with this picture.
    if (this.frame) cancelAnimationFrame(this.frame);
    this.frame = 0;
    this.update();
    this.renderer.autoClear = true;
    this.painter.draw(this.camera, this.wardrobe.working || this.input.busy);
    this.renderer.autoClear = false;
    this.aids.draw(this.renderer, this.cameras, this.shown.camera, this.index.assembly.up);
    this.over.draw(this.renderer, this.camera, this.input.picking);
    this.renderer.autoClear = true;
    this.second.show(this, this.shown, this.paintQuick);
    if (this.notes.needed(this.program)) {
      const picture = this.cameras.isThrough ? this.cameras.pictureFrame() : null;
      const ratio = this.renderer.getPixelRatio();
      this.notes.draw(this.program, this.shown, this.camera, ratio, this.width, this.height, picture);
    }
    this.events.onDrawn();
  }

  private readonly paintQuick = (camera: THREE.Camera) => this.painter.draw(camera, true);

  /**
   * A picture of the present moment as published: no handles, no marks. Through the camera, or what is looked at now.
   */
  still(width: number, height: number, from: "camera" | "view" = "camera", type = "image/png"): Promise<Blob> {
    this.update();
    const values = from === "view" && !this.cameras.isThrough ? this.cameras.keptNumbers() : this.shown.camera;
    const draw = (camera: THREE.Camera) =>
      this.wardrobe.asPublished(() => this.assembly.withoutMarks(() => this.painter.draw(camera, false)));
    return takeStill(this, draw, values, width, height, type);
  }

  dispose(): void {
    this.disposed = true;
    cancelAnimationFrame(this.frame);
    this.unwatch();
    this.input.dispose();
    this.painter.dispose();
    this.lines.dispose();
    this.aids.dispose();
    this.assembly.dispose();
    this.surroundings.dispose();
    this.renderer.dispose();
  }
}
