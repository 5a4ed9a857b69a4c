import type { Target } from "../../core/document/sequence";
import type { Program } from "../../core/program/program";
import { createPose, type Pose, sample } from "../../core/program/sampling";
import { pendingHere } from "../acts/pending";
import type { Desk } from "../port";
import type { DeskState } from "../state";

/**
 * Reads values at the playhead, pending poses included. Not off the stage, which is drawn a little later: a pose of its
 * own, sampled once for all the fields of the details.
 */
export class Probe {
  private of: Program | null = null;
  private pose: Pose | null = null;
  private ticks = -1;
  private pending: DeskState["pending"] | null = null;
  private version = -1;
  private structure = -1;

  constructor(private readonly desk: Desk) {}

  valueOf(target: Target, channel: string): number {
    const { desk } = this;
    const value = pendingHere(desk, target)?.pose.values[channel];
    if (value !== undefined) return value;
    const home = desk.program.atHome(target, channel);
    if (home !== null) return home;
    const c = desk.program.channelOf(target, channel);
    return c < 0 ? 0 : (this.sampled().values[c] ?? 0);
  }

  private sampled(): Pose {
    const { program, state } = this.desk;
    const { ticks, pending, programVersion } = state;
    const stale = this.of !== program || this.pose === null;
    const pose = stale ? createPose(program) : (this.pose as Pose);
    if (
      stale ||
      this.ticks !== ticks ||
      this.pending !== pending ||
      this.version !== programVersion ||
      this.structure !== program.structure
    ) {
      sample(program, ticks, pose, this.desk.overrides());
      Object.assign(this, { of: program, pose, ticks, pending, version: programVersion, structure: program.structure });
    }
    return pose;
  }
}
