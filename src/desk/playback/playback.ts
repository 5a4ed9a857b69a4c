import { keysOf } from "../../core/document/sequence";
import { nth } from "../../core/math/packed";
import { stepAt } from "../../core/program/layout";
import { spanOf } from "../../core/program/spans";
import { TICKS_PER_SECOND, ticksPerFrame } from "../../core/time/time";
import type { Desk } from "../port";
import { follow } from "../selection/selection";

/** Ticks from the seam of a loop within which it can be played slowly. */
const SEAM = TICKS_PER_SECOND / 4;

/** How fast it is played at a time, the playhead's by default: slower at the seam of a loop, where that is asked for. */
export function speedNow(desk: Desk, ticks = desk.state.ticks): number {
  const { play } = desk.state;
  const { from, to } = desk.playback.bounds();
  const near = play.seam && play.atEnd === "loop" && (ticks - from < SEAM || to - ticks < SEAM);
  return play.speed * (near ? 0.2 : 1);
}

/** The playhead of a desk: where it is, how it moves, and playing in real time. */
export class Playback {
  private raf = 0;

  constructor(private readonly desk: Desk) {}

  /** Puts the playhead at a time (ticks), within the sequence and up to ten minutes past its end. */
  seek(ticks: number): void {
    const { desk } = this;
    const limit = desk.program.steps.length + 600 * TICKS_PER_SECOND;
    desk.set({ ticks: Math.max(0, Math.min(limit, Math.round(ticks))) });
    if (desk.state.playing) {
      this.at = desk.state.ticks;
      this.clock = performance.now();
      this.shown = -1;
    }
    this.followStep();
    desk.show();
  }

  /** While a step's details are open they are those of the step at the playhead. */
  private followStep(): void {
    const { desk } = this;
    const { selected } = desk.state;
    const here = this.stepAt();
    const { focus } = desk.state;
    if (focus.kind === "step" && here && desk.sequence.steps[focus.id]?.on) desk.choose(follow(selected, here.id));
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
      times.add(nth(start, i)).add(nth(end, i));
      for (const move of Object.values(sequence.steps[id]?.moves ?? {})) {
        for (const key of keysOf(move)) times.add(nth(action, i) + key.at);
        if (move.kind === "hand") continue;
        const span = spanOf(move, sequence);
        times.add(nth(action, i) + span.t0).add(nth(action, i) + span.t1);
      }
    });
    for (const marker of Object.values(sequence.markers)) {
      const at = program.steps.position.get(marker.step);
      if (at !== undefined) times.add(nth(start, at) + marker.at);
    }
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
  /** Where playing is, between frames too, and which way it goes now. */
  private at = 0;
  private way: 1 | -1 = 1;
  private clock = 0;
  private shown = -1;

  /** What is played: the range that is set, as far as the sequence goes. */
  bounds(): { from: number; to: number } {
    const { length } = this.desk.program.steps;
    const { range } = this.desk.state;
    if (!range || range.from >= length) return { from: 0, to: length };
    return { from: range.from, to: Math.min(range.to, length) };
  }

  /** Plays from the playhead, forward or backward; from the other end where it has come to one. */
  play(backward = false): void {
    const { desk } = this;
    if (desk.state.playing) {
      if (desk.state.backward === backward) return;
      this.pause();
    }
    const { from, to } = this.bounds();
    this.until = null;
    this.way = backward ? -1 : 1;
    let at = desk.state.ticks;
    if (at < from || at > to) at = backward ? to : from;
    if (!backward && at >= to - 1) at = from;
    if (backward && at <= from) at = to;
    this.at = at;
    this.clock = performance.now();
    this.shown = -1;
    desk.set({ ticks: at, playing: true, backward, dropped: 0 });
    const tick = () => {
      if (!desk.state.playing) return;
      const now = performance.now();
      if (this.advance(now)) this.raf = requestAnimationFrame(tick);
    };
    this.raf = requestAnimationFrame(tick);
  }

  /** Goes on to a moment of the clock (ms). @returns false when playing is over */
  private advance(now: number): boolean {
    const { desk } = this;
    const { play } = desk.state;
    const { from, to } = this.bounds();
    const per = ticksPerFrame(desk.sequence.rate);
    const speed = speedNow(desk, this.at);
    const passed = ((now - this.clock) / 1000) * TICKS_PER_SECOND * speed;
    if (play.every) {
      // The next frame and no other, once its time has come.
      if (this.shown >= 0 && passed < per) return true;
      this.clock = this.shown < 0 || passed > 2 * per ? now : this.clock + (per / TICKS_PER_SECOND / speed) * 1000;
      if (this.shown >= 0) this.at = (Math.floor(this.at / per + 1e-6) + this.way) * per;
    } else {
      this.at += this.way * passed;
      this.clock = now;
    }
    const stop = this.until ?? to;
    if (this.way > 0 ? this.at >= Math.min(stop, to) : this.at <= from) {
      const over = this.way > 0 ? this.at - to : from - this.at;
      const length = Math.max(1, to - from);
      if (this.until !== null || play.atEnd === "stop") {
        desk.set({ ticks: this.way > 0 ? Math.min(stop, to) : from, playing: false });
        this.followStep();
        desk.show();
        return false;
      }
      // A loop's last frame is the one before its end: the end is its beginning again.
      if (play.atEnd === "loop") this.at = this.way > 0 ? from + (over % length) : to - Math.max(1, over % length);
      else {
        this.at = this.way > 0 ? to - (over % length) : from + (over % length);
        this.way = this.way > 0 ? -1 : 1;
        desk.set({ backward: this.way < 0 });
      }
      this.shown = -1;
    }
    // Shown at frame starts, as the video will be.
    const frame = Math.floor(this.at / per + 1e-6);
    const skipped = this.shown < 0 ? 0 : Math.max(0, Math.abs(frame - this.shown) - 1);
    if (frame !== this.shown) {
      desk.set(
        skipped > 0 && !play.every
          ? { ticks: frame * per, dropped: desk.state.dropped + skipped }
          : { ticks: frame * per },
      );
      desk.show();
    }
    this.shown = frame;
    return true;
  }

  toggle(backward: boolean): void {
    const { playing, backward: now } = this.desk.state;
    if (playing && now === backward) this.pause();
    else this.play(backward);
  }

  pause(): void {
    cancelAnimationFrame(this.raf);
    if (!this.desk.state.playing) return;
    this.desk.set({ playing: false });
    this.followStep();
    this.desk.show();
  }

  /** The step at a time (the playhead's by default): position, id, and its times. */
  stepAt(
    ticks = this.desk.state.ticks,
  ): { position: number; id: string; start: number; action: number; end: number } | null {
    const i = stepAt(this.desk.program.steps, ticks);
    const { ids, start, action, end } = this.desk.program.steps;
    if (i < 0) return null;
    return { position: i, id: ids[i] as string, start: nth(start, i), action: nth(action, i), end: nth(end, i) };
  }
}
