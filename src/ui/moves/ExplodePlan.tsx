"use client";
import { Alert, Button, Progress, Select, Switch } from "antd";
import { useEffect, useRef, useState } from "react";
import { type Target, targetId } from "../../core/document/keys";
import type { MadeMove } from "../../core/document/sequence";
import type { ExplodedPart } from "../../core/moves/explodedView";
import { isStop, problemOf } from "../../core/text/problem";
import { changeMove, changeSetting, changeSettings } from "../../desk/acts/moveActions";
import { type NamedPlan, planExploded } from "../../desk/background/planner";
import type { MoveRef } from "../../desk/selection/refs";
import { Range } from "../common/Range";
import { useDesk, useDeskState } from "../desk/context";
import { ValueField } from "../details/ValueField";
import { ExplodedList } from "./ExplodedList";

/** What an exploded view takes apart at a level below what was selected: 0 is the things themselves. */
function atLevel(desk: ReturnType<typeof useDesk>, targets: readonly Target[], level: number): Target[] {
  let now: Target[] = [...targets];
  for (let k = 0; k < level; k++) {
    now = now.flatMap((t): Target[] => {
      const node = t.type === "node" ? desk.index.indexOf.get(t.key) : undefined;
      const below = node === undefined ? [] : (desk.index.children[node] ?? []);
      return below.length === 0
        ? [t]
        : below.map((i) => ({ type: "node", key: desk.index.assembly.nodes[i]?.key ?? "" }));
    });
  }
  return now.filter((t) => desk.program.nodesOf(t).every((n) => !desk.program.hidden[n]));
}

/** What is planned and how far it is. */
function usePlan(move: Extract<MadeMove, { kind: "explode" }>, at: MoveRef | null) {
  const desk = useDesk();
  const [share, setShare] = useState<number | null>(null);
  const [failed, setFailed] = useState<string | null>(null);
  const [plan, setPlan] = useState<NamedPlan | null>(null);
  // What was selected stays the root of all levels, also once the move names what lies below.
  const roots = useRef<readonly Target[]>(move.targets);
  const [level, setLevel] = useState(() => (move.targets.length === 1 ? 1 : 0));
  const [clear, setClear] = useState(true);
  // What the last plan said, so that a change by hand can be taken back for one part alone.
  const planned = useRef<Record<string, ExplodedPart>>({});
  const abort = useRef<AbortController | null>(null);
  const { parts, gap, stagger } = move.settings;
  const make = async (wanted: number, mind: boolean) => {
    abort.current?.abort();
    const controller = new AbortController();
    abort.current = controller;
    setFailed(null);
    setShare(0);
    try {
      const targets = atLevel(desk, roots.current, wanted);
      const stepId = at?.step ?? desk.state.draft?.step ?? "";
      const ticks = (desk.program.steps.action[desk.program.steps.position.get(stepId) ?? 0] ?? 0) + move.start;
      const made = await planExploded(desk, targets, { gap, stagger, mind }, ticks, controller.signal, setShare);
      setPlan(made);
      const kept = Object.entries(parts).filter(([id, p]) => p.byHand && targets.some((t) => targetId(t) === id));
      const next: Record<string, ExplodedPart> = Object.fromEntries(
        Object.entries(made.parts).map(([id, p]) => [id, { ...p, byHand: false }]),
      );
      planned.current = { ...next };
      for (const [id, p] of kept) next[id] = p;
      changeMove(desk, at, { targets: targets.filter((t) => next[targetId(t)]) }, "Plan an exploded view");
      changeSettings(desk, at, { parts: next });
    } catch (error) {
      if (!isStop(error)) setFailed(problemOf(error));
    } finally {
      if (abort.current === controller) setShare(null);
    }
  };
  useEffect(() => {
    if (Object.keys(parts).length === 0) void make(level, true);
    return () => abort.current?.abort();
  }, []);
  const stop = () => abort.current?.abort();
  const again = (change: { level?: number; clear?: boolean } = {}) => {
    const next = { level, clear, ...change };
    setLevel(next.level);
    setClear(next.clear);
    void make(next.level, next.clear);
  };
  return { share, failed, plan, level, clear, planned: planned.current, again, stop };
}

/** Plans an exploded view and shows it as one block that can be opened: spread for all, distance and order for each. */
export function ExplodePlan({ move, at }: { move: Extract<MadeMove, { kind: "explode" }>; at: MoveRef | null }) {
  const desk = useDesk();
  useDeskState((s) => s.programVersion);
  const [open, setOpen] = useState(false);
  const { share, failed, plan, level, clear, planned, again, stop } = usePlan(move, at);
  const { spread } = move.settings;
  const count = Object.keys(move.settings.parts).length;
  return (
    <>
      <div className="form">
        <span>Spread</span>
        <div className="slider-row">
          <Range
            label="Spread by sliding"
            min={0}
            max={3}
            step={0.05}
            value={spread}
            onChange={(v) => changeSetting(desk, at, "spread", v)}
            onDone={() => desk.seal()}
          />
          <ValueField
            ariaLabel="Spread"
            kind="plain"
            value={spread}
            take={(v) => changeSetting(desk, at, "spread", v)}
          />
        </div>
      </div>
      <div className="row">
        <Select
          size="small"
          aria-label="Level"
          value={level}
          options={[
            { value: 0, label: "What is selected" },
            { value: 1, label: "One level below" },
            { value: 2, label: "Two levels below" },
            { value: 9, label: "Every part" },
          ]}
          onChange={(v) => again({ level: v })}
          style={{ flex: 1 }}
        />
        <Button size="small" disabled={share !== null} onClick={() => again()}>
          Plan again
        </Button>
      </div>
      <div className="row">
        <Switch
          size="small"
          checked={clear}
          aria-label="Stay clear of the rest"
          onChange={(on) => again({ clear: on })}
        />
        <span title="Off: planned as if nothing else were there, for views in which the rest has left or is seen through">
          Stay clear of the rest
        </span>
      </div>
      {share !== null && (
        <div className="row">
          <Progress percent={Math.round(share * 100)} size="small" status="active" />
          <Button size="small" type="link" onClick={stop}>
            Stop
          </Button>
        </div>
      )}
      {failed && <Alert type="warning" showIcon title={failed} />}
      {plan && plan.held.length > 0 && <Held held={plan.held} />}
      {count > 0 && (
        <Button size="small" type="link" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Close the block" : `Open the block: ${count} parts`}
        </Button>
      )}
      {open && <ExplodedList move={move} at={at} planned={planned} />}
    </>
  );
}

/** The parts that no straight way frees, and what holds them. */
function Held({ held }: { held: NamedPlan["held"] }) {
  return (
    <Alert
      type="warning"
      showIcon
      title={`${held.length} ${held.length === 1 ? "part stays" : "parts stay"}: no straight way frees ${held.length === 1 ? "it" : "them"}.`}
      description={
        <ul className="plain">
          {held.map((h) => (
            <li key={`${h.name} ${h.by.join()}`}>
              {h.name}, held by {h.by.slice(0, 3).join(", ") || "what is round it"}
            </li>
          ))}
        </ul>
      }
    />
  );
}
