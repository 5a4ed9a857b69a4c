"use client";
import { useEffect, useRef, useState } from "react";
import { snapToFrame } from "../../core/time/time";
import { nudgeSound } from "../../desk/acts/soundActs";
import { duplicateTimed, nudge, selectAll, selectInverse, selectTimed } from "../../desk/acts/timingActions";
import { NAMES } from "../../desk/timeline/paint";
import { TimelinePointer } from "../../desk/timeline/pointer";
import { TimelineSurface } from "../../desk/timeline/surface";
import { CurveView } from "../curves/CurveView";
import { useDesk, useDeskState } from "../desk/context";
import { useSoundDrop } from "../sound/useSoundDrop";
import { LaneNames } from "./LaneNames";
import { Marks } from "./Marks";
import { Transport } from "./Transport";

/** Playback, the band of steps, and a lane for each thing that moves. */
export function Timeline() {
  const desk = useDesk();
  const below = useDeskState((s) => s.below);
  const [surface, setSurface] = useState<TimelineSurface | null>(null);
  return (
    <section className="panel timeline" aria-label="Timeline">
      <Transport surface={surface} />
      {below === "curves" && <CurveView />}
      {below === "lanes" && <Lanes desk={desk} onSurface={setSurface} surface={surface} />}
    </section>
  );
}

function Lanes({
  desk,
  surface,
  onSurface,
}: {
  desk: ReturnType<typeof useDesk>;
  surface: TimelineSurface | null;
  onSurface: (s: TimelineSurface | null) => void;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const scroller = useRef<HTMLDivElement>(null);
  const spacer = useRef<HTMLDivElement>(null);
  const playhead = useRef<HTMLDivElement>(null);
  const over = useRef<HTMLDivElement>(null);
  const empty = useDeskState(
    (s) =>
      Object.values(s.sequences.find((q) => q.id === s.sequenceId)?.body.steps ?? {}).every(
        (x) => Object.keys(x.moves).length === 0,
      ) && !s.draft,
  );

  useEffect(() => {
    if (!canvas.current || !scroller.current || !spacer.current || !playhead.current || !over.current) return;
    const parts = {
      canvas: canvas.current,
      scroller: scroller.current,
      spacer: spacer.current,
      playhead: playhead.current,
      over: over.current,
    };
    const made = new TimelineSurface(desk, parts);
    const pointer = new TimelinePointer(made);
    const stop = wheels(made, scroller.current);
    const observer = new ResizeObserver(() =>
      made.resize(parts.scroller.clientWidth, parts.scroller.clientHeight, Math.min(2, window.devicePixelRatio)),
    );
    observer.observe(parts.scroller);
    const onScroll = () => made.scrolled();
    parts.scroller.addEventListener("scroll", onScroll);
    document.fonts?.ready.then(() => made.invalidate());
    onSurface(made);
    desk.timeline = made;
    return () => {
      onSurface(null);
      desk.timeline = null;
      parts.scroller.removeEventListener("scroll", onScroll);
      observer.disconnect();
      stop();
      pointer.dispose();
      made.dispose();
    };
  }, [desk, onSurface]);

  const drop = useSoundDrop((e) => {
    if (!surface) return null;
    const x = e.clientX - surface.parts.scroller.getBoundingClientRect().left;
    const ticks = snapToFrame(surface.timeAt(Math.max(0, x)), desk.sequence.rate);
    const step = desk.stepAtPlayhead(Math.min(ticks, Math.max(0, desk.program.steps.length - 1)));
    return step ? { role: "voice", step: step.id, at: ticks - step.start } : null;
  });
  return (
    <div className="timeline-body" {...drop}>
      {surface ? <LaneNames surface={surface} /> : <div className="lane-names" style={{ width: NAMES }} />}
      <div className="timeline-plane">
        <div className="timeline-scroll" ref={scroller}>
          <div ref={spacer} className="timeline-spacer">
            <canvas
              ref={canvas}
              className="lanes"
              tabIndex={0}
              aria-label="Steps and lanes"
              onKeyDown={(e) => {
                const ctrl = e.ctrlKey || e.metaKey;
                const heard = desk.state.focus.kind === "sound";
                const shift = heard ? nudgeSound : nudge;
                const keys: Record<string, () => void> = {
                  "Ctrl+a": () => selectAll(desk),
                  "Ctrl+i": () => selectInverse(desk),
                  "Ctrl+d": () => duplicateTimed(desk),
                  ArrowRight: () => shift(desk, e.shiftKey ? 10 : 1),
                  ArrowLeft: () => shift(desk, e.shiftKey ? -10 : -1),
                  Escape: () => selectTimed(desk, [], []),
                };
                const run = keys[`${ctrl ? "Ctrl+" : ""}${e.key}`];
                const chosen = heard || desk.state.pins.length + desk.state.marked.length > 0;
                if (!run || e.altKey || (e.key.startsWith("Arrow") && (ctrl || !chosen))) return;
                e.preventDefault();
                e.stopPropagation();
                run();
              }}
            />
          </div>
        </div>
        <div className="timeline-over" ref={over}>
          <div ref={playhead} className="playhead" data-testid="playhead">
            <div className="playhead-flag">
              <span className="playhead-time number" />
            </div>
          </div>
          {surface && <Marks surface={surface} />}
        </div>
        {empty && (
          <p className="soft timeline-empty">
            Nothing moves yet. Put the playhead at a time, move a part on the stage and keep the pose: its lane appears
            here.
          </p>
        )}
      </div>
    </div>
  );
}

/** Ctrl and the wheel (or a pinch) zoom about the pointer; Shift and the wheel go along; else it scrolls. */
function wheels(surface: TimelineSurface, scroller: HTMLElement): () => void {
  const onWheel = (e: WheelEvent) => {
    if (!e.ctrlKey && !e.metaKey) return;
    e.preventDefault();
    surface.zoomTo(surface.zoom * Math.exp(-e.deltaY * 0.0025), e.clientX - scroller.getBoundingClientRect().left);
  };
  scroller.addEventListener("wheel", onWheel, { passive: false });
  return () => scroller.removeEventListener("wheel", onWheel);
}
