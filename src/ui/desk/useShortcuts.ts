"use client";
import { useEffect } from "react";
import type { Desk } from "../../desk/port";
import { combo, SHORTCUTS } from "./shortcuts";

/** Runs the desk's shortcuts, except while something is being typed or a dialog is open. */
export function useShortcuts(desk: Desk): void {
  useEffect(() => {
    const byKeys = new Map(SHORTCUTS.map((s) => [s.keys, s]));
    const onKey = (e: KeyboardEvent) => {
      if (e.defaultPrevented || desk.state.dialog) return;
      const at = e.target as HTMLElement | null;
      if (
        at?.closest(
          "input:not([type=range]), textarea, select, [contenteditable], [role=dialog], .ant-select-dropdown, .ant-dropdown, .ant-popover",
        )
      )
        return;
      const shortcut = byKeys.get(combo(e));
      if (!shortcut) return;
      // Arrow keys and Space belong to the tree, a card or a button while it has the focus.
      if (at?.closest("[role=tree]") && /Arrow|Space|Home|End|Enter/.test(e.key) && !e.ctrlKey) return;
      if (at?.closest("[type=range]") && /^(Arrow.*|Home|End|Page.*)$/.test(e.key)) return;
      if (at?.closest("button, [role=option], .pin") && /^( |Enter|Arrow.*)$/.test(e.key) && !e.ctrlKey && !e.altKey)
        return;
      e.preventDefault();
      shortcut.run(desk);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [desk]);
}
