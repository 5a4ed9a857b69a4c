"use client";
import { Button, Dropdown, Segmented, Select, Switch, Tooltip } from "antd";
import {
  ChevronsLeft,
  ChevronsRight,
  Flag,
  Gauge,
  Magnet,
  Maximize2,
  MonitorPlay,
  Pause,
  Play,
  Repeat,
  Repeat1,
  Rows3,
  Scan,
  Spline,
  SquareDashedMousePointer,
  StepBack,
  StepForward,
  ZoomIn,
  ZoomOut,
} from "lucide-react";
import { useMemo, useState } from "react";
import type { Marker } from "../../core/document/sequence";
import { moveMarker, removeMarker, renameMarker } from "../../core/edit/timing/markers";
import { nth } from "../../core/math/packed";
import { formatSeconds, formatSecondsShort, frameAt, frameCount, parseTime } from "../../core/time/time";
import { showBelow } from "../../desk/acts/preferences";
import { addMarker, selectAll, selectInverse, setTiming, watch } from "../../desk/acts/timingActions";
import type { Desk } from "../../desk/port";
import { rememberPlay, rememberRange } from "../../desk/remembered/timingStore";
import type { PlayPrefs } from "../../desk/state";
import type { TimelineSurface } from "../../desk/timeline/surface";
import { Field } from "../common/Field";
import { Pop } from "../common/Pop";
import { TimeField } from "../common/TimeField";
import { TimingButton } from "../compare/TimingPanel";
import { useDesk, useDeskState, useOfSequence } from "../desk/context";

export function setPlay(desk: Desk, change: Partial<PlayPrefs>): void {
  const play = { ...desk.state.play, ...change };
  desk.set({ play });
  rememberPlay(play);
}

export function setRange(desk: Desk, range: { from: number; to: number } | null): void {
  desk.set({ range });
  rememberRange(desk.state.sequenceId, range);
}

/** Playing, the playhead's time, and what the place below shows. */
export function Transport({ surface }: { surface: TimelineSurface | null }) {
  const desk = useDesk();
  const playing = useDeskState((s) => s.playing);
  const backward = useDeskState((s) => s.backward);
  const play = useDeskState((s) => s.play);
  const below = useDeskState((s) => s.below);
  const timing = useDeskState((s) => s.timing);
  const icon = (label: string, keys: string, Icon: typeof Play, run: () => void) => (
    <Tooltip title={`${label} (${keys})`}>
      <Button size="small" type="text" aria-label={label} icon={<Icon size={15} />} onClick={run} />
    </Tooltip>
  );
  const unusual = [
    play.speed !== 1 ? `${play.speed}×` : "",
    play.blocked ? "blocked" : "",
    play.every ? "every frame" : "",
    play.seam && play.atEnd === "loop" ? "slow seam" : "",
  ].filter(Boolean);
  return (
    <div className="transport">
      {icon("To the start", "Home", ChevronsLeft, () => desk.seek(desk.playback.bounds().from))}
      {icon("One frame back", "Left", StepBack, () => desk.stepFrames(-1))}
      <Tooltip title={playing && backward ? "Pause (Shift+Space)" : "Play backward (Shift+Space)"}>
        <Button
          size="small"
          type={playing && backward ? "primary" : "text"}
          aria-label={playing && backward ? "Pause backward play" : "Play backward"}
          icon={playing && backward ? <Pause size={15} /> : <Play size={15} style={{ transform: "scaleX(-1)" }} />}
          onClick={() => desk.togglePlay(true)}
        />
      </Tooltip>
      <Tooltip title={`${playing && !backward ? "Pause" : "Play"} (Space)`}>
        <Button
          size="small"
          type="primary"
          aria-label={playing && !backward ? "Pause" : "Play"}
          icon={playing && !backward ? <Pause size={15} /> : <Play size={15} />}
          onClick={() => desk.togglePlay()}
        />
      </Tooltip>
      {icon("One frame on", "Right", StepForward, () => desk.stepFrames(1))}
      {icon("To the end", "End", ChevronsRight, () => desk.seek(desk.playback.bounds().to))}
      <Pop placement="topLeft" content={<PlayPanel />} title="How it plays">
        <Button
          size="small"
          type={unusual.length > 0 || play.atEnd !== "stop" ? "default" : "text"}
          aria-label="How it plays"
          icon={
            play.atEnd === "stop" ? (
              <Gauge size={15} />
            ) : play.atEnd === "loop" ? (
              <Repeat size={15} />
            ) : (
              <Repeat1 size={15} />
            )
          }
        >
          {unusual.length > 0 ? unusual.join(" · ") : null}
        </Button>
      </Pop>
      <Tooltip title="Watch as published: the picture alone (Ctrl+Shift+Space)">
        <Button
          size="small"
          type="text"
          aria-label="Picture alone"
          icon={<MonitorPlay size={15} />}
          onClick={() => watch(desk)}
        />
      </Tooltip>
      <Times />
      {playing && (
        <span className="playing-way" role="status">
          {backward ? "◀ backward" : "forward ▶"}
        </span>
      )}
      <Dropped />
      <div className="grow" />
      <Segmented
        size="small"
        aria-label="Shown below the stage"
        value={below}
        onChange={(v) => showBelow(desk, v as "lanes" | "curves")}
        options={[
          { value: "lanes", icon: <Rows3 size={13} />, label: "Lanes" },
          { value: "curves", icon: <Spline size={13} />, label: "Curves" },
        ]}
      />
      {below === "lanes" && <SelectMenu />}
      <Tooltip
        title={`Snapping in time is ${timing.snap ? "on" : "off"}: frames, arrivals, steps, the playhead. Hold Alt to do without while dragging.`}
      >
        <Button
          size="small"
          type={timing.snap ? "default" : "text"}
          aria-label="Snap in time"
          aria-pressed={timing.snap}
          icon={<Magnet size={14} />}
          onClick={() => setTiming(desk, { snap: !timing.snap })}
        />
      </Tooltip>
      <Tooltip
        title={
          timing.along
            ? "What is moved takes everything later in its step along. Click to move only what is selected."
            : "Only what is selected moves; an arrival that lands on another takes its place. Click to take everything later along."
        }
      >
        <Button
          size="small"
          type={timing.along ? "default" : "text"}
          aria-label="Take later ones along"
          aria-pressed={timing.along}
          onClick={() => setTiming(desk, { along: !timing.along })}
        >
          {timing.along ? "Along" : "Alone"}
        </Button>
      </Tooltip>
      <MarkerButton />
      <TimingButton />
      {surface && (
        <>
          {icon("Fit all", "Shift+Home", Maximize2, () => surface.fitAll())}
          {icon("Fit what is selected", "Shift+End", Scan, () => surface.fitSelection())}
          {icon("Show less time", "Ctrl+wheel, Ctrl +", ZoomIn, () => surface.zoomTo(surface.zoom * 1.6))}
          {icon("Show more time", "Ctrl+wheel, Ctrl −", ZoomOut, () => surface.zoomTo(surface.zoom / 1.6))}
        </>
      )}
    </div>
  );
}

/** Where the playhead is: in the sequence, in its step, and as a frame. */
function Times() {
  const desk = useDesk();
  const rate = useOfSequence((q) => q.rate);
  useDeskState((s) => s.programVersion);
  const ticks = useDeskState((s) => s.ticks);
  const step = desk.stepAtPlayhead(ticks);
  const { length } = desk.program.steps;
  return (
    <>
      <span className="transport-time">
        <Field
          ariaLabel="Sequence time"
          label="sequence"
          width={142}
          value={formatSeconds(ticks)}
          suffix="s"
          parse={(text) => {
            const p = parseTime(text, rate);
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
          label="step"
          width={112}
          value={formatSeconds(ticks - step.start)}
          suffix="s"
          parse={(text) => {
            const p = parseTime(text, rate);
            if ("error" in p) return p;
            if (p.ticks < 0) return { error: "A time before the step's start belongs to another step." };
            desk.pause();
            desk.seek(step.start + p.ticks);
            return null;
          }}
        />
      )}
      <span className="number soft transport-frame" data-testid="frame">
        frame {frameAt(ticks, rate)} of {frameCount(length, rate)} · {formatSecondsShort(length)} s
      </span>
    </>
  );
}

/** Says when frames are left out to keep time. */
function Dropped() {
  const dropped = useDeskState((s) => (s.playing ? s.dropped : 0));
  if (dropped === 0) return null;
  return (
    <Tooltip title="This computer cannot draw every frame in time, so some are left out and the time stays right. To see each one, play every frame.">
      <span className="number soft">{dropped} left out</span>
    </Tooltip>
  );
}

function PlayPanel() {
  const desk = useDesk();
  const play = useDeskState((s) => s.play);
  const range = useDeskState((s) => s.range);
  const ticks = useDeskState((s) => s.ticks);
  const rate = useOfSequence((q) => q.rate);
  useDeskState((s) => s.programVersion);
  const { length } = desk.program.steps;
  return (
    <div className="form play-panel">
      <span>Speed</span>
      <Select
        size="small"
        aria-label="Speed"
        value={play.speed}
        onChange={(speed) => setPlay(desk, { speed })}
        options={[0.1, 0.2, 0.25, 0.5, 0.75, 1, 1.5, 2, 3, 4].map((v) => ({ value: v, label: `${v}×` }))}
      />
      <span>At the end</span>
      <Select
        size="small"
        aria-label="At the end"
        value={play.atEnd}
        onChange={(atEnd) => setPlay(desk, { atEnd })}
        options={[
          { value: "stop", label: "Stop and hold" },
          { value: "loop", label: "Begin again" },
          { value: "turn", label: "Turn round" },
        ]}
      />
      <label htmlFor="play-seam">Slowly at the seam</label>
      <Switch
        id="play-seam"
        size="small"
        disabled={play.atEnd !== "loop"}
        checked={play.seam}
        onChange={(seam) => setPlay(desk, { seam })}
      />
      <label htmlFor="play-every">Show every frame</label>
      <span>
        <Switch id="play-every" size="small" checked={play.every} onChange={(every) => setPlay(desk, { every })} />{" "}
        <span className="soft">{play.every ? "takes as long as it takes" : "keeps time"}</span>
      </span>
      <label htmlFor="play-blocked">Blocked</label>
      <span>
        <Switch
          id="play-blocked"
          size="small"
          checked={play.blocked}
          onChange={(blocked) => setPlay(desk, { blocked })}
        />{" "}
        <span className="soft">each transition is a snap</span>
      </span>
      <span>Play from</span>
      <TimeField
        ariaLabel="Play from"
        ticks={range?.from ?? 0}
        rate={rate}
        max={(range?.to ?? length) - 1}
        onTake={(from) => setRange(desk, { from, to: range?.to ?? length })}
      />
      <span>to</span>
      <TimeField
        ariaLabel="Play to"
        ticks={range?.to ?? length}
        rate={rate}
        min={(range?.from ?? 0) + 1}
        max={length}
        onTake={(to) => setRange(desk, { from: range?.from ?? 0, to })}
      />
      <span />
      <span className="row">
        <Button
          size="small"
          disabled={ticks >= (range?.to ?? length)}
          onClick={() => setRange(desk, { from: ticks, to: range?.to ?? length })}
        >
          From here
        </Button>
        <Button
          size="small"
          disabled={ticks <= (range?.from ?? 0)}
          onClick={() => setRange(desk, { from: range?.from ?? 0, to: ticks })}
        >
          To here
        </Button>
        <Button size="small" disabled={!range} onClick={() => setRange(desk, null)}>
          All
        </Button>
      </span>
    </div>
  );
}

function SelectMenu() {
  const desk = useDesk();
  const step = () => desk.stepAtPlayhead()?.id;
  return (
    <Dropdown
      trigger={["click"]}
      menu={{
        items: [
          { key: "all", label: "Everything" },
          { key: "step", label: "Everything in this step" },
          { key: "invert", label: "What is not selected now" },
          { type: "divider" },
          { key: "arrivals", label: "All arrivals by hand" },
          { key: "moves", label: "All ready-made moves" },
          { key: "camera", label: "All of the camera" },
          { key: "parts", label: "All of parts" },
        ],
        onClick: ({ key }) => {
          const camera = (m: { kind: string }) => m.kind.startsWith("camera") || m.kind === "turntable";
          if (key === "all") selectAll(desk);
          if (key === "step") selectAll(desk, (s) => s === step());
          if (key === "invert") selectInverse(desk);
          if (key === "arrivals") selectAll(desk, (_, m) => m.kind === "hand");
          if (key === "moves") selectAll(desk, (_, m) => m.kind !== "hand");
          if (key === "camera") selectAll(desk, (_, m) => (m.kind === "hand" ? m.target.type === "camera" : camera(m)));
          if (key === "parts")
            selectAll(desk, (_, m) =>
              m.kind === "hand"
                ? m.target.type === "node" || m.target.type === "group"
                : !camera(m) && m.kind !== "look",
            );
        },
      }}
    >
      <Button size="small" type="text" aria-label="Select in time" icon={<SquareDashedMousePointer size={14} />} />
    </Dropdown>
  );
}

/** Adds a marker at the playhead; with one there, names or removes it. */
function MarkerButton() {
  const desk = useDesk();
  const { markers, rate } = useOfSequence((q) => ({ markers: q.markers, rate: q.rate }));
  useDeskState((s) => s.programVersion);
  const [open, setOpen] = useState(false);
  const list = useMemo(() => Object.values(markers), [markers]);
  const timeOf = (m: Marker) => {
    const i = desk.program.steps.position.get(m.step);
    return i === undefined ? Number.NaN : nth(desk.program.steps.start, i) + m.at;
  };
  const here = useDeskState((s) => list.find((m) => Math.abs(timeOf(m) - s.ticks) < 2));
  const add = () => {
    if (!here) addMarker(desk);
    setOpen(true);
  };
  const close = () => setOpen(false);
  return (
    <Pop
      open={open && here !== undefined}
      onOpenChange={(o) => !o && close()}
      content={
        here && (
          <div className="row">
            <Field
              ariaLabel="Marker name"
              value={here.name}
              width={160}
              parse={(text) => {
                const name = text.trim();
                if (!name) return { error: "A marker needs a name." };
                desk.edit(`Marker "${name}"`.slice(0, 200), renameMarker(here.id, name));
                close();
                return null;
              }}
            />
            <TimeField
              ariaLabel="Time of the marker"
              width={130}
              ticks={timeOf(here)}
              rate={rate}
              max={desk.program.steps.length}
              onTake={(t) => {
                const step = desk.stepAtPlayhead(t);
                if (!step) return;
                desk.edit(`Move marker "${here.name}"`.slice(0, 200), moveMarker(here.id, step.id, t - step.start));
                desk.seek(t);
              }}
            />
            <Button
              size="small"
              danger
              onClick={() => {
                desk.edit(`Remove marker "${here.name}"`, removeMarker(here.id));
                close();
              }}
            >
              Remove
            </Button>
          </div>
        )
      }
    >
      <Tooltip title={here ? `Marker "${here.name}": name or remove it` : "Put a marker here (Alt+K)"}>
        <Button
          size="small"
          type={here ? "default" : "text"}
          aria-label="Marker"
          icon={<Flag size={14} />}
          onClick={add}
        />
      </Tooltip>
    </Pop>
  );
}
