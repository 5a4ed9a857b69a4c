import { Input } from "antd";
import { useEffect, useState } from "react";

/**
 * A line of text taken on Enter or when the field is left; Escape goes back to what it was. An empty one is only
 * taken where `mayBeEmpty`.
 */
export function TextField({
  label,
  value,
  take,
  mayBeEmpty = false,
}: {
  label: string;
  value: string;
  take: (v: string) => void;
  mayBeEmpty?: boolean;
}) {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  const done = () => {
    const clean = text.trim();
    if (clean !== value && (clean || mayBeEmpty)) take(clean);
    else setText(value);
  };
  return (
    <Input
      size="small"
      aria-label={label}
      data-at-rest={text === value ? true : undefined}
      value={text}
      maxLength={200}
      onChange={(e) => setText(e.target.value)}
      onBlur={done}
      onPressEnter={done}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Escape") setText(value);
      }}
    />
  );
}
