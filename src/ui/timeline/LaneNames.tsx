"use client";
import { ChevronDown, ChevronRight, Unlink } from "lucide-react";
import { useEffect, useState } from "react";
import { selectLane } from "../../desk/acts/timingActions";
import { nameOf, nodesOf, targetName } from "../../desk/names";
import type { Focus } from "../../desk/selection/refs";
import { chooseParts, select, selectGroup } from "../../desk/selection/selecting";
import { camera, sound } from "../../desk/selection/selection";
import { LANE, type Lane } from "../../desk/timeline/lanes";
import { HEAD, NAMES } from "../../desk/timeline/paint";
import type { TimelineRow } from "../../desk/timeline/rows";
import type { TimelineSurface } from "../../desk/timeline/surface";
import { useDesk, useDeskState } from "../desk/context";

/** Names of the lanes in sight, beside them. */
export function LaneNames({ surface }: { surface: TimelineSurface }) {
  const [view, setView] = useState({ top: 0, height: 0 });
  const [rows, setRows] = useState<readonly TimelineRow[]>(surface.rows);
  useEffect(() => {
    const look = () =>
      setView((v) =>
        v.top === surface.view.top && v.height === surface.view.height
          ? v
          : { top: surface.view.top, height: surface.view.height },
      );
    const list = () => setRows(surface.rows);
    surface.onRows.add(list);
    surface.onView.add(look);
    setRows(surface.rows);
    look();
    return () => {
      surface.onRows.delete(list);
      surface.onView.delete(look);
    };
  }, [surface]);
  const first = Math.max(0, Math.floor(view.top / LANE) - 2);
  const last = Math.min(rows.length, Math.ceil((view.top + view.height) / LANE) + 2);
  return (
    <div
      className="lane-names"
      style={{ width: NAMES }}
      onWheel={(e) => surface.parts.scroller.scrollBy({ top: e.deltaY })}
    >
      <div className="lane-corner" style={{ height: HEAD }} />
      <div className="lane-list">
        {rows.slice(first, last).map((row, i) => (
          <div
            key={`${row.kind} ${row.id}`}
            style={{ position: "absolute", left: 0, right: 0, top: (first + i) * LANE - view.top, height: LANE }}
          >
            {row.kind === "sound" ? (
              <SoundName row={row} />
            ) : row.kind === "lane" ? (
              <LaneName lane={row.lane} inside={row.inside} />
            ) : (
              <GroupName row={row} surface={surface} />
            )}
          </div>
        ))}
      </div>
    </div>
  );
}

function GroupName({ row, surface }: { row: Extract<TimelineRow, { kind: "group" }>; surface: TimelineSurface }) {
  const desk = useDesk();
  const name = useDeskState(() => nameOf(desk, row.node));
  return (
    <button
      type="button"
      className="lane-name group"
      aria-expanded={row.open}
      title={`${name}: ${row.lanes.length} parts that move. ${row.open ? "Close" : "Open"} them.`}
      onClick={() => surface.toggleRow(row.id)}
    >
      {row.open ? <ChevronDown size={13} /> : <ChevronRight size={13} />} {name}
    </button>
  );
}

const isChosen = (focus: Focus, row: Extract<TimelineRow, { kind: "sound" }>): boolean =>
  focus.kind === "sound" && row.blocks.some((b) => b.sound.id === focus.id);

/** A lane of sounds; a click chooses the one at the playhead or, where there is none, the next. */
function SoundName({ row }: { row: Extract<TimelineRow, { kind: "sound" }> }) {
  const desk = useDesk();
  const selected = useDeskState((s) => isChosen(s.focus, row));
  const name = row.id === "voice" ? "Narration" : "Music";
  const go = () => {
    const { ticks } = desk.state;
    const block = row.blocks.find((b) => b.t1 > ticks) ?? row.blocks[row.blocks.length - 1];
    if (block) chooseParts(desk, sound(block.sound.id));
  };
  return (
    <button
      type="button"
      className={`lane-name ${selected ? "selected" : ""}`}
      onClick={go}
      title={`${name}. Chooses the recording at the playhead.`}
    >
      {name}
    </button>
  );
}

function LaneName({ lane, inside }: { lane: Lane; inside: boolean }) {
  const desk = useDesk();
  const selected = useDeskState((s) =>
    lane.target.type === "group"
      ? s.group === lane.target.id
      : lane.target.type === "node" &&
        s.group === null &&
        s.selection.includes(desk.index.indexOf.get(lane.target.key) ?? -1),
  );
  const { target } = lane;
  const go = () => {
    if (target.type === "camera" || target.type === "picture") chooseParts(desk, camera());
    if (target.type === "group") selectGroup(desk, target.id);
    if (target.type === "node") {
      const node = desk.index.indexOf.get(target.key);
      if (node !== undefined) select(desk, [node]);
    }
  };
  // The lanes are not listed anew where nothing moves otherwise: names and what is gone are followed here.
  const gone = useDeskState(
    () =>
      (target.type === "node" && !desk.index.indexOf.has(target.key)) ||
      (target.type === "group" && nodesOf(desk, target).length === 0),
  );
  const name = useDeskState(() => targetName(desk, target));
  return (
    <button
      type="button"
      className={`lane-name ${selected ? "selected" : ""} ${gone ? "gone" : ""} ${inside ? "inside" : ""}`}
      onClick={(e) => (e.ctrlKey || e.metaKey ? selectLane(desk, target, "add") : go())}
      onDoubleClick={() => selectLane(desk, target)}
      title={
        gone
          ? `${name} is not in this revision of the assembly. Its arrivals are kept.`
          : `${name}. Double-click selects all on its lane; with Ctrl, adds it.`
      }
    >
      {gone && <Unlink size={12} aria-label="Not in this revision" />} {name}
    </button>
  );
}
