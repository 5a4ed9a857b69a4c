import { type RefObject, useEffect, useRef, useState } from "react";
import type { PlotDrag } from "../../desk/curves/plotDrags";
import { AXIS_PX, type PlotView, type Scale, type Size, zoomed, zoomedValues } from "../../desk/curves/plotView";

/** A drag with where it was pressed, page pixels. It ends by being taken, or taken back with Escape. */
export interface PressedDrag extends PlotDrag {
  x: number;
  y: number;
  moved: boolean;
}

/** The size of what the plot lies in. */
export function usePlotSize(svg: RefObject<SVGSVGElement | null>): Size {
  const [size, setSize] = useState<Size>({ width: 0, height: 0 });
  useEffect(() => {
    const el = svg.current?.parentElement;
    if (!el) return;
    const observer = new ResizeObserver(([e]) => {
      if (e) setSize({ width: e.contentRect.width, height: e.contentRect.height });
    });
    observer.observe(el);
    return () => observer.disconnect();
  }, [svg]);
  return size;
}

/** What the wheel works on. */
interface WheelSite {
  view: PlotView;
  size: Size;
  setView: (view: PlotView) => void;
  /** The scale of the strip at a height, px. */
  under(y: number): Scale;
  /** Goes through the strips, px; `most` is how far they reach beyond the plot. */
  scrollBy(px: number): void;
  most: number;
}

/**
 * The wheel: with Ctrl it zooms time about the pointer, with Alt the values about the pointer; with Shift it goes up
 * and down, through the strips or the values; alone it goes along. The middle button takes the ground along.
 */
export function useWheel(svg: RefObject<SVGSVGElement | null>, site: WheelSite): void {
  const live = useRef(site);
  live.current = site;
  useEffect(() => {
    const el = svg.current;
    if (!el) return;
    const along = (by: number) => {
      const { view: v, size, setView } = live.current;
      const ticks = ((v.t1 - v.t0) * by) / Math.max(1, size.width - AXIS_PX);
      setView({ ...v, t0: Math.max(0, v.t0 + ticks), t1: v.t1 + Math.max(ticks, -v.t0) });
    };
    const up = (by: number, y: number) => {
      const { view: v, setView, under } = live.current;
      setView({ ...v, pan: v.pan + by / Math.max(1, under(y).band.height) });
    };
    const onWheel = (e: WheelEvent) => {
      e.preventDefault();
      const { view: v, setView, under, size, most, scrollBy } = live.current;
      const r = el.getBoundingClientRect();
      const [x, y] = [e.clientX - r.left, e.clientY - r.top];
      const by = e.deltaY || e.deltaX;
      if (e.ctrlKey || e.metaKey) {
        const share = (x - AXIS_PX) / Math.max(1, size.width - AXIS_PX);
        setView(zoomed(v, v.t0 + (v.t1 - v.t0) * share, Math.exp(by * 0.0025)));
      } else if (e.altKey) setView(zoomedValues(v, under(y).share(y), Math.exp(-by * 0.0025)));
      else if (!e.shiftKey) along(e.deltaX || e.deltaY);
      else if (most > 0) scrollBy(by);
      else up(by, y);
    };
    const onDown = (e: PointerEvent) => {
      if (e.button !== 1) return;
      e.preventDefault();
      let [x, y] = [e.clientX, e.clientY];
      const move = (m: PointerEvent) => {
        const r = el.getBoundingClientRect();
        along(x - m.clientX);
        up(y - m.clientY, m.clientY - r.top);
        [x, y] = [m.clientX, m.clientY];
      };
      const end = () => {
        window.removeEventListener("pointermove", move);
        window.removeEventListener("pointerup", end);
      };
      window.addEventListener("pointermove", move);
      window.addEventListener("pointerup", end);
    };
    el.addEventListener("wheel", onWheel, { passive: false });
    el.addEventListener("pointerdown", onDown);
    return () => {
      el.removeEventListener("wheel", onWheel);
      el.removeEventListener("pointerdown", onDown);
    };
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
