"use client";
import { useDeferredValue, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { findParts, isEmptyFilter, NO_FILTER, type PartFilter } from "../../core/assembly/finding";
import type { Preparation } from "../../core/document/preparation";
import { missingFinder } from "../../core/revision/identity";
import { type RowKey, treeRows } from "../../desk/parts/rows";
import { select } from "../../desk/selection/selecting";
import { useDesk, useDeskState } from "../desk/context";

/** How long after an edit it is looked again for parts that are gone, ms. */
const LOOK_AGAIN_MS = 300;
const NONE: ReadonlySet<RowKey> = new Set();

/**
 * Parts that documents name and this revision lacks. Looked for when edits pause: the tree is not drawn again with each
 * of them, only when the answer changes.
 */
function useGone(): readonly string[] {
  const desk = useDesk();
  const missing = useMemo(() => missingFinder(desk.index), [desk.index]);
  const find = () =>
    missing(
      desk.state.preparation.body,
      desk.state.sequences.map((s) => s.body),
    );
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

/** What the tree shows: its rows, their titles, and what a search found; and which row is to be brought into view. */
export function useRows() {
  const desk = useDesk();
  const selection = useDeskState((s) => s.selection);
  const group = useDeskState((s) => s.group);
  const groups = useDeskState((s) => s.preparation.body.groups);
  const names = useNames();
  const { nodes } = desk.index.assembly;
  const [filter, setFilter] = useState(NO_FILTER);
  const [open, setOpen] = useState<ReadonlySet<RowKey>>(() => new Set(desk.index.roots));

  // Of thousands of parts a search takes longer than a letter to type: it follows.
  const followed = useDeferredValue(filter);
  const searching = !isEmptyFilter(followed);
  const searched = useDeskState((s) => (searching ? s.preparation.body : null));
  const found = useMemo(
    () => (searched ? findParts(desk.index, searched, followed) : null),
    [desk, searched, followed],
  );
  const gone = useGone();
  // What is closed while searching is closed in that search alone.
  const [shut, setShut] = useState<{ of: PartFilter; keys: ReadonlySet<RowKey> }>({ of: NO_FILTER, keys: NONE });
  const turned = !searching ? open : shut.of === followed ? shut.keys : NONE;
  const rows = useMemo(
    () => treeRows({ index: desk.index, groups, found, gone, turned }),
    [desk, groups, found, gone, turned],
  );
  const nameOf = (node: number) => names.get(nodes[node]?.key ?? "") ?? nodes[node]?.name ?? "";

  /** Found parts were selected from here: the tree stays as it was. */
  const stays = useRef(false);
  /** What was selected elsewhere; a search may leave it out, then it is brought into view once that is over. */
  const wanted = useRef<RowKey | null>(null);
  // What is picked on the stage is opened and brought into view here; before the rows look for what that is.
  useLayoutEffect(() => {
    const last = selection.at(-1);
    wanted.current = group !== null ? `g:${group}` : stays.current || last === undefined ? null : last;
    if (group === null && stays.current) stays.current = false;
    else if (group === null && last !== undefined) {
      const above: number[] = [];
      for (let p = nodes[last]?.parent ?? -1; p >= 0; p = nodes[p]?.parent ?? -1) above.push(p);
      setOpen((o) => (above.every((a) => o.has(a)) ? o : new Set([...o, ...above])));
    }
  }, [selection, group, nodes]);
  const take = () => {
    // What is typed counts, also where the tree does not show it yet.
    const all = isEmptyFilter(filter) ? [] : findParts(desk.index, desk.state.preparation.body, filter);
    if (all.length === 0) return;
    stays.current = true;
    select(desk, all);
    setFilter(NO_FILTER);
  };
  const toggle = (key: RowKey) => {
    const next = new Set(turned);
    if (!next.delete(key)) next.add(key);
    if (searching) setShut({ of: followed, keys: next });
    else setOpen(next);
  };
  return { filter, setFilter, searched: searching ? followed : null, found, rows, nameOf, gone, toggle, take, wanted };
}
