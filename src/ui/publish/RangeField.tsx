"use client";
import { Select } from "antd";
import type { Output } from "../../core/document/outputs";
import { TICKS_PER_SECOND } from "../../core/time/time";
import { changeRange } from "../../desk/acts/outputs";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { NumberField } from "./OutputFields";

/** What part of the sequence an output is made of: all of it, some steps, or from one time to another. */
export function RangeField({ output }: { output: Output }) {
  const desk = useDesk();
  const sequence = useSequence();
  const played = useDeskState((s) => s.range);
  const { range } = output;
  const steps = sequence.stepOrder.map((id, i) => ({
    value: id,
    label: `${i + 1} ${sequence.steps[id]?.title ?? ""}`,
  }));
  const whole = desk.program.steps.length;
  const choose = (of: string) => {
    const [first] = sequence.stepOrder;
    const last = sequence.stepOrder[sequence.stepOrder.length - 1];
    if (of === "steps" && first !== undefined && last !== undefined) changeRange(desk, output, { of, first, last });
    else if (of === "time")
      changeRange(desk, output, { of, ...(played ? desk.playback.bounds() : { from: 0, to: whole }) });
    else changeRange(desk, output, { of: "all" });
  };
  const seconds = (label: string, ticks: number, set: (ticks: number) => void) => (
    <NumberField
      field={{ label, type: "number", unit: "s", min: 0, max: whole / TICKS_PER_SECOND }}
      value={Math.round((ticks / TICKS_PER_SECOND) * 1000) / 1000}
      take={(v) => set(Math.round(v * TICKS_PER_SECOND))}
    />
  );
  return (
    <>
      <span>Part</span>
      <Select
        size="small"
        aria-label="Part"
        value={range.of}
        onChange={choose}
        options={[
          { value: "all", label: "all of it" },
          { value: "steps", label: "some steps" },
          { value: "time", label: played ? "the time that is played" : "from one time to another" },
        ]}
      />
      {range.of === "steps" && (
        <>
          <span>From step</span>
          <Select
            size="small"
            aria-label="From step"
            value={range.first}
            options={steps}
            onChange={(first) => changeRange(desk, output, { ...range, first })}
          />
          <span>to step</span>
          <Select
            size="small"
            aria-label="To step"
            value={range.last}
            options={steps}
            onChange={(last) => changeRange(desk, output, { ...range, last })}
          />
        </>
      )}
      {range.of === "time" && (
        <>
          <span>From</span>
          {seconds("From time", range.from, (from) => changeRange(desk, output, { ...range, from }))}
          <span>to</span>
          {seconds("To time", range.to, (to) => changeRange(desk, output, { ...range, to }))}
        </>
      )}
    </>
  );
}
