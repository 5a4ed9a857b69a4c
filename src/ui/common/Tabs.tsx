"use client";
import { type ReactNode, useId } from "react";

/**
 * Tabs with what the chosen one shows. Left and right go from one to the next, as in tabs everywhere. Laid out by the
 * browser alone: tabs that measure themselves make it lay out the page in the middle of every act that shows them.
 */
export function Tabs<K extends string>({
  label,
  tabs,
  active,
  onChange,
  children,
}: {
  label: string;
  tabs: readonly (readonly [key: K, title: string])[];
  active: K;
  onChange: (key: K) => void;
  /** What the active tab shows. */
  children: ReactNode;
}) {
  const id = useId();
  const go = (by: number) => {
    const at = tabs.findIndex(([key]) => key === active);
    const [key] = tabs[(at + by + tabs.length) % tabs.length] as (typeof tabs)[number];
    onChange(key);
    document.getElementById(`${id}${key}`)?.focus();
  };
  return (
    <>
      <div
        className="tabs"
        role="tablist"
        aria-label={label}
        onKeyDown={(e) => {
          if (e.key !== "ArrowLeft" && e.key !== "ArrowRight") return;
          e.preventDefault();
          go(e.key === "ArrowRight" ? 1 : -1);
        }}
      >
        {tabs.map(([key, title]) => (
          <button
            key={key}
            id={`${id}${key}`}
            type="button"
            role="tab"
            aria-selected={key === active}
            aria-controls={`${id}panel`}
            tabIndex={key === active ? 0 : -1}
            onClick={() => onChange(key)}
          >
            {title}
          </button>
        ))}
      </div>
      <div role="tabpanel" id={`${id}panel`} aria-labelledby={`${id}${active}`}>
        {children}
      </div>
    </>
  );
}
