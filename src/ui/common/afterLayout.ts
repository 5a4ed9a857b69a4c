"use client";
import { elementScroll, type ReactVirtualizerOptions, type Virtualizer } from "@tanstack/react-virtual";
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

/** How large what scrolls is: told after a layout, and not asked for. */
function observeSize(
  { scrollElement }: Virtualizer<HTMLElement, Element>,
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

/** How a list of which only rows in sight are there watches what scrolls without making the browser lay it out. */
export const IN_SIGHT = {
  observeElementRect: observeSize,
  // Until it is known.
  initialRect: { width: 300, height: 500 },
  // With the next frame is soon enough.
  useFlushSync: false,
  // It is scrolled where rows above turn out higher than was guessed; not to where it is already, when it begins.
  scrollToFn: (offset, how, view) => {
    if (how.adjustments) elementScroll(offset, how, view);
  },
} satisfies Partial<ReactVirtualizerOptions<HTMLElement, Element>>;
