"use client";
import { type PointerEvent as ReactPointerEvent, useEffect, useMemo, useRef, useState } from "react";
import type { CurveKey } from "../../core/edit/curves/channel";
import { clampedHandle, moveCurveKeys, setHandle } from "../../core/edit/curves/edit";
import { ChannelReader } from "../../core/edit/curves/reader";
import type { SequenceCommand } from "../../core/edit/sequenceCommands";
import { nth } from "../../core/math/packed";
import { formatSeconds, snapToFrame } from "../../core/time/time";
import { insertPoint, pointNames, pointOf, refsOf, selectPoints } from "../../desk/acts/curveActions";
import { earlierStates, programOf } from "../../desk/curves/earlier";
import { type Shown, valueText } from "../../desk/curves/model";
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
  zoomed,
} from "../../desk/curves/plotView";
import type { PointRef } from "../../desk/selection/refs";
import { samePoint } from "../../desk/selection/selection";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { MadeOffer } from "./MadeOffer";
import { Grid, Handles, MadePiece, Now } from "./PlotParts";

interface PlotProps {
  shown: readonly Shown[];
  /** The channel whose values the axis shows. */
  active: Shown | undefined;
  view: PlotView;
  setView: (view: PlotView) => void;
  rangeOf: (s: Shown) => Range;
  onSize: (size: Size) => void;
}

/** What is dragged: ends by being taken, or taken back with Escape. */
interface Drag {
  x: number;
  y: number;
  moved: boolean;
  move(dx: number, dy: number, e: PointerEvent): void;
  end(taken: boolean): void;
  click?: () => void;
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
  const [size, setSize] = useState<Size>({ width: 0, height: 0 });
  const [box, setBox] = useState<{ x0: number; y0: number; x1: number; y1: number } | null>(null);
  const [told, setTold] = useState<{ x: number; y: number; text: string; held?: boolean } | null>(null);
  const [offer, setOffer] = useState<{
    x: number;
    y: number;
    step: string;
    move: string;
    means: "keys" | "ease";
  } | null>(null);
  const svg = useRef<SVGSVGElement>(null);
  const drag = useRef<Drag | null>(null);

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
  }, [onSize]);

  // Escape takes back what is being dragged, before anything else hears of it.
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      if (e.key !== "Escape" || !drag.current) return;
      e.preventDefault();
      e.stopPropagation();
      drag.current.end(false);
      drag.current = null;
      setTold(null);
      setBox(null);
    };
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, []);

  // The wheel: with Ctrl it zooms time about the pointer, with Alt the values; alone it goes along.
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
  }, []);

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

  const begin = (e: ReactPointerEvent<Element>, d: Omit<Drag, "x" | "y" | "moved">) => {
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
  const finish = (command: SequenceCommand | null, label: string, after?: () => void) => {
    if (command && desk.edit(label, command)) after?.();
    else desk.preview(null);
  };

  /** Dragging points: time and value, or the one that is not locked; Shift keeps to the larger of the two. */
  const dragPoint = (e: ReactPointerEvent<Element>, s: Shown, k: CurveKey) => {
    const own = pointOf(s, k);
    const was = chosen(own);
    const more = e.ctrlKey || e.metaKey;
    if (more) selectPoints(desk, [own], "toggle");
    else if (!was) selectPoints(desk, [own]);
    const scale = scaleOf(s);
    let command: SequenceCommand | null = null;
    let moved: ReturnType<typeof moveCurveKeys> | null = null;
    begin(e, {
      click: () => {
        if (!was || more) return;
        // Points that lie under one another are reached one after the other.
        const near = shown.flatMap((x) =>
          x.curve.keys
            .filter(
              (q) =>
                Math.abs(scaleOf(x).x(q.at) - scale.x(k.at)) < 5 &&
                Math.abs(scaleOf(x).y(q.value) - scale.y(k.value)) < 5,
            )
            .map((q) => pointOf(x, q)),
        );
        const at = near.findIndex((p) => samePoint(p, own));
        selectPoints(desk, [near[(at + 1) % near.length] ?? own]);
      },
      move: (dx, dy, ev) => {
        let lock = desk.state.curves.lock;
        if (ev.shiftKey) lock = Math.abs(dx) > Math.abs(dy) ? "time" : "value";
        const at = lock === "value" ? k.at : snap(scale.t(scale.x(k.at) + dx), ev);
        let rise = lock === "time" ? 0 : scale.v(scale.y(k.value) + dy) - k.value;
        // A value near that of another point of the channel is taken over.
        if (!ev.altKey && rise !== 0) {
          const same = s.curve.keys.find((q) => q !== k && Math.abs(scale.y(q.value) - scale.y(k.value + rise)) < 5);
          if (same) rise = same.value - k.value;
          else rise = Number((k.value + rise).toPrecision(5)) - k.value;
        }
        moved = moveCurveKeys(refsOf(desk.state.points), { by: at - k.at, rise });
        const fault = desk.preview(moved.command);
        if (fault === null) command = moved.command;
        setTold({
          x: scale.x(at),
          y: scale.y(k.value + rise),
          text: `${formatSeconds(at)} s · ${valueText(s, k.value + rise, 3)}`,
        });
      },
      end: (taken) => {
        const before = desk.state.points;
        finish(taken ? command : null, `Move ${pointNames(desk, before)}`, () => {
          if (moved)
            selectPoints(
              desk,
              moved.refs.map((r, i) => ({ ...r, target: (before[i] as PointRef).target })),
            );
        });
      },
    });
  };

  const dragHandle = (e: ReactPointerEvent<Element>, s: Shown, k: CurveKey, side: "leave" | "arrive") => {
    const scale = scaleOf(s);
    const length = k.segment.t1 - k.segment.t0;
    const handle = k.segment[side];
    const base = side === "leave" ? { t: k.segment.t0, v: k.segment.from } : { t: k.segment.t1, v: k.segment.to };
    const sign = side === "leave" ? 1 : -1;
    const at = { t: base.t + sign * handle.share * length, v: base.v + handle.value };
    let command: SequenceCommand | null = null;
    begin(e, {
      move: (dx, dy, ev) => {
        let lock = desk.state.curves.lock;
        if (ev.shiftKey) lock = Math.abs(dx) > Math.abs(dy) ? "time" : "value";
        const t = lock === "value" ? at.t : scale.t(scale.x(at.t) + dx);
        const v = lock === "time" ? at.v : scale.v(scale.y(at.v) + dy);
        const wanted = { share: (sign * (t - base.t)) / length, value: v - base.v };
        const { handle: next, held } = clampedHandle(wanted);
        command = setHandle(desk.program, s.target, pointOf(s, k), side, next);
        desk.preview(command);
        setTold({
          x: scale.x(base.t + sign * next.share * length),
          y: scale.y(v),
          text: held
            ? "held here: time does not run backward"
            : `${Math.round(next.share * 100)} % of the way · ${valueText(s, next.value, 2)}`,
          held,
        });
      },
      end: (taken) => finish(taken ? command : null, `Handle of ${s.name}`),
    });
  };

  const boxing = (e: ReactPointerEvent<SVGSVGElement>) => {
    const r = (svg.current as SVGSVGElement).getBoundingClientRect();
    const [x0, y0] = [e.clientX - r.left, e.clientY - r.top];
    const add = e.ctrlKey || e.metaKey;
    setOffer(null);
    if (y0 < RULER_PX) {
      desk.pause();
      const to = (x: number) =>
        desk.seek(snapToFrame(Math.max(0, Math.min(desk.program.steps.length, main.t(x))), sequence.rate));
      to(x0);
      begin(e, { move: (dx) => to(x0 + dx), end: () => {} });
      return;
    }
    let last: typeof box = null;
    begin(e, {
      click: () => !add && selectPoints(desk, []),
      move: (dx, dy) => {
        last = { x0, y0, x1: x0 + dx, y1: y0 + dy };
        setBox(last);
      },
      end: (taken) => {
        if (!taken || !last) return;
        const [a, b] = [Math.min(last.x0, last.x1), Math.max(last.x0, last.x1)];
        const [c, d] = [Math.min(last.y0, last.y1), Math.max(last.y0, last.y1)];
        const inside = shown.flatMap((s) =>
          s.curve.keys
            .filter(
              (k) =>
                scaleOf(s).x(k.at) >= a &&
                scaleOf(s).x(k.at) <= b &&
                scaleOf(s).y(k.value) >= c &&
                scaleOf(s).y(k.value) <= d,
            )
            .map((k) => pointOf(s, k)),
        );
        selectPoints(desk, inside, add ? "add" : "set");
      },
    });
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
