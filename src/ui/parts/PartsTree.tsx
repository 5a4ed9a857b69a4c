"use client";
import type { TreeDataNode } from "antd";
import { Input, Tooltip, Tree } from "antd";
import { Boxes, Cuboid, Eye, EyeOff } from "lucide-react";
import { type Key, useEffect, useMemo, useRef, useState } from "react";
import { useDesk, useDeskState } from "../desk/context";

/** The assembly's tree, in step with the stage both ways. */
export function PartsTree() {
  const desk = useDesk();
  const selection = useDeskState((s) => s.selection);
  const preparation = useDeskState((s) => s.preparation.body);
  const pending = useDeskState((s) => s.pending);
  const [search, setSearch] = useState("");
  const [expanded, setExpanded] = useState<Key[]>(() => desk.index.roots.flatMap((r) => [r, ...(desk.index.children[r] ?? [])]).filter((i) => desk.index.depth[i] === 0));
  const [height, setHeight] = useState(200);
  const body = useRef<HTMLDivElement>(null);
  const tree = useRef<{ scrollTo(o: { key: Key; align?: "top" | "bottom" | "auto" }): void } | null>(null);
  const { nodes } = desk.index.assembly;

  useEffect(() => {
    if (!body.current) return;
    const observer = new ResizeObserver(([entry]) => entry && setHeight(entry.contentRect.height));
    observer.observe(body.current);
    return () => observer.disconnect();
  }, []);
  const data = useMemo(() => {
    const wanted = search.trim().toLowerCase();
    const make = (i: number): TreeDataNode | null => {
      const children = (desk.index.children[i] ?? []).map(make).filter((c): c is TreeDataNode => c !== null);
      const name = desk.nameOf(i);
      if (wanted && children.length === 0 && !name.toLowerCase().includes(wanted)) return null;
      return { key: i, title: name, children, isLeaf: (desk.index.children[i] ?? []).length === 0 };
    };
    return desk.index.roots.map(make).filter((c): c is TreeDataNode => c !== null);
  }, [desk, search, preparation]);

  // What is picked on the stage is opened and brought into view here.
  useEffect(() => {
    const last = selection.at(-1);
    if (last === undefined) return;
    const above: number[] = [];
    for (let p = nodes[last]?.parent ?? -1; p >= 0; p = nodes[p]?.parent ?? -1) above.push(p);
    setExpanded((e) => (above.every((a) => e.includes(a)) ? e : [...new Set([...e, ...above])]));
    const timer = setTimeout(() => tree.current?.scrollTo({ key: last, align: "auto" }), 60);
    return () => clearTimeout(timer);
  }, [selection, nodes]);

  const searching = search.trim() !== "";
  const allKeys = useMemo(() => (searching ? nodes.map((_, i) => i) : []), [searching, nodes]);
  const hide = (i: number) => {
    const key = nodes[i]?.key ?? "";
    const hidden = !preparation.nodes[key]?.hidden;
    desk.prepare(`${hidden ? "Hide" : "Show"} ${desk.nameOf(i)}`, (draft) => {
      const entry = { ...draft.nodes[key] };
      if (hidden) entry.hidden = true;
      else delete entry.hidden;
      if (Object.keys(entry).length === 0) delete draft.nodes[key];
      else draft.nodes[key] = entry;
    });
  };
  const pendingKeys = new Set(Object.values(pending).map((p) => (p.target.type === "node" ? p.target.key : "")));

  return (
    <section className="panel" aria-label="Parts">
      <div className="panel-head">
        <h2>Parts</h2>
        <Input size="small" allowClear placeholder="Find" aria-label="Find parts" value={search} onChange={(e) => setSearch(e.target.value)} className="panel-search" />
      </div>
      <div className="panel-body" ref={body}>
        {data.length === 0 ? (
          <p className="soft pad">No part is called that.</p>
        ) : (
          <Tree
            ref={tree as never}
            virtual
            height={height}
            itemHeight={26}
            multiple
            blockNode
            selectedKeys={[...selection]}
            expandedKeys={searching ? allKeys : expanded}
            onExpand={(keys) => setExpanded(keys)}
            treeData={data}
            onSelect={(_, info) => {
              const i = info.node.key as number;
              const { ctrlKey, metaKey, shiftKey } = info.nativeEvent;
              if (ctrlKey || metaKey) desk.select(selection.includes(i) ? selection.filter((n) => n !== i) : [...selection, i]);
              else if (shiftKey && selection.length > 0) {
                const from = selection[0] as number;
                const parent = nodes[i]?.parent;
                desk.select(nodes.map((_, k) => k).filter((k) => nodes[k]?.parent === parent && k >= Math.min(from, i) && k <= Math.max(from, i)));
              } else desk.select([i]);
            }}
            titleRender={(node) => {
              const i = node.key as number;
              const key = nodes[i]?.key ?? "";
              const hidden = preparation.nodes[key]?.hidden;
              return (
                // biome-ignore lint/a11y/noStaticElementInteractions: hovering only mirrors the stage
                <span className={`part ${hidden ? "hidden" : ""}`} onMouseEnter={() => desk.setHover(i)} onMouseLeave={() => desk.setHover(null)} data-part={key}>
                  {nodes[i]?.kind === "assembly" ? <Boxes size={13} /> : <Cuboid size={13} />}
                  <span className="part-name" title={nodes[i]?.key}>
                    {node.title as string}
                  </span>
                  {pendingKeys.has(key) && <em className="part-pending">pending</em>}
                  <Tooltip title={hidden ? "Show" : "Hide"}>
                    <button
                      type="button"
                      className="part-eye"
                      aria-label={`${hidden ? "Show" : "Hide"} ${node.title as string}`}
                      onClick={(e) => {
                        e.stopPropagation();
                        hide(i);
                      }}
                    >
                      {hidden ? <EyeOff size={13} /> : <Eye size={13} />}
                    </button>
                  </Tooltip>
                </span>
              );
            }}
          />
        )}
      </div>
    </section>
  );
}
