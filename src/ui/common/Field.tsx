"use client";
import { Input, Tooltip } from "antd";
import { type KeyboardEvent, useEffect, useRef, useState } from "react";

interface FieldProps {
  /** What is shown while nobody types. */
  value: string;
  /** Reads what was typed; an error keeps the field open and says why. */
  parse: (text: string) => { error: string } | null;
  label?: string;
  suffix?: string;
  disabled?: boolean;
  width?: number | string;
  ariaLabel: string;
  className?: string;
}

/**
 * A field for one typed value: Enter or leaving takes it, Escape puts the old one back, an error is shown in place
 * and nothing is lost.
 */
export function Field({ value, parse, label, suffix, disabled, width, ariaLabel, className }: FieldProps) {
  const [text, setText] = useState<string | null>(null);
  const [error, setError] = useState<string | null>(null);
  const dropped = useRef(false);
  useEffect(() => {
    if (text === null) setError(null);
  }, [text]);
  const take = (leaving: boolean) => {
    if (text === null || dropped.current) return;
    if (text.trim() === value.trim()) {
      setText(null);
      return;
    }
    const failed = parse(text);
    if (failed) {
      setError(failed.error);
      if (leaving) setText(text);
    } else setText(null);
  };
  const onKey = (e: KeyboardEvent<HTMLInputElement>) => {
    e.stopPropagation();
    if (e.key === "Enter") {
      take(false);
      (e.target as HTMLInputElement).select();
    }
    if (e.key === "Escape") {
      dropped.current = true;
      setText(null);
      setError(null);
      (e.target as HTMLInputElement).blur();
      dropped.current = false;
    }
  };
  return (
    <Tooltip title={error} open={error !== null} placement="bottom" color="var(--brick)">
      <Input
        aria-label={ariaLabel}
        className={`field ${className ?? ""}`}
        size="small"
        status={error ? "error" : ""}
        disabled={disabled ?? false}
        value={text ?? value}
        prefix={label ? <span className="field-label">{label}</span> : undefined}
        suffix={suffix ? <span className="field-suffix">{suffix}</span> : undefined}
        style={width === undefined ? {} : { width }}
        onFocus={(e) => e.target.select()}
        onChange={(e) => {
          setText(e.target.value);
          setError(null);
        }}
        onBlur={() => take(true)}
        onKeyDown={onKey}
      />
    </Tooltip>
  );
}
