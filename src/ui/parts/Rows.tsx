"use client";
import { useVirtualizer } from "@tanstack/react-virtual";
import { ChevronDown, ChevronRight } from "lucide-react";
import { memo, type ReactNode, type RefObject, useEffect, useMemo, useRef, useState } from "react";
import type { PartFilter } from "../../core/assembly/finding";
import { keyAct, type RowKey, type TreeRow } from "../../desk/parts/rows";
import { afterLayout, IN_SIGHT } from "../common/afterLayout";
import { useDeskState } from "../desk/context";
import { PartRow } from "./PartRow";

/** How high a row is, and how far each level is set in, CSS pixels. */
const [HIGH, IN] = [26, 14];

/** Keys held while a row is chosen. */
export interface How {
  ctrl: boolean;
  shift: boolean;
}

export interface RowActs {
  choose(key: RowKey, how: How): void;
  toggle(key: RowKey): void;
  /** @param key of the row that it is about; null for what is selected */
  openMenu(key: RowKey | null, x: number, y: number): void;
}

const idOf = (index: number) => `part-row-${index}`;

/**
 * The rows of the parts tree, of which only those in sight are there. Whoever looks for a row or scrolls makes none anew
 * that is as it was.
 */
export function Rows({
  rows,
  titleOf,
  searched,
  wanted,
  acts,
  children,
}: {
  rows: readonly TreeRow[];
  titleOf: (key: RowKey) => string;
  /** What is looked for: something else is shown from its beginning. */
  searched: PartFilter | null;
  /** What is to be brought into view. */
  wanted: RefObject<RowKey | null>;
  acts: RefObject<RowActs>;
  /** What stands below the rows. */
  children: ReactNode;
}) {
  const selection = useDeskState((s) => s.selection);
  const group = useDeskState((s) => s.group);
  const body = useRef<HTMLDivElement>(null);
  /** The row that keys are at. */
  const [at, setAt] = useState<RowKey | null>(null);
  const view = useVirtualizer<HTMLElement, Element>({
    count: rows.length,
    getScrollElement: () => body.current,
    estimateSize: () => HIGH,
    ...IN_SIGHT,
    overscan: 6,
    getItemKey: (i) => (rows[i] as TreeRow).key,
  });
  const looking = useRef<() => void>(undefined);
  useEffect(() => () => looking.current?.(), []);
  const scrollTo = (top: number) => {
    looking.current?.();
    // As high as the list is to be, it is after the next layout.
    if (body.current) looking.current = afterLayout(body.current, () => body.current?.scrollTo({ top }));
  };
  // By what is known of the view: to ask the page would lay it out in the middle of an act.
  const bringIntoView = (row: number, beside: number) => {
    const [top, high] = [view.scrollOffset ?? 0, view.scrollRect?.height ?? IN_SIGHT.initialRect.height];
    const [above, below] = [Math.max(0, row - beside) * HIGH, (row + 1 + beside) * HIGH - high];
    if (top > above || top < below) scrollTo(top > above ? above : below);
  };
  useEffect(() => {
    if (wanted.current === null) return;
    const row = rows.findIndex((r) => r.key === wanted.current);
    if (row < 0) return;
    setAt(wanted.current);
    wanted.current = null;
    // With a neighbour to either side, which is often the next to be chosen.
    bringIntoView(row, 1);
  });
  useEffect(() => {
    if (searched && (view.scrollOffset ?? 0) > 0) scrollTo(0);
  }, [searched]);
  const place = useMemo(() => (at === null ? -1 : rows.findIndex((r) => r.key === at)), [rows, at]);
  const selected = useMemo(() => new Set<RowKey>(group !== null ? [`g:${group}`] : selection), [group, selection]);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the menu is also on Shift+F10
    <div
      className="panel-body"
      ref={body}
      onContextMenu={(e) => {
        e.preventDefault();
        const row = (e.target as HTMLElement).closest<HTMLElement>(".part-row");
        const key = rows[Number(row?.dataset.row ?? -1)]?.key ?? null;
        acts.current.openMenu(key, e.clientX, e.clientY);
      }}
    >
      <div
        className="part-rows"
        role="tree"
        tabIndex={0}
        aria-label="Tree of parts"
        aria-multiselectable
        aria-activedescendant={place < 0 ? undefined : idOf(place)}
        style={{ height: view.getTotalSize() }}
        onKeyDown={(e) => {
          if (e.altKey || e.metaKey) return;
          const act = keyAct(rows, place, e.ctrlKey ? `Ctrl+${e.code}` : e.code);
          if (!act) return;
          e.preventDefault();
          if ("toggle" in act) return acts.current.toggle(act.toggle);
          if ("choose" in act) return acts.current.choose(act.choose, { ctrl: act.more, shift: e.shiftKey });
          setAt(rows[act.to]?.key ?? null);
          bringIntoView(act.to, 0);
        }}
      >
        {view.getVirtualItems().map(({ index, key, start }) => {
          const row = rows[index] as TreeRow;
          return (
            <Row
              key={key as RowKey}
              rowKey={row.key}
              index={index}
              depth={row.depth}
              open={row.open}
              title={titleOf(row.key)}
              top={start}
              selected={selected.has(row.key)}
              at={row.key === at}
              acts={acts}
              onAt={setAt}
            />
          );
        })}
      </div>
      {children}
    </div>
  );
}

const Row = memo(function Row({
  rowKey,
  index,
  depth,
  open,
  title,
  top,
  selected,
  at,
  acts,
  onAt,
}: {
  rowKey: RowKey;
  index: number;
  depth: number;
  open: boolean | null;
  title: string;
  top: number;
  selected: boolean;
  at: boolean;
  acts: RefObject<RowActs>;
  onAt: (key: RowKey) => void;
}) {
  const Turn = open ? ChevronDown : ChevronRight;
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: the tree has the focus and takes the keys
    // biome-ignore lint/a11y/useFocusableInteractive: the same
    <div
      className={`part-row ${selected ? "selected" : ""} ${at ? "at" : ""}`}
      id={idOf(index)}
      role="treeitem"
      aria-level={depth + 1}
      aria-expanded={open ?? undefined}
      aria-selected={selected}
      data-row={index}
      style={{ transform: `translateY(${top}px)`, paddingLeft: depth * IN }}
      onClick={(e) => {
        onAt(rowKey);
        acts.current.choose(rowKey, { ctrl: e.ctrlKey || e.metaKey, shift: e.shiftKey });
      }}
    >
      {/* biome-ignore lint/a11y/noStaticElementInteractions: left and right do the same */}
      {/* biome-ignore lint/a11y/useKeyWithClickEvents: left and right do the same */}
      <span
        className="part-turn"
        title={open === null ? undefined : open ? "Close" : "Open"}
        onClick={(e) => {
          e.stopPropagation();
          if (open !== null) acts.current.toggle(rowKey);
        }}
      >
        {open !== null && <Turn size={13} aria-hidden />}
      </span>
      <PartRow rowKey={rowKey} title={title} />
    </div>
  );
});
