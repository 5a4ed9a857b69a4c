"use client";
import { Tooltip } from "antd";
import { Boxes, Cuboid, Eye, EyeOff, Ghost, Lock, Unlink, Waypoints } from "lucide-react";
import { memo, useLayoutEffect, useRef, useState } from "react";
import type { PartTarget } from "../../core/document/parts";
import { setFlag } from "../../core/edit/preparationCommands";
import { joinGroup, leaveGroups, rename } from "../../desk/acts/partActions";
import { type RowKey, rowOf } from "../../desk/parts/rows";
import { useDesk, useDeskState } from "../desk/context";

/** What rows carry while dragged: the keys of the parts, as JSON. */
const DRAGGED = "application/x-plextan-parts";

/** The same elements each time, so that a row that is made anew makes none of its signs anew. */
const SIGNS = {
  group: <Waypoints size={13} />,
  assembly: <Boxes size={13} />,
  part: <Cuboid size={13} />,
  locked: <Lock size={12} aria-label="Locked" />,
  ghost: <Ghost size={12} aria-label="Seen through" />,
  shown: <Eye size={13} />,
  hidden: <EyeOff size={13} />,
};

/**
 * One row of the parts tree: icon, name (or its field), marks and the eye. The tree is made anew with every selection and
 * while it scrolls; its rows are not, as long as they stay the same.
 */
export const PartRow = memo(function PartRow({ rowKey, title }: { rowKey: RowKey; title: string }) {
  const desk = useDesk();
  const row = rowOf(rowKey);
  const [over, setOver] = useState(false);
  const node = row.kind === "node" || row.kind === "member" ? row.node : -1;
  const entry = node >= 0 ? desk.index.assembly.nodes[node] : undefined;
  const key = entry?.key ?? "";
  const prepared = useDeskState((s) => s.preparation.body.nodes[key]);
  const groupLocked = useDeskState((s) =>
    row.kind === "group" ? s.preparation.body.groups[row.id]?.locked === true : false,
  );
  const pending = useDeskState((s) =>
    Object.values(s.pending).some((p) =>
      row.kind === "group"
        ? p.target.type === "group" && p.target.id === row.id
        : p.target.type === "node" && p.target.key === key,
    ),
  );
  const renaming = useDeskState((s) => {
    const r = s.renaming;
    if (!r) return false;
    return row.kind === "group"
      ? r.type === "group" && r.id === row.id
      : row.kind === "node" && r.type === "node" && r.key === key;
  });
  if (row.kind === "head") return <span className="part gone">{title}</span>;
  if (row.kind === "gone") {
    return (
      <span
        className="part gone"
        title={`${row.key}: no part of this revision was matched with it. What was made for it is kept.`}
        data-gone={row.key}
      >
        <Unlink size={13} />
        <span className="part-name">{title}</span>
      </span>
    );
  }
  const into = row.kind === "group" || row.kind === "member" ? row.id : null;
  const takes = into !== null || (row.kind === "node" && desk.index.depth[row.node] === 0);
  const target: PartTarget = row.kind === "group" ? { type: "group", id: row.id } : { type: "node", key };
  const hidden = prepared?.hidden === true;
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: hovering only mirrors the stage
    <span
      className={`part ${hidden ? "hidden" : ""} ${over ? "drop-here" : ""}`}
      draggable={node >= 0 && !renaming}
      onDragStart={(e) => {
        const { selection } = desk.state;
        const list = selection.includes(node) ? selection : [node];
        e.dataTransfer.setData(DRAGGED, JSON.stringify(list.map((n) => desk.index.assembly.nodes[n]?.key ?? "")));
        e.dataTransfer.effectAllowed = "move";
      }}
      onDragOver={(e) => {
        if (!takes || !e.dataTransfer.types.includes(DRAGGED)) return;
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        setOver(false);
        const text = e.dataTransfer.getData(DRAGGED);
        if (!takes || !text) return;
        e.preventDefault();
        const keys = JSON.parse(text) as string[];
        if (into !== null) joinGroup(desk, into, keys);
        else leaveGroups(desk, keys);
      }}
      onMouseEnter={() => desk.setHover(node >= 0 ? node : null)}
      onMouseLeave={() => desk.setHover(null)}
      {...(row.kind === "node"
        ? { "data-part": key }
        : row.kind === "group"
          ? { "data-group": row.id }
          : { "data-member": key })}
    >
      {SIGNS[row.kind === "group" ? "group" : entry?.kind === "assembly" ? "assembly" : "part"]}
      {renaming ? (
        <NameField target={target} name={title} />
      ) : (
        <span className="part-name" title={row.kind === "group" ? "A group: acts as one" : key}>
          {title}
        </span>
      )}
      {pending && <em className="part-pending">pending</em>}
      {(prepared?.locked || groupLocked) && SIGNS.locked}
      {prepared?.ghost && SIGNS.ghost}
      {row.kind !== "group" && (
        <button
          type="button"
          className="part-eye"
          title={hidden ? "Show" : "Hide"}
          aria-label={`${hidden ? "Show" : "Hide"} ${title}`}
          onClick={(e) => {
            e.stopPropagation();
            desk.prepare(`${hidden ? "Show" : "Hide"} ${title}`, setFlag([key], "hidden", !hidden));
          }}
        >
          {SIGNS[hidden ? "hidden" : "shown"]}
        </button>
      )}
    </span>
  );
});

function NameField({ target, name }: { target: PartTarget; name: string }) {
  const desk = useDesk();
  const [text, setText] = useState(name);
  const over = text.trim().length > 200;
  const field = useRef<HTMLInputElement>(null);
  // The row is brought into view by the tree. Asked to come into view itself, the field would have the page laid out in
  // the middle of the act.
  useLayoutEffect(() => field.current?.focus({ preventScroll: true }), []);
  return (
    <Tooltip
      title={over ? `A name may have at most 200 characters; this has ${text.trim().length}.` : null}
      open={over}
      color="var(--brick)"
    >
      <input
        ref={field}
        className="part-rename"
        aria-label="New name"
        value={text}
        onFocus={(e) => e.target.select()}
        onChange={(e) => setText(e.target.value)}
        onClick={(e) => e.stopPropagation()}
        onMouseDown={(e) => e.stopPropagation()}
        onBlur={() => (over ? desk.set({ renaming: null }) : rename(desk, target, text))}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === "Enter" && !over) rename(desk, target, text);
          if (e.key === "Escape") desk.set({ renaming: null });
        }}
      />
    </Tooltip>
  );
}
