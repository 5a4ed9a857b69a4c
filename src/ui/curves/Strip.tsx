"use client";
import { type PointerEvent as ReactPointerEvent, useMemo } from "react";
import type { CurveKey } from "../../core/edit/curves/channel";
import { ChannelReader } from "../../core/edit/curves/reader";
import { nth } from "../../core/math/packed";
import type { Program } from "../../core/program/program";
import { formatSeconds } from "../../core/time/time";
import { pointIds } from "../../desk/acts/curveActions";
import { type Shown, valueText } from "../../desk/curves/model";
import { AXIS_PX, type PlotView, pathOf, type Scale, type Size, ticksOf } from "../../desk/curves/plotView";
import { useDesk } from "../desk/context";
import { EndGrip, Handles, MadePiece } from "./PlotParts";

/** Most points that are drawn as things of their own; more are drawn as one shape, and found by where they lie. */
export const MOST_POINTS = 250;
/** Most selected points whose handles are drawn. */
const MOST_HANDLES = 40;

export interface StripActs {
  point(e: ReactPointerEvent<Element>, s: Shown, k: CurveKey): void;
  handle(e: ReactPointerEvent<Element>, s: Shown, k: CurveKey, side: "leave" | "arrive"): void;
  end(e: ReactPointerEvent<Element>, s: Shown, k: CurveKey): void;
  made(e: ReactPointerEvent<Element>, s: Shown, m: Shown["curve"]["made"][number]): void;
}

/** One channel in its band: its curve, what is behind it, what made moves make of it, its points and handles. */
export function Strip({
  s,
  view,
  size,
  scale,
  behind,
  quiet,
  dense,
  chosen,
  cursor,
  acts,
}: {
  s: Shown;
  view: PlotView;
  size: Size;
  scale: Scale;
  /** An earlier state of the sequence, dotted behind. */
  behind: Program | null;
  quiet: boolean;
  /** Too many points are in view to be things of their own. */
  dense: boolean;
  chosen: ReadonlySet<string>;
  /** The point that the Tab key goes to. */
  cursor: string | null;
  acts: StripActs;
}) {
  const desk = useDesk();
  const clip = `strip-${Math.round(scale.band.top)}-${Math.round(scale.band.height)}`;
  const ids = pointIds(s);
  const picked = useMemo(
    () => (chosen.size === 0 ? [] : pointIds(s).flatMap((id, i) => (chosen.has(id) ? [i] : []))),
    [s, chosen],
  );
  const ends = useMemo(() => lastOfMoves(s), [s]);
  const inView = (k: CurveKey) => {
    const x = scale.x(k.at);
    return x > AXIS_PX - 8 && x < size.width + 8;
  };
  return (
    <g>
      <clipPath id={clip}>
        <rect x={AXIS_PX} y={scale.band.top} width={size.width - AXIS_PX} height={scale.band.height} />
      </clipPath>
      <g clipPath={`url(#${clip})`}>
        {behind && <Behind s={s} behind={behind} view={view} size={size} scale={scale} />}
        <Curve s={s} view={view} size={size} scale={scale} quiet={quiet} />
        {s.curve.made.map((m) => (
          <MadePiece
            key={`${m.step} ${m.move}`}
            s={s}
            m={m}
            scale={scale}
            action={nth(desk.program.steps.action, m.rows[0]?.position ?? 0)}
            onGrab={(e) => acts.made(e, s, m)}
          />
        ))}
        {picked.length <= MOST_HANDLES &&
          picked.map((i) => {
            const own = s.curve.keys[i] as CurveKey;
            return (
              <Handles
                key={`${own.step} ${own.key}`}
                s={s}
                own={own}
                next={s.curve.keys[i + 1]}
                scale={scale}
                onDrag={acts.handle}
              />
            );
          })}
        {!quiet && ends.map((k) => <EndGrip key={`${k.step} ${k.move}`} s={s} k={k} scale={scale} onDrag={acts.end} />)}
        {dense ? (
          <Dots s={s} inView={inView} scale={scale} picked={picked} />
        ) : (
          s.curve.keys.map((k, i) => {
            const id = ids[i] as string;
            return !inView(k) ? null : (
              <Point key={id} id={id} s={s} k={k} scale={scale} on={chosen.has(id)} tab={cursor === id} acts={acts} />
            );
          })
        )}
      </g>
    </g>
  );
}

/** The last point of each move by hand. */
function lastOfMoves(s: Shown): CurveKey[] {
  const last = new Map<string, CurveKey>();
  for (const k of s.curve.keys) last.set(`${k.step} ${k.move}`, k);
  return [...last.values()];
}

function Curve({
  s,
  view,
  size,
  scale,
  quiet,
}: {
  s: Shown;
  view: PlotView;
  size: Size;
  scale: Scale;
  quiet: boolean;
}) {
  return (
    <polyline
      className={`plot-curve ${quiet ? "quiet" : ""}`}
      stroke={s.colour}
      points={pathOf(s, view, size, scale)}
    />
  );
}

function Behind({
  s,
  behind,
  view,
  size,
  scale,
}: {
  s: Shown;
  behind: Program;
  view: PlotView;
  size: Size;
  scale: Scale;
}) {
  const reader = useMemo(() => new ChannelReader(behind, s.target, s.channel), [behind, s]);
  return <polyline className="plot-behind" stroke={s.colour} points={pathOf({ reader }, view, size, scale)} />;
}

/** A point that can be dragged, and reached by keyboard. */
function Point({
  id,
  s,
  k,
  scale,
  on,
  tab,
  acts,
}: {
  id: string;
  s: Shown;
  k: CurveKey;
  scale: Scale;
  on: boolean;
  tab: boolean;
  acts: StripActs;
}) {
  const [x, y] = [scale.x(k.at), scale.y(k.value)];
  return (
    // biome-ignore lint/a11y/useSemanticElements: inside an SVG
    <g
      role="button"
      tabIndex={tab ? 0 : -1}
      className={`plot-point ${on ? "selected" : ""}`}
      data-point={id}
      aria-label={`${s.name} of ${s.owner}: ${valueText(s, k.value)} at ${formatSeconds(k.at)} s`}
      aria-pressed={on}
      onPointerDown={(e) => acts.point(e, s, k)}
    >
      <circle cx={x} cy={y} r="9" fill="transparent" />
      <circle
        className="plot-dot"
        cx={x}
        cy={y}
        r={on ? 5 : 4}
        style={{ stroke: s.colour, fill: on ? s.colour : "var(--sheet)" }}
      />
    </g>
  );
}

/** Many points as two shapes: those selected, and the others. */
function Dots({
  s,
  inView,
  scale,
  picked,
}: {
  s: Shown;
  inView: (k: CurveKey) => boolean;
  scale: Scale;
  /** Which of the points are selected, in their order. */
  picked: readonly number[];
}) {
  const at: { on: string[]; off: string[] } = { on: [], off: [] };
  let next = 0;
  for (const [i, k] of s.curve.keys.entries()) {
    const on = picked[next] === i;
    if (on) next++;
    if (inView(k)) (on ? at.on : at.off).push(`M${scale.x(k.at).toFixed(1)} ${scale.y(k.value).toFixed(1)}h0`);
  }
  return (
    <g className="plot-dots" style={{ stroke: s.colour }}>
      <path d={at.off.join("")} strokeWidth="4" />
      <path d={at.on.join("")} strokeWidth="7" />
    </g>
  );
}

/** The axis of a channel's band: round values with lines across, and its name. */
export function Axis({ s, scale, size, named }: { s: Shown; scale: Scale; size: Size; named: boolean }) {
  const { low, high } = scale.seen();
  const { top, height } = scale.band;
  return (
    <g className="plot-grid">
      {ticksOf(low / s.per, high / s.per, Math.max(2, height / 34)).map((v) => {
        const y = scale.y(v * s.per);
        return (
          <g key={v}>
            <line x1={AXIS_PX} x2={size.width} y1={y} y2={y} className={Math.abs(v) < 1e-12 ? "zero" : ""} />
            {y > top + 5 && y < top + height - 5 && (
              <text className="number" x={AXIS_PX - 5} y={y} textAnchor="end">
                {valueText({ per: 1, unit: s.unit === "°" ? "°" : "" }, v)}
              </text>
            )}
          </g>
        );
      })}
      {named && (
        <>
          <line className="plot-between" x1="0" x2={size.width} y1={top + height} y2={top + height} />
          <text className="plot-name" x={AXIS_PX + 6} y={top + 10} style={{ fill: s.colour }}>
            {s.unit && s.unit !== "°" ? `${s.name}, ${s.unit}` : s.name}
          </text>
        </>
      )}
    </g>
  );
}
