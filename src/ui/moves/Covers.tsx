"use client";
import { Button } from "antd";
import { useState } from "react";
import type { MadeMove } from "../../core/document/sequence";
import { spanOf } from "../../core/program/spans";
import { problemOf } from "../../core/text/problem";
import { changeSetting } from "../../desk/acts/moveActions";
import { findCovers } from "../../desk/background/framingWatch";
import { targetName } from "../../desk/names";
import type { MoveRef } from "../../desk/selection/refs";
import { useDesk } from "../desk/context";

/**
 * Which parts are seen through while attention is drawn: those that stand before what it is drawn to, found by
 * themselves.
 */
export function Covers({
  move,
  at,
  stepId,
}: {
  move: Extract<MadeMove, { kind: "attention" }>;
  at: MoveRef | null;
  stepId: string;
}) {
  const desk = useDesk();
  const [busy, setBusy] = useState(false);
  const { covers } = move.settings;
  const find = async () => {
    setBusy(true);
    try {
      const span = spanOf(move, desk.sequence);
      const action = desk.program.steps.action[desk.program.steps.position.get(stepId) ?? 0] ?? 0;
      const nodes = await findCovers(
        desk,
        move.targets.flatMap((t) => desk.program.nodesOf(t)),
        action + span.t0,
        action + span.t1,
      );
      if (nodes.length === 0) desk.notify("info", "Nothing stands before it.");
      changeSetting(
        desk,
        at,
        "covers",
        nodes.map((n) => ({ type: "node", key: desk.index.assembly.nodes[n]?.key ?? "" })),
      );
    } catch (error) {
      desk.notify("problem", problemOf(error));
    } finally {
      setBusy(false);
    }
  };
  const names = covers.map((c) => targetName(desk, c));
  return (
    <div>
      <p className="soft ellipsis" title={names.join(", ")}>
        {names.length === 0
          ? "Nothing is seen through."
          : `Seen through meanwhile: ${names.slice(0, 3).join(", ")}${names.length > 3 ? ` and ${names.length - 3} more` : ""}`}
      </p>
      <div className="row">
        <Button size="small" loading={busy} onClick={() => void find()}>
          See through what covers it
        </Button>
        {covers.length > 0 && (
          <Button size="small" onClick={() => changeSetting(desk, at, "covers", [])}>
            Nothing
          </Button>
        )}
      </div>
    </div>
  );
}
