"use client";
import { Button, Input, Switch, Tooltip } from "antd";
import { Folder as FolderIcon, Plus, TriangleAlert } from "lucide-react";
import { memo, useCallback, useRef, useState } from "react";
import type { Folder, Move, Step } from "../../core/document/sequence";
import { removeFolder, updateFolder, updateMove } from "../../core/edit/moveCommands";
import { moveKindOf } from "../../core/moves/kinds";
import { spanOf } from "../../core/program/spans";
import { formatSecondsShort } from "../../core/time/time";
import {
  copyMarked,
  duplicateMarked,
  folderMarked,
  keyByHand,
  mark,
  markAll,
  openMoves,
  pasteCopied,
  putBackMarked,
  removeMarked,
} from "../../desk/acts/moveActions";
import { reportsOf } from "../../desk/acts/moveReports";
import type { MoveRef } from "../../desk/selection/refs";
import { LongList } from "../common/LongList";
import { More } from "../common/More";
import { useDesk, useDeskState } from "../desk/context";
import { MoveIcon } from "./MoveIcon";

/** A line of the list. */
type Line = { move: Move } | { folder: Folder; moves: readonly Move[] };

/** The moves of a step in the order in which they begin, in their folders. */
export function MoveList({ step }: { step: Step }) {
  const desk = useDesk();
  useDeskState((s) => s.programVersion);
  const marked = useDeskState((s) => s.marked);
  const copied = useDeskState((s) => s.copied);
  const begins = new Map(Object.values(step.moves).map((m) => [m, spanOf(m, desk.body()).t0]));
  const order = [...begins.keys()].sort(
    (a, b) => (begins.get(a) ?? 0) - (begins.get(b) ?? 0) || a.name.localeCompare(b.name) || (a.id < b.id ? -1 : 1),
  );
  const folders = Object.values(step.folders);
  const shown: Move[] = [
    ...order.filter((m) => m.folder === null || !step.folders[m.folder]),
    ...folders.flatMap((f) => order.filter((m) => m.folder === f.id)),
  ];
  const listed = useRef(shown);
  listed.current = shown;
  const select = useCallback(
    (move: string, e: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => {
      const ref: MoveRef = { step: step.id, move };
      const last = desk.state.marked.at(-1);
      if (e.shiftKey && last?.step === step.id) {
        const at = (id: string) => listed.current.findIndex((m) => m.id === id);
        const [a, b] = [at(last.move), at(move)].sort((p, q) => p - q) as [number, number];
        mark(desk, ref, { range: listed.current.slice(a, b + 1).map((m) => ({ step: step.id, move: m.id })) });
      } else mark(desk, ref, { more: e.ctrlKey || e.metaKey });
    },
    [desk, step.id],
  );
  const lines: Line[] = [
    ...order.filter((m) => m.folder === null || !step.folders[m.folder]).map((move) => ({ move })),
    ...folders.flatMap((folder) => {
      const moves = order.filter((m) => m.folder === folder.id);
      return [{ folder, moves }, ...moves.map((move) => ({ move }))];
    }),
  ];
  const chosen = new Set(marked.filter((m) => m.step === step.id).map((m) => m.move));
  return (
    <>
      <div className="panel-head inner">
        <h4>Moves</h4>
        <div className="grow" />
        {copied && (
          <Button size="small" type="text" onClick={() => pasteCopied(desk)}>
            Paste
          </Button>
        )}
        <Tooltip title="Choose a move for what is selected (Alt+M)">
          <Button size="small" icon={<Plus size={14} />} onClick={() => openMoves(desk)}>
            Add a move
          </Button>
        </Tooltip>
      </div>
      {shown.length === 0 ? (
        <p className="soft">
          Nothing moves in this step yet. Select a part and add a move; or move it by hand on the stage and keep the
          pose.
        </p>
      ) : (
        <LongList
          className="move-list"
          label="Moves of this step"
          rowHeight={40}
          items={lines}
          keyOf={(l) => ("move" in l ? l.move.id : `folder ${l.folder.id}`)}
          row={(l) =>
            "move" in l ? (
              <Row step={step} move={l.move} marked={chosen.has(l.move.id)} onSelect={select} />
            ) : (
              <li>
                <FolderRow step={step} folder={l.folder} moves={l.moves} />
              </li>
            )
          }
        />
      )}
    </>
  );
}

/** A long list is made anew while it scrolls and is measured; its rows are not, as long as they stay the same. */
const Row = memo(function Row({
  step,
  move,
  marked,
  onSelect,
}: {
  step: Step;
  move: Move;
  marked: boolean;
  onSelect: (move: string, e: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => void;
}) {
  const desk = useDesk();
  useDeskState((s) => s.programVersion);
  // Of one that is marked the menu is about all that are; of another about that one, which stays as it is.
  const others = useDeskState((s) => (marked ? s.marked.length : 1));
  const ref = { step: step.id, move: move.id };
  const span = spanOf(move, desk.body());
  const faults = reportsOf(desk, ref);
  const about =
    move.kind === "hand"
      ? `${Object.keys(move.keys).length} ${Object.keys(move.keys).length === 1 ? "arrival" : "arrivals"} by hand`
      : moveKindOf(move.kind).describe(move, desk.state.preparation.body);
  const these = () => (marked ? desk.state.marked : [ref]);
  return (
    <li
      className={`move-row ${marked ? "marked" : ""} ${move.on ? "" : "off"} ${
        move.folder !== null && step.folders[move.folder] ? "foldered" : ""
      }`}
      data-move={move.id}
      style={move.colour ? { borderLeftColor: `var(--mark-${move.colour})` } : {}}
    >
      <button
        type="button"
        className="move-main"
        aria-pressed={marked}
        onClick={(e) => onSelect(move.id, e)}
        title={`${move.name}\n${about}`}
      >
        <MoveIcon kind={move.kind} />
        <span className="move-text">
          <span className="ellipsis">{move.name}</span>
          <span className="ellipsis soft">{about}</span>
        </span>
        {faults.length > 0 && (
          <Tooltip title={faults.join(" ")}>
            <TriangleAlert size={13} className="problem" aria-label={faults.join(" ")} />
          </Tooltip>
        )}
        <span className="number soft">
          {formatSecondsShort(span.t0)}–{formatSecondsShort(span.t1)}
        </span>
      </button>
      <More
        label={`More about ${move.name}`}
        menu={{
          items: [
            {
              key: "back",
              label: `Put back ${others > 1 ? `${others} moves ` : ""}at the playhead (Ctrl+Shift+B)`,
            },
            { key: "copy", label: "Copy (Ctrl+C)" },
            { key: "duplicate", label: "Duplicate (Ctrl+D)" },
            { key: "folder", label: "Into a new folder" },
            ...(move.folder === null ? [] : [{ key: "out", label: "Out of its folder" }]),
            { key: "on", label: move.on ? "Switch off" : "Switch on" },
            ...(move.kind === "hand" ? [] : [{ key: "keys", label: "Turn into hand keys" }]),
            { type: "divider" as const },
            { key: "remove", label: "Remove (Delete)", danger: true },
          ],
          onClick: ({ key }) => {
            if (key === "back") putBackMarked(desk, these());
            if (key === "copy") copyMarked(desk, these());
            if (key === "duplicate") duplicateMarked(desk, these());
            if (key === "folder") folderMarked(desk, these());
            if (key === "out") desk.edit(`Take "${move.name}" out of its folder`, updateMove(ref, { folder: null }));
            if (key === "on")
              desk.edit(`${move.on ? "Switch off" : "Switch on"} "${move.name}"`, updateMove(ref, { on: !move.on }));
            if (key === "keys") keyByHand(desk, ref);
            if (key === "remove") removeMarked(desk, these());
          },
        }}
      />
    </li>
  );
});

function FolderRow({ step, folder, moves }: { step: Step; folder: Folder; moves: readonly Move[] }) {
  const desk = useDesk();
  const [name, setName] = useState<string | null>(null);
  const take = () => {
    if (name?.trim() && name.trim() !== folder.name)
      desk.edit("Rename folder", updateFolder(step.id, folder.id, { name: name.trim().slice(0, 200) }));
    setName(null);
  };
  return (
    <div className={`move-row folder ${folder.on ? "" : "off"}`}>
      <FolderIcon size={14} className="move-icon" />
      {name === null ? (
        <button
          type="button"
          className="move-main"
          onClick={() => markAll(desk, step.id)}
          onDoubleClick={() => setName(folder.name)}
        >
          <strong className="ellipsis">{folder.name}</strong>
          <span className="soft number">{moves.length}</span>
        </button>
      ) : (
        <Input
          size="small"
          autoFocus
          aria-label="Name of the folder"
          value={name}
          onChange={(e) => setName(e.target.value)}
          onBlur={take}
          onPressEnter={take}
          onKeyDown={(e) => {
            e.stopPropagation();
            if (e.key === "Escape") setName(null);
          }}
        />
      )}
      <Switch
        size="small"
        checked={folder.on}
        aria-label={`Folder ${folder.name} on`}
        onChange={(on) =>
          desk.edit(
            `${on ? "Switch on" : "Switch off"} folder "${folder.name}"`,
            updateFolder(step.id, folder.id, { on }),
          )
        }
      />
      <More
        label={`More about folder ${folder.name}`}
        menu={{
          items: [
            { key: "rename", label: "Rename" },
            { key: "back", label: "Put all back at the playhead" },
            { key: "dissolve", label: "Dissolve, keeping its moves" },
          ],
          onClick: ({ key }) => {
            if (key === "rename") setName(folder.name);
            if (key === "back")
              putBackMarked(
                desk,
                moves.map((m) => ({ step: step.id, move: m.id })),
              );
            if (key === "dissolve") desk.edit(`Dissolve folder "${folder.name}"`, removeFolder(step.id, folder.id));
          },
        }}
      />
    </div>
  );
}
