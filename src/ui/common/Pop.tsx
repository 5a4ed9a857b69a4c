"use client";
import { Popover, type PopoverProps } from "antd";
import { useEffect, useRef, useState } from "react";
import { useDeskState } from "../desk/context";

/** Where the key puts back what was typed, or closes a list. */
const TYPING = "input:not([data-at-rest], [type=radio], [type=checkbox], [type=range]), textarea, .ant-select-open";

/**
 * A panel that opens at a press of its button. Escape closes it wherever the keys are meant for, but for a field in which
 * something was typed, which takes the first one itself; and so does opening a dialog or another view.
 */
export function Pop({ open, onOpenChange, ...rest }: PopoverProps) {
  const [own, setOwn] = useState(false);
  const shown = open ?? own;
  const set = (on: boolean) => {
    setOwn(on);
    onOpenChange?.(on);
  };
  const live = useRef(set);
  live.current = set;
  const view = useDeskState((s) => `${s.dialog} ${s.below} ${s.watching}`);
  const wasIn = useRef(view);
  useEffect(() => {
    if (wasIn.current === view) return;
    wasIn.current = view;
    live.current(false);
  }, [view]);
  useEffect(() => {
    if (!shown) return;
    const onKey = (e: KeyboardEvent) => {
      if (e.key !== "Escape" || (e.target as Element).closest?.(TYPING)) return;
      e.stopPropagation();
      live.current(false);
    };
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, [shown]);
  return <Popover {...rest} trigger="click" open={shown} onOpenChange={set} />;
}
