"use client";
import { Input } from "antd";
import type { ComponentProps, CSSProperties, ReactNode } from "react";

/**
 * A field for several lines that is as high as what is in it. The browser lays it out by itself, beside an unseen copy of
 * the words: nothing is measured, which would make it work out the style of the whole page in the middle of an act.
 * @param lines at least and at most
 */
export function GrowingText({
  lines: [least, most],
  className = "",
  ...rest
}: Omit<ComponentProps<typeof Input.TextArea>, "rows" | "autoSize" | "value"> & {
  value: string;
  lines: readonly [number, number];
}): ReactNode {
  return (
    <span
      className={`growing ${className}`}
      data-text={rest.value}
      style={{ "--least": least, "--most": most } as CSSProperties}
    >
      <Input.TextArea {...rest} rows={1} />
    </span>
  );
}
