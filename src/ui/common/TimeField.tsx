"use client";
import type { FrameRate } from "../../core/time/time";
import { formatSecondsShort, frameAt, parseTime } from "../../core/time/time";
import { Field } from "./Field";

/** A typed time or length: seconds, frames ("75f") or mm:ss:ff; shows seconds, and frames behind. */
export function TimeField(props: {
  ticks: number;
  rate: FrameRate;
  onTake: (ticks: number) => void;
  min?: number;
  max?: number;
  label?: string;
  ariaLabel: string;
  disabled?: boolean;
  frames?: boolean;
  width?: number | string;
}) {
  const { ticks, rate, onTake, min = 0, max = Number.POSITIVE_INFINITY, frames = true } = props;
  return (
    <Field
      ariaLabel={props.ariaLabel}
      value={formatSecondsShort(ticks)}
      suffix={frames ? `s · ${frameAt(ticks, rate)} f` : "s"}
      {...(props.label === undefined ? {} : { label: props.label })}
      {...(props.disabled === undefined ? {} : { disabled: props.disabled })}
      {...(props.width === undefined ? {} : { width: props.width })}
      parse={(text) => {
        const parsed = parseTime(text, rate);
        if ("error" in parsed) return parsed;
        if (parsed.ticks < min) return { error: `At least ${formatSecondsShort(min)} s.` };
        if (parsed.ticks > max) return { error: `At most ${formatSecondsShort(max)} s.` };
        onTake(parsed.ticks);
        return null;
      }}
    />
  );
}
