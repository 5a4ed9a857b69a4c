"use client";
import { Button, Tooltip } from "antd";
import { Plus, Video } from "lucide-react";
import { useEffect, useState } from "react";
import { angleOfView, SENSOR_WIDTH_MM } from "../../core/camera/camera";
import { CAMERA_CHANNELS, type CameraChannel } from "../../core/document/sequence";
import { addCamera, beginWithCamera, removeCamera, renameCamera, shiftViews } from "../../core/edit/cameraCommands";
import { freshId } from "../../core/edit/id";
import type { Triple } from "../../core/math/triple";
import { CAMERA_WORDS } from "../../core/text/channelWords";
import { formatNumber } from "../../core/units/units";
import { cutTo } from "../../desk/acts/cameraActions";
import { holdHere, keepView } from "../../desk/acts/keeping";
import { freeView, liveCamera, setThrough, setView } from "../../desk/acts/looking";
import { setAids } from "../../desk/acts/preferences";
import { More } from "../common/More";
import { TextField } from "../common/TextField";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { Stillness } from "../details/Stillness";
import { ValueField } from "../details/ValueField";
import { FramingList } from "./FramingList";
import { SmoothList } from "./SmoothList";

/**
 * The cameras of a sequence: what the live one shows now, typed; the others; how smoothly it moves; what it leaves
 * out.
 */
export function CameraPanel() {
  const desk = useDesk();
  const sequence = useSequence();
  useDeskState((s) => s.programVersion);
  useDeskState((s) => (s.playing ? -1 : s.ticks));
  const live = liveCamera(desk);
  const cameras = Object.values(sequence.cameras);
  const add = () => {
    const view = desk.view?.cameras.keptView();
    if (!view) return;
    let n = cameras.length + 1;
    while (cameras.some((c) => c.name === `Camera ${n}`)) n++;
    desk.edit(`Add camera "Camera ${n}"`, addCamera(freshId(), `Camera ${n}`, view));
  };
  return (
    <div className="move-details">
      <h3>
        <Video size={15} className="move-icon" aria-hidden="true" /> Cameras
      </h3>
      <ul className="plain" aria-label="Cameras">
        {cameras.map((c) => (
          <li key={c.id} className="row">
            <TextField
              label={`Name of camera ${c.name}`}
              value={c.name}
              take={(name) => desk.edit(`Rename camera "${c.name}"`, renameCamera(c.id, name))}
            />
            {c.id === live && <span className="count new">live</span>}
            <More
              label={`More about camera ${c.name}`}
              menu={{
                items: [
                  { key: "cut", label: "Cut to it at the playhead", disabled: c.id === live },
                  { key: "second", label: "Show it in the second view" },
                  { key: "begin", label: "Begin the sequence with it", disabled: c.id === sequence.camera },
                  { key: "remove", label: "Remove", danger: true, disabled: cameras.length < 2 },
                ],
                onClick: ({ key }) => {
                  if (key === "cut") cutTo(desk, c.id);
                  if (key === "second") setAids(desk, { second: c.id });
                  if (key === "begin") desk.edit(`Begin with camera "${c.name}"`, beginWithCamera(c.id));
                  if (key === "remove") desk.edit(`Remove camera "${c.name}"`, removeCamera(c.id));
                },
              }}
            />
          </li>
        ))}
      </ul>
      <Button size="small" icon={<Plus size={14} />} onClick={add}>
        Add a camera that stands here
      </Button>
      <LiveView live={live} />
      <h4>When it moves</h4>
      <Stillness target={{ type: "camera", id: live }} />
      <Tooltip title="An arrival at the playhead at what it shows now: whatever moves it comes to rest here">
        <Button size="small" onClick={() => holdHere(desk, [{ type: "camera", id: live }])}>
          Hold here
        </Button>
      </Tooltip>
      <h4>Abrupt places</h4>
      <SmoothList live={live} />
      <h4>In the picture</h4>
      <FramingList />
    </div>
  );
}

const AIM = ["aim.x", "aim.y", "aim.z"] as const;
const LABELS: Record<CameraChannel, string> = {
  "aim.x": "X",
  "aim.y": "Y",
  "aim.z": "Z",
  azimuth: CAMERA_WORDS.azimuth,
  elevation: CAMERA_WORDS.elevation,
  distance: CAMERA_WORDS.distance,
  roll: CAMERA_WORDS.roll,
  lens: CAMERA_WORDS.lens,
};

/** The view now, to be typed: typing leaves the camera where it is and changes what is looked at, until it is kept. */
function LiveView({ live }: { live: string }) {
  const desk = useDesk();
  const playing = useDeskState((s) => s.playing);
  const through = useDeskState((s) => s.through);
  // The free view turns under the pointer, at every frame; the numbers follow a few times a second.
  const [, setShown] = useState("");
  useEffect(() => {
    const timer = setInterval(() => setShown(JSON.stringify(freeView(desk))), 200);
    return () => clearInterval(timer);
  }, [desk]);
  const view = freeView(desk);
  const value = (name: CameraChannel) =>
    through || !view ? desk.valueOf({ type: "camera", id: live }, name) : view[name];
  const field = (name: CameraChannel) => (
    <ValueField
      key={name}
      ariaLabel={`Camera ${LABELS[name].toLowerCase()}`}
      label={LABELS[name]}
      kind={name === "lens" ? "plain" : name.startsWith("aim") || name === "distance" ? "length" : "angle"}
      {...(name === "lens" ? { suffix: "mm" } : {})}
      decimals={1}
      disabled={playing}
      value={value(name)}
      take={(v) => {
        if (name === "distance" && v <= 0) return "More than 0.";
        if (name === "lens" && (v < 4 || v > 1200)) return "Between 4 and 1200 mm.";
        if (name === "elevation" && Math.abs(v) > 90) return "Between -90° and 90°.";
        setView(desk, { [name]: v });
        return null;
      }}
    />
  );
  const lens = value("lens");
  const shiftAll = () => {
    const now = freeView(desk);
    if (!now) return;
    const by = AIM.map((name) => now[name] - desk.valueOf({ type: "camera", id: live }, name)) as Triple;
    if (Math.hypot(...by) < 1e-6) desk.notify("info", "You look at the same point as the camera. Pan the view first.");
    else if (desk.edit("Shift all kept views", shiftViews(live, by))) setThrough(desk, true);
  };
  return (
    <>
      <h4>{through ? "Looks at" : "The view you have now"}</h4>
      <div className="triple">{CAMERA_CHANNELS.slice(0, 3).map(field)}</div>
      <div className="pair">{CAMERA_CHANNELS.slice(3, 7).map(field)}</div>
      <div className="pair">
        {field("lens")}
        <ValueField
          ariaLabel="Angle of view"
          label="Angle"
          kind="angle"
          decimals={1}
          disabled={playing}
          value={angleOfView(lens)}
          take={(deg) => {
            if (deg < 2 || deg > 154) return "Between 2° and 154°.";
            setView(desk, { lens: SENSOR_WIDTH_MM / 2 / Math.tan((deg * Math.PI) / 360) });
            return null;
          }}
        />
      </div>
      <p className="soft">
        On a sensor {SENSOR_WIDTH_MM} mm wide.
        {through
          ? " Typing here looks round freely; keep the view to make it an arrival."
          : ` Seen from ${formatNumber(value("distance"), 0)} mm away; not kept yet.`}
      </p>
      {!through && (
        <div className="row wrap">
          <Button size="small" type="primary" onClick={() => keepView(desk)}>
            Keep this view
          </Button>
          <Tooltip title="Every kept view of this camera, the first one too, looks aside by as much as you do now">
            <Button size="small" onClick={shiftAll}>
              Shift all kept views alike
            </Button>
          </Tooltip>
        </div>
      )}
    </>
  );
}
