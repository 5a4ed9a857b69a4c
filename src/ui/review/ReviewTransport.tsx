"use client";
import { Button, Select, Slider } from "antd";
import { MessageSquarePlus, Pause, Play, StepBack, StepForward, Volume2, VolumeX } from "lucide-react";
import type { Thread } from "../../core/review/reading";
import { formatSecondsShort, ticksPerFrame } from "../../core/time/time";
import type { Shown, StageHolder } from "./useReview";

const SPEEDS = [0.25, 0.5, 1, 1.5, 2];

/** Plays and steps through a round; comments are marked on its time. */
export function ReviewTransport({
  holder,
  shown,
  threads,
  onComment,
}: {
  holder: StageHolder;
  shown: Shown;
  threads: readonly Thread[];
  /** Begins a comment; null for who may only look. */
  onComment: (() => void) | null;
}) {
  const { stage } = holder;
  const length = stage?.film.program.steps.length ?? 1;
  const player = stage?.player;
  const frame = stage ? ticksPerFrame(stage.film.sequence.rate) : 1;
  const marks = Object.fromEntries(
    threads
      .filter((t) => !t.comment.settled)
      .map((t) => [(stage?.startOf(t.comment.step) ?? 0) + t.comment.from, { label: "" }]),
  );
  return (
    <section className="review-transport" aria-label="Playback">
      <Button
        aria-label="Step before"
        icon={<StepBack size={16} />}
        disabled={!player}
        onClick={() => player?.goTo(player.step - 1, false)}
      />
      <Button
        type="primary"
        aria-label={shown.playing ? "Pause" : "Play"}
        icon={shown.playing ? <Pause size={16} /> : <Play size={16} />}
        disabled={!player}
        onClick={() => (player?.playing ? player.pause() : player?.play())}
      />
      <Button
        aria-label="Next step"
        icon={<StepForward size={16} />}
        disabled={!player}
        onClick={() => player?.goTo(player.step + 1, false)}
      />
      <Slider
        className="review-time"
        min={0}
        max={length}
        // The arrow keys go from frame to frame.
        step={frame}
        marks={marks}
        value={shown.ticks}
        tooltip={{ formatter: null }}
        ariaLabelForHandle="Time"
        ariaValueTextFormatterForHandle={(v) => `${formatSecondsShort(v)} s`}
        onChange={(v) => {
          player?.pause();
          player?.seek(v);
        }}
      />
      <span className="number review-clock">
        {formatSecondsShort(shown.ticks)} / {formatSecondsShort(length)} s
      </span>
      <Select
        aria-label="Speed"
        className="review-speed"
        defaultValue={1}
        options={SPEEDS.map((s) => ({ value: s, label: `${s}×` }))}
        onChange={(s) => {
          if (player) player.speed = s;
        }}
      />
      {stage?.hasSound && (
        <Button
          aria-label="Sound"
          aria-pressed={!stage.muted}
          icon={stage.muted ? <VolumeX size={16} /> : <Volume2 size={16} />}
          onClick={() => {
            stage.muted = !stage.muted;
            holder.tell();
          }}
        />
      )}
      {onComment && (
        <Button icon={<MessageSquarePlus size={16} />} disabled={!player} onClick={onComment}>
          Comment
        </Button>
      )}
    </section>
  );
}
