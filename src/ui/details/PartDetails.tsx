"use client";
import { Alert, Button, Tooltip } from "antd";
import { ArrowUpFromLine } from "lucide-react";
import { targetId } from "../../core/document/sequence";
import { nth } from "../../core/math/packed";
import { selectedTargets } from "../../desk/acts/moveActions";
import { groupSelection, selectionName, toggleFlag } from "../../desk/acts/partActions";
import { lockOn } from "../../desk/acts/posing";
import { nameOf, targetName } from "../../desk/names";
import { climb, targetOf } from "../../desk/selection/selecting";
import type { PartTab } from "../../desk/state";
import { Tabs } from "../common/Tabs";
import { useDesk, useDeskState } from "../desk/context";
import { Departures } from "./Departures";
import { FinishTab } from "./FinishTab";
import { JointsTab } from "./JointsTab";
import { MoveTab } from "./MoveTab";
import { NameField } from "./NameField";

const TABS: readonly (readonly [PartTab, string])[] = [
  ["move", "Move"],
  ["finish", "Finish"],
  ["joints", "Joints"],
];

/** The selected parts or group: how they move, how they look, how they are joined. */
export function PartDetails() {
  const desk = useDesk();
  const tab = useDeskState((s) => s.partTab);
  const selection = useDeskState((s) => s.selection);
  useDeskState((s) => s.group);
  useDeskState((s) => s.preparation.body);
  const target = targetOf(desk);
  if (!target) return <SeveralParts />;
  const node = target.type === "node" ? (desk.index.indexOf.get(target.key) ?? -1) : -1;
  const entry = desk.index.assembly.nodes[node];
  const owner = entry?.parent ?? -1;
  const name = targetName(desk, target);
  const lock = lockOn(desk, target);
  const what =
    target.type === "group"
      ? `Group of ${selection.length} part${selection.length === 1 ? "" : "s"}, acting as one`
      : entry?.kind === "assembly"
        ? `Sub-assembly of ${(nth(desk.index.end, node)) - node - 1} below`
        : "Part";
  return (
    <>
      <div className="row">
        <h3 className="ellipsis" title={target.type === "node" ? target.key : name}>
          {name}
        </h3>
        <div className="grow" />
        {target.type === "node" && (
          <Tooltip title="Select what owns this: its group, then its sub-assembly (Alt+Up)">
            <Button
              size="small"
              className="climb"
              disabled={owner < 0}
              icon={<ArrowUpFromLine size={13} />}
              onClick={() => climb(desk)}
            >
              <span className="ellipsis">{owner >= 0 ? nameOf(desk, owner) : "top"}</span>
            </Button>
          </Tooltip>
        )}
      </div>
      <NameField key={targetId(target)} target={target} name={name} />
      <p className="soft">{what}</p>
      {lock !== null && (
        <Alert
          type="warning"
          title={lock === name ? "Locked: it keeps its place." : `"${lock}" is locked, so this keeps its place.`}
          action={
            lock === name ? (
              <Button size="small" onClick={() => toggleFlag(desk, "locked")}>
                Unlock
              </Button>
            ) : undefined
          }
        />
      )}
      <Tabs label="Of what is selected" tabs={TABS} active={tab} onChange={(partTab) => desk.set({ partTab })}>
        {tab === "move" && <MoveTab key={targetId(target)} target={target} />}
        {tab === "finish" && <FinishTab />}
        {tab === "joints" && <JointsTab key={targetId(target)} target={target} />}
      </Tabs>
    </>
  );
}

function SeveralParts() {
  const desk = useDesk();
  const selection = useDeskState((s) => s.selection);
  const targets = selectedTargets(desk);
  // Axes of their own, of one alone, are turned about by selecting it.
  const own = new Set(targets.map((t) => (t.type === "node" || t.type === "group" ? desk.program.axesOf(t) : [])));
  const [first = [], ...others] = own;
  const axes = first.filter((a) => others.every((list) => list.some((b) => b.id === a.id)));
  const counts = new Map<string, number>();
  for (const n of selection) counts.set(nameOf(desk, n), (counts.get(nameOf(desk, n)) ?? 0) + 1);
  const names = [...counts].map(([name, n]) => (n > 1 ? `${n} × ${name}` : name));
  return (
    <>
      <h3>{selectionName(desk)} selected</h3>
      <p className="soft">
        {names.slice(0, 5).join(", ")}
        {names.length > 5 ? ` and ${names.length - 5} other names` : ""}
      </p>
      <Button size="small" onClick={() => groupSelection(desk)}>
        Group them to move as one (Ctrl+G)
      </Button>
      <Departures targets={targets} axes={axes} />
      <h4>Finish</h4>
      <FinishTab />
    </>
  );
}
