"use client";
import { Button, Dropdown, Space, Tooltip } from "antd";
import { ChevronDown } from "lucide-react";
import type { PartTarget } from "../../core/document/parts";
import { targetId } from "../../core/document/sequence";
import type { NodeTracks } from "../../core/program/layout";
import { mayOwnAxis, turnOwn } from "../../desk/acts/joining";
import { holdHere } from "../../desk/acts/keeping";
import { pendingHere } from "../../desk/acts/pending";
import { useDesk, useDeskState } from "../desk/context";
import { Departures } from "./Departures";
import { HomeEditor } from "./HomeEditor";
import { JointReading } from "./JointReading";
import { PartMoves } from "./PartMoves";
import { PivotEditor } from "./PivotEditor";
import { PoseList } from "./PoseList";
import { Stillness } from "./Stillness";

/** What can be held for itself: values that are set together, and each joint. */
function holdable(tracks: NodeTracks): { label: string; channels: string[] }[] {
  const of = (head: string) => [...tracks.channels.keys()].filter((c) => c.startsWith(`${head}.`));
  return [
    ...tracks.joints
      .filter((j) => !j.driver)
      .map((j) => ({ label: `Hold ${j.joint.name}`, channels: [`joint.${j.joint.id}`] })),
    { label: "Hold where it is (slide)", channels: of("slide") },
    { label: "Hold how it is turned", channels: of("turn") },
    { label: "Hold its size", channels: of("size") },
    { label: "Hold its opacity", channels: ["opacity"] },
  ];
}

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
    (desk.program.placed.get(targetId(target)) ?? []).some((r) => r.channel === "orientation") ||
    waiting?.orientation !== undefined;
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
      <PartMoves target={target} />
      <Stillness target={target} />
      <Space.Compact size="small">
        <Tooltip title="An arrival at the playhead at what it shows now: whatever moves it comes to rest here">
          <Button size="small" disabled={playing} onClick={() => holdHere(desk, [target])}>
            Hold here
          </Button>
        </Tooltip>
        <Dropdown
          trigger={["click"]}
          disabled={playing}
          menu={{
            items: holdable(tracks).map(({ label }, i) => ({ key: String(i), label })),
            onClick: ({ key }) => holdHere(desk, [target], holdable(tracks)[Number(key)]?.channels ?? []),
          }}
        >
          <Button size="small" aria-label="Hold only some of it here" icon={<ChevronDown size={13} />} />
        </Dropdown>
      </Space.Compact>
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
