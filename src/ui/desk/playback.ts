import { keysOf } from "../../core/document/sequence";
import { stepAt } from "../../core/program/pose";
import { spanOf } from "../../core/program/spans";
import { TICKS_PER_SECOND, ticksPerFrame } from "../../core/time/time";
import type { Desk } from "./desk";

/** The playhead of a desk: where it is, how it moves, and playing in real time. */
export class Playback {
  private start = { clock: 0, ticks: 0 };
  private raf = 0;

  constructor(private readonly desk: Desk) {}

  /** Puts the playhead at a time (ticks), within the sequence and up to ten minutes past its end. */
  seek(ticks: number): void {
    const { desk } = this;
    const limit = desk.program.steps.length + 600 * TICKS_PER_SECOND;
    desk.set({ ticks: Math.max(0, Math.min(limit, Math.round(ticks))) });
    if (desk.state.playing) this.start = { clock: performance.now(), ticks: desk.state.ticks };
    this.followStep();
    desk.show();
  }

  /** While a step's details are open they are those of the step at the playhead. */
  private followStep(): void {
    const { desk } = this;
    const { focus } = desk.state;
    const here = this.stepAt();
    if (focus.kind === "step" && here && here.id !== focus.id && desk.sequence.steps[focus.id]?.on) desk.set({ focus: { kind: "step", id: here.id } });
  }

  /** Steps by frames, landing on frame starts. */
  stepFrames(by: number): void {
    const per = ticksPerFrame(this.desk.sequence.rate);
    const at = this.desk.state.ticks / per;
    const frame = by > 0 ? Math.floor(at + 1e-6) + by : Math.ceil(at - 1e-6) + by;
    this.pause();
    this.seek(Math.max(0, frame) * per);
  }

  /** Goes to the next or previous arrival or step edge. */
  jump(direction: 1 | -1): void {
    const { program, sequence, state } = this.desk;
    const { start, action, end, ids } = program.steps;
    const times = new Set<number>([0, program.steps.length]);
    ids.forEach((id, i) => {
      times.add(start[i] as number).add(end[i] as number);
      for (const move of Object.values(sequence.steps[id]?.moves ?? {})) {
        for (const key of keysOf(move)) times.add((action[i] as number) + key.at);
        if (move.kind === "hand") continue;
        const span = spanOf(move, sequence);
        times.add((action[i] as number) + span.t0).add((action[i] as number) + span.t1);
      }
    });
    const sorted = [...times].sort((a, b) => a - b);
    const now = state.ticks;
    const next = direction > 0 ? sorted.find((t) => t > now + 1) : sorted.reverse().find((t) => t < now - 1);
    this.pause();
    if (next !== undefined) this.seek(next);
  }

  /** Plays on to a time and stops there. */
  playTo(ticks: number): void {
    this.play();
    this.until = ticks;
  }
  private until: number | null = null;

  play(): void {
    const { desk } = this;
    if (desk.state.playing) return;
    this.until = null;
    if (desk.state.ticks >= desk.program.steps.length - 1) desk.set({ ticks: 0 });
    this.start = { clock: performance.now(), ticks: desk.state.ticks };
    desk.set({ playing: true });
    const tick = () => {
      if (!desk.state.playing) return;
      const { length } = desk.program.steps;
      let at = this.start.ticks + ((performance.now() - this.start.clock) / 1000) * TICKS_PER_SECOND;
      if (this.until !== null && at >= this.until) {
        desk.set({ ticks: this.until, playing: false });
        desk.show();
        return;
      }
      if (at >= length) {
        if (desk.state.loop && length > 0) {
          at %= length;
          this.start = { clock: performance.now(), ticks: at };
        } else {
          desk.set({ ticks: length, playing: false });
          this.followStep();
          desk.show();
          return;
        }
      }
      // Shown at frame starts, as the video will be.
      const per = ticksPerFrame(desk.sequence.rate);
      desk.set({ ticks: Math.floor(at / per) * per });
      desk.show();
      this.raf = requestAnimationFrame(tick);
    };
    this.raf = requestAnimationFrame(tick);
  }

  pause(): void {
    cancelAnimationFrame(this.raf);
    if (!this.desk.state.playing) return;
    this.desk.set({ playing: false });
    this.followStep();
    this.desk.show();
  }

  /** The step at a time (the playhead's by default): position, id, and its times. */
  stepAt(ticks = this.desk.state.ticks): { position: number; id: string; start: number; action: number; end: number } | null {
    const i = stepAt(this.desk.program, ticks);
    const { ids, start, action, end } = this.desk.program.steps;
    if (i < 0) return null;
    return { position: i, id: ids[i] as string, start: start[i] as number, action: action[i] as number, end: end[i] as number };
  }
}
