"use client";
import { Button } from "antd";
import { TriangleAlert } from "lucide-react";
import type { StepFraming } from "../../core/checks/framing";
import { formatSecondsShort, ticksPerFrame } from "../../core/time/time";
import { formatNumber } from "../../core/units/units";
import { nameOf } from "../../desk/names";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { Looking } from "./Looking";

/** Whether all that acts is inside the picture, for every step, and how large. */
export function FramingList() {
  const desk = useDesk();
  const sequence = useSequence();
  const framing = useDeskState((s) => s.framing);
  if (!framing) return <Looking />;
  const steps = desk.program.steps.ids.flatMap((id) =>
    framing[id] && (framing[id] as StepFraming).acting.length > 0 ? [framing[id] as StepFraming] : [],
  );
  if (steps.length === 0) return <p className="soft">Nothing acts yet.</p>;
  const bad = steps.filter((s) => s.outside.length > 0 || s.covered.length > 0);
  const per = ticksPerFrame(sequence.rate);
  const names = (nodes: readonly number[]) =>
    `${nameOf(desk, nodes[0] ?? -1)}${nodes.length > 1 ? ` and ${nodes.length - 1} more` : ""}`;
  return (
    <ul className="plain framing" aria-label="Framing">
      {bad.length === 0 && (
        <li className="soft">
          All that acts is inside the picture for the whole of its step, and none of it is hidden.
        </li>
      )}
      {bad.map((s) => (
        <li key={s.step}>
          {s.outside.map((o) => (
            <Button key={o.t0} size="small" type="text" onClick={() => desk.seek(o.t0)}>
              <TriangleAlert size={13} className="problem" />
              <span>
                Step {sequence.stepOrder.indexOf(s.step) + 1}: {names(o.nodes)} outside for{" "}
                <span className="number">{Math.round((o.t1 - o.t0) / per) + 1}</span> frames from{" "}
                <span className="number">{formatSecondsShort(o.t0)} s</span>
              </span>
            </Button>
          ))}
          {s.covered.length > 0 && (
            <Button size="small" type="text" onClick={() => desk.seek(s.covered[0]?.ticks ?? 0)}>
              <TriangleAlert size={13} className="problem" />
              <span>
                Step {sequence.stepOrder.indexOf(s.step) + 1}: {names(s.covered.map((c) => c.node))} hidden behind{" "}
                {nameOf(desk, s.covered[0]?.by ?? -1)}
              </span>
            </Button>
          )}
        </li>
      ))}
      {steps.some((s) => s.most > 0 && s.most < 0.12) && (
        <li className="soft">
          Small in the picture:{" "}
          {steps
            .filter((s) => s.most > 0 && s.most < 0.12)
            .map((s) => `step ${sequence.stepOrder.indexOf(s.step) + 1} (${formatNumber(s.most * 100, 0)} %)`)
            .join(", ")}
        </li>
      )}
    </ul>
  );
}
