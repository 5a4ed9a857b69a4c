"use client";
import { Button, Dropdown, Popover, Switch, Tooltip } from "antd";
import { Box, Camera, Eye, Magnet, Maximize, ScanSearch } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { cameraMatrix } from "../../core/camera/camera";
import { CAMERA_CHANNELS } from "../../core/document/sequence";
import { formatLength, formatNumber, parseAngle, parseLength } from "../../core/units/units";
import { Stage } from "../../stage/stage";
import { request } from "../common/api";
import { Field } from "../common/Field";
import { useDesk, useDeskState, useSequence } from "./context";
import type { Desk } from "./desk";
import { Triad } from "./Triad";

/** The stage with what is laid over it: picture frame, caption, tags, read-out, triad, tools. */
export function StageView() {
  const desk = useDesk();
  const canvas = useRef<HTMLCanvasElement>(null);
  const box = useRef<HTMLDivElement>(null);
  const overlay = useRef<HTMLDivElement>(null);
  const [view, setView] = useState<Stage | null>(null);
  const [failed, setFailed] = useState<string | null>(null);
  const [drawn, setDrawn] = useState(0);

  useEffect(() => {
    if (!canvas.current || !box.current) return;
    let stage: Stage;
    try {
      stage = new Stage(
        canvas.current,
        desk.pkg,
        desk.index,
        desk.trees,
        desk.program,
        stageEvents(desk, () => setDrawn((n) => n + 1)),
      );
    } catch {
      setFailed("This browser cannot draw in 3D (WebGL 2 is missing or switched off). Switch on hardware acceleration, or open Plextan in another browser.");
      return;
    }
    const resize = () => {
      const r = box.current?.getBoundingClientRect();
      if (r) stage.resize(r.width, r.height, Math.min(2, window.devicePixelRatio));
    };
    const observer = new ResizeObserver(resize);
    observer.observe(box.current);
    resize();
    desk.attach(stage);
    (window as unknown as { plextanDesk?: Desk }).plextanDesk = desk;
    setView(stage);
    const picture = setTimeout(() => void thumbnail(desk, stage), 1500);
    return () => {
      clearTimeout(picture);
      observer.disconnect();
      desk.attach(null);
      stage.dispose();
      setView(null);
    };
  }, [desk]);

  return (
    <div className="stage" ref={box}>
      <canvas ref={canvas} className="stage-canvas" tabIndex={0} aria-label="Stage" data-testid="stage-canvas" />
      {failed && (
        <div className="stage-failed" role="alert">
          {failed}
        </div>
      )}
      <div ref={overlay} className="stage-overlay">
        {view && <Overlay stage={view} drawn={drawn} />}
      </div>
      <StageTools stage={view} />
      {view && <Triad matrix={viewMatrix(view, desk)} drawn={drawn} />}
    </div>
  );
}

function viewMatrix(stage: Stage, desk: Desk): number[] {
  const m = new Array<number>(16).fill(0);
  const values = stage.isThrough ? stage.currentPose.camera : CAMERA_CHANNELS.map((n) => stage.control.view[n]);
  cameraMatrix(m, values, 0, desk.index.assembly.up);
  return m;
}

/** Keeps a picture for the list of projects. */
async function thumbnail(desk: Desk, stage: Stage): Promise<void> {
  if (desk.state.playing || desk.view !== stage) return;
  try {
    const png = await stage.still(480, 300);
    await request(`/api/projects/${desk.state.projectId}/thumbnail`, { method: "PUT", body: png });
  } catch {
    // A missing picture is not worth a message.
  }
}

function stageEvents(desk: Desk, onDrawn: () => void): ConstructorParameters<typeof Stage>[5] {
  return {
    onPick(node, { add, double }) {
      if (node === null) {
        if (!add) desk.select([]);
        return;
      }
      const { selection } = desk.state;
      if (add) {
        desk.select(selection.includes(node) ? selection.filter((n) => n !== node) : [...selection, node]);
        return;
      }
      // A second quick click climbs from the part to the sub-assembly that owns it, a third to the one above.
      const only = selection.length === 1 ? (selection[0] as number) : -1;
      const inside = only >= 0 && node >= only && node < (desk.index.end[only] as number);
      if (double && inside) desk.climb();
      else desk.select([node]);
    },
    onHover: (node) => desk.setHover(node),
    onLook: () => desk.set({ through: false }),
    onDrawn,
    onHandle(drag) {
      const entry = desk.index.assembly.nodes[drag.node];
      if (!entry) return;
      const target = { type: "node" as const, key: entry.key };
      if (drag.phase === "start") {
        before = desk.state.pending;
        desk.pause();
        return;
      }
      if (drag.phase === "cancel") {
        desk.setPending({ ...before });
        desk.set({ readout: null });
        return;
      }
      const done = drag.orientation ? desk.pend(target, {}, drag.orientation) : desk.pend(target, { [drag.channel]: drag.value });
      const unit = desk.state.preparation.body.displayUnit;
      const sign = drag.delta > 0 ? "+" : "";
      const name = drag.channel.split(".")[1]?.toUpperCase() ?? "free";
      const text =
        drag.handle.kind === "slide"
          ? `${name} ${sign}${formatLength(drag.delta, unit)}  from home ${formatLength(drag.value, unit)}`
          : drag.handle.kind === "turn"
            ? `${name} ${sign}${formatNumber(drag.delta, 2)}°  from home ${formatNumber(drag.value, 2)}°`
            : `free turn ${sign}${formatNumber(drag.delta, 2)}°`;
      desk.set({ readout: drag.phase === "end" || !done ? null : { x: drag.xPx, y: drag.yPx, text } });
      if (drag.phase === "end" && desk.state.keepOnRelease) desk.keep();
    },
  };
}
let before: Desk["state"]["pending"] = {};

/** What is drawn over the picture and follows it. */
function Overlay({ stage, drawn }: { stage: Stage; drawn: number }) {
  const desk = useDesk();
  const through = useDeskState((s) => s.through);
  const pending = useDeskState((s) => s.pending);
  const readout = useDeskState((s) => s.readout);
  const ticks = useDeskState((s) => s.ticks);
  const playing = useDeskState((s) => s.playing);
  const sequence = useSequence();
  void drawn;
  const frame = through ? stage.pictureFrame() : null;
  const step = desk.stepAtPlayhead(ticks);
  const caption = step ? sequence.steps[step.id]?.caption : "";
  return (
    <>
      {frame && (
        <div className="picture-frame" style={frame}>
          {caption && <div className="caption">{caption}</div>}
        </div>
      )}
      {Object.entries(pending).map(([id, p]) => {
        if (p.target.type !== "node" || !desk.isHere(p)) return null;
        const node = desk.index.indexOf.get(p.target.key);
        const at = node === undefined ? null : stage.toScreen(stage.middleOf(node));
        return at ? (
          <div key={id} className="tag-pending" style={{ left: at.x, top: at.y }}>
            pending
          </div>
        ) : null;
      })}
      {readout && !playing && (
        <div className="readout number" style={{ left: readout.x + 18, top: readout.y - 12 }}>
          {readout.text}
        </div>
      )}
    </>
  );
}

const SIDES = [
  { key: "front", label: "Front", azimuth: 0, elevation: 0 },
  { key: "back", label: "Back", azimuth: 180, elevation: 0 },
  { key: "right", label: "Right", azimuth: 90, elevation: 0 },
  { key: "left", label: "Left", azimuth: -90, elevation: 0 },
  { key: "top", label: "Top", azimuth: 0, elevation: 90 },
  { key: "bottom", label: "Bottom", azimuth: 0, elevation: -90 },
  { key: "corner", label: "Three-quarter", azimuth: 35, elevation: 22 },
];

function StageTools({ stage }: { stage: Stage | null }) {
  const desk = useDesk();
  const through = useDeskState((s) => s.through);
  const selected = useDeskState((s) => s.selection.length);
  const snapping = useDeskState((s) => s.snapping);
  const keepOnRelease = useDeskState((s) => s.keepOnRelease);
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  const setSnapping = (change: Partial<typeof snapping>) => {
    const next = { ...snapping, ...change };
    desk.set({ snapping: next });
    if (stage) stage.snapping = next;
  };
  return (
    <>
      <div className="stage-tools top">
        <Tooltip title={through ? "You are looking through the camera" : "Look through the camera again"}>
          <Button size="small" type={through ? "primary" : "default"} ghost={through} aria-pressed={through} icon={<Eye size={14} />} onClick={() => desk.setThrough(true)}>
            Through the camera
          </Button>
        </Tooltip>
        <Tooltip title="Keep what you see as a camera arrival at the playhead (Ctrl+Shift+Enter)">
          <Button size="small" icon={<Camera size={14} />} onClick={() => desk.keepView()}>
            Keep this view
          </Button>
        </Tooltip>
        <div className="grow" />
        <Dropdown
          trigger={["click"]}
          menu={{
            items: SIDES.map(({ key, label }) => ({ key, label })),
            onClick: ({ key }) => {
              const side = SIDES.find((s) => s.key === key);
              if (side) stage?.lookFrom(side.azimuth, side.elevation);
            },
          }}
        >
          <Button size="small" icon={<Box size={14} />}>
            Look from
          </Button>
        </Dropdown>
        <Tooltip title="Fit everything (Ctrl+Home)">
          <Button size="small" aria-label="Fit everything" icon={<Maximize size={14} />} onClick={() => stage?.fit([])} />
        </Tooltip>
        <Tooltip title="Fit the selection (Ctrl+End)">
          <Button size="small" aria-label="Fit selection" disabled={selected === 0} icon={<ScanSearch size={14} />} onClick={() => stage?.fit(desk.state.selection)} />
        </Tooltip>
      </div>
      <div className="stage-tools bottom">
        <Popover
          trigger="click"
          placement="topLeft"
          content={
            <div className="form snap-form">
              <span>Snap while dragging</span>
              <Switch size="small" checked={snapping.on} onChange={(on) => setSnapping({ on })} aria-label="Snap while dragging" />
              <span>Distance</span>
              <Field
                ariaLabel="Snap distance"
                value={formatLength(snapping.distanceMm, unit)}
                parse={(t) => {
                  const p = parseLength(t, unit);
                  if ("error" in p) return p;
                  if (p.value < 0) return { error: "0 or more." };
                  setSnapping({ distanceMm: p.value });
                  return null;
                }}
              />
              <span>Angle</span>
              <Field
                ariaLabel="Snap angle"
                value={`${formatNumber(snapping.angleDeg)}°`}
                parse={(t) => {
                  const p = parseAngle(t);
                  if ("error" in p) return p;
                  if (p.value < 0) return { error: "0 or more." };
                  setSnapping({ angleDeg: p.value });
                  return null;
                }}
              />
            </div>
          }
        >
          <Button size="small" icon={<Magnet size={13} />} className="number">
            {snapping.on ? `Snap ${formatLength(snapping.distanceMm, unit)} · ${formatNumber(snapping.angleDeg)}°` : "Snap off"}
          </Button>
        </Popover>
        <Tooltip title="Every drag is kept as an arrival when you let go. For fast blocking.">
          <span className="keep-toggle">
            <Switch size="small" checked={keepOnRelease} onChange={(v) => desk.set({ keepOnRelease: v })} aria-label="Keep on release" />
            {keepOnRelease ? "Keeps on release: every drag makes an arrival" : "Keep on release"}
          </span>
        </Tooltip>
      </div>
    </>
  );
}
