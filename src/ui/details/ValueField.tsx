"use client";
import { parsed, shown, suffixOf, type ValueKind } from "../../desk/typing/valueFields";
import { Field } from "../common/Field";
import { useDeskState } from "../desk/context";

/** One typed number with its unit; `take` may refuse it in words. */
export function ValueField(props: {
  ariaLabel: string;
  kind: ValueKind;
  value: number;
  take: (value: number) => string | null | undefined;
  label?: string;
  suffix?: string;
  /** Shown at most; what is typed counts in full. Default 3. */
  decimals?: number;
  disabled?: boolean;
  className?: string;
  again?: boolean;
}) {
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  return (
    <Field
      ariaLabel={props.ariaLabel}
      suffix={props.suffix ?? suffixOf(props.kind, unit)}
      value={shown(props.value, props.kind, unit, props.decimals)}
      {...(props.label === undefined ? {} : { label: props.label })}
      {...(props.disabled === undefined ? {} : { disabled: props.disabled })}
      {...(props.className === undefined ? {} : { className: props.className })}
      again={props.again ?? false}
      parse={(text) => {
        const p = parsed(text, props.kind, unit);
        if ("error" in p) return p;
        const refused = props.take(p.value);
        return refused ? { error: refused } : null;
      }}
    />
  );
}
