"use client";
import { Alert, Button, Dropdown, Progress, Select, Slider, Switch } from "antd";
import { MoreHorizontal } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { type Target, targetId } from "../../core/document/keys";
import type { MadeMove } from "../../core/document/sequence";
import type { Triple } from "../../core/math/triple";
import type { ExplodedPart } from "../../core/moves/explodedView";
import { isStop, problemOf } from "../../core/text/problem";
import { formatNumber } from "../../core/units/units";
import { changeMove, changeSetting, changeSettings } from "../../desk/acts/moveActions";
import { pickDirection } from "../../desk/acts/pickDirection";
import { type NamedPlan, planExploded } from "../../desk/background/planner";
import { targetName } from "../../desk/names";
import type { MoveRef } from "../../desk/selection/refs";
import { chooseParts, partsOf } from "../../desk/selection/selecting";
import { useDesk, useDeskState } from "../desk/context";
import { ValueField } from "../details/ValueField";

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

/** Plans an exploded view and shows it as one block that can be opened: spread for all, distance and order for each. */
export function ExplodePlan({ move, at }: { move: Extract<MadeMove, { kind: "explode" }>; at: MoveRef | null }) {
  const desk = useDesk();
  useDeskState((s) => s.programVersion);
  const [share, setShare] = useState<number | null>(null);
  const [failed, setFailed] = useState<string | null>(null);
  const [plan, setPlan] = useState<NamedPlan | null>(null);
  const [open, setOpen] = useState(false);
  // What was selected stays the root of all levels, also once the move names what lies below.
  const roots = useRef<readonly Target[]>(move.targets);
  const [level, setLevel] = useState(() => (move.targets.length === 1 ? 1 : 0));
  // What the last plan said, so that a change by hand can be taken back for one part alone.
  const planned = useRef<Record<string, ExplodedPart>>({});
  const abort = useRef<AbortController | null>(null);
  const { parts, spread, gap, stagger } = move.settings;
  const [clear, setClear] = useState(true);
  const make = async (wanted: number, mind = clear) => {
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
    if (Object.keys(parts).length === 0) void make(level);
    return () => abort.current?.abort();
  }, []);
  const list = Object.entries(parts).sort((a, b) => a[1].order - b[1].order);
  const one = (id: string, change: Partial<ExplodedPart>) =>
    changeSettings(desk, at, {
      parts: { ...parts, [id]: { ...(parts[id] as ExplodedPart), ...change, byHand: true } },
    });
  const swap = (i: number, j: number) => {
    const [a, b] = [list[i], list[j]];
    if (!a || !b) return;
    changeSettings(desk, at, {
      parts: {
        ...parts,
        [a[0]]: { ...a[1], order: b[1].order, byHand: true },
        [b[0]]: { ...b[1], order: a[1].order, byHand: true },
      },
    });
  };
  return (
    <>
      <div className="form">
        <span>Spread</span>
        <div className="slider-row">
          <Slider
            min={0}
            max={3}
            step={0.05}
            value={spread}
            aria-label="Spread by sliding"
            tooltip={{ formatter: (v) => `${v} of the plan` }}
            onChange={(v) => changeSetting(desk, at, "spread", v)}
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
          onChange={(v) => {
            setLevel(v);
            void make(v);
          }}
          style={{ flex: 1 }}
        />
        <Button size="small" disabled={share !== null} onClick={() => void make(level)}>
          Plan again
        </Button>
      </div>
      <div className="row">
        <Switch
          size="small"
          checked={clear}
          aria-label="Stay clear of the rest"
          onChange={(on) => {
            setClear(on);
            void make(level, on);
          }}
        />
        <span title="Off: planned as if nothing else were there, for views in which the rest has left or is seen through">
          Stay clear of the rest
        </span>
      </div>
      {share !== null && (
        <div className="row">
          <Progress percent={Math.round(share * 100)} size="small" status="active" />
          <Button size="small" type="link" onClick={() => abort.current?.abort()}>
            Stop
          </Button>
        </div>
      )}
      {failed && <Alert type="warning" showIcon title={failed} />}
      {plan && plan.held.length > 0 && (
        <Alert
          type="warning"
          showIcon
          title={`${plan.held.length} ${plan.held.length === 1 ? "part stays" : "parts stay"}: no straight way frees ${plan.held.length === 1 ? "it" : "them"}.`}
          description={
            <ul className="plain">
              {plan.held.map((h) => (
                <li key={`${h.name} ${h.by.join()}`}>
                  {h.name}, held by {h.by.slice(0, 3).join(", ") || "what is round it"}
                </li>
              ))}
            </ul>
          }
        />
      )}
      {list.length > 0 && (
        <Button size="small" type="link" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? "Close the block" : `Open the block: ${list.length} parts`}
        </Button>
      )}
      {open && (
        <ol className="plain exploded" aria-label="Parts of the exploded view">
          {list.map(([id, p], i) => {
            const target = move.targets.find((t) => targetId(t) === id);
            const name = target ? targetName(desk, target) : id.slice(id.lastIndexOf("/") + 1);
            return (
              <li key={id} className="row">
                <span className="number soft">{i + 1}</span>
                <Button
                  size="small"
                  type="text"
                  className="grow exploded-name"
                  title={`Along ${p.direction.map((v) => formatNumber(v, 2)).join(" ")}. Select it to drag it along its line.`}
                  onClick={() => target && chooseParts(desk, { ...desk.state.selected, parts: partsOf(desk, target) })}
                >
                  <span className="ellipsis">{p.byHand ? `${name} (by hand)` : name}</span>
                </Button>
                <ValueField
                  ariaLabel={`Distance of ${name}`}
                  kind="length"
                  value={p.distance}
                  take={(distance) => {
                    one(id, { distance });
                    return null;
                  }}
                />
                <Dropdown
                  trigger={["click"]}
                  menu={{
                    items: [
                      { key: "earlier", label: "Goes earlier", disabled: i === 0 },
                      { key: "later", label: "Goes later", disabled: i === list.length - 1 },
                      { key: "flip", label: "The other way" },
                      { key: "pick", label: "Pick its direction" },
                      { key: "plan", label: "As planned again", disabled: !p.byHand },
                    ],
                    onClick: ({ key }) => {
                      if (key === "earlier") swap(i, i - 1);
                      if (key === "later") swap(i, i + 1);
                      if (key === "flip") one(id, { direction: p.direction.map((v) => 0 - v) as Triple });
                      if (key === "pick")
                        pickDirection(desk, `Which way does ${name} go?`, (direction) => one(id, { direction }));
                      if (key === "plan")
                        changeSettings(desk, at, {
                          parts: { ...parts, [id]: { ...(planned.current[id] ?? p), byHand: false } },
                        });
                    },
                  }}
                >
                  <Button
                    size="small"
                    type="text"
                    aria-label={`More about ${name} in the exploded view`}
                    icon={<MoreHorizontal size={14} />}
                  />
                </Dropdown>
              </li>
            );
          })}
        </ol>
      )}
    </>
  );
}
