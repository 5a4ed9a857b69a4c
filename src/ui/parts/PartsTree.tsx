"use client";
import { Button, Input, Tooltip, Tree, type TreeDataNode } from "antd";
import { ChevronDown, ChevronUp } from "lucide-react";
import { type Key, useCallback, useDeferredValue, useEffect, useMemo, useRef, useState } from "react";
import { findParts, isEmptyFilter, NO_FILTER } from "../../core/assembly/finding";
import type { Preparation } from "../../core/document/preparation";
import { namedIdentities } from "../../core/revision/identity";
import { select, selectGroup } from "../../desk/selection/selecting";
import { useDesk, useDeskState } from "../desk/context";
import { FilterButton } from "./FilterButton";
import { PartRow } from "./PartRow";
import { type RowKey, rowOf, treeRows, visibleKeys } from "./treeData";

/** How long after an edit it is looked again for parts that are gone, ms. */
const LOOK_AGAIN_MS = 300;

/**
 * Parts that documents name and this revision lacks. Looked for when edits pause: the tree is not drawn again with each
 * of them, only when the answer changes.
 */
function useGone(): readonly string[] {
  const desk = useDesk();
  const find = () =>
    [
      ...namedIdentities(
        desk.state.preparation.body,
        desk.state.sequences.map((s) => s.body),
      ),
    ].filter((k) => !desk.index.indexOf.has(k));
  const [gone, setGone] = useState<readonly string[]>(find);
  const look = useRef(find);
  look.current = find;
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | null = null;
    const stop = desk.store.subscribe((s, before) => {
      const same =
        s.sequences === before.sequences &&
        s.preparation === before.preparation &&
        s.assemblyVersion === before.assemblyVersion;
      if (same || timer) return;
      timer = setTimeout(() => {
        timer = null;
        const now = look.current();
        setGone((was) => (was.join("\n") === now.join("\n") ? was : now));
      }, LOOK_AGAIN_MS);
    });
    return () => {
      stop();
      if (timer) clearTimeout(timer);
    };
  }, [desk]);
  return gone;
}

/** Names that parts were given, by their keys; another map only when a name is another. */
function useNames(): ReadonlyMap<string, string> {
  const last = useRef<{ of: Preparation["nodes"]; names: ReadonlyMap<string, string> } | null>(null);
  return useDeskState((s) => {
    const of = s.preparation.body.nodes;
    if (last.current?.of === of) return last.current.names;
    const names = new Map<string, string>();
    for (const [key, { name }] of Object.entries(of)) if (name !== undefined) names.set(key, name);
    const before = last.current?.names;
    const same = before?.size === names.size && [...names].every(([key, name]) => before.get(key) === name);
    last.current = { of, names: same ? before : names };
    return last.current.names;
  });
}

/** What the tree shows: the rows, which of them are open, and what a search found. */
function useRows(bringIntoView: (row: number) => void) {
  const desk = useDesk();
  const selection = useDeskState((s) => s.selection);
  const group = useDeskState((s) => s.group);
  const groups = useDeskState((s) => s.preparation.body.groups);
  const names = useNames();
  const { nodes } = desk.index.assembly;
  const [filter, setFilter] = useState(NO_FILTER);
  const [expanded, setExpanded] = useState<Key[]>(() => [...desk.index.roots]);

  // Of thousands of parts the tree takes longer to make anew than a letter to type: it follows.
  const followed = useDeferredValue(filter);
  const searching = !isEmptyFilter(followed);
  const searched = useDeskState((s) => (searching ? s.preparation.body : null));
  const found = useMemo(
    () => (searched ? findParts(desk.index, searched, followed) : null),
    [desk, searched, followed],
  );
  const gone = useGone();
  const data = useMemo(
    () =>
      treeRows(
        desk.index,
        groups,
        (i) => names.get(nodes[i]?.key ?? "") ?? nodes[i]?.name ?? "",
        found && new Set(found),
        gone,
      ),
    [desk, groups, names, nodes, found, gone],
  );
  const openKeys = useMemo(() => (searching ? visibleKeys(data, null) : expanded), [searching, data, expanded]);

  const shown = useRef({ data, openKeys });
  shown.current = { data, openKeys };
  /** Found parts were selected from here: the tree stays as it was. */
  const stays = useRef(false);
  // What is picked on the stage is opened and brought into view here.
  useEffect(() => {
    const last = selection.at(-1);
    // A search may have left out what is to be shown; then there is nothing to scroll to.
    const scrollTo = (key: RowKey) => {
      const timer = setTimeout(() => {
        const at = visibleKeys(shown.current.data, new Set(shown.current.openKeys as RowKey[])).indexOf(key);
        if (at >= 0) bringIntoView(at);
      }, 60);
      return () => clearTimeout(timer);
    };
    if (group !== null) return scrollTo(`g:${group}`);
    if (stays.current) {
      stays.current = false;
      return;
    }
    if (last === undefined) return;
    const above: number[] = [];
    for (let p = nodes[last]?.parent ?? -1; p >= 0; p = nodes[p]?.parent ?? -1) above.push(p);
    setExpanded((e) => (above.every((a) => e.includes(a)) ? e : [...new Set([...e, ...above])]));
    return scrollTo(last);
  }, [selection, group, nodes, bringIntoView]);
  const take = () => {
    // What is typed counts, also where the tree does not show it yet.
    const all = isEmptyFilter(filter) ? [] : findParts(desk.index, desk.state.preparation.body, filter);
    if (all.length === 0) return;
    stays.current = true;
    select(desk, all);
    setFilter(NO_FILTER);
  };
  return { filter, setFilter, searching, found, data, openKeys, setExpanded, take };
}

const title = (node: TreeDataNode) => <PartRow rowKey={node.key as RowKey} title={node.title as string} />;

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
  const selection = useDeskState((s) => s.selection);
  const group = useDeskState((s) => s.group);
  const hasGroups = useDeskState((s) => Object.keys(s.preparation.body.groups).length > 0);
  const [height, setHeight] = useState(200);
  const anchor = useRef<RowKey | null>(null);
  const body = useRef<HTMLDivElement>(null);
  const tree = useRef<{ scrollTo(top: number): void } | null>(null);
  const { nodes } = desk.index.assembly;
  const bringIntoView = useCallback((row: number) => {
    const list = body.current?.querySelector(".ant-tree-list-holder");
    const [first, next] = list?.querySelectorAll(".ant-tree-list-holder-inner > .ant-tree-treenode") ?? [];
    if (!list || !first || !next) return;
    const high = next.getBoundingClientRect().top - first.getBoundingClientRect().top;
    // By its place: looking for a row by its key, the tree makes itself anew until all before it are measured.
    // With a neighbour to either side, which is often the next to be chosen.
    const [above, below] = [Math.max(0, row - 1) * high, (row + 2) * high - list.clientHeight];
    if (list.scrollTop > above || list.scrollTop < below)
      tree.current?.scrollTo(list.scrollTop > above ? above : below);
  }, []);
  const { filter, setFilter, searching, found, data, openKeys, setExpanded, take } = useRows(bringIntoView);

  useEffect(() => {
    if (!body.current) return;
    const observer = new ResizeObserver(([entry]) => entry && setHeight(entry.contentRect.height));
    observer.observe(body.current);
    return () => observer.disconnect();
  }, []);
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
  const selectedKeys = useMemo<Key[]>(() => (group !== null ? [`g:${group}`] : [...selection]), [group, selection]);

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
          onChange={(e) => {
            setFilter({ ...filter, text: e.target.value });
            if (folded) onFold(false);
          }}
          onPressEnter={(e) => {
            // Keys are meant for what is selected again.
            take();
            e.currentTarget.blur();
          }}
          className="panel-search"
        />
        <FilterButton filter={filter} onChange={setFilter} />
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
            // What the tree lends is less than its type says; the hook names what is used of it.
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
            motion={false}
            titleRender={title}
          />
        )}
        {!hasGroups && !searching && nodes.length > 2 && selection.length > 1 && (
          <p className="soft hint-line">Ctrl+G makes the selected parts one thing that moves.</p>
        )}
      </div>
    </section>
  );
}
