"use client";
import { Button, Tooltip } from "antd";
import type { PartTarget } from "../../core/document/parts";
import { targetId } from "../../core/document/sequence";
import { holdHere } from "../../desk/acts/keeping";
import { isHere } from "../../desk/acts/pending";
import { pend } from "../../desk/acts/posing";
import type { ValueKind } from "../../desk/typing/valueFields";
import { useDesk, useDeskState } from "../desk/context";
import { HomeEditor } from "./HomeEditor";
import { JointReading } from "./JointReading";
import { PivotEditor } from "./PivotEditor";
import { PoseList } from "./PoseList";
import { Stillness } from "./Stillness";
import { ValueField } from "./ValueField";

/** Where a part or group stands at the playhead, typed or read; how still it is; its named poses and its pivot. */
export function MoveTab({ target }: { target: PartTarget }) {
  const desk = useDesk();
  const pending = useDeskState((s) => s.pending);
  const playing = useDeskState((s) => s.playing);
  useDeskState((s) => s.programVersion);
  // While playing the values would change sixty times a second; the details rest.
  useDeskState((s) => (s.playing ? -1 : s.ticks));
  const tracks = desk.program.trackPart(target);
  if (!tracks)
    return <p className="soft">None of its parts is in this revision of the assembly. What was made for it is kept.</p>;
  const waiting = pending[targetId(target)];
  const here = waiting !== undefined && isHere(desk, waiting);
  const row = (channel: string, word: string, label: string, kind: ValueKind) => (
    <ValueField
      key={channel}
      ariaLabel={`${word} ${label}`}
      label={label}
      kind={kind}
      disabled={playing}
      className={here && channel in (waiting?.values ?? {}) ? "is-pending" : ""}
      value={desk.valueOf(target, channel)}
      take={(v) => (pend(desk, target, { [channel]: v }) ? null : "Not taken; the message says why.")}
    />
  );
  const free =
    desk.program.transitions(target).some((t) => t.channel === "orientation") ||
    (here && waiting?.orientation !== undefined);
  return (
    <>
      {tracks.joints.map((j) => (
        <JointReading key={j.joint.id} joint={j.joint} named />
      ))}
      <h4>Slide</h4>
      <div className="triple">
        {(["x", "y", "z"] as const).map((a) => row(`slide.${a}`, "Slide", a.toUpperCase(), "length"))}
      </div>
      <h4>Turn</h4>
      <div className="triple">{tracks.axes.map((a) => row(`turn.${a.id}`, "Turn", a.name, "angle"))}</div>
      {free && (
        <p className="soft">
          Has a free orientation too.{" "}
          <Button size="small" type="link" onClick={() => pend(desk, target, {}, [0, 0, 0, 1])}>
            Back to none
          </Button>
        </p>
      )}
      <h4>Size</h4>
      <div className="triple">
        {(["x", "y", "z"] as const).map((a) => row(`size.${a}`, "Size", a.toUpperCase(), "plain"))}
      </div>
      <h4>Opacity</h4>
      <div className="triple">{row("opacity", "Opacity", "0–1", "share")}</div>
      <p className="soft">Values are departures from home; 0 is where it belongs, and a size of 1.</p>
      <h4>When it moves</h4>
      <Stillness target={target} />
      <Tooltip title="An arrival at the playhead at what it shows now: whatever moves it comes to rest here">
        <Button size="small" disabled={playing} onClick={() => holdHere(desk, [target])}>
          Hold here
        </Button>
      </Tooltip>
      <h4>Named poses</h4>
      <PoseList target={target} />
      {target.type === "node" && (
        <>
          <h4>Home</h4>
          <HomeEditor target={target} />
        </>
      )}
      <h4>Pivot</h4>
      <PivotEditor target={target} />
    </>
  );
}
