"use client";
import { Button, Dropdown } from "antd";
import { Play, Plus, X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import {
  addKind,
  fileName,
  keepOffered,
  OUTPUT_KINDS,
  offeredOutput,
  outputsOf,
  planned,
} from "../../desk/acts/outputs";
import { makingKey, publishingOf } from "../../desk/background/publishing";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { ProofHint } from "../proof/ProofHint";
import { OutputLook } from "./OutputLook";
import { OutputPicture } from "./OutputPicture";
import { OutputRow } from "./OutputRow";
import { OutputSettings } from "./OutputSettings";
import { PORT } from "./port";

/** What is made of the sequence, on one side as it will look, on the other all that is made of it. */
export function PublishView() {
  const desk = useDesk();
  const sequence = useSequence();
  useDeskState((s) => s.programVersion);
  const making = useDeskState((s) => s.making);
  const kept = outputsOf(desk);
  const list = kept.length > 0 ? kept : [offeredOutput(desk)];
  const [wanted, choose] = useState<string | null>(null);
  const [marked, mark] = useState<ReadonlySet<string>>(new Set());
  const chosen = list.find((o) => o.id === wanted) ?? list[0];
  const several = list.filter((o) => marked.has(o.id)).map((o) => o.id);
  const choosing = (id: string, how: "alone" | "also" | "upTo") => {
    if (how === "alone") mark(new Set());
    else if (how === "also") {
      const next = new Set(marked.size > 0 || !chosen ? marked : [chosen.id]);
      if (!next.delete(id)) next.add(id);
      mark(next);
      if (!next.has(id)) return;
    } else {
      const [a, b] = [list.findIndex((o) => o.id === chosen?.id), list.findIndex((o) => o.id === id)].sort(
        (x, y) => x - y,
      ) as [number, number];
      mark(new Set([...marked, ...list.slice(Math.max(0, a), b + 1).map((o) => o.id)]));
    }
    choose(id);
  };
  const it = chosen && planned(desk, chosen);
  const publishing = publishingOf(desk, PORT);
  const view = useRef<HTMLDivElement>(null);
  const make = (ids: readonly string[], quick = false) => {
    desk.pause();
    // The button is of no use now and lets go of the keys; they stay with the view.
    view.current?.focus();
    for (const output of list.filter((o) => ids.includes(o.id))) {
      const plan = planned(desk, output);
      if (!plan?.context) continue;
      keepOffered(desk, output);
      publishing.make(output, fileName(desk, plan), quick);
    }
  };
  const close = () => desk.set({ dialog: null });
  // The keys are meant for it, not for what it covers; afterwards for what they were meant for before.
  useEffect(() => {
    const before = document.activeElement;
    view.current?.focus();
    return () => {
      if (before instanceof HTMLElement) before.focus({ preventScroll: true });
    };
  }, []);
  const busy = list.filter((o) => {
    const m = making[makingKey(desk, o.id)];
    return m?.state === "busy" || m?.state === "waiting";
  });
  return (
    <div
      ref={view}
      className="publish"
      role="dialog"
      aria-modal="true"
      tabIndex={-1}
      aria-label={`Publish "${sequence.name}"`}
      onKeyDown={(e) => {
        if (e.key === "Escape" && !e.defaultPrevented) close();
        // What was set here is taken back here, too; in a field the keys are the field's.
        const typing = (e.target as HTMLElement).closest("input, textarea");
        const key = e.key.toLowerCase();
        if ((e.ctrlKey || e.metaKey) && !typing && (key === "z" || key === "y")) {
          e.preventDefault();
          if (key === "y" || e.shiftKey) desk.redo();
          else desk.undo();
        }
        e.stopPropagation();
      }}
    >
      <div className="publish-head">
        <h1>Publish</h1>
        <span className="soft">{sequence.name}</span>
        <div className="grow" />
        <Button size="small" icon={<X size={14} />} onClick={close}>
          Back to the desk (Escape)
        </Button>
      </div>
      <div className="publish-main">
        {it && !it.kind.draws ? (
          <OutputLook key={it.output.id} it={it} making={making[makingKey(desk, it.output.id)]} />
        ) : it ? (
          <OutputPicture key={it.output.id} it={it} making={making[makingKey(desk, it.output.id)]} />
        ) : (
          <p className="pad soft">…</p>
        )}
      </div>
      <aside className="publish-side" aria-label="Outputs">
        <div
          className="publish-list"
          role="listbox"
          aria-label="Outputs of this sequence"
          aria-multiselectable
          title={list.length > 1 ? "Ctrl or Shift and a click mark several" : undefined}
        >
          {list.map((o) => (
            <OutputRow
              key={o.id}
              output={o}
              kept={kept.length > 0}
              chosen={o.id === chosen?.id}
              marked={marked.has(o.id)}
              making={making[makingKey(desk, o.id)]}
              onChoose={choosing}
            />
          ))}
        </div>
        <div className="publish-acts">
          <Dropdown
            trigger={["click"]}
            menu={{
              items: OUTPUT_KINDS.map((k) => ({
                key: k.id,
                label: (
                  <span className="publish-kind">
                    {k.title}
                    <span className="soft">{k.about}</span>
                  </span>
                ),
              })),
              onClick: ({ key }) => choose(addKind(desk, key)),
            }}
          >
            <Button size="small" icon={<Plus size={14} />}>
              Add an output
            </Button>
          </Dropdown>
          {list.length > 1 && (
            <Button
              size="small"
              icon={<Play size={13} />}
              onClick={() => make(several.length > 1 ? several : list.map((o) => o.id))}
            >
              {several.length > 1 ? `Make the ${several.length} marked` : `Make all ${list.length}`}
            </Button>
          )}
          {busy.length > 0 && (
            <Button
              size="small"
              onClick={() => {
                for (const o of busy) publishing.stop(o.id);
              }}
            >
              Stop {busy.length > 1 ? "all" : ""}
            </Button>
          )}
        </div>
        {it && (
          <OutputSettings
            key={it.output.id}
            it={it}
            making={making[makingKey(desk, it.output.id)]}
            onMake={(quick) => make([it.output.id], quick)}
            onChoose={choose}
          />
        )}
        <ProofHint />
      </aside>
    </div>
  );
}
