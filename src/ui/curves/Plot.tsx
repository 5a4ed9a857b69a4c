"use client";
import { type PointerEvent as ReactPointerEvent, useMemo, useRef, useState } from "react";
import type { CurveKey } from "../../core/edit/curves/channel";
import { ChannelReader } from "../../core/edit/curves/reader";
import { nth } from "../../core/math/packed";
import { formatSeconds, snapToFrame } from "../../core/time/time";
import { insertPoint, pointOf } from "../../desk/acts/curveActions";
import { earlierStates, programOf } from "../../desk/curves/earlier";
import { type Shown, valueText } from "../../desk/curves/model";
import {
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
  type PlotView,
  pathOf,
  type Range,
  RULER_PX,
  Scale,
  type Size,
  ticksOf,
  timeMarks,
} from "../../desk/curves/plotView";
import type { PointRef } from "../../desk/selection/refs";
import { samePoint } from "../../desk/selection/selection";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { MadeOffer } from "./MadeOffer";
import { Grid, Handles, MadePiece, Now } from "./PlotParts";
import { type PressedDrag, usePlotSize, useTakeBack, useWheel } from "./usePlotInput";

interface PlotProps {
  shown: readonly Shown[];
  /** The channel whose values the axis shows. */
  active: Shown | undefined;
  view: PlotView;
  setView: (view: PlotView) => void;
  rangeOf: (s: Shown) => Range;
  onSize: (size: Size) => void;
}

/** The curves themselves: time across, value up. */
export function Plot({ shown, active, view, setView, rangeOf, onSize }: PlotProps) {
  const desk = useDesk();
  const sequence = useSequence();
  const prefs = useDeskState((s) => s.curves);
  const points = useDeskState((s) => s.points);
  const version = useDeskState((s) => s.programVersion);
  const earlier = useDeskState((s) => s.earlier);
  const past = useDeskState((s) => s.past);
  const [box, setBox] = useState<PlotBox | null>(null);
  const [told, setTold] = useState<Told | null>(null);
  const [offer, setOffer] = useState<{
    x: number;
    y: number;
    step: string;
    move: string;
    means: "keys" | "ease";
  } | null>(null);
  const svg = useRef<SVGSVGElement>(null);
  const drag = useRef<PressedDrag | null>(null);

  const size = usePlotSize(svg, onSize);
  useWheel(svg, view, size, setView);
  useTakeBack(drag, () => {
    setTold(null);
    setBox(null);
  });

  const behind = useMemo(() => {
    const found = prefs.behind === null ? undefined : earlierStates(desk).find((e) => e.id === prefs.behind);
    return found ? programOf(desk, found.body) : null;
  }, [desk, prefs.behind, earlier, past, version]);

  if (size.width < AXIS_PX + 40) return <svg ref={svg} className="plot" aria-label="Curves" />;
  const scales = new Map(shown.map((s) => [s.id, new Scale(view, size, rangeOf(s))]));
  const scaleOf = (s: Shown): Scale => scales.get(s.id) as Scale;
  const main = active ? scaleOf(active) : new Scale(view, size, { low: 0, high: 1 });
  const chosen = (p: PointRef) => points.some((x) => samePoint(x, p));
  const snap = (t: number, e: PointerEvent) =>
    desk.state.timing.snap && !e.altKey ? snapToFrame(t, sequence.rate) : Math.round(t);

  const site: PlotSite = { desk, shown, scaleOf, main, snap, tell: setTold, box: setBox };

  const begin = (e: ReactPointerEvent<Element>, d: PlotDrag) => {
    if (e.button !== 0) return;
    e.stopPropagation();
    (svg.current as SVGSVGElement).setPointerCapture(e.pointerId);
    svg.current?.focus({ preventScroll: true });
    drag.current = { ...d, x: e.clientX, y: e.clientY, moved: false };
  };
  const onMove = (e: ReactPointerEvent<SVGSVGElement>) => {
    const d = drag.current;
    if (!d) return;
    const [dx, dy] = [e.clientX - d.x, e.clientY - d.y];
    if (!d.moved && Math.hypot(dx, dy) < 3) return;
    d.moved = true;
    d.move(dx, dy, e.nativeEvent);
  };
  const onUp = () => {
    const d = drag.current;
    drag.current = null;
    if (!d) return;
    if (!d.moved) d.click?.();
    d.end(d.moved);
    setTold(null);
    setBox(null);
  };
  const dragPoint = (e: ReactPointerEvent<Element>, s: Shown, k: CurveKey) =>
    begin(e, pointDrag(site, s, k, e.ctrlKey || e.metaKey));
  const dragHandle = (e: ReactPointerEvent<Element>, s: Shown, k: CurveKey, side: "leave" | "arrive") =>
    begin(e, handleDrag(site, s, k, side));
  const boxing = (e: ReactPointerEvent<SVGSVGElement>) => {
    const r = (svg.current as SVGSVGElement).getBoundingClientRect();
    setOffer(null);
    const frame = (t: number) => snapToFrame(t, sequence.rate);
    begin(e, groundDrag(site, e.clientX - r.left, e.clientY - r.top, e.ctrlKey || e.metaKey, frame));
  };

  const onDouble = (e: React.MouseEvent<SVGSVGElement>) => {
    const r = (svg.current as SVGSVGElement).getBoundingClientRect();
    const [x, y] = [e.clientX - r.left, e.clientY - r.top];
    const t = main.t(x);
    const near = shown.map((s) => ({ s, d: Math.abs(scaleOf(s).y(s.reader.at(t)) - y) })).sort((a, b) => a.d - b.d)[0];
    if (near && near.d < 14) insertPoint(desk, near.s, t);
  };

  const grabMade = (
    e: ReactPointerEvent<Element>,
    m: { step: string; move: string; rows: { t0: number; t1: number; position: number }[] },
  ) => {
    e.stopPropagation();
    const r = (svg.current as SVGSVGElement).getBoundingClientRect();
    const [x, y] = [e.clientX - r.left, e.clientY - r.top];
    const action = nth(desk.program.steps.action, m.rows[0]?.position ?? 0);
    const t = main.t(x) - action;
    const row = m.rows.find((q) => t >= q.t0 && t <= q.t1) ?? m.rows[0];
    const u = row ? (t - row.t0) / Math.max(1, row.t1 - row.t0) : 0.5;
    // Near its ends one means how it sets off or comes to rest; in its middle, where it goes.
    setOffer({ x, y, step: m.step, move: m.move, means: u < 0.3 || u > 0.7 ? "ease" : "keys" });
  };

  const [low, high] = active ? [main.v(size.height - 4), main.v(RULER_PX + 4)] : [0, 1];
  const per = active?.per ?? 1;
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
        onPointerDown={boxing}
        onPointerMove={onMove}
        onPointerUp={onUp}
        onDoubleClick={onDouble}
      >
        <Grid
          view={view}
          size={size}
          main={main}
          marks={timeMarks(view, size.width - AXIS_PX, sequence.rate, prefs.frames)}
          values={ticksOf(low / per, high / per, size.height / 40).map((v) => v * per)}
          active={active}
        />
        <clipPath id="plot-inside">
          <rect x={AXIS_PX} y={RULER_PX} width={size.width - AXIS_PX} height={size.height - RULER_PX} />
        </clipPath>
        <g clipPath="url(#plot-inside)">
          {behind &&
            shown.map((s) => (
              <polyline
                key={s.id}
                className="plot-behind"
                stroke={s.colour}
                points={pathOf({ reader: new ChannelReader(behind, s.target, s.channel) }, view, size, scaleOf(s))}
              />
            ))}
          {shown.map((s) => (
            <polyline
              key={s.id}
              className={`plot-curve ${active && s.id !== active.id ? "quiet" : ""}`}
              stroke={s.colour}
              points={pathOf(s, view, size, scaleOf(s))}
            />
          ))}
          {shown.map((s) =>
            s.curve.made.map((m) => (
              <MadePiece
                key={`${s.id} ${m.step} ${m.move}`}
                s={s}
                m={m}
                scale={scaleOf(s)}
                action={nth(desk.program.steps.action, m.rows[0]?.position ?? 0)}
                onGrab={(e) => grabMade(e, m)}
              />
            )),
          )}
          {shown.map((s) =>
            s.curve.keys.map((k, i) =>
              chosen(pointOf(s, k)) ? (
                <Handles
                  key={`h ${s.id} ${k.key}`}
                  s={s}
                  own={k}
                  next={s.curve.keys[i + 1]}
                  scale={scaleOf(s)}
                  onDrag={dragHandle}
                />
              ) : null,
            ),
          )}
          {shown.map((s) =>
            s.curve.keys.map((k) => {
              const on = chosen(pointOf(s, k));
              const [x, y] = [scaleOf(s).x(k.at), scaleOf(s).y(k.value)];
              if (x < AXIS_PX - 8 || x > size.width + 8) return null;
              return (
                // biome-ignore lint/a11y/useSemanticElements: inside an SVG
                <g
                  key={`${s.id} ${k.step} ${k.key}`}
                  role="button"
                  tabIndex={-1}
                  className={`plot-point ${on ? "selected" : ""}`}
                  aria-label={`${s.name} of ${s.owner}: ${valueText(s, k.value)} at ${formatSeconds(k.at)} s`}
                  aria-pressed={on}
                  onPointerDown={(e) => dragPoint(e, s, k)}
                >
                  <circle cx={x} cy={y} r="9" fill="transparent" />
                  <circle
                    cx={x}
                    cy={y}
                    r={on ? 5 : 4}
                    style={{ stroke: s.colour, fill: on ? s.colour : "var(--sheet)" }}
                  />
                </g>
              );
            }),
          )}
        </g>
        <Now view={view} size={size} main={main} />
        {box && (
          <rect
            className="plot-box"
            x={Math.min(box.x0, box.x1)}
            y={Math.min(box.y0, box.y1)}
            width={Math.abs(box.x1 - box.x0)}
            height={Math.abs(box.y1 - box.y0)}
          />
        )}
        {told && (
          <g
            className={`plot-told ${told.held ? "held" : ""}`}
            transform={`translate(${Math.min(told.x + 10, size.width - 190)} ${Math.max(RULER_PX + 14, told.y - 14)})`}
          >
            {told.held && (
              <circle
                className="plot-held"
                cx={told.x - Math.min(told.x + 10, size.width - 190)}
                cy={told.y - Math.max(RULER_PX + 14, told.y - 14)}
                r="8"
              />
            )}
            <text className="number">{told.text}</text>
          </g>
        )}
      </svg>
      {offer && <MadeOffer {...offer} close={() => setOffer(null)} />}
    </>
  );
}
