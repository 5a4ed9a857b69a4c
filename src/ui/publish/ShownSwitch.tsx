"use client";
import { Segmented } from "antd";

/** What stands in the publish view: the output as it will be, or as it was made. */
export type Shown = "will" | "made";

export function ShownSwitch({
  value,
  onChange,
  quick = false,
}: {
  value: Shown;
  onChange(value: Shown): void;
  /** What was made is only a quick look. */
  quick?: boolean;
}) {
  return (
    <Segmented
      size="small"
      aria-label="What is shown"
      value={value}
      onChange={onChange}
      options={[
        { value: "will", label: "As it will be" },
        { value: "made", label: quick ? "Quick look" : "As it was made" },
      ]}
    />
  );
}
