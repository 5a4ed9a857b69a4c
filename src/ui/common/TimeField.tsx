"use client";
import type { FrameRate } from "../../core/time/time";
import { formatSecondsShort, frameAt, parseTime } from "../../core/time/time";
import { Field } from "./Field";

/**
 * A typed time or length: seconds, frames ("75f") or mm:ss:ff; shows seconds, and frames behind. Several that differ
 * are said to, never shown as a number: any that is typed is then a change.
 */
export function TimeField(props: {
  /** null where several are shown that differ */
  ticks: number | null;
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
      value={ticks === null ? "differs" : formatSecondsShort(ticks)}
      suffix={frames && ticks !== null ? `s · ${frameAt(ticks, rate)} f` : "s"}
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
