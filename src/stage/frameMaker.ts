import * as THREE from "three";
import type { AssemblyPackage } from "../core/assembly/package";
import { placeCaption, placeTitle } from "../core/captions/layout";
import type { Look } from "../core/document/looks";
import { stepAt } from "../core/program/layout";
import { pose } from "../core/program/pose";
import type { Program } from "../core/program/program";
import { createPose, type Pose } from "../core/program/sampling";
import { timedLook } from "../core/program/timedLook";
import { Refusal } from "../core/text/refusal";
import { AssemblyScene } from "./assemblyScene";
import { ExplosionLines } from "./explosionLines";
import { MotionBlur } from "./motionBlur";
import { drawNotes, type PictureRect } from "./notesLayer";
import { Painter } from "./painter";
import { createRenderer, setCamera } from "./picture";
import { Surroundings } from "./surroundings";
import { TILE, type Tiles, tilesOf } from "./tiles";
import { drawWords, measuring } from "./words";

/** How captions are set; see CAPTION_STYLE. */
export interface CaptionOptions {
  style: "panel" | "outline";
  /** Against the usual size. */
  size: number;
  place: "bottom" | "top";
}

export interface FrameOptions {
  /** Null for none. */
  captions: CaptionOptions | null;
  /** Number and title of a step for so many ticks from its beginning; null for none. */
  titles: { ticks: number; size: number; captions: "bottom" | "top" } | null;
  /** Where the picture stands on the canvas, pixels; the rest is black. */
  picture: PictureRect;
  /** So many times as large it is drawn in each direction, and made smaller. */
  fineness: number;
  /** Only the parts, with nothing behind them. */
  clear: boolean;
  /** Moments of a frame that are laid over one another, over a stretch of ticks from its beginning. */
  blur: { samples: number; ticks: number } | null;
  /** For small pictures: without shadows, occlusion and ground, which would hardly be seen. */
  plain: boolean;
}

/**
 * Draws published frames onto a canvas: the same scene, light and camera as the stage, without marks or handles, with
 * captions if asked. Needs no DOM. The canvas given is two-dimensional; the 3D picture is drawn beside and copied, so
 * that captions can be laid over it.
 */
export class FrameMaker {
  private readonly options: FrameOptions;
  private readonly blur: MotionBlur | null;
  private readonly renderer: THREE.WebGLRenderer;
  private readonly glCanvas: OffscreenCanvas;
  private readonly tiles: Tiles;
  private readonly context: OffscreenCanvasRenderingContext2D;
  private readonly assembly: AssemblyScene;
  private readonly surroundings: Surroundings;
  private readonly painter: Painter;
  private readonly camera = new THREE.PerspectiveCamera();
  private pose: Pose;
  private readonly lines: ExplosionLines;
  private readonly centre = new THREE.Vector3();
  private readonly radius: number;

  constructor(
    private readonly canvas: OffscreenCanvas,
    pkg: AssemblyPackage,
    private program: Program,
    private look: Pick<Look, "nodes" | "surroundings">,
    options: Partial<FrameOptions> = {},
  ) {
    const whole = { left: 0, top: 0, width: canvas.width, height: canvas.height };
    this.options = {
      captions: null,
      titles: null,
      picture: whole,
      fineness: 1,
      clear: false,
      blur: null,
      plain: false,
      ...options,
    };
    const { picture, fineness, clear, blur, plain } = this.options;
    this.tiles = tilesOf(picture, fineness, blur !== null && blur.samples > 1 ? Number.POSITIVE_INFINITY : TILE);
    this.glCanvas = new OffscreenCanvas(this.tiles.width, this.tiles.height);
    const context = canvas.getContext("2d", { alpha: clear });
    if (!context) throw new Error("This browser cannot draw off screen. Use a current Chromium, Firefox or Safari.");
    this.context = context;
    context.imageSmoothingQuality = "high";
    try {
      this.renderer = createRenderer(this.glCanvas, true, clear);
    } catch {
      throw new Refusal("no-graphics");
    }
    if (clear) this.renderer.setClearColor(0x000000, 0);
    if (plain) this.renderer.shadowMap.enabled = false;
    this.renderer.setPixelRatio(1);
    this.renderer.setSize(this.glCanvas.width, this.glCanvas.height, false);
    this.blur =
      blur && blur.samples > 1 ? new MotionBlur(this.renderer, this.glCanvas.width, this.glCanvas.height) : null;
    this.assembly = new AssemblyScene(pkg, program.index);
    this.surroundings = new Surroundings(this.assembly, this.renderer, program.index.assembly.up);
    const { min, max } = this.assembly.worldBounds();
    this.surroundings.fit(min, max);
    this.centre.copy(min).add(max).multiplyScalar(0.5);
    this.radius = Math.max(1, min.distanceTo(max) / 2);
    this.painter = new Painter(this.renderer, this.assembly, this.surroundings, this.radius);
    this.lines = new ExplosionLines(this.assembly.scene, 2 * this.radius);
    this.wear(look);
    this.pose = createPose(program);
  }

  /** Goes on with another program of the same assembly, and another look. */
  setProgram(program: Program, look: Pick<Look, "nodes" | "surroundings">): void {
    this.program = program;
    this.look = look;
    this.pose = createPose(program);
    this.drawn = null;
  }

  private drawn: { values: Float64Array; orientations: Float64Array; words: string } | null = null;
  /**
   * Whether the picture that was drawn last is that of the pose too: all of it follows from channels, orientations
   * and the words in it.
   */
  private same(words: string): boolean {
    const { drawn } = this;
    const { values, orientations } = this.pose;
    if (drawn && drawn.words === words && equal(drawn.values, values) && equal(drawn.orientations, orientations))
      return true;
    if (drawn?.values.length === values.length && drawn.orientations.length === orientations.length) {
      drawn.values.set(values);
      drawn.orientations.set(orientations);
      drawn.words = words;
    } else this.drawn = { values: values.slice(), orientations: orientations.slice(), words };
    return false;
  }

  /**
   * Draws the moment at a time (ticks). A still costs one picture, however many frames it lasts.
   * @returns whether it was drawn; false where the picture is that of the moment before
   * @throws Refusal when the graphics were reset: what was drawn since is empty, and nobody would be told
   */
  draw(ticks: number): boolean {
    const [caption, title] = [this.captionAt(ticks), this.titleAt(ticks)];
    pose(this.program, ticks, this.pose);
    // What is blurred is another picture when something moves within the frame, though it begins as the last did.
    const moving = this.blur !== null && !this.isStill(ticks);
    if (this.same(caption + SEPARATOR + title) && !moving && !this.blurred) return false;
    const { blur } = this.options;
    if (blur && this.blur && moving) {
      this.blurred = true;
      this.blur.begin(blur.samples);
      for (let i = 0; i < blur.samples; i++) {
        pose(this.program, ticks + (blur.ticks * i) / blur.samples, this.pose);
        this.paint();
        this.blur.add();
      }
      this.blur.finish();
      // Words are not blurred; they stand where the frame begins.
      pose(this.program, ticks, this.pose);
      this.aim();
    } else this.blurred = false;
    const { width, height } = this.canvas;
    const { picture, clear } = this.options;
    if (clear) this.context.clearRect(0, 0, width, height);
    else if (picture.width < width || picture.height < height) {
      this.context.fillStyle = "#000";
      this.context.fillRect(0, 0, width, height);
    }
    if (this.blurred) this.copy(picture.left, picture.top, picture.width, picture.height);
    else this.paintTiles();
    drawNotes(this.context, this.program, this.pose, this.camera, picture, picture, "Captions, sans-serif");
    if (caption) this.caption(caption, picture);
    if (title) this.title(title, picture);
    if (this.renderer.getContext().isContextLost()) throw new Refusal("graphics-reset");
    return true;
  }

  /** Draws the next moment in any case: what was drawn is no longer there. */
  forget(): void {
    this.drawn = null;
  }

  /** Whether the picture at a later time (ticks) is the one that was drawn last. */
  rests(ticks: number): boolean {
    if (this.blurred) return false;
    this.between ??= createPose(this.program);
    pose(this.program, ticks, this.between);
    const { values, orientations } = this.between;
    return (
      equal(values, this.pose.values) &&
      equal(orientations, this.pose.orientations) &&
      this.captionAt(ticks) + SEPARATOR + this.titleAt(ticks) === this.drawn?.words
    );
  }

  private blurred = false;
  private between: Pose | null = null;
  /** Whether nothing moves while the shutter is open. */
  private isStill(ticks: number): boolean {
    const { blur } = this.options;
    if (!blur) return true;
    this.between ??= createPose(this.program);
    for (const share of [0.5, (blur.samples - 1) / blur.samples]) {
      pose(this.program, ticks + blur.ticks * share, this.between);
      const { values, orientations } = this.between;
      if (!equal(values, this.pose.values) || !equal(orientations, this.pose.orientations)) return false;
    }
    return true;
  }

  private copy(left: number, top: number, width: number, height: number): void {
    this.context.drawImage(this.glCanvas, left, top, width, height);
  }

  /** Draws the pose onto the canvas: at once, or in tiles where it is larger than can be drawn in one. */
  private paintTiles(): void {
    const { picture, fineness } = this.options;
    const { list, width, height } = this.tiles;
    if (list.length === 1) {
      this.paint();
      this.copy(picture.left, picture.top, picture.width, picture.height);
      return;
    }
    for (const { x, y, inner } of list) {
      this.camera.setViewOffset(picture.width * fineness, picture.height * fineness, x, y, width, height);
      this.paint();
      this.context.drawImage(
        this.glCanvas,
        ...([inner.x - x, inner.y - y, inner.width, inner.height] as const),
        ...([picture.left + inner.x / fineness, picture.top + inner.y / fineness] as const),
        ...([inner.width / fineness, inner.height / fineness] as const),
      );
    }
    this.camera.clearViewOffset();
    this.aim();
  }

  private aim(): void {
    const { picture } = this.options;
    setCamera(
      this.camera,
      this.pose.camera,
      this.program.index.assembly.up,
      picture.width / picture.height,
      this.centre,
      this.radius * 1.5,
    );
  }

  /** Draws the pose onto the canvas of 3D. */
  private paint(): void {
    this.wear(timedLook(this.program, this.pose) ?? this.look);
    // A camera that moves round what stands still needs no other shadows.
    if (this.assembly.apply(this.pose)) this.surroundings.moved(this.assembly.low);
    this.lines.apply(this.program, this.pose);
    this.aim();
    this.painter.draw(this.camera, false);
  }

  private worn: Pick<Look, "nodes" | "surroundings"> | null = null;
  private wear(look: Pick<Look, "nodes" | "surroundings">): void {
    if (this.worn === look) return;
    this.worn = look;
    this.assembly.setLooks(look.nodes);
    this.surroundings.moved();
    const { plain, clear } = this.options;
    const bare = { ...look.surroundings, occlusion: 0, contact: 0, ground: "none" as const };
    this.surroundings.set(plain || clear ? bare : look.surroundings);
    if (clear) this.assembly.scene.background = null;
  }

  private captionAt(ticks: number): string {
    if (!this.options.captions) return "";
    return (
      this.program.sequence.steps[this.program.steps.ids[stepAt(this.program.steps, ticks)] ?? ""]?.caption.trim() ?? ""
    );
  }

  private titleAt(ticks: number): string {
    const { titles } = this.options;
    if (!titles) return "";
    const { steps, sequence } = this.program;
    const i = stepAt(steps, ticks);
    const title = sequence.steps[steps.ids[i] ?? ""]?.title.trim() ?? "";
    return title && ticks < (steps.start[i] as number) + titles.ticks ? `${i + 1}   ${title}` : "";
  }

  private title(text: string, picture: PictureRect): void {
    const { titles } = this.options;
    if (!titles) return;
    const measure = measuring(this.context);
    const place = placeTitle(measure, text, picture.width, picture.height, titles.size, titles.captions);
    drawWords(this.context, place, picture, "panel", "left");
  }

  private caption(text: string, picture: PictureRect): void {
    const { style, size, place: where } = this.options.captions ?? { style: "panel", size: 1, place: "bottom" };
    const place = placeCaption(measuring(this.context), text, picture.width, picture.height, size, where);
    drawWords(this.context, place, picture, style, "center");
  }

  dispose(): void {
    this.blur?.dispose();
    this.painter.dispose();
    this.lines.dispose();
    this.assembly.dispose();
    this.surroundings.dispose();
    this.renderer.dispose();
  }
}

/** Between a caption and a title, in neither of which it can be. */
const SEPARATOR = "\u0000";

function equal(a: Float64Array, b: Float64Array): boolean {
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return false;
  return true;
}
