"use client";
import { type RefObject, useLayoutEffect, useRef } from "react";

/**
 * Looks at how things lie once the browser has laid out what was made last: asked earlier, it would have to lay out in the
 * middle of an act, which it does again at its end. @returns what calls it off
 */
export function afterLayout(of: HTMLElement, look: () => void): () => void {
  const observer = new ResizeObserver(() => {
    observer.disconnect();
    look();
  });
  // What is observed anew is told of once, after the next layout.
  observer.observe(of);
  return () => observer.disconnect();
}

/** Looks so after each time that a component was made anew. */
export function useAfterLayout(of: RefObject<HTMLElement | null>, look: () => void): void {
  const last = useRef(look);
  const observer = useRef<ResizeObserver | null>(null);
  useLayoutEffect(() => {
    observer.current = new ResizeObserver(() => last.current());
    return () => observer.current?.disconnect();
  }, []);
  useLayoutEffect(() => {
    last.current = look;
    if (!of.current) return;
    observer.current?.unobserve(of.current);
    observer.current?.observe(of.current);
  });
}

/** How large what scrolls is, for a list of which only rows in sight are there: told after a layout, and not asked for. */
export function observeSize(
  { scrollElement }: { scrollElement: Element | null },
  told: (size: { width: number; height: number }) => void,
): (() => void) | undefined {
  if (!scrollElement) return;
  const observer = new ResizeObserver(([entry]) => {
    const [box] = entry?.borderBoxSize ?? [];
    if (box) told({ width: box.inlineSize, height: box.blockSize });
  });
  observer.observe(scrollElement);
  return () => observer.disconnect();
}

/** What is shown of a list until it is known how large it is. */
export const FIRST_SIZE = { width: 300, height: 500 };
