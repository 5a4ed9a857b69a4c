"use client";
import { Button, Tooltip } from "antd";
import type { ReactNode } from "react";

/** A button that opens something or switches it on, and shows that it did. */
export function Toggle({
  on,
  title,
  icon,
  label,
  framed = false,
  onClick,
  children,
}: {
  on: boolean;
  title: ReactNode;
  icon: ReactNode;
  /** What it is called where it has no words. */
  label?: string;
  /** Has a frame while it is off as well. */
  framed?: boolean;
  onClick: () => void;
  children?: ReactNode;
}) {
  return (
    <Tooltip title={title}>
      <Button
        size="small"
        type={on ? "primary" : framed ? "default" : "text"}
        // With words it is read, so it stays pale.
        ghost={on && children !== undefined}
        aria-label={label}
        aria-pressed={on}
        icon={icon}
        onClick={onClick}
      >
        {children}
      </Button>
    </Tooltip>
  );
}
