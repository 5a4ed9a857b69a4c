"use client";
import { type PointerEvent as ReactPointerEvent, useMemo, useRef, useState } from "react";
import type { CurveKey } from "../../core/edit/curves/channel";
import { nth } from "../../core/math/packed";
import { snapToFrame } from "../../core/time/time";
import { insertPoint, pointId } from "../../desk/acts/curveActions";
import { earlierStates, programOf } from "../../desk/curves/earlier";
import type { Shown } from "../../desk/curves/model";
import {
  endDrag,
  groundDrag,
  handleDrag,
  type PlotBox,
  type PlotDrag,
  type PlotSite,
  pointDrag,
  type Told,
} from "../../desk/curves/plotDrags";
import {
  AXIS_PX,
  type Band,
  bandsOf,
  HEAD_PX,
  type PlotView,
  type Range,
  Scale,
  timeMarks,
} from "../../desk/curves/plotView";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { MadeOffer } from "./MadeOffer";
import { BoxDrawn, Head, Now, ToldAt } from "./PlotParts";
import { Axis, MOST_POINTS, Strip, type StripActs } from "./Strip";
import { type PressedDrag, usePlotSize, useTakeBack, useWheel } from "./usePlotInput";
import { usePointFocus } from "./usePointFocus";

interface PlotProps {
  shown: readonly Shown[];
  /** The channel whose values the axis shows where curves lie over one another. */
  active: Shown | undefined;
  view: PlotView;
  setView: (view: PlotView) => void;
  rangeOf: (s: Shown) => Range;
}

const WHOLE: Band = { top: HEAD_PX, height: 1 };

/** The curves themselves: time across, value up; each channel in a strip of its own, or all on one ground. */
export function Plot({ shown, active, view, setView, rangeOf }: PlotProps) {
  const desk = useDesk();
  const sequence = useSequence();
  const prefs = useDeskState((s) => s.curves);
  const points = useDeskState((s) => s.points);
  const [box, setBox] = useState<PlotBox | null>(null);
  const [told, setTold] = useState<Told | null>(null);
  const [offer, setOffer] = useState<Offer | null>(null);
  const [scroll, setScroll] = useState(0);
  const svg = useRef<SVGSVGElement>(null);
  const behind = useBehind();
  const size = usePlotSize(svg);
  const { bands, total } = bandsOf(shown.length, size, prefs.overlaid, scroll);
  const most = Math.max(0, total - (size.height - HEAD_PX));
  const scales = new Map(
    shown.map((s, i) => [s.id, new Scale(view, size.width, bands[i] ?? WHOLE, rangeOf(s))] as const),
  );
  const scaleOf = (s: Shown): Scale => scales.get(s.id) as Scale;
  const main = active ? scaleOf(active) : new Scale(view, size.width, WHOLE, { low: 0, high: 1 });
  const chosen = useMemo(() => new Set(points.map(pointId)), [points]);
  const under = (y: number) =>
    shown.map(scaleOf).find((k) => y >= k.band.top && y < k.band.top + k.band.height) ?? main;
  useWheel(svg, {
    view,
    size,
    setView,
    under,
    scrollBy: (by) => setScroll(Math.min(most, Math.max(0, scroll + by))),
    most,
  });
  const cursor = usePointFocus(svg, shown, chosen, (s) => {
    const i = shown.indexOf(s);
    const band = bands[i];
    if (!band || most === 0) return;
    if (band.top < HEAD_PX) setScroll(i * band.height);
    else if (band.top + band.height > size.height) setScroll((i + 1) * band.height - (size.height - HEAD_PX));
  });
  const snap = (t: number, e: PointerEvent) =>
    desk.state.timing.snap && !e.altKey ? snapToFrame(t, sequence.rate) : Math.round(t);
  const site: PlotSite = { desk, shown, scaleOf, main, snap, tell: setTold, box: setBox };
  const press = usePress(svg, () => {
    setTold(null);
    setBox(null);
  });

  const place = (e: { clientX: number; clientY: number }) => {
    const r = (svg.current as SVGSVGElement).getBoundingClientRect();
    return [e.clientX - r.left, e.clientY - r.top] as const;
  };
  const acts: StripActs = {
    point: (e, s, k) => press.begin(e, pointDrag(site, s, k, e.ctrlKey || e.metaKey)),
    handle: (e, s, k, side) => press.begin(e, handleDrag(site, s, k, side)),
    end: (e, s, k) => press.begin(e, endDrag(site, s, k)),
    made: (e, s, m) => {
      e.stopPropagation();
      const [x, y] = place(e);
      const t = scaleOf(s).t(x) - nth(desk.program.steps.action, m.rows[0]?.position ?? 0);
      const row = m.rows.find((q) => t >= q.t0 && t <= q.t1) ?? m.rows[0];
      const u = row ? (t - row.t0) / Math.max(1, row.t1 - row.t0) : 0.5;
      // Near its ends one means how it sets off or comes to rest; in its middle, where it goes.
      setOffer({ x, y, step: m.step, move: m.move, means: u < 0.3 || u > 0.7 ? "ease" : "keys" });
    },
  };
  const onGround = (e: ReactPointerEvent<SVGSVGElement>) => {
    const [x, y] = place(e);
    setOffer(null);
    const near = dense && y > HEAD_PX ? pointNear(shown, scaleOf, x, y) : null;
    if (near) {
      acts.point(e, near.s, near.k);
      return;
    }
    press.begin(
      e,
      groundDrag(site, x, y, e.ctrlKey || e.metaKey, (t) => snapToFrame(t, sequence.rate)),
    );
  };
  const onDouble = (e: React.MouseEvent<SVGSVGElement>) => {
    const [x, y] = place(e);
    const t = main.t(x);
    const near = shown.map((s) => ({ s, d: Math.abs(scaleOf(s).y(s.reader.at(t)) - y) })).sort((a, b) => a.d - b.d)[0];
    if (near && near.d < 14) insertPoint(desk, near.s, t);
  };

  if (size.width < AXIS_PX + 40) return <svg ref={svg} className="plot" aria-label="Curves" />;
  const dense = countSeen(shown, view) > MOST_POINTS;
  const drawn = shown.filter((s) => {
    const { top, height } = scaleOf(s).band;
    return top + height > HEAD_PX && top < size.height;
  });
  const axes = prefs.overlaid ? (active ? [active] : []) : drawn;
  return (
    <>
      <svg
        ref={svg}
        className="plot"
        role="application"
        aria-label="Curves"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: an application takes keys of its own
        tabIndex={0}
        width={size.width}
        height={size.height}
        onPointerDown={onGround}
        onPointerMove={press.move}
        onPointerUp={press.up}
        onDoubleClick={onDouble}
      >
        <clipPath id="plot-inside">
          <rect x="0" y={HEAD_PX} width={size.width} height={size.height - HEAD_PX} />
        </clipPath>
        <Head
          size={size}
          main={main}
          marks={timeMarks(view, size.width - AXIS_PX, sequence.rate, prefs.frames)}
          unit={prefs.overlaid ? active?.unit || (active ? "value" : "") : ""}
        />
        <g clipPath="url(#plot-inside)">
          {axes.map((s) => (
            <Axis key={s.id} s={s} scale={scaleOf(s)} size={size} named={!prefs.overlaid} />
          ))}
          {drawn.map((s) => (
            <Strip
              key={s.id}
              {...{ s, view, size, behind, dense, chosen, cursor, acts }}
              scale={scaleOf(s)}
              quiet={prefs.overlaid && active !== undefined && s.id !== active.id}
            />
          ))}
        </g>
        <Now view={view} size={size} main={main} />
        {box && <BoxDrawn box={box} />}
        {told && <ToldAt told={told} width={size.width} />}
      </svg>
      {most > 0 && <ScrollBar at={scroll} most={most} room={size.height - HEAD_PX} onScroll={setScroll} />}
      {offer && <MadeOffer {...offer} close={() => setOffer(null)} />}
    </>
  );
}

interface Offer {
  x: number;
  y: number;
  step: string;
  move: string;
  means: "keys" | "ease";
}

/** How many points lie in what is seen. */
const countSeen = (shown: readonly Shown[], view: PlotView): number =>
  shown.reduce((n, s) => n + s.curve.keys.reduce((m, k) => m + (k.at >= view.t0 && k.at <= view.t1 ? 1 : 0), 0), 0);

/** The point nearest to a place, within reach of a finger. */
function pointNear(
  shown: readonly Shown[],
  scaleOf: (s: Shown) => Scale,
  x: number,
  y: number,
): { s: Shown; k: CurveKey } | null {
  let best: { s: Shown; k: CurveKey } | null = null;
  let least = 9;
  for (const s of shown) {
    const scale = scaleOf(s);
    if (y < scale.band.top || y > scale.band.top + scale.band.height) continue;
    for (const k of s.curve.keys) {
      const d = Math.hypot(scale.x(k.at) - x, scale.y(k.value) - y);
      if (d < least) [best, least] = [{ s, k }, d];
    }
  }
  return best;
}

/** The program of the earlier state that is shown behind. */
function useBehind() {
  const desk = useDesk();
  const behind = useDeskState((s) => s.curves.behind);
  const version = useDeskState((s) => s.programVersion);
  const earlier = useDeskState((s) => s.earlier);
  const past = useDeskState((s) => s.past);
  return useMemo(() => {
    const found = behind === null ? undefined : earlierStates(desk).find((e) => e.id === behind);
    return found ? programOf(desk, found.body) : null;
  }, [desk, behind, earlier, past, version]);
}

/** A press on the plot and what follows, until it is let go of or taken back. */
function usePress(svg: React.RefObject<SVGSVGElement | null>, clear: () => void) {
  const drag = useRef<PressedDrag | null>(null);
  useTakeBack(drag, clear);
  return {
    begin: (e: ReactPointerEvent<Element>, d: PlotDrag) => {
      if (e.button !== 0) return;
      e.stopPropagation();
      svg.current?.setPointerCapture(e.pointerId);
      svg.current?.focus({ preventScroll: true });
      drag.current = { ...d, x: e.clientX, y: e.clientY, moved: false };
    },
    move: (e: ReactPointerEvent<SVGSVGElement>) => {
      const d = drag.current;
      if (!d) return;
      const [dx, dy] = [e.clientX - d.x, e.clientY - d.y];
      if (!d.moved && Math.hypot(dx, dy) < 3) return;
      d.moved = true;
      d.move(dx, dy, e.nativeEvent);
    },
    up: () => {
      const d = drag.current;
      drag.current = null;
      if (!d) return;
      if (!d.moved) d.click?.();
      d.end(d.moved);
      clear();
    },
  };
}

/** Strips that do not fit are gone through with the machine's own scroll bar. */
function ScrollBar({
  at,
  most,
  room,
  onScroll,
}: {
  at: number;
  most: number;
  room: number;
  onScroll: (to: number) => void;
}) {
  const el = useRef<HTMLDivElement>(null);
  if (el.current && Math.abs(el.current.scrollTop - at) > 1) el.current.scrollTop = at;
  return (
    <div
      ref={el}
      className="plot-scroll"
      style={{ top: HEAD_PX, height: room }}
      onScroll={(e) => onScroll(e.currentTarget.scrollTop)}
    >
      <div style={{ height: room + most }} />
    </div>
  );
}
