"use client";
import { Dropdown, type MenuProps } from "antd";
import { MoreHorizontal } from "lucide-react";
import { useEffect, useRef, useState } from "react";

const DOTS = <MoreHorizontal size={14} aria-hidden />;

/**
 * What else can be done with one of a list, behind a button at its end. The menu is there only while it is open: lists
 * have many of these, and the library's costs seven components each.
 */
export function More({ label, menu, className = "" }: { label: string; menu: MenuProps; className?: string }) {
  const [open, setOpen] = useState(false);
  const button = useRef<HTMLButtonElement>(null);
  const list = useRef<HTMLDivElement>(null);
  // The keys go into the menu once it can take them: the library asks once, and too early on a busy machine.
  useEffect(() => {
    if (!open) return;
    let frame = 0;
    const enter = () => {
      const first = list.current?.querySelector<HTMLElement>("[role=menuitem]:not([aria-disabled=true])");
      first?.focus({ preventScroll: true });
      if (!first || document.activeElement !== first) frame = requestAnimationFrame(enter);
    };
    enter();
    return () => cancelAnimationFrame(frame);
  }, [open]);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the key is pressed in the menu or at the button
    <span
      className={`more ${className}`}
      onKeyDown={(e) => {
        if (!open || e.key !== "Escape") return;
        e.stopPropagation();
        setOpen(false);
        button.current?.focus();
      }}
    >
      <button
        type="button"
        ref={button}
        aria-label={label}
        aria-haspopup="menu"
        aria-expanded={open}
        onClick={() => setOpen(true)}
      >
        {DOTS}
      </button>
      {open && (
        <Dropdown
          open
          trigger={["click"]}
          menu={menu}
          onOpenChange={(on) => !on && setOpen(false)}
          popupRender={(node) => <div ref={list}>{node}</div>}
        >
          {/* Lies over the button, so that another press closes. */}
          <span className="more-open" />
        </Dropdown>
      )}
    </span>
  );
}
