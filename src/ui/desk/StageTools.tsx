"use client";
import { Button, Dropdown, Segmented, Select, Switch, Tooltip } from "antd";
import { Box, Camera, Eye, Layers, Lightbulb, Magnet, Maximize, Plane, ScanSearch, Video } from "lucide-react";
import { memo } from "react";
import { formatSecondsShort } from "../../core/time/time";
import { formatLength, formatNumber, parseAngle, parseLength } from "../../core/units/units";
import { keepView } from "../../desk/acts/keeping";
import { setThrough } from "../../desk/acts/looking";
import { setAids } from "../../desk/acts/preferences";
import { rememberSnapping } from "../../desk/remembered/snappingStore";
import { chooseParts } from "../../desk/selection/selecting";
import { camera } from "../../desk/selection/selection";
import { pick } from "../../desk/showing/picking";
import type { Stage } from "../../stage/stage";
import { Field } from "../common/Field";
import { Pop } from "../common/Pop";
import { Toggle } from "../common/Toggle";
import { ArrivingFields } from "../details/ArrivingFields";
import { useDesk, useDeskState, useOfSequence } from "./context";

const SIDES = [
  { key: "front", label: "Front", azimuth: 0, elevation: 0 },
  { key: "back", label: "Back", azimuth: 180, elevation: 0 },
  { key: "right", label: "Right", azimuth: 90, elevation: 0 },
  { key: "left", label: "Left", azimuth: -90, elevation: 0 },
  { key: "top", label: "Top", azimuth: 0, elevation: 90 },
  { key: "bottom", label: "Bottom", azimuth: 0, elevation: -90 },
  { key: "corner", label: "Three-quarter", azimuth: 35, elevation: 22 },
];

/** The buttons along the stage's upper and lower edge. What is over the picture is made anew with it; these are not. */
export const StageTools = memo(function StageTools({ stage }: { stage: Stage | null }) {
  return (
    <>
      <ViewTools stage={stage} />
      <HandleTools stage={stage} />
    </>
  );
});

function ViewTools({ stage }: { stage: Stage | null }) {
  const desk = useDesk();
  const through = useDeskState((s) => s.through);
  const working = useDeskState((s) => s.aids.working);
  const parallel = useDeskState((s) => s.parallel);
  const flying = useDeskState((s) => s.flying);
  const look = (key: string) => {
    const side = SIDES.find((s) => s.key === key);
    if (side) stage?.cameras.lookFrom(side.azimuth, side.elevation);
    if (key === "square") {
      pick(desk, "Square to what?", {
        kinds: ["face", "axis", "circle", "edge-middle"],
        needsDirection: true,
        onDone: (picked) => picked && stage?.cameras.lookSquare(picked),
      });
    }
    if (key === "parallel") {
      stage?.cameras.setParallel(!parallel);
      desk.set({ parallel: !parallel });
    }
  };
  return (
    <div className="stage-tools top">
      <Toggle
        on={through}
        framed
        title={through ? "You are looking through the camera" : "Look through the camera again"}
        icon={<Eye size={14} />}
        onClick={() => setThrough(desk, true)}
      >
        Through the camera
      </Toggle>
      <Tooltip title="Keep what you see as a camera arrival at the playhead (Ctrl+Shift+Enter)">
        <Button size="small" icon={<Camera size={14} />} onClick={() => keepView(desk)}>
          Keep this view
        </Button>
      </Tooltip>
      <HowItArrives />
      <Tooltip title="Cameras: the view in numbers, cuts, smoothness, what is left out of the picture">
        <Button
          size="small"
          aria-label="Cameras"
          icon={<Video size={14} />}
          onClick={() => chooseParts(desk, camera())}
        />
      </Tooltip>
      <div className="grow" />
      <AidsMenu />
      <Dropdown
        trigger={["click"]}
        menu={{
          selectable: true,
          selectedKeys: parallel ? ["parallel"] : [],
          items: [
            ...SIDES.map(({ key, label }) => ({ key, label })),
            { type: "divider" as const },
            { key: "square", label: "Square to a picked face" },
            { key: "parallel", label: "Without perspective" },
          ],
          onClick: ({ key }) => look(key),
        }}
      >
        <Button size="small" icon={<Box size={14} />}>
          Look from
        </Button>
      </Dropdown>
      <Toggle
        on={flying}
        framed
        label="Fly"
        title="Fly: drag looks round, arrow keys and Page Up / Down move, Shift faster"
        icon={<Plane size={14} />}
        onClick={() => {
          desk.set({ flying: !flying });
          stage?.setFlying(!flying);
          stage?.canvas.focus();
        }}
      />
      <Toggle
        on={working}
        framed
        label="Working light"
        title={
          working
            ? "Working light: clear and fast. Press for the picture as published"
            : "The picture as published. Press for a clear and fast working light"
        }
        icon={<Lightbulb size={14} />}
        onClick={() => {
          setAids(desk, { working: !working });
          stage?.setWorking(!working);
        }}
      />
      <Tooltip title="Fit everything (Ctrl+Home)">
        <Button
          size="small"
          aria-label="Fit everything"
          icon={<Maximize size={14} />}
          onClick={() => stage?.cameras.fit([])}
        />
      </Tooltip>
      <FitSelection stage={stage} />
    </div>
  );
}

function FitSelection({ stage }: { stage: Stage | null }) {
  const desk = useDesk();
  const none = useDeskState((s) => s.selection.length === 0);
  return (
    <Tooltip title="Fit the selection (Ctrl+End)">
      <Button
        size="small"
        aria-label="Fit selection"
        disabled={none}
        icon={<ScanSearch size={14} />}
        onClick={() => stage?.cameras.fit(desk.state.selection)}
      />
    </Tooltip>
  );
}

/** How a kept view arrives, beside the act that keeps it. */
function HowItArrives() {
  const { lead } = useDeskState((s) => s.arriving);
  return (
    <Pop
      placement="bottomLeft"
      content={
        <div className="arriving">
          <ArrivingFields />
        </div>
      }
    >
      <Button size="small" aria-label="How it arrives" title="Lead and ease of what is kept" className="number">
        {lead === "previous" ? "from before" : `${formatSecondsShort(lead)} s`}
      </Button>
    </Pop>
  );
}

/**
 * What helps at the desk on request and is never published; what is worked out in the background can be spared a slow
 * machine.
 */
function AidsMenu() {
  const desk = useDesk();
  const aids = useDeskState((s) => s.aids);
  const cameras = useOfSequence((q) => q.cameras);
  const on = (["path", "ghosts", "thirds", "margins", "pictures", "framing", "proof", "smooth"] as const).filter(
    (k) => aids[k],
  );
  const second = aids.second === "other" || cameras[aids.second] ? aids.second : "";
  return (
    <Dropdown
      trigger={["click"]}
      menu={{
        multiple: true,
        selectable: true,
        selectedKeys: [...on, `second ${second}`],
        items: [
          { key: "path", label: "Path of what is selected" },
          { key: "ghosts", label: "Ghosts before and after" },
          { key: "thirds", label: "Thirds in the picture" },
          { key: "margins", label: "Safe margins" },
          { type: "divider" },
          { key: "pictures", label: "Pictures on the step cards" },
          { key: "framing", label: "Look after the framing" },
          { key: "proof", label: "Proof while working" },
          { key: "smooth", label: "Smooth edges while working" },
          { type: "divider" },
          { key: "second ", label: "One view" },
          { key: "second other", label: "Second view: camera or free, whichever is not shown" },
          ...Object.values(cameras).map((c) => ({ key: `second ${c.id}`, label: `Second view: ${c.name}` })),
        ],
        onClick: ({ key }) => {
          if (key.startsWith("second ")) setAids(desk, { second: key.slice(7) });
          else setAids(desk, { [key]: !aids[key as "path"] });
        },
      }}
    >
      <Button size="small" aria-label="Helps at the desk" icon={<Layers size={14} />} />
    </Dropdown>
  );
}

function HandleTools({ stage }: { stage: Stage | null }) {
  const desk = useDesk();
  const snapping = useDeskState((s) => s.snapping);
  const keepOnRelease = useDeskState((s) => s.keepOnRelease);
  const frame = useDeskState((s) => s.handleFrame);
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  const setSnapping = (change: Partial<typeof snapping>) => {
    const next = { ...snapping, ...change };
    desk.set({ snapping: next });
    rememberSnapping(next);
    if (stage) stage.snapping = next;
  };
  const state = !snapping.on
    ? snapping.geometry
      ? "Snaps to parts"
      : "Snap off"
    : `Snap ${formatLength(snapping.distanceMm, unit)} · ${formatNumber(snapping.angleDeg)}°${snapping.from === "grid" ? " grid" : ""}${snapping.geometry ? " + parts" : ""}`;
  return (
    <div className="stage-tools bottom">
      <Pop
        placement="topLeft"
        content={
          <div className="form snap-form">
            <span>Snap while dragging</span>
            <Switch
              size="small"
              checked={snapping.on}
              onChange={(on) => setSnapping({ on })}
              aria-label="Snap while dragging"
            />
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
            <span>Counted from</span>
            <Segmented
              size="small"
              aria-label="Snap counted from"
              value={snapping.from}
              onChange={(from) => setSnapping({ from: from as "steps" | "grid" })}
              options={[
                { value: "steps", label: "the start" },
                { value: "grid", label: "home (grid)" },
              ]}
            />
            <span>To other parts</span>
            <Tooltip title="While sliding: to corners, edge middles, circle centres and faces under the pointer">
              <Switch
                size="small"
                checked={snapping.geometry}
                onChange={(geometry) => setSnapping({ geometry })}
                aria-label="Snap to other parts"
              />
            </Tooltip>
          </div>
        }
      >
        <Button size="small" icon={<Magnet size={13} />} className="number" aria-label="Snapping">
          {state}
        </Button>
      </Pop>
      <Tooltip title="Which directions the slide handles run along">
        <Select
          size="small"
          aria-label="Handle directions"
          value={frame}
          popupMatchSelectWidth={false}
          onChange={(f) => {
            desk.set({ handleFrame: f });
            stage?.setHandleFrame(f);
          }}
          options={[
            { value: "owner", label: "Owner's axes" },
            { value: "part", label: "Part's own axes" },
            { value: "assembly", label: "Assembly's axes" },
          ]}
        />
      </Tooltip>
      <Tooltip title="Every drag is kept as an arrival when you let go. For fast blocking.">
        <span className="keep-toggle">
          <Switch
            size="small"
            checked={keepOnRelease}
            onChange={(v) => desk.set({ keepOnRelease: v })}
            aria-label="Keep on release"
          />
          {keepOnRelease ? "Keeps on release: every drag makes an arrival" : "Keep on release"}
        </span>
      </Tooltip>
    </div>
  );
}
