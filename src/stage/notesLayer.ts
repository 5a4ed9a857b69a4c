import * as THREE from "three";
import { noteSize, placeNote } from "../core/captions/layout";
import { noteAnchor, notesOf, noteText } from "../core/program/overlay";
import type { Program } from "../core/program/program";
import type { Pose } from "../core/program/sampling";

/** Where the picture lies on what is drawn on, pixels. */
export interface PictureRect {
  left: number;
  top: number;
  width: number;
  height: number;
}

const _at = new THREE.Vector3();

/**
 * Draws labels and live dimensions over a picture: the same on the desk's stage and in published frames. Sizes belong
 * to the picture's height.
 */
export function drawNotes(
  c: CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D,
  program: Program,
  pose: Pose,
  camera: THREE.Camera,
  whole: PictureRect,
  picture: PictureRect,
  family: string,
): void {
  const notes = notesOf(program);
  if (!anyNoteShown(program, pose)) return;
  const size = noteSize(picture.height);
  c.save();
  c.font = `500 ${size}px ${family}`;
  c.textBaseline = "middle";
  c.textAlign = "left";
  for (let i = 0; i < notes.length; i++) {
    const note = notes[i] as (typeof notes)[number];
    const shown = pose.values[note.shown] ?? 0;
    if (shown <= FAINTEST || !pose.visible[note.node]) continue;
    _at.set(...noteAnchor(note, pose)).project(camera);
    if (_at.z > 1) continue;
    const x = whole.left + ((_at.x + 1) / 2) * whole.width;
    const y = whole.top + ((1 - _at.y) / 2) * whole.height;
    const text = noteText(note, pose);
    const pad = size * 0.55;
    const { left: bx, top: by, width, height } = placeNote(c.measureText(text).width, x, y, note, picture);
    c.globalAlpha = shown;
    c.lineWidth = Math.max(1, picture.height / 480);
    c.strokeStyle = "#1E2A38";
    c.beginPath();
    c.moveTo(x, y);
    c.lineTo(x < bx ? bx : x > bx + width ? bx + width : bx + width / 2, by + height / 2);
    c.stroke();
    c.fillStyle = "#1E2A38";
    c.beginPath();
    c.arc(x, y, size * 0.17, 0, 2 * Math.PI);
    c.fill();
    c.fillStyle = "rgba(255, 253, 248, 0.95)";
    c.beginPath();
    c.roundRect(bx, by, width, height, size * 0.2);
    c.fill();
    c.stroke();
    c.fillStyle = "#1E2A38";
    c.fillText(text, bx + pad, by + height / 2 + size * 0.04);
  }
  c.restore();
}

/** How much of a label is shown before it counts. */
const FAINTEST = 0.001;

/** Whether any label or dimension is to be seen in a pose. */
export function anyNoteShown(program: Program, pose: Pose): boolean {
  const notes = notesOf(program);
  for (let i = 0; i < notes.length; i++)
    if ((pose.values[(notes[i] as (typeof notes)[number]).shown] ?? 0) > FAINTEST) return true;
  return false;
}

/** How often letters have come in: what was drawn without them is drawn again. */
let lettersCame = 0;
if (typeof document !== "undefined") document.fonts?.addEventListener("loadingdone", () => lettersCame++);

/** What stands on a canvas of labels, so that what is the same is not drawn again: it is most of the time. */
export class NotesDrawn {
  private numbers = new Float64Array(16);
  private readonly texts: string[] = [];
  private at = 0;
  private same = true;

  /** Nothing stands on it any more. */
  wiped(): void {
    this.numbers.fill(Number.NaN);
  }

  /** Whether labels would be drawn otherwise than when this was asked last. */
  changed(program: Program, pose: Pose, camera: THREE.Camera, whole: PictureRect, picture: PictureRect): boolean {
    const notes = notesOf(program);
    const room = 10 + 4 * notes.length;
    if (this.numbers.length < room) this.numbers = new Float64Array(2 * room).fill(Number.NaN);
    this.at = 0;
    this.same = true;
    this.rect(whole);
    this.rect(picture);
    for (let i = 0; i < notes.length; i++) {
      const note = notes[i] as (typeof notes)[number];
      const shown = pose.visible[note.node] ? (pose.values[note.shown] ?? 0) : 0;
      this.put(shown > FAINTEST ? shown : 0);
      if (shown <= FAINTEST) continue;
      _at.set(...noteAnchor(note, pose)).project(camera);
      this.put(_at.x);
      this.put(_at.y);
      this.put(_at.z > 1 ? 1 : 0);
      const text = noteText(note, pose);
      if (text !== this.texts[i]) this.same = false;
      this.texts[i] = text;
    }
    this.put(lettersCame);
    return !this.same;
  }

  private rect(r: PictureRect): void {
    this.put(r.left);
    this.put(r.top);
    this.put(r.width);
    this.put(r.height);
  }
  private put(v: number): void {
    // Less than a hundredth of a pixel is not seen.
    if (!(Math.abs((this.numbers[this.at] as number) - v) < 1e-6)) this.same = false;
    this.numbers[this.at++] = v;
  }
}

/** Font of texts over the stage. */
export const STAGE_FONT = "'IBM Plex Sans', sans-serif";

/** The canvas over the stage that labels and dimensions are drawn on. */
export class NotesLayer {
  canvas: HTMLCanvasElement | null = null;
  /** Whether something is on it, which must be wiped off. */
  private used = false;
  private readonly drawn = new NotesDrawn();
  private last: HTMLCanvasElement | null = null;

  /** Whether there is anything to draw, or to wipe off. */
  needed(program: Program): boolean {
    return this.used || notesOf(program).length > 0;
  }

  /**
   * Draws them for a stage of a size (CSS px); `frame` is the picture's place on it, null where the whole stage is
   * the picture.
   */
  draw(
    program: Program,
    pose: Pose,
    camera: THREE.Camera,
    ratio: number,
    stageWidth: number,
    stageHeight: number,
    frame: PictureRect | null,
  ): void {
    const { canvas } = this;
    const c = canvas?.getContext("2d");
    const any = notesOf(program).length > 0;
    if (!canvas || !c) return;
    const width = Math.round(stageWidth * ratio);
    const height = Math.round(stageHeight * ratio);
    const whole = { left: 0, top: 0, width, height };
    const picture = frame
      ? { left: frame.left * ratio, top: frame.top * ratio, width: frame.width * ratio, height: frame.height * ratio }
      : whole;
    const sized = canvas.width !== width || canvas.height !== height;
    if (sized || canvas !== this.last) this.drawn.wiped();
    this.last = canvas;
    if (any && !this.drawn.changed(program, pose, camera, whole, picture)) return;
    if (sized) {
      canvas.width = width;
      canvas.height = height;
    } else c.clearRect(0, 0, width, height);
    this.used = any;
    if (!any) {
      this.drawn.wiped();
      return;
    }
    drawNotes(c, program, pose, camera, whole, picture, STAGE_FONT);
  }
}
