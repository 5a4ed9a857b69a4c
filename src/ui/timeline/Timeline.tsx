"use client";
import { Button, Tooltip } from "antd";
import { ChevronsLeft, ChevronsRight, Pause, Play, Repeat, StepBack, StepForward, Unlink, ZoomIn, ZoomOut } from "lucide-react";
import { type PointerEvent as ReactPointerEvent, useEffect, useMemo, useRef, useState } from "react";
import { hand } from "../../core/document/sequence";
import { updateKey, updateStep } from "../../core/edit/sequenceCommands";
import { formatSeconds, formatSecondsShort, frameAt, frameCount, parseTime, snapToFrame, TICKS_PER_SECOND, ticksPerFrame } from "../../core/time/time";
import { Field } from "../common/Field";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { LaneRow } from "./LaneRow";
import { LANE, type Lane, lanesOf, type Pin } from "./lanes";

const BAND = 30;
const RULER = 18;
const NAMES = 156;

/** Playback, the band of steps, and a lane for each thing that moves. */
export function Timeline() {
  const desk = useDesk();
  const sequence = useSequence();
  const version = useDeskState((s) => s.programVersion);
  const [zoom, setZoom] = useState(1);
  const [width, setWidth] = useState(800);
  const scroller = useRef<HTMLDivElement>(null);
  const lanes = useMemo(() => lanesOf(desk.program, sequence), [desk, sequence, version]);

  useEffect(() => {
    if (!scroller.current) return;
    const observer = new ResizeObserver(([e]) => e && setWidth(e.contentRect.width));
    observer.observe(scroller.current);
    return () => observer.disconnect();
  }, []);

  const length = Math.max(desk.program.steps.length, TICKS_PER_SECOND);
  const inner = Math.max(100, (width - NAMES - 28) * zoom);
  const perTick = inner / length;
  const x = (ticks: number) => ticks * perTick;

  // Ctrl+wheel zooms about the pointer; a plain wheel scrolls. Bound by hand: React's wheel listeners cannot stop the page's zoom.
  useEffect(() => {
    const el = scroller.current;
    if (!el) return;
    const onWheel = (e: WheelEvent) => {
      if (!e.ctrlKey && !e.metaKey) return;
      e.preventDefault();
      const at = e.clientX - el.getBoundingClientRect().left - NAMES + el.scrollLeft;
      setZoom((z) => {
        const next = Math.max(1, Math.min(60, z * Math.exp(-e.deltaY * 0.002)));
        requestAnimationFrame(() => {
          el.scrollLeft += at * (next / z - 1);
        });
        return next;
      });
    };
    el.addEventListener("wheel", onWheel, { passive: false });
    return () => el.removeEventListener("wheel", onWheel);
  }, []);

  const scrub = (e: ReactPointerEvent<Element>) => {
    if (e.button !== 0) return;
    const el = scroller.current as HTMLDivElement;
    const to = (clientX: number) => {
      const ticks = (clientX - el.getBoundingClientRect().left - NAMES + el.scrollLeft) / perTick;
      desk.seek(snapToFrame(Math.max(0, Math.min(length, ticks)), sequence.rate));
    };
    desk.pause();
    to(e.clientX);
    const move = (m: PointerEvent) => to(m.clientX);
    const end = () => {
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", end);
    };
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", end);
  };
  const total = BAND + RULER + lanes.length * LANE + 6;
  return (
    <section className="panel timeline" aria-label="Timeline">
      <Transport zoom={zoom} setZoom={setZoom} />
      <div className="timeline-scroll" ref={scroller}>
        <div className="timeline-inner" style={{ width: NAMES + inner + 28, height: total }}>
          <div className="lane-names" style={{ width: NAMES }}>
            <div style={{ height: BAND + RULER }} />
            {lanes.map((lane) => (
              <LaneName key={lane.id} lane={lane} />
            ))}
          </div>
          <svg className="lanes" style={{ left: NAMES }} width={inner + 28} height={total} role="application" aria-label="Steps and lanes">
            <rect x="0" y="0" width={inner} height={total} fill="transparent" onPointerDown={scrub} />
            <StepsBand x={x} height={total} />
            <Ruler length={length} x={x} width={inner} />
            {lanes.map((lane, i) => (
              <LaneRow key={lane.id} lane={lane} y={BAND + RULER + i * LANE} x={x} width={inner} />
            ))}
            <PendingMarks x={x} height={total} />
            <Playhead x={x} height={total} onPointerDown={scrub} inner={inner} />
            {lanes.map((lane, i) => (
              <g key={lane.id} transform={`translate(0 ${BAND + RULER + i * LANE})`}>
                {lane.pins.map((pin) => (
                  <PinMark key={pin.key} pin={pin} x={x} perTick={perTick} name={desk.targetName(lane.target)} />
                ))}
              </g>
            ))}
          </svg>
          {lanes.length === 0 && (
            <p className="soft timeline-empty">Nothing moves yet. Put the playhead at a time, move a part on the stage and keep the pose: its lane appears here.</p>
          )}
        </div>
      </div>
    </section>
  );
}

function Transport({ zoom, setZoom }: { zoom: number; setZoom: (z: number) => void }) {
  const desk = useDesk();
  const sequence = useSequence();
  const playing = useDeskState((s) => s.playing);
  const loop = useDeskState((s) => s.loop);
  const ticks = useDeskState((s) => s.ticks);
  useDeskState((s) => s.programVersion);
  const step = desk.stepAtPlayhead(ticks);
  const length = desk.program.steps.length;
  const icon = (label: string, keys: string, Icon: typeof Play, run: () => void) => (
    <Tooltip title={`${label} (${keys})`}>
      <Button size="small" type="text" aria-label={label} icon={<Icon size={15} />} onClick={run} />
    </Tooltip>
  );
  return (
    <div className="transport">
      {icon("To the start", "Home", ChevronsLeft, () => desk.seek(0))}
      {icon("One frame back", "Left", StepBack, () => desk.stepFrames(-1))}
      <Tooltip title={`${playing ? "Pause" : "Play"} (Space)`}>
        <Button size="small" type="primary" aria-label={playing ? "Pause" : "Play"} icon={playing ? <Pause size={15} /> : <Play size={15} />} onClick={() => desk.togglePlay()} />
      </Tooltip>
      {icon("One frame on", "Right", StepForward, () => desk.stepFrames(1))}
      {icon("To the end", "End", ChevronsRight, () => desk.seek(length))}
      <Tooltip title="Play round and round">
        <Button
          size="small"
          type={loop ? "primary" : "text"}
          ghost={loop}
          aria-pressed={loop}
          aria-label="Loop"
          icon={<Repeat size={15} />}
          onClick={() => desk.set({ loop: !loop })}
        />
      </Tooltip>
      <span className="transport-time">
        <Field
          ariaLabel="Sequence time"
          label="sequence"
          width={158}
          value={formatSeconds(ticks)}
          suffix="s"
          parse={(text) => {
            const p = parseTime(text, sequence.rate);
            if ("error" in p) return p;
            if (p.ticks < 0) return { error: "A time before the start does not exist." };
            desk.pause();
            desk.seek(p.ticks);
            return null;
          }}
        />
      </span>
      {step && (
        <Field
          ariaLabel="Time in step"
          label={`in step ${sequence.stepOrder.indexOf(step.id) + 1}`}
          width={158}
          value={formatSeconds(ticks - step.start)}
          suffix="s"
          parse={(text) => {
            const p = parseTime(text, sequence.rate);
            if ("error" in p) return p;
            if (p.ticks < 0) return { error: "A time before the step does not exist." };
            desk.pause();
            desk.seek(step.start + p.ticks);
            return null;
          }}
        />
      )}
      <span className="number soft" data-testid="frame">
        frame {frameAt(ticks, sequence.rate)} of {frameCount(length, sequence.rate)} · {formatSecondsShort(length)} s
      </span>
      <div className="grow" />
      <Tooltip title="Show less time (Ctrl+wheel)">
        <Button size="small" type="text" aria-label="Zoom in" icon={<ZoomIn size={15} />} onClick={() => setZoom(Math.min(60, zoom * 1.5))} />
      </Tooltip>
      <Tooltip title="Show more time (Ctrl+wheel)">
        <Button size="small" type="text" aria-label="Zoom out" disabled={zoom <= 1} icon={<ZoomOut size={15} />} onClick={() => setZoom(Math.max(1, zoom / 1.5))} />
      </Tooltip>
    </div>
  );
}

function LaneName({ lane }: { lane: Lane }) {
  const desk = useDesk();
  const selected = useDeskState((s) =>
    lane.target.type === "group"
      ? s.group === lane.target.id
      : lane.target.type === "node" && s.group === null && s.selection.includes(desk.index.indexOf.get(lane.target.key) ?? -1),
  );
  const go = () => {
    if (lane.target.type === "camera" || lane.target.type === "picture") desk.set({ focus: { kind: "camera" }, selection: [], group: null });
    if (lane.target.type === "group") desk.selectGroup(lane.target.id);
    if (lane.target.type === "node") {
      const node = desk.index.indexOf.get(lane.target.key);
      if (node !== undefined) desk.select([node]);
    }
  };
  const { target } = lane;
  const gone = (target.type === "node" && !desk.index.indexOf.has(target.key)) || (target.type === "group" && desk.nodesOf(target).length === 0);
  return (
    <button
      type="button"
      className={`lane-name ${selected ? "selected" : ""} ${gone ? "gone" : ""}`}
      style={{ height: LANE }}
      onClick={go}
      title={gone ? `${desk.targetName(lane.target)} is not in this revision of the assembly. Its arrivals are kept.` : desk.targetName(lane.target)}
    >
      {gone && <Unlink size={12} aria-label="Not in this revision" />} {desk.targetName(lane.target)}
    </button>
  );
}

function StepsBand({ x, height }: { x: (t: number) => number; height: number }) {
  const desk = useDesk();
  const sequence = useSequence();
  const focus = useDeskState((s) => s.focus);
  const { ids, start, action, still, end } = desk.program.steps;
  const still_ = (from: number, to: number, key: string) => {
    const w = x(to) - x(from);
    return w > 0.5 ? (
      <g key={key} className="still">
        <rect x={x(from)} y={1} width={w} height={BAND - 3} />
        {w > 30 && (
          <text x={x(from) + w / 2} y={BAND / 2 + 1} className="number">
            {formatSecondsShort(to - from)}
          </text>
        )}
      </g>
    ) : null;
  };
  return (
    <g className="band">
      {ids.map((id, i) => {
        const s = start[i] as number,
          a = action[i] as number,
          b = still[i] as number,
          e = end[i] as number;
        const w = x(e) - x(s);
        const focused = focus.kind === "step" && focus.id === id;
        return (
          <g
            key={id}
            onPointerDown={() => {
              desk.set({ focus: { kind: "step", id }, selection: [] });
              desk.show();
            }}
            className={focused ? "focused" : ""}
          >
            <rect x={x(s) + 0.5} y={0.5} width={Math.max(1, w - 1)} height={BAND - 2} className="band-step" rx="3" />
            {still_(s, a, "b")}
            {still_(b, e, "a")}
            <foreignObject x={x(a) + 3} y={2} width={Math.max(0, x(b) - x(a) - 6)} height={BAND - 4}>
              <div className="band-title">
                {i + 1} {sequence.steps[id]?.title}
              </div>
            </foreignObject>
            <line x1={x(e)} x2={x(e)} y1={0} y2={height} className="band-edge" />
            <EdgeGrip id={id} at={x(e)} perTick={x(1)} />
          </g>
        );
      })}
    </g>
  );
}

/** Dragging the end of a step changes the still after it. */
function EdgeGrip({ id, at, perTick }: { id: string; at: number; perTick: number }) {
  const desk = useDesk();
  const down = (e: ReactPointerEvent<SVGRectElement>) => {
    e.stopPropagation();
    const step = desk.sequence.steps[id];
    if (!step) return;
    const from = e.clientX;
    const before = step.stillAfter;
    const move = (m: PointerEvent) => {
      const next = Math.max(0, snapToFrame(before + (m.clientX - from) / perTick, desk.sequence.rate));
      desk.edit(`Still after of "${step.title}"`, updateStep(id, { stillAfter: next }), `still-${id}`);
    };
    const end = () => {
      desk.seal();
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", end);
    };
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", end);
  };
  return (
    <rect x={at - 5} y={0} width={8} height={BAND} className="edge-grip" onPointerDown={down}>
      <title>Drag to lengthen the still after</title>
    </rect>
  );
}

function Ruler({ length, x, width }: { length: number; x: (t: number) => number; width: number }) {
  const seconds = length / TICKS_PER_SECOND;
  const steps = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300];
  const every = steps.find((s) => (s / seconds) * width >= 62) ?? 600;
  const marks = Array.from({ length: Math.floor(seconds / every + 1e-9) + 1 }, (_, i) => i * every);
  return (
    <g className="ruler" transform={`translate(0 ${BAND})`}>
      <line x1="0" x2={width} y1={RULER - 0.5} y2={RULER - 0.5} />
      {marks.map((s) => (
        <g key={s} transform={`translate(${x(s * TICKS_PER_SECOND)} 0)`}>
          <line y1={RULER - 5} y2={RULER} />
          <text x="3" y={RULER - 6} className="number">
            {Number(s.toFixed(2))}
          </text>
        </g>
      ))}
    </g>
  );
}

function PinMark({ pin, x, perTick, name }: { pin: Pin; x: (t: number) => number; perTick: number; name: string }) {
  const desk = useDesk();
  const selected = useDeskState((s) => s.focus.kind === "key" && s.focus.ref.key === pin.key);
  const select = () => {
    const move = hand(desk.sequence.steps[pin.step]?.moves[pin.move]);
    const node = move?.target.type === "node" ? desk.index.indexOf.get(move.target.key) : undefined;
    desk.select(node === undefined ? [] : [node], false);
    desk.set({ focus: { kind: "key", ref: { step: pin.step, move: pin.move, key: pin.key } } });
  };
  const nudge = (frames: number) => {
    const key = hand(desk.sequence.steps[pin.step]?.moves[pin.move])?.keys[pin.key];
    if (!key) return;
    const per = ticksPerFrame(desk.sequence.rate);
    desk.edit(`Move arrival of ${name}`, updateKey(pin.step, pin.move, pin.key, { at: Math.max(0, Math.round(key.at + frames * per)) }), `nudge-${pin.key}`);
  };
  const down = (e: ReactPointerEvent<SVGGElement>) => {
    if (e.button !== 0) return;
    e.stopPropagation();
    select();
    const key = hand(desk.sequence.steps[pin.step]?.moves[pin.move])?.keys[pin.key];
    if (!key) return;
    const from = e.clientX;
    const shift = pin.at - key.at;
    const move = (m: PointerEvent) => {
      if (Math.abs(m.clientX - from) < 3) return;
      const at = Math.max(0, snapToFrame(pin.at + (m.clientX - from) / perTick, desk.sequence.rate) - shift);
      desk.edit(`Move arrival of ${name}`, updateKey(pin.step, pin.move, pin.key, { at }), `pin-${pin.key}`);
    };
    const end = () => {
      desk.seal();
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", end);
    };
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", end);
  };
  return (
    // biome-ignore lint/a11y/useSemanticElements: an SVG group cannot be a button element
    <g
      className={`pin ${selected ? "selected" : ""} ${pin.shortened ? "shortened" : ""}`}
      transform={`translate(${x(pin.at)} 0)`}
      onPointerDown={down}
      tabIndex={0}
      role="button"
      aria-label={`Arrival of ${name} at ${formatSecondsShort(pin.at)} s`}
      onKeyDown={(e) => {
        if (e.key === "Enter") select();
        if (e.key === "ArrowRight" && !e.ctrlKey) nudge(e.shiftKey ? 10 : 1);
        if (e.key === "ArrowLeft" && !e.ctrlKey) nudge(e.shiftKey ? -10 : -1);
      }}
      onFocus={select}
    >
      <rect x="-6" y="0" width="12" height={LANE} fill="transparent" />
      <line y1="9" y2={LANE - 1} />
      <circle cy="7" r="3.6" />
      <title>{`Arrives at ${formatSecondsShort(pin.at)} s${pin.shortened ? "; its lead was shortened" : ""}`}</title>
    </g>
  );
}

function PendingMarks({ x, height }: { x: (t: number) => number; height: number }) {
  const pending = useDeskState((s) => s.pending);
  const times = [...new Set(Object.values(pending).map((p) => p.at))];
  return (
    <>
      {times.map((t) => (
        <g key={t} className="pending-mark" transform={`translate(${x(t)} 0)`}>
          <line y1={BAND} y2={height} />
          <text x="4" y={BAND + 12}>
            pending
          </text>
        </g>
      ))}
    </>
  );
}

function Playhead({ x, height, inner, onPointerDown }: { x: (t: number) => number; height: number; inner: number; onPointerDown: (e: ReactPointerEvent<Element>) => void }) {
  const ticks = useDeskState((s) => s.ticks);
  const at = Math.min(x(ticks), inner + 20);
  const right = at > inner - 56;
  return (
    <g className="playhead" transform={`translate(${at} 0)`} onPointerDown={onPointerDown}>
      <line y1={BAND} y2={height} />
      <path d={right ? `M0 ${BAND + RULER} v-${RULER} h-52 v${RULER - 5} h46 z` : `M0 ${BAND + RULER} v-${RULER} h52 v${RULER - 5} h-46 z`} />
      <text x={right ? -49 : 5} y={BAND + 7} className="number">
        {formatSeconds(ticks)}
      </text>
    </g>
  );
}
