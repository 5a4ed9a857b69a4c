import { Following } from "../../player/following";
import type { Speaker } from "../../player/speaker";
import { speedNow } from "../playback/playback";
import type { Desk } from "../port";
import { loudnessNow, softened } from "./loudness";

/**
 * Plays what is heard at the desk, in step with the picture. Silent backward, while every frame is waited for, where a
 * seam is played slowly, and while something is recorded.
 */
export class Sounding {
  private readonly following: Following;
  private readonly stop: () => void;

  constructor(
    private readonly desk: Desk,
    open: () => Speaker | null,
  ) {
    this.following = new Following(() => softened(open(), () => loudnessNow(desk)));
    this.stop = desk.store.subscribe((s, before) => {
      if (s.ticks !== before.ticks || s.playing !== before.playing || s.play !== before.play) this.follow();
    });
  }

  private follow(): void {
    const { desk } = this;
    const { playing, backward, play, ticks, recording, heard } = desk.state;
    const speed = speedNow(desk);
    if (!playing || backward || play.every || recording || !desk.sequence.sounds || speed !== play.speed) {
      this.following.quiet();
      return;
    }
    this.following.follow({
      ...{ ticks, speed, sequence: desk.sequence, steps: desk.program.steps, files: heard },
      bufferOf: (asset) => {
        const file = heard[asset];
        return file?.state === "ready" ? file.buffer : undefined;
      },
    });
  }

  dispose(): void {
    this.stop();
    this.following.quiet();
  }
}
