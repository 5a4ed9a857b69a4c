"use client";
import { Button, Segmented } from "antd";
import { Pause, Play, X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { formatSeconds } from "../../core/time/time";
import { FollowStage } from "../../desk/showing/followStage";
import { useDesk, useDeskState, useSequence } from "./context";

/** The picture alone, as it will be published: with captions, without anything of the desk. */
export function WatchView() {
  const desk = useDesk();
  const sequence = useSequence();
  const watching = useDeskState((s) => s.watching);
  const playing = useDeskState((s) => s.playing);
  const canvas = useRef<HTMLCanvasElement>(null);
  const notes = useRef<HTMLCanvasElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState({ width: 1, height: 1 });
  const [failed, setFailed] = useState(false);
  const around = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (!canvas.current || !box.current || !around.current) return;
    const observer = new ResizeObserver(
      ([e]) => e && setRoom({ width: e.contentRect.width, height: e.contentRect.height }),
    );
    observer.observe(around.current);
    // One pixel of the picture is one of the screen only when neither is scaled.
    const ratio = desk.state.watching === "pixels" ? window.devicePixelRatio : Math.min(2, window.devicePixelRatio);
    let follow: FollowStage | null = null;
    try {
      follow = new FollowStage(desk, canvas.current, box.current, () => desk.program, true, notes.current, ratio);
    } catch {
      desk.pause();
      setFailed(true);
    }
    around.current.focus();
    return () => {
      observer.disconnect();
      follow?.dispose();
    };
  }, [desk]);
  const { width, height } = sequence.picture;
  const fit = Math.min(room.width / width, room.height / height);
  const scale =
    watching === "pixels"
      ? 1 / (typeof window === "undefined" ? 1 : window.devicePixelRatio)
      : watching === "half"
        ? Math.min(fit, 0.5)
        : fit;
  const close = () => {
    desk.pause();
    desk.set({ watching: null });
  };
  return (
    <div
      className="watch"
      role="dialog"
      aria-label="Watching as published"
      onKeyDown={(e) => {
        const keys: Record<string, () => void> = {
          Escape: close,
          " ": () => desk.togglePlay(e.shiftKey),
          ArrowRight: () => desk.stepFrames(1),
          ArrowLeft: () => desk.stepFrames(-1),
          Home: () => desk.seek(0),
          End: () => desk.seek(desk.program.steps.length),
        };
        const run = keys[e.key];
        // Space and arrows belong to a button or a choice while it has the focus; Escape always leads back.
        if (!run || (e.key !== "Escape" && (e.target as HTMLElement).closest(".watch-bar button, .watch-bar label")))
          return;
        e.preventDefault();
        e.stopPropagation();
        run();
      }}
    >
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: keys play and step while the picture has the focus */}
      <div ref={around} className={`watch-room ${watching === "pixels" ? "pixels" : ""}`} tabIndex={0}>
        <div ref={box} className="watch-picture" style={{ width: width * scale, height: height * scale }}>
          <canvas ref={canvas} data-testid="watch-canvas" aria-label="The picture" />
          <canvas ref={notes} className="stage-notes" />
          <Caption />
          {failed && (
            <p className="problem pad">
              There is no room for a second picture on this graphics card. Close other pages that draw in 3D, or play it
              on the desk.
            </p>
          )}
        </div>
      </div>
      <div className="watch-bar">
        <Button
          size="small"
          type="primary"
          aria-label={playing ? "Pause" : "Play"}
          icon={playing ? <Pause size={15} /> : <Play size={15} />}
          onClick={() => desk.togglePlay()}
        />
        <Clock />
        <div className="grow" />
        <Segmented
          size="small"
          aria-label="Size of the picture"
          value={watching ?? "fit"}
          onChange={(v) => desk.set({ watching: v as "fit" | "half" | "pixels" })}
          options={[
            { value: "fit", label: "As large as fits" },
            { value: "half", label: "Half" },
            { value: "pixels", label: "Pixel for pixel" },
          ]}
        />
        <Button size="small" icon={<X size={14} />} onClick={close}>
          Back to the desk (Escape)
        </Button>
      </div>
    </div>
  );
}

function Caption() {
  const desk = useDesk();
  const sequence = useSequence();
  const ticks = useDeskState((s) => s.ticks);
  const step = desk.stepAtPlayhead(ticks);
  const caption = step ? sequence.steps[step.id]?.caption : "";
  return caption ? <div className="caption">{caption}</div> : null;
}

function Clock() {
  const desk = useDesk();
  const ticks = useDeskState((s) => s.ticks);
  const dropped = useDeskState((s) => (s.playing ? s.dropped : 0));
  return (
    <span className="number soft">
      {formatSeconds(ticks)} of {formatSeconds(desk.program.steps.length)} s
      {dropped > 0 ? ` · ${dropped} frames left out to keep time` : ""}
    </span>
  );
}
