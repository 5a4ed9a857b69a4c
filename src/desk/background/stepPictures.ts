import { nth } from "../../core/math/packed";
import { createPose, type Pose, sample } from "../../core/program/pose";
import type { PicturesAnswer, PicturesRequest } from "../../workers/pictures";
import type { Desk } from "../desk";
import { whenQuiet } from "./quiet";

/** How long nothing must have changed before pictures are drawn, ms. */
const QUIET_MS = 1500;
/** Twice what a card shows, for dense screens. */
const WIDTH = 144;

/**
 * Keeps a picture of every step as its action ends. Only steps that look different from before are drawn again, in a
 * worker, once the desk has been quiet for a moment.
 */
export class StepPictures {
  private worker: Worker | null = null;
  private readonly drawn = new Map<string, string>();
  private readonly asked = new Map<string, string>();
  private readonly ended: () => void;
  private broken = false;

  constructor(private readonly desk: Desk) {
    this.ended = whenQuiet(desk, QUIET_MS, () => this.look());
  }

  private look(): void {
    const { desk } = this;
    if (this.broken || !desk.state.aids.pictures) return;
    const { program } = desk;
    const at = createPose(program);
    const prepared = identity(desk.state.preparation.body);
    const wanted: { id: string; ticks: number }[] = [];
    const here = desk.state.sequenceId;
    program.steps.ids.forEach((step, i) => {
      const id = pictureKey(here, step);
      // The end of the action tells most of a step; a moment earlier what shows only during it is still there.
      const ticks = Math.max(program.steps.action[i] ?? 0, (program.steps.still[i] ?? 0) - 1);
      sample(program, ticks, at);
      const sign = `${prepared} ${identity(desk.sequence.steps[step] ?? desk)} ${signature(at)}`;
      if (this.drawn.get(id) === sign) return;
      this.asked.set(id, sign);
      wanted.push({ id, ticks });
    });
    if (wanted.length === 0) return;
    const worker = this.workerNow();
    if (!worker) return;
    const { width, height } = desk.sequence.picture;
    worker.postMessage({
      type: "draw",
      preparation: desk.state.preparation.body,
      sequence: desk.sequence,
      width: WIDTH,
      height: Math.max(36, Math.min(2 * WIDTH, Math.round((WIDTH * height) / width))),
      wanted,
    } satisfies PicturesRequest);
  }

  private workerNow(): Worker | null {
    if (!this.worker) {
      if (typeof Worker === "undefined" || typeof OffscreenCanvas === "undefined") return null;
      this.worker = new Worker(new URL("../../workers/pictures.ts", import.meta.url), { type: "module" });
      this.worker.postMessage({ type: "open", bytes: this.desk.packageBytes, assembly: this.desk.pkg.assembly } satisfies PicturesRequest);
    }
    this.worker.onmessage = ({ data }: MessageEvent<PicturesAnswer>) => {
      // A machine that cannot draw off screen shows cards without pictures.
      if (data.type === "failed") this.broken = true;
      else this.show(data.id, data.blob);
    };
    return this.worker;
  }

  private show(id: string, blob: Blob): void {
    this.drawn.set(id, this.asked.get(id) ?? "");
    const { stepPictures } = this.desk.state;
    const old = stepPictures[id];
    this.desk.set({ stepPictures: { ...stepPictures, [id]: URL.createObjectURL(blob) } });
    if (old) URL.revokeObjectURL(old);
  }

  dispose(): void {
    this.ended();
    this.worker?.terminate();
    for (const url of Object.values(this.desk.state.stepPictures)) URL.revokeObjectURL(url);
    this.desk.set({ stepPictures: {} });
  }
}

const seen = new WeakMap<object, number>();
let count = 0;
function identity(of: object): number {
  let n = seen.get(of);
  if (n === undefined) {
    n = ++count;
    seen.set(of, n);
  }
  return n;
}

/** Name of a step's picture; steps of two sequences may have the same id. */
export const pictureKey = (sequence: string, step: string) => `${sequence}/${step}`;

/** Equal for sampled poses that look the same: two rolling hashes over all channels, to a ten-thousandth. */
export function signature(at: Pose): string {
  let a = 17;
  let b = 31;
  const mix = (values: ArrayLike<number>) => {
    for (let i = 0; i < values.length; i++) {
      const v = Math.round(nth(values, i) * 1e4) | 0;
      a = (Math.imul(a, 16777619) ^ v) | 0;
      b = (Math.imul(b ^ v, 2246822519) + i) | 0;
    }
  };
  mix(at.values);
  mix(at.orientations);
  return `${a.toString(36)}.${b.toString(36)}`;
}
