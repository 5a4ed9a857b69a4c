import * as THREE from "three";
import type { AssemblyPackage } from "../core/assembly/package";
import { SENSOR_WIDTH_MM } from "../core/camera/camera";
import { CAMERA_CHANNELS, type CameraValues } from "../core/document/keys";
import type { Look } from "../core/document/looks";
import type { Trigger } from "../core/document/triggers";
import { nth } from "../core/math/packed";
import type { Triple } from "../core/math/triple";
import { stepAt } from "../core/program/layout";
import { pose } from "../core/program/pose";
import type { Program } from "../core/program/program";
import { createPose, type Pose } from "../core/program/sampling";
import { timedLook } from "../core/program/timedLook";
import { Triggers } from "../core/program/triggers";
import { TICKS_PER_SECOND } from "../core/time/time";
import type { AssemblyScene } from "../stage/assemblyScene";
import { type Beginning, beginPicture } from "../stage/beginning";
import { ExplosionLines } from "../stage/explosionLines";
import { anyNoteShown, drawNotes, NotesDrawn } from "../stage/notesLayer";
import { setCamera } from "../stage/picture";
import type { Surroundings } from "../stage/surroundings";
import { ViewControl } from "../stage/viewControl";
import { pickPart, pickPoint } from "./pick";

/** What is played. */
export interface PlayerFilm {
  pkg: AssemblyPackage;
  program: Program;
  look: Pick<Look, "nodes" | "surroundings">;
  /** The part that is played, ticks; steps are counted from its first. */
  range: { from: number; to: number };
  /** What a reader may set going. */
  triggers: readonly Trigger[];
  /** Family of the labels' letters; the page's own by default. */
  letters?: string;
}

export interface PlayerEvents {
  /** The playhead, whether it plays or whose view it is has changed. */
  onChange(): void;
  /** What the reader had opened is put back, as the film goes on. @param ids of triggers */
  onPutBack(ids: readonly string[]): void;
}

/**
 * Plays a film for who only looks: start, time, step, free look, picking, parts shown and hidden, nothing else. Needs
 * two canvases, one over the other: the picture, and labels over it. Draws only when something has changed.
 */
export class Player {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly assembly: AssemblyScene;
  private readonly surroundings: Surroundings;
  private readonly lines: ExplosionLines;
  private readonly camera = new THREE.PerspectiveCamera();
  private readonly view: ViewControl;
  private readonly at: Pose;
  private readonly values = new Float64Array(8);
  private readonly centre = new THREE.Vector3();
  private readonly radius: number;
  private readonly ray = new THREE.Raycaster();
  private size = { width: 1, height: 1, ratio: 0 };
  private now = 0;
  private running = false;
  /** Against the film's own. */
  speed = 1;
  private until = 0;
  private clock = 0;
  private free = false;
  private raf = 0;
  private worn: Pick<Look, "nodes" | "surroundings"> | null = null;
  private readonly hidden = new Set<number>();
  readonly triggers: Triggers;
  private moving = false;
  private hovered = -1;

  constructor(
    readonly canvas: HTMLCanvasElement,
    private readonly notes: HTMLCanvasElement,
    private readonly film: PlayerFilm,
    private readonly events: PlayerEvents,
    begun: Beginning = beginPicture(canvas, film.pkg, film.program.index, film.look),
  ) {
    const { program } = film;
    const { up } = program.index.assembly;
    this.letters = film.letters ?? "Page, sans-serif";
    this.renderer = begun.renderer;
    this.assembly = begun.assembly;
    this.surroundings = begun.surroundings;
    const { min, max } = this.assembly.worldBounds();
    this.centre.copy(min).add(max).multiplyScalar(0.5);
    this.radius = Math.max(1, min.distanceTo(max) / 2);
    this.lines = new ExplosionLines(this.assembly.scene, 2 * this.radius);
    this.at = createPose(program);
    pose(program, film.range.from, this.at);
    this.view = new ViewControl(this.cameraNow(), up);
    this.triggers = new Triggers(program, film.triggers);
    // The graphics were reset, by a driver or by waking up: all is drawn anew.
    canvas.addEventListener("webglcontextrestored", () => {
      this.surroundings.revive();
      this.invalidate();
    });
  }

  /** The first of the steps that are played, among all of the program. */
  get first(): number {
    return Math.max(0, stepAt(this.film.program.steps, this.film.range.from));
  }
  private get last(): number {
    return Math.max(this.first, stepAt(this.film.program.steps, this.film.range.to - 1));
  }
  get ticks(): number {
    return this.now;
  }
  get playing(): boolean {
    return this.running;
  }
  /** Whether the reader looks around, in place of the camera. */
  get looking(): boolean {
    return this.free;
  }
  /** The step at the playhead, counted from the first. */
  get step(): number {
    return Math.max(0, stepAt(this.film.program.steps, Math.min(this.now, this.film.range.to - 1)) - this.first);
  }

  /** Lets go of what the reader had opened, and says so. */
  private putBack(): void {
    const open = this.triggers.list.filter((t) => this.triggers.isOpen(t.id)).map((t) => t.id);
    this.triggers.reset();
    if (open.length > 0) this.events.onPutBack(open);
  }

  seek(ticks: number): void {
    this.putBack();
    this.now = Math.max(this.film.range.from, Math.min(this.film.range.to, ticks));
    this.clock = performance.now();
    this.changed();
  }

  /** Plays on to a time (ticks), the end by default; from the beginning where it stands there already. */
  play(until = this.film.range.to): void {
    const { from, to } = this.film.range;
    if (this.now >= until - 1) this.now = until === to ? from : this.now;
    this.putBack();
    this.until = until;
    this.running = true;
    this.clock = performance.now();
    this.changed();
  }

  pause(): void {
    this.running = false;
    this.changed();
  }

  /** Goes to the beginning of a step. @param plays it then, to its end */
  goTo(step: number, plays: boolean): void {
    const { start, end } = this.film.program.steps;
    const { from, to } = this.film.range;
    const i = Math.max(this.first, Math.min(this.last, this.first + step));
    this.running = false;
    this.putBack();
    this.now = Math.max(from, nth(start, i));
    if (plays) this.play(Math.min(to, nth(end, i)));
    else this.changed();
  }

  /** Goes to the end of what is done in a step: what a reader sees who wants no motion. */
  showResult(step: number): void {
    this.running = false;
    // The end of the action, a moment before what shows only in it is gone.
    this.seek(nth(this.film.program.steps.still, Math.max(this.first, Math.min(this.last, this.first + step))) - 1);
  }

  // ---- triggers -----------------------------------------------------------------------------------------------

  /** Sets a trigger going, or back; the film stands meanwhile. */
  trigger(id: string): void {
    this.running = false;
    this.triggers.toggle(id);
    this.moving = true;
    this.clock = performance.now();
    this.changed();
  }

  /** The triggers that a click on a part sets going: its own, else those of what it is nearest in. */
  triggersAt(node: number): Trigger[] {
    const { program } = this.film;
    let nearest = -1;
    const found: { own: number; trigger: Trigger }[] = [];
    for (const trigger of this.triggers.list)
      for (const own of trigger.on ? program.nodesOf(trigger.on) : []) {
        if (own > node || node >= nth(program.index.end, own)) continue;
        found.push({ own, trigger });
        nearest = Math.max(nearest, own);
      }
    return found.filter((f) => f.own === nearest).map((f) => f.trigger);
  }

  // ---- looking ------------------------------------------------------------------------------------------------

  orbit(dx: number, dy: number): void {
    this.leaveCamera();
    this.view.orbit(dx, dy);
    this.changed();
  }
  pan(dx: number, dy: number): void {
    this.leaveCamera();
    this.view.pan(dx, dy, this.size.height, this.size.width / this.size.height);
    this.changed();
  }
  zoom(factor: number): void {
    this.leaveCamera();
    this.view.zoom(factor, null);
    this.changed();
  }
  /** Gives the view back to the camera. */
  backToCamera(): void {
    this.free = false;
    this.changed();
  }

  /** From where it is seen now: the camera's channels, in their order. */
  seenFrom(): number[] {
    if (this.free) return CAMERA_CHANNELS.map((c) => this.view.view[c]);
    return [...this.at.camera];
  }

  /** Looks from there, in place of the camera. */
  lookFrom(values: readonly number[]): void {
    this.view.view = Object.fromEntries(CAMERA_CHANNELS.map((c, i) => [c, nth(values, i)])) as CameraValues;
    this.free = true;
    this.changed();
  }

  private cameraNow(): CameraValues {
    return Object.fromEntries(CAMERA_CHANNELS.map((c, i) => [c, nth(this.at.camera, i)])) as CameraValues;
  }

  private leaveCamera(): void {
    if (this.free) return;
    this.view.view = this.cameraNow();
    this.view.view.lens = Math.max(SENSOR_WIDTH_MM / 9, this.lensFor(this.view.view.lens));
    this.free = true;
  }

  /** The lens gives the horizontal angle of the picture; a wider canvas shows more at the sides instead. */
  private lensFor(lens: number): number {
    const { width, height } = this.film.program.sequence.picture;
    const aspect = this.size.width / this.size.height;
    return aspect > width / height ? (lens * width) / height / aspect : lens;
  }

  // ---- parts --------------------------------------------------------------------------------------------------

  /** Shows or hides parts, with all that is in them. */
  setShown(node: number, shown: boolean): void {
    const { end } = this.film.program.index;
    for (let i = node; i < nth(end, node); i++)
      if (shown) this.hidden.delete(i);
      else this.hidden.add(i);
    this.changed();
  }
  isShown(node: number): boolean {
    return !this.hidden.has(node);
  }
  showAll(): void {
    this.hidden.clear();
    this.changed();
  }

  /** The part under a place of the canvas, CSS pixels; -1 for none. */
  partAt(x: number, y: number): number {
    const { width, height } = this.size;
    this.ray.setFromCamera(new THREE.Vector2((2 * x) / width - 1, 1 - (2 * y) / height), this.camera);
    return pickPart(this.assembly, this.ray.ray);
  }

  /** The place on a part under a place of the canvas (CSS pixels), in the part's own frame, mm; null for none. */
  pinAt(x: number, y: number): { node: number; point: Triple } | null {
    const { width, height } = this.size;
    this.ray.setFromCamera(new THREE.Vector2((2 * x) / width - 1, 1 - (2 * y) / height), this.camera);
    const hit = pickPoint(this.assembly, this.ray.ray);
    if (!hit) return null;
    const local = hit.point.applyMatrix4(_matrix.fromArray(this.at.world, 16 * hit.node).invert());
    return { node: hit.node, point: local.toArray() };
  }

  /**
   * Where a place on a part (its own frame, mm) is on the canvas now, CSS pixels, and whether it can be seen: it may be
   * behind something, behind the camera, or on a part that is not shown.
   * @param looks whether it is looked what lies before it, which costs a ray: not at every frame
   */
  placeOf(node: number, point: Triple, looks = true): { x: number; y: number; seen: boolean } {
    _world.set(...point).applyMatrix4(_matrix.fromArray(this.at.world, 16 * node));
    _eye.setFromMatrixPosition(this.camera.matrixWorld);
    const distance = _world.distanceTo(_eye);
    _screen.copy(_world).project(this.camera);
    const x = ((_screen.x + 1) / 2) * this.size.width;
    const y = ((1 - _screen.y) / 2) * this.size.height;
    if (_screen.z > 1 || nth(this.at.visible, node) === 0) return { x, y, seen: false };
    if (!looks) return { x, y, seen: true };
    this.ray.ray.origin.copy(_eye);
    this.ray.ray.direction.copy(_world).sub(_eye).normalize();
    const hit = pickPoint(this.assembly, this.ray.ray);
    return { x, y, seen: !hit || hit.distance >= distance - 0.002 * this.radius };
  }

  /** Marks a part that is pointed at; -1 for none. */
  hover(node: number): void {
    if (node === this.hovered) return;
    this.hovered = node;
    this.assembly.setMarks({ selected: new Set(), pending: new Set(), hover: node });
    this.invalidate();
  }

  // ---- drawing ------------------------------------------------------------------------------------------------

  resize(width: number, height: number, ratio: number): void {
    const size = { width: Math.max(1, width), height: Math.max(1, height), ratio };
    // Who watches the size is told once at the beginning, too: that is no other picture.
    if (size.width === this.size.width && size.height === this.size.height && ratio === this.size.ratio) return;
    this.size = size;
    this.renderer.setPixelRatio(ratio);
    this.renderer.setSize(this.size.width, this.size.height, false);
    this.notes.width = Math.round(this.size.width * ratio);
    this.notes.height = Math.round(this.size.height * ratio);
    this.drawn.wiped();
    this.draw();
  }

  private changed(): void {
    this.invalidate();
    this.events.onChange();
  }

  private invalidate(): void {
    if (!this.raf) this.raf = requestAnimationFrame((t) => this.frame(t));
  }

  private frame(t: number): void {
    this.raf = 0;
    if (this.running) {
      this.now = Math.min(this.until, this.now + (Math.max(0, t - this.clock) / 1000) * TICKS_PER_SECOND * this.speed);
      this.clock = t;
      if (this.now >= this.until) this.running = false;
      this.events.onChange();
    }
    if (this.moving) {
      // A machine that was held up goes on from where it was: what is opened by hand is not to jump.
      this.moving = this.triggers.advance(Math.min(HELD_UP_MS, Math.max(0, t - this.clock)) / 1000);
      this.clock = t;
      if (!this.moving) this.events.onChange();
    }
    this.draw();
    if (this.running || this.moving) this.invalidate();
    else this.ready();
  }

  private warm = false;
  /** Once it stands for the first time, what is yet to fade is made ready. */
  private ready(): void {
    if (this.warm) return;
    this.warm = true;
    const done = this.assembly.addSpeck();
    this.surroundings.moved();
    this.draw();
    done();
  }

  /** Draws the moment as it stands. */
  draw(): void {
    const { program } = this.film;
    const ticks = Math.min(this.now, Math.max(0, this.film.range.to - 1));
    pose(program, ticks, this.at, this.triggers.overrides(ticks));
    for (const node of this.hidden) this.at.visible[node] = 0;
    this.wear(timedLook(program, this.at) ?? this.film.look);
    if (this.assembly.apply(this.at)) this.surroundings.moved(this.assembly.low);
    this.lines.apply(program, this.at);
    this.aim();
    const size = this.renderer.getDrawingBufferSize(_size);
    const { edges } = this.surroundings.current;
    this.assembly.prepare(this.camera);
    this.assembly.setEdges(edges.on);
    this.assembly.fitLines(size.x, size.y, edges.on ? edges.weight : 1);
    // While it plays contact shadow and reflection may lag by a frame; standing still they are exact.
    this.surroundings.hurried = this.running || this.moving || this.measured;
    this.surroundings.prepare(this.camera);
    this.renderer.render(this.assembly.scene, this.camera);
    this.drawNotes();
  }

  private measured = false;
  /** Draws a moment (ticks) at once as while it plays, and tells nobody: for who measures. */
  drawAt(ticks: number): void {
    this.measured = true;
    this.now = ticks;
    this.draw();
  }
  /** Waits until all that was drawn is there; reading does, while browsers take `finish` for a hint. */
  finish(): void {
    const gl = this.renderer.getContext();
    gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, _pixel);
  }

  /** Where the picture stands on the canvas, CSS pixels. */
  pictureFrame(): { left: number; top: number; width: number; height: number } {
    const { width, height } = this.film.program.sequence.picture;
    const w = Math.min(this.size.width, (this.size.height * width) / height);
    const h = (w * height) / width;
    return { left: (this.size.width - w) / 2, top: (this.size.height - h) / 2, width: w, height: h };
  }

  /** Whether labels stand on their canvas. */
  private noted = false;
  private readonly drawn = new NotesDrawn();
  private readonly letters: string;

  private drawNotes(): void {
    // Nothing is drawn where nothing is, or was, to be seen.
    const any = anyNoteShown(this.film.program, this.at);
    if (!any && !this.noted) return;
    const whole = { left: 0, top: 0, width: this.size.width, height: this.size.height };
    const picture = this.pictureFrame();
    if (this.noted === any && !this.drawn.changed(this.film.program, this.at, this.camera, whole, picture)) return;
    this.noted = any;
    const c = this.notes.getContext("2d");
    if (!c) return;
    c.setTransform(this.size.ratio, 0, 0, this.size.ratio, 0, 0);
    c.clearRect(0, 0, whole.width, whole.height);
    drawNotes(c, this.film.program, this.at, this.camera, whole, picture, this.letters);
  }

  private aim(): void {
    const { values, free } = this;
    if (free) for (let i = 0; i < 8; i++) values[i] = this.view.view[CAMERA_CHANNELS[i] as keyof CameraValues];
    else {
      values.set(this.at.camera);
      values[7] = this.lensFor(nth(values, 7));
    }
    const aspect = this.size.width / this.size.height;
    setCamera(this.camera, values, this.film.program.index.assembly.up, aspect, this.centre, this.radius * 1.5);
  }

  private wear(look: Pick<Look, "nodes" | "surroundings">): void {
    if (this.worn === look) return;
    this.worn = look;
    this.assembly.setLooks(look.nodes);
    this.surroundings.set({ ...look.surroundings, occlusion: 0 });
    this.surroundings.moved();
  }

  /** How all parts stand now, in the assembly's frame; to be read at once. */
  get posed(): Pose {
    return this.at;
  }

  dispose(): void {
    cancelAnimationFrame(this.raf);
    this.running = false;
    this.lines.dispose();
    this.assembly.dispose();
    this.surroundings.dispose();
    this.renderer.dispose();
  }
}

/** The longest that what is set going goes on in one frame. */
const HELD_UP_MS = 100;

const _pixel = new Uint8Array(4);
const _size = new THREE.Vector2();
const _matrix = new THREE.Matrix4();
const _world = new THREE.Vector3();
const _eye = new THREE.Vector3();
const _screen = new THREE.Vector3();
