"use client";
import { useVirtualizer } from "@tanstack/react-virtual";
import { Fragment, type ReactNode, type RefObject, useLayoutEffect, useRef, useState } from "react";
import { IN_SIGHT, useAfterLayout } from "./afterLayout";

/** Up to so many rows are all there: then a search in the page finds each. */
const ALL = 60;

interface Lines<T> {
  items: readonly T[];
  keyOf: (item: T) => string;
  /** A row, an `li`. */
  row: (item: T, index: number) => ReactNode;
}

/**
 * The rows of a list, of which only those in sight are there once they are many: a step with 500 moves takes no longer
 * to show than one with five. It scrolls with what it lies in that is marked as `scrolling`, which may be itself.
 */
export function LongList<T>({
  label,
  className,
  rowHeight,
  ordered = false,
  ...lines
}: Lines<T> & {
  label: string;
  className: string;
  /** About as high as a row is, CSS pixels. */
  rowHeight: number;
  ordered?: boolean;
}): ReactNode {
  const list = useRef<HTMLElement | null>(null);
  const [scroller, setScroller] = useState<HTMLElement | null>(null);
  const [top, setTop] = useState(0);
  const many = lines.items.length > ALL;
  useLayoutEffect(() => {
    if (many) setScroller(list.current?.closest<HTMLElement>(".scrolling") ?? document.documentElement);
  }, [many]);
  // After every change of what is shown: what stands above the list may have grown.
  useAfterLayout(list, () => {
    if (many && list.current && scroller)
      setTop(scroller === list.current ? 0 : Math.round(offsetIn(list.current, scroller)));
  });
  const Tag = ordered ? "ol" : "ul";
  return (
    <Tag
      className={`plain ${className}`}
      aria-label={label}
      ref={(element: HTMLElement | null) => {
        list.current = element;
      }}
    >
      {many
        ? scroller && <Window {...lines} list={list} scroller={scroller} top={top} rowHeight={rowHeight} />
        : lines.items.map((item, i) => <Fragment key={lines.keyOf(item)}>{lines.row(item, i)}</Fragment>)}
    </Tag>
  );
}

/** What lies between the rows in sight and the ends of the list is two empty rows as high as it would be. */
function Window<T>({
  items,
  keyOf,
  row,
  list,
  scroller,
  top,
  rowHeight,
}: Lines<T> & { list: RefObject<HTMLElement | null>; scroller: HTMLElement; top: number; rowHeight: number }) {
  const view = useVirtualizer({
    count: items.length,
    getScrollElement: () => scroller,
    estimateSize: () => rowHeight,
    ...IN_SIGHT,
    scrollMargin: top,
    overscan: 6,
    getItemKey: (i) => keyOf(items[i] as T),
  });
  const shown = view.getVirtualItems();
  // Rows are as high as they are: those in sight are measured, the others guessed.
  useAfterLayout(list, () => {
    shown.forEach(({ index, size }, i) => {
      const high = list.current?.children[i + 1]?.getBoundingClientRect().height ?? 0;
      // Parts of a pixel count: over hundreds of rows they come to a row.
      if (high > 0 && Math.abs(high - size) > 0.01) view.resizeItem(index, high);
    });
  });
  const before = (shown[0]?.start ?? top) - top;
  const after = view.getTotalSize() - ((shown.at(-1)?.end ?? top) - top);
  return (
    <>
      <li aria-hidden style={{ height: before }} />
      {shown.map(({ index, key }) => (
        <Fragment key={key}>{row(items[index] as T, index)}</Fragment>
      ))}
      <li aria-hidden style={{ height: Math.max(0, after) }} />
    </>
  );
}

const offsetIn = (inner: HTMLElement, outer: HTMLElement): number =>
  inner.getBoundingClientRect().top - outer.getBoundingClientRect().top + outer.scrollTop;
