"use client";
import { Tooltip } from "antd";
import { type KeyboardEvent, memo, type RefObject, useEffect, useId, useRef, useState } from "react";

interface FieldProps {
  /** What is shown while nobody types. */
  value: string;
  /** Reads what was typed; an error says why it was not taken. */
  parse: (text: string) => { error: string } | null;
  label?: string;
  suffix?: string;
  disabled?: boolean;
  width?: number | string;
  ariaLabel: string;
  className?: string;
  /** Enter takes what is shown, too: it is meant to be there. Leaving the field never does. */
  again?: boolean;
}

/** How long it is said why a value was refused, ms. */
const SAID_MS = 9000;

/**
 * A field for one typed value: Enter or leaving takes it, Escape puts the old one back. A refused value leaves the
 * field at once, which then shows what holds; why it was refused stays beside it until the next key.
 */
export function Field({ parse, ...shown }: FieldProps) {
  // What reads a value is another function each time; the field is made anew only when what it shows is.
  const reader = useRef(parse);
  reader.current = parse;
  return <Shown {...shown} reader={reader} />;
}

const Shown = memo(function Shown({
  value,
  reader,
  label,
  suffix,
  disabled,
  width,
  ariaLabel,
  className,
  again,
}: Omit<FieldProps, "parse"> & { reader: RefObject<FieldProps["parse"]> }) {
  const [text, setText] = useState<string | null>(null);
  const [error, setError] = useState<string | null>(null);
  const input = useRef<HTMLInputElement>(null);
  const dropped = useRef(false);
  const said = useId();
  useEffect(() => {
    if (error === null) return;
    const gone = setTimeout(() => setError(null), SAID_MS);
    return () => clearTimeout(gone);
  }, [error]);
  const read = (typed: string) => reader.current(typed)?.error ?? null;
  const take = () => {
    if (text === null || dropped.current) return;
    setText(null);
    setError(text.trim() === value.trim() ? null : read(text));
  };
  const onKey = (e: KeyboardEvent<HTMLInputElement>) => {
    e.stopPropagation();
    if (e.key === "Enter") {
      if (again && (text === null || text.trim() === value.trim())) {
        setText(null);
        setError(read(value));
      } else take();
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
    // The library's field is three components, and fifteen of these are put up at every selection.
    // biome-ignore lint/a11y/noStaticElementInteractions: a press beside the words is one into the field
    <span
      className={`field ${error ? "refused" : ""} ${disabled ? "off" : ""} ${className ?? ""}`}
      style={width === undefined ? {} : { width }}
      onMouseDown={(e) => {
        if (e.target === input.current) return;
        e.preventDefault();
        input.current?.focus();
      }}
    >
      {label && <span className="field-label">{label}</span>}
      <input
        ref={input}
        aria-label={ariaLabel}
        aria-describedby={error === null ? undefined : said}
        aria-invalid={error === null ? undefined : true}
        data-at-rest={text === null ? true : undefined}
        disabled={disabled ?? false}
        value={text ?? value}
        onFocus={(e) => e.target.select()}
        onChange={(e) => {
          setText(e.target.value);
          setError(null);
        }}
        onBlur={take}
        onKeyDown={onKey}
      />
      {suffix && <span className="field-suffix">{suffix}</span>}
      {error !== null && (
        // A tip for each field, mostly closed, would cost more than all of the fields.
        <Tooltip id={said} title={error} open placement="bottom" color="var(--brick)">
          <span className="field-said" />
        </Tooltip>
      )}
    </span>
  );
});
