"use client";
import { Button, Input, Tooltip } from "antd";
import { ChevronDown, ChevronUp } from "lucide-react";
import { memo, type RefObject, useRef } from "react";
import type { PartFilter } from "../../core/assembly/finding";
import { nodesBetween, type RowKey, rowOf } from "../../desk/parts/rows";
import { select, selectGroup } from "../../desk/selection/selecting";
import { useDesk, useDeskState } from "../desk/context";
import { FilterButton } from "./FilterButton";
import { type How, Rows } from "./Rows";
import { useRows } from "./useRows";

/** Groups and the assembly's tree, in step with the stage both ways. */
export function PartsTree({
  folded,
  onFold,
}: {
  /** Only the line with the search is seen. */
  folded: boolean;
  onFold: (on: boolean) => void;
}) {
  const desk = useDesk();
  const several = useDeskState((s) => s.selection.length > 1);
  const hasGroups = useDeskState((s) => Object.keys(s.preparation.body.groups).length > 0);
  const anchor = useRef<RowKey | null>(null);
  const { nodes } = desk.index.assembly;
  const { filter, setFilter, searched, found, rows, nameOf, gone, toggle, take, wanted } = useRows();

  const choose = (key: RowKey, how: How) => {
    const row = rowOf(key);
    const { selection } = desk.state;
    if (row.kind === "head") return toggle(key);
    if (row.kind === "gone") return;
    if (row.kind === "group") {
      anchor.current = key;
      return selectGroup(desk, row.id);
    }
    const range = how.shift && anchor.current !== null ? nodesBetween(rows, anchor.current, key) : [];
    if (range.length > 0) return select(desk, how.ctrl ? [...new Set([...selection, ...range])] : range);
    anchor.current = key;
    if (!how.ctrl) return select(desk, [row.node]);
    select(desk, selection.includes(row.node) ? selection.filter((n) => n !== row.node) : [...selection, row.node]);
  };
  /** Opens the menu of what is selected at a place; of a row that is not, it is selected first. */
  const openMenu = (key: RowKey | null, x: number, y: number) => {
    const row = key === null ? null : rowOf(key);
    const { selection, group } = desk.state;
    const already =
      row?.kind === "group"
        ? group === row.id
        : (row?.kind === "node" || row?.kind === "member") && selection.includes(row.node);
    if (key !== null && row?.kind !== "head" && !already) choose(key, { ctrl: false, shift: false });
    desk.set({ menu: { x, y } });
  };
  // Rows stay as they are while these are the same.
  const acts = useRef({ choose, toggle, openMenu, take });
  acts.current = { choose, toggle, openMenu, take };
  const titleOf = (key: RowKey): string => {
    const row = rowOf(key);
    if (row.kind === "group") return desk.state.preparation.body.groups[row.id]?.name ?? "";
    if (row.kind === "gone") return row.key.split("/").pop() ?? row.key;
    return row.kind === "head" ? `Not in this revision (${gone.length})` : nameOf(row.node);
  };

  return (
    <section className="panel" aria-label="Parts">
      <PartsHead filter={filter} onFilter={setFilter} onTake={acts} folded={folded} onFold={onFold} />
      {found && (
        <div className="found-line">
          <span className="soft">
            {found.length} of {nodes.length} found
          </span>
          <div className="grow" />
          <Tooltip title="Enter in the field does the same">
            <Button size="small" type="link" disabled={found.length === 0} onClick={take}>
              Select all found
            </Button>
          </Tooltip>
        </div>
      )}
      <Rows rows={rows} titleOf={titleOf} searched={searched} wanted={wanted} acts={acts}>
        {rows.length === 0 && <p className="soft pad">No part is like that. Take back some of the words or limits.</p>}
        {!hasGroups && !searched && nodes.length > 2 && several && (
          <p className="soft hint-line">Ctrl+G makes the selected parts one thing that moves.</p>
        )}
      </Rows>
    </section>
  );
}

/** The line with the search; a selection does not make it anew. */
const PartsHead = memo(function PartsHead({
  filter,
  onFilter,
  onTake,
  folded,
  onFold,
}: {
  filter: PartFilter;
  onFilter: (filter: PartFilter) => void;
  /** Selects what was found. */
  onTake: RefObject<{ take(): void }>;
  folded: boolean;
  onFold: (on: boolean) => void;
}) {
  return (
    <div className="panel-head">
      <h2>Parts</h2>
      <Input
        size="small"
        allowClear
        placeholder="Find: bolt, nut"
        aria-label="Find parts"
        value={filter.text}
        onChange={(e) => {
          onFilter({ ...filter, text: e.target.value });
          if (folded) onFold(false);
        }}
        onPressEnter={(e) => {
          // Keys are meant for what is selected again.
          onTake.current.take();
          e.currentTarget.blur();
        }}
        className="panel-search"
      />
      <FilterButton filter={filter} onChange={onFilter} />
      <Tooltip title={folded ? "Show the parts" : "Fold to this line, for more room for the steps"}>
        <Button
          size="small"
          type="text"
          aria-label={folded ? "Show the parts" : "Fold the parts"}
          aria-expanded={!folded}
          icon={folded ? <ChevronUp size={14} /> : <ChevronDown size={14} />}
          onClick={() => onFold(!folded)}
        />
      </Tooltip>
    </div>
  );
});
