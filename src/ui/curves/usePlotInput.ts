import { type RefObject, useEffect, useRef, useState } from "react";
import type { PlotDrag } from "../../desk/curves/plotDrags";
import { AXIS_PX, type PlotView, type Size, zoomed } from "../../desk/curves/plotView";

/** A drag with where it was pressed, page pixels. It ends by being taken, or taken back with Escape. */
export interface PressedDrag extends PlotDrag {
  x: number;
  y: number;
  moved: boolean;
}

/** The size of what the plot lies in; told when it changes. */
export function usePlotSize(svg: RefObject<SVGSVGElement | null>, onSize: (size: Size) => void): Size {
  const [size, setSize] = useState<Size>({ width: 0, height: 0 });
  useEffect(() => {
    const el = svg.current?.parentElement;
    if (!el) return;
    const observer = new ResizeObserver(([e]) => {
      if (!e) return;
      const next = { width: e.contentRect.width, height: e.contentRect.height };
      setSize(next);
      onSize(next);
    });
    observer.observe(el);
    return () => observer.disconnect();
  }, [svg, onSize]);
  return size;
}

/** The wheel: with Ctrl it zooms time about the pointer, with Alt the values; alone it goes along. */
export function useWheel(
  svg: RefObject<SVGSVGElement | null>,
  view: PlotView,
  size: Size,
  setView: (view: PlotView) => void,
): void {
  const live = useRef({ view, size, setView });
  live.current = { view, size, setView };
  useEffect(() => {
    const el = svg.current;
    if (!el) return;
    const onWheel = (e: WheelEvent) => {
      e.preventDefault();
      const { view: v, size: s, setView: set } = live.current;
      const x = e.clientX - el.getBoundingClientRect().left;
      const share = (x - AXIS_PX) / Math.max(1, s.width - AXIS_PX);
      if (e.ctrlKey || e.metaKey) {
        const k = Math.exp(e.deltaY * 0.0025);
        const t = v.t0 + (v.t1 - v.t0) * share;
        set(zoomed(v, t, k));
      } else if (e.altKey) set({ ...v, zoom: Math.min(200, Math.max(0.2, v.zoom * Math.exp(-e.deltaY * 0.0025))) });
      else {
        const by = ((v.t1 - v.t0) * (e.shiftKey ? e.deltaY : e.deltaX || e.deltaY)) / Math.max(1, s.width);
        set({ ...v, t0: Math.max(0, v.t0 + by), t1: v.t1 + Math.max(by, -v.t0) });
      }
    };
    el.addEventListener("wheel", onWheel, { passive: false });
    return () => el.removeEventListener("wheel", onWheel);
  }, [svg]);
}

/** Escape takes back what is being dragged, before anything else hears of it. */
export function useTakeBack(drag: RefObject<PressedDrag | null>, after: () => void): void {
  const done = useRef(after);
  done.current = after;
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.key !== "Escape" || !drag.current) return;
      e.preventDefault();
      e.stopPropagation();
      drag.current.end(false);
      drag.current = null;
      done.current();
    };
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, [drag]);
}
