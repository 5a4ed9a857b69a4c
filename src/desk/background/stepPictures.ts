import { nth } from "../../core/math/packed";
import { createPose, type Pose, sample } from "../../core/program/sampling";
import { isStop } from "../../core/text/problem";
import type { Desk } from "../port";
import { identity, watcherFor } from "./filmWatch";
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
  private drawing: AbortController | null = null;
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
    // Takes the place of what was still waiting.
    this.drawing?.abort();
    this.drawing = new AbortController();
    const { width, height } = desk.sequence.picture;
    const preparation = desk.state.preparation.body;
    const { sequence } = desk;
    const { client, films } = watcherFor(desk);
    client
      .ask(
        "pictures",
        {
          film: films.send({ name: `${identity(preparation)} ${identity(sequence)}`, preparation, sequence }),
          width: WIDTH,
          height: Math.max(36, Math.min(2 * WIDTH, Math.round((WIDTH * height) / width))),
          wanted,
        },
        { signal: this.drawing.signal, tell: ({ id, blob }) => this.show(id, blob) },
      )
      .catch((error: unknown) => {
        // A machine that cannot draw off screen shows cards without pictures.
        if (!isStop(error)) this.broken = true;
      });
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
    this.drawing?.abort();
    for (const url of Object.values(this.desk.state.stepPictures)) URL.revokeObjectURL(url);
    this.desk.set({ stepPictures: {} });
  }
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
