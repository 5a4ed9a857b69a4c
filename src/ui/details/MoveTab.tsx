"use client";
import { Button, Tooltip } from "antd";
import type { PartTarget } from "../../core/document/parts";
import { mayOwnAxis, turnOwn } from "../../desk/acts/joining";
import { holdHere } from "../../desk/acts/keeping";
import { pendingHere } from "../../desk/acts/pending";
import { useDesk, useDeskState } from "../desk/context";
import { Departures } from "./Departures";
import { HomeEditor } from "./HomeEditor";
import { JointReading } from "./JointReading";
import { PivotEditor } from "./PivotEditor";
import { PoseList } from "./PoseList";
import { Stillness } from "./Stillness";

/** Where a part or group stands at the playhead, typed or read; how still it is; its named poses and its pivot. */
export function MoveTab({ target }: { target: PartTarget }) {
  const desk = useDesk();
  useDeskState((s) => s.pending);
  const playing = useDeskState((s) => s.playing);
  useDeskState((s) => s.programVersion);
  // While playing the values would change sixty times a second; the details rest.
  useDeskState((s) => (s.playing ? -1 : s.ticks));
  const tracks = desk.program.trackPart(target);
  if (!tracks)
    return <p className="soft">None of its parts is in this revision of the assembly. What was made for it is kept.</p>;
  const waiting = pendingHere(desk, target)?.pose;
  const free =
    desk.program.transitions(target).some((t) => t.channel === "orientation") || waiting?.orientation !== undefined;
  return (
    <>
      {tracks.joints.map((j) => (
        <JointReading key={j.joint.id} joint={j.joint} named />
      ))}
      {mayOwnAxis(desk, target) && (
        <Tooltip title="A value for turning about the axis that it is round about; tilted, it goes on turning about its tilted axis">
          <Button size="small" onClick={() => turnOwn(desk, target)}>
            Turn about its own axis
          </Button>
        </Tooltip>
      )}
      <Departures targets={[target]} axes={tracks.axes} free={free} />
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
