"use client";
import { Button, Input, Tooltip, Tree } from "antd";
import { Boxes, Cuboid, Eye, EyeOff, Ghost, Lock, Unlink, Waypoints } from "lucide-react";
import { type Key, useEffect, useMemo, useRef, useState } from "react";
import { findParts, isEmptyFilter, NO_FILTER } from "../../core/assembly/finding";
import type { PartTarget } from "../../core/document/parts";
import { setFlag } from "../../core/edit/preparationCommands";
import { namedIdentities } from "../../core/revision/identity";
import { joinGroup, leaveGroups, rename } from "../../desk/acts/partActions";
import { nameOf } from "../../desk/names";
import { select, selectGroup } from "../../desk/selection/selecting";
import { useDesk, useDeskState } from "../desk/context";
import { FilterButton } from "./FilterButton";
import { type RowKey, rowOf, treeRows, visibleKeys } from "./treeData";

/** Groups and the assembly's tree, in step with the stage both ways. */
export function PartsTree() {
  const desk = useDesk();
  const selection = useDeskState((s) => s.selection);
  const group = useDeskState((s) => s.group);
  const preparation = useDeskState((s) => s.preparation.body);
  const sequences = useDeskState((s) => s.sequences);
  const [filter, setFilter] = useState(NO_FILTER);
  const [expanded, setExpanded] = useState<Key[]>(() => [...desk.index.roots]);
  const [height, setHeight] = useState(200);
  const anchor = useRef<RowKey | null>(null);
  const body = useRef<HTMLDivElement>(null);
  const tree = useRef<{ scrollTo(o: { key: Key; align?: "top" | "bottom" | "auto" }): void } | null>(null);
  const { nodes } = desk.index.assembly;

  useEffect(() => {
    if (!body.current) return;
    const observer = new ResizeObserver(([entry]) => entry && setHeight(entry.contentRect.height));
    observer.observe(body.current);
    return () => observer.disconnect();
  }, []);
  const searching = !isEmptyFilter(filter);
  const found = useMemo(
    () => (searching ? findParts(desk.index, preparation, filter) : null),
    [desk, preparation, filter, searching],
  );
  const gone = useMemo(
    () =>
      [
        ...namedIdentities(
          preparation,
          sequences.map((s) => s.body),
        ),
      ].filter((k) => !desk.index.indexOf.has(k)),
    [desk, preparation, sequences],
  );
  const data = useMemo(
    () => treeRows(desk.index, preparation, (i) => nameOf(desk, i), found && new Set(found), gone),
    [desk, preparation, found, gone],
  );
  const openKeys = useMemo(() => (searching ? visibleKeys(data, null) : expanded), [searching, data, expanded]);
  const groupRows = useMemo(() => Object.keys(preparation.groups), [preparation.groups]);

  // What is picked on the stage is opened and brought into view here.
  useEffect(() => {
    const last = selection.at(-1);
    if (group !== null) {
      const timer = setTimeout(() => tree.current?.scrollTo({ key: `g:${group}`, align: "auto" }), 60);
      return () => clearTimeout(timer);
    }
    if (last === undefined) return;
    const above: number[] = [];
    for (let p = nodes[last]?.parent ?? -1; p >= 0; p = nodes[p]?.parent ?? -1) above.push(p);
    setExpanded((e) => (above.every((a) => e.includes(a)) ? e : [...new Set([...e, ...above])]));
    const timer = setTimeout(() => tree.current?.scrollTo({ key: last, align: "auto" }), 60);
    return () => clearTimeout(timer);
  }, [selection, group, nodes]);

  const choose = (key: RowKey, how: { ctrl: boolean; shift: boolean }) => {
    const row = rowOf(key);
    if (row.kind === "head" || row.kind === "gone") return;
    if (row.kind === "group") {
      anchor.current = key;
      selectGroup(desk, row.id);
      return;
    }
    if (how.shift && anchor.current !== null) {
      const list = visibleKeys(data, new Set(openKeys as RowKey[]));
      const [a, b] = [list.indexOf(anchor.current), list.indexOf(key)];
      if (a >= 0 && b >= 0) {
        const range = list.slice(Math.min(a, b), Math.max(a, b) + 1).flatMap((k) => {
          const r = rowOf(k);
          return r.kind === "node" || r.kind === "member" ? [r.node] : [];
        });
        select(desk, [...new Set(how.ctrl ? [...selection, ...range] : range)]);
        return;
      }
    }
    anchor.current = key;
    if (how.ctrl)
      select(desk, selection.includes(row.node) ? selection.filter((n) => n !== row.node) : [...selection, row.node]);
    else select(desk, [row.node]);
  };
  const selectedKeys: Key[] = group !== null ? [`g:${group}`] : [...selection];

  return (
    <section className="panel" aria-label="Parts">
      <div className="panel-head">
        <h2>Parts</h2>
        <Input
          size="small"
          allowClear
          placeholder="Find: bolt, nut"
          aria-label="Find parts"
          value={filter.text}
          onChange={(e) => setFilter({ ...filter, text: e.target.value })}
          onPressEnter={() => found && found.length > 0 && select(desk, found)}
          className="panel-search"
        />
        <FilterButton filter={filter} onChange={setFilter} />
      </div>
      {found && (
        <div className="found-line">
          <span className="soft">
            {found.length} of {nodes.length} found
          </span>
          <div className="grow" />
          <Tooltip title="Enter in the field does the same">
            <Button size="small" type="link" disabled={found.length === 0} onClick={() => select(desk, found)}>
              Select all found
            </Button>
          </Tooltip>
        </div>
      )}
      {/* biome-ignore lint/a11y/noStaticElementInteractions: the menu is also on Shift+F10 */}
      <div
        className="panel-body"
        ref={body}
        onContextMenu={(e) => {
          e.preventDefault();
          desk.set({ menu: { x: e.clientX, y: e.clientY } });
        }}
      >
        {data.length === 0 ? (
          <p className="soft pad">No part is like that. Take back some of the words or limits.</p>
        ) : (
          <Tree
            ref={tree as never}
            virtual
            height={height}
            itemHeight={26}
            multiple
            blockNode
            selectedKeys={selectedKeys}
            expandedKeys={openKeys}
            onExpand={(keys) => setExpanded(keys)}
            treeData={data}
            onSelect={(_, info) => {
              const { ctrlKey, metaKey, shiftKey } = info.nativeEvent;
              choose(info.node.key as RowKey, { ctrl: ctrlKey || metaKey, shift: shiftKey });
            }}
            onRightClick={({ event, node }) => {
              const row = rowOf(node.key as RowKey);
              const already =
                row.kind === "group"
                  ? group === row.id
                  : (row.kind === "node" || row.kind === "member") && selection.includes(row.node);
              if (!already) choose(node.key as RowKey, { ctrl: false, shift: false });
              event.stopPropagation();
              event.preventDefault();
              desk.set({ menu: { x: event.clientX, y: event.clientY } });
            }}
            titleRender={(node) => <Row rowKey={node.key as RowKey} title={node.title as string} />}
          />
        )}
        {groupRows.length === 0 && !searching && nodes.length > 2 && selection.length > 1 && (
          <p className="soft hint-line">Ctrl+G makes the selected parts one thing that moves.</p>
        )}
      </div>
    </section>
  );
}

/** What rows carry while dragged: the keys of the parts, as JSON. */
const DRAGGED = "application/x-plextan-parts";

/** One row: icon, name (or its field), marks and the eye. */
function Row({ rowKey, title }: { rowKey: RowKey; title: string }) {
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
      {row.kind === "group" ? (
        <Waypoints size={13} />
      ) : entry?.kind === "assembly" ? (
        <Boxes size={13} />
      ) : (
        <Cuboid size={13} />
      )}
      {renaming ? (
        <NameField target={target} name={title} />
      ) : (
        <span className="part-name" title={row.kind === "group" ? "A group: acts as one" : key}>
          {title}
        </span>
      )}
      {pending && <em className="part-pending">pending</em>}
      {(prepared?.locked || groupLocked) && <Lock size={12} aria-label="Locked" />}
      {prepared?.ghost && <Ghost size={12} aria-label="Seen through" />}
      {row.kind !== "group" && (
        <Tooltip title={hidden ? "Show" : "Hide"}>
          <button
            type="button"
            className="part-eye"
            aria-label={`${hidden ? "Show" : "Hide"} ${title}`}
            onClick={(e) => {
              e.stopPropagation();
              desk.prepare(`${hidden ? "Show" : "Hide"} ${title}`, setFlag([key], "hidden", !hidden));
            }}
          >
            {hidden ? <EyeOff size={13} /> : <Eye size={13} />}
          </button>
        </Tooltip>
      )}
    </span>
  );
}

function NameField({ target, name }: { target: PartTarget; name: string }) {
  const desk = useDesk();
  const [text, setText] = useState(name);
  const over = text.trim().length > 200;
  return (
    <Tooltip
      title={over ? `A name may have at most 200 characters; this has ${text.trim().length}.` : null}
      open={over}
      color="var(--brick)"
    >
      <input
        // biome-ignore lint/a11y/noAutofocus: opened by the user to type in
        autoFocus
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
