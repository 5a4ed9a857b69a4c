"use client";
import { Input, Switch } from "antd";
import { useEffect, useState } from "react";
import { CAPTION_MAX, type Step, TITLE_MAX } from "../../core/document/sequence";
import { runCommand } from "../../core/edit/history";
import { setStepLength, updateStep } from "../../core/edit/sequenceCommands";
import { nth } from "../../core/math/packed";
import { actionLength, stepLength } from "../../core/program/spans";
import { problemOf } from "../../core/text/problem";
import { formatSecondsShort } from "../../core/time/time";
import { parseStepLength } from "../../desk/typing/stepLength";
import { Field } from "../common/Field";
import { GrowingText } from "../common/GrowingText";
import { TimeField } from "../common/TimeField";
import { useDesk, useSequence } from "../desk/context";
import { MoveList } from "../moves/MoveList";
import { TriggerField } from "../moves/TriggerField";
import { StepSounds } from "../sound/StepSounds";

/** A step's title, caption, note, stills and length. */
export function StepDetails({ id }: { id: string }) {
  const desk = useDesk();
  const sequence = useSequence();
  const step = sequence.steps[id];
  if (!step) return null;
  const at = desk.program.steps.position.get(id);
  const start = at === undefined ? null : nth(desk.program.steps.start, at);
  const used = actionLength({ ...step, action: 0 }, sequence);
  const time = (label: string, key: "stillBefore" | "action" | "stillAfter", ticks: number, min = 0) => (
    <>
      <span>{label}</span>
      <TimeField
        ariaLabel={label}
        ticks={ticks}
        rate={sequence.rate}
        min={min}
        onTake={(t) => desk.edit(`${label} of "${step.title}"`, updateStep(id, { [key]: t }))}
      />
    </>
  );
  const takeLength = (text: string): { error: string } | null => {
    const read = parseStepLength(text, sequence.rate);
    if ("error" in read) return read;
    // Without a length the action stays as long as it is.
    const ticks = read.ticks ?? actionLength(step, sequence);
    try {
      const command = setStepLength(id, ticks, read.stills);
      runCommand(sequence, command);
      desk.edit(`Length of "${step.title}"`, command);
      return null;
    } catch (error) {
      return { error: problemOf(error) };
    }
  };
  return (
    <>
      <h3>Step {sequence.stepOrder.indexOf(id) + 1}</h3>
      <Text label="Title" field="title" step={step} max={TITLE_MAX} />
      <Text label="Caption" field="caption" step={step} max={CAPTION_MAX} rows={3} />
      <Text label="Note (not published)" field="note" step={step} max={4000} rows={2} />
      <MoveList step={step} />
      <h4>Timing</h4>
      <div className="form">
        <span>Length</span>
        <Field
          ariaLabel="Length of the step"
          value={formatSecondsShort(stepLength(step, sequence))}
          suffix={step.stillBefore + step.stillAfter === 0 ? "s, no stills" : "s in all"}
          parse={takeLength}
        />
        {time("Still before", "stillBefore", step.stillBefore)}
        {time("Action", "action", actionLength(step, sequence), used)}
        {time("Still after", "stillAfter", step.stillAfter)}
      </div>
      <p className="soft number">
        {start === null
          ? "Switched off"
          : `${formatSecondsShort(start)} s to ${formatSecondsShort(start + stepLength(step, sequence))} s of the sequence, ${formatSecondsShort(stepLength(step, sequence))} s long`}
      </p>
      <StepSounds step={step} />
      <div className="row">
        <Switch
          size="small"
          checked={step.on}
          aria-label="Step on"
          onChange={(on) => desk.edit(`${on ? "Switch on" : "Switch off"} "${step.title}"`, updateStep(id, { on }))}
        />
        <span>In the sequence</span>
      </div>
      <TriggerField at={{ step: id, move: null }} />
    </>
  );
}

function Text({
  label,
  field,
  step,
  max,
  rows,
}: {
  label: string;
  field: "title" | "caption" | "note";
  step: Step;
  max: number;
  rows?: number;
}) {
  const desk = useDesk();
  const stored = step[field];
  const [text, setText] = useState(stored);
  useEffect(() => setText(stored), [stored]);
  const over = text.length > max;
  const take = () => {
    if (text === stored) return;
    if (over) return;
    desk.edit(`${label} of step`, updateStep(step.id, { [field]: text }));
  };
  const shared = {
    "aria-label": label,
    size: "small" as const,
    value: text,
    status: over ? ("error" as const) : ("" as const),
    onChange: (e: { target: { value: string } }) => setText(e.target.value),
    onBlur: take,
  };
  return (
    // biome-ignore lint/a11y/noLabelWithoutControl: the control is one of the two below
    <label className="text">
      <span>{label}</span>
      {rows ? (
        <GrowingText {...shared} lines={[rows, 8]} onKeyDown={(e) => e.key === "Escape" && setText(stored)} />
      ) : (
        <Input {...shared} onPressEnter={take} onKeyDown={(e) => e.key === "Escape" && setText(stored)} />
      )}
      {over && (
        <span className="problem" role="alert">
          {label.split(" ")[0]} may have at most {max} characters; this has {text.length.toLocaleString("en")}. Shorten
          it; the old one stays until then.
        </span>
      )}
    </label>
  );
}
