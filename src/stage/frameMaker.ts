import * as THREE from "three";
import type { AssemblyPackage } from "../core/assembly/package";
import { CAPTION_STYLE, placeCaption } from "../core/captions/layout";
import type { Look } from "../core/document/looks";
import { stepAt } from "../core/program/layout";
import { createPose, type Pose, pose } from "../core/program/pose";
import type { Program } from "../core/program/program";
import { AssemblyScene } from "./assemblyScene";
import { ExplosionLines } from "./explosionLines";
import { drawNotes } from "./notesLayer";
import { Painter } from "./painter";
import { createRenderer, setCamera } from "./picture";
import { Surroundings } from "./surroundings";
import { timedLook } from "./timedLook";

/**
 * Draws published frames onto a canvas: the same scene, light and camera as the stage, without marks or handles, with
 * captions if asked. Needs no DOM. The canvas given is two-dimensional; the 3D picture is drawn beside and copied, so
 * that captions can be laid over it.
 */
export class FrameMaker {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly glCanvas: OffscreenCanvas;
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
    private readonly captions: boolean,
    private look: Pick<Look, "nodes" | "surroundings">,
    /**
     * For small pictures: without shadows, occlusion and ground, which take most of the time and would hardly be
     * seen.
     */
    private readonly plain = false,
  ) {
    this.glCanvas = new OffscreenCanvas(canvas.width, canvas.height);
    const context = canvas.getContext("2d", { alpha: false });
    if (!context) throw new Error("This browser cannot draw off screen. Use a current Chromium, Firefox or Safari.");
    this.context = context;
    this.renderer = createRenderer(this.glCanvas);
    if (plain) this.renderer.shadowMap.enabled = false;
    this.renderer.setPixelRatio(1);
    this.renderer.setSize(canvas.width, canvas.height, false);
    this.assembly = new AssemblyScene(pkg, program.index);
    this.surroundings = new Surroundings(
      this.assembly.scene,
      this.renderer,
      program.index.assembly.up,
      this.assembly.lines,
    );
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

  private drawn: { values: Float64Array; orientations: Float64Array; caption: string } | null = null;
  /**
   * Whether the picture that was drawn last is that of the pose too: all of it follows from channels, orientations
   * and the caption.
   */
  private same(caption: string): boolean {
    const { drawn } = this;
    const { values, orientations } = this.pose;
    if (drawn && drawn.caption === caption && equal(drawn.values, values) && equal(drawn.orientations, orientations))
      return true;
    if (drawn?.values.length === values.length && drawn.orientations.length === orientations.length) {
      drawn.values.set(values);
      drawn.orientations.set(orientations);
      drawn.caption = caption;
    } else this.drawn = { values: values.slice(), orientations: orientations.slice(), caption };
    return false;
  }

  /**
   * Draws the moment at a time (ticks). A still costs one picture, however many frames it lasts.
   * @returns whether it was drawn; false where the picture is that of the moment before
   */
  draw(ticks: number): boolean {
    const { width, height } = this.canvas;
    pose(this.program, ticks, this.pose);
    const caption = this.captions ? this.captionAt(ticks) : "";
    if (this.same(caption)) return false;
    this.wear(timedLook(this.program, this.pose) ?? this.look);
    // A camera that moves round what stands still needs no other shadows.
    if (this.assembly.apply(this.pose)) this.surroundings.moved();
    this.lines.apply(this.program, this.pose);
    setCamera(
      this.camera,
      this.pose.camera,
      this.program.index.assembly.up,
      width / height,
      this.centre,
      this.radius * 1.5,
    );
    this.painter.draw(this.camera, false);
    this.context.drawImage(this.glCanvas, 0, 0);
    const whole = { left: 0, top: 0, width, height };
    drawNotes(this.context, this.program, this.pose, this.camera, whole, whole, "Captions, sans-serif");
    if (caption) this.caption(caption, width, height);
    return true;
  }

  private worn: Pick<Look, "nodes" | "surroundings"> | null = null;
  private wear(look: Pick<Look, "nodes" | "surroundings">): void {
    if (this.worn === look) return;
    this.worn = look;
    this.assembly.setLooks(look.nodes);
    this.surroundings.moved();
    this.surroundings.set(
      this.plain ? { ...look.surroundings, occlusion: 0, contact: 0, ground: "none" } : look.surroundings,
    );
  }

  private captionAt(ticks: number): string {
    return (
      this.program.sequence.steps[this.program.steps.ids[stepAt(this.program.steps, ticks)] ?? ""]?.caption.trim() ?? ""
    );
  }

  private caption(text: string, width: number, height: number): void {
    const c = this.context;
    c.textBaseline = "middle";
    c.textAlign = "center";
    const place = placeCaption(
      (size) => {
        c.font = `500 ${size}px Captions, sans-serif`;
        return (t) => c.measureText(t).width;
      },
      text,
      width,
      height,
    );
    c.fillStyle = `rgba(${rgbOf(CAPTION_STYLE.ground)}, ${CAPTION_STYLE.cover})`;
    c.beginPath();
    c.roundRect(place.left, place.top, place.width, place.height, place.size * 0.28);
    c.fill();
    c.fillStyle = CAPTION_STYLE.text;
    for (const [i, line] of place.lines.entries())
      c.fillText(line, width / 2, place.top + place.size * 0.35 + place.lineHeight * (i + 0.5));
  }

  dispose(): void {
    this.painter.dispose();
    this.lines.dispose();
    this.assembly.dispose();
    this.surroundings.dispose();
    this.renderer.dispose();
  }
}

function equal(a: Float64Array, b: Float64Array): boolean {
  if (a.length !== b.length) return false;
  for (let i = 0; i < a.length; i++) if (a[i] !== b[i]) return false;
  return true;
}

const rgbOf = (hex: string): string => [1, 3, 5].map((i) => Number.parseInt(hex.slice(i, i + 2), 16)).join(", ");
