"use client";
import type { PointerEvent as ReactPointerEvent } from "react";
import type { CurveKey } from "../../core/edit/curves/channel";
import type { Shown } from "../../desk/curves/model";
import type { PlotBox, Told } from "../../desk/curves/plotDrags";
import { AXIS_PX, HEAD_PX, type PlotView, RULER_PX, type Scale, type Size } from "../../desk/curves/plotView";
import { useDesk, useDeskState, useSequence } from "../desk/context";

/** Steps with their stills and names, and the ruler. */
export function Head({
  size,
  main,
  marks,
  unit,
}: {
  size: Size;
  main: Scale;
  marks: { t: number; text: string }[];
  unit: string;
}) {
  const desk = useDesk();
  const { start, end, action, still, ids } = desk.program.steps;
  const sequence = useSequence();
  const left = (t: number) => Math.max(AXIS_PX, main.x(t));
  return (
    <g className="plot-grid">
      {ids.map((id, i) => {
        const [a, b, c, d] = [start[i], action[i], still[i], end[i]] as [number, number, number, number];
        if (main.x(d) < AXIS_PX || main.x(a) > size.width) return null;
        const room = Math.min(size.width, main.x(c)) - left(b);
        return (
          <g key={id}>
            <rect
              className="plot-still"
              x={left(a)}
              y={RULER_PX}
              width={Math.max(0, main.x(b) - left(a))}
              height={size.height}
            />
            <rect
              className="plot-still"
              x={left(c)}
              y={RULER_PX}
              width={Math.max(0, main.x(d) - left(c))}
              height={size.height}
            />
            <line className="plot-edge" x1={main.x(d)} x2={main.x(d)} y1={RULER_PX} y2={size.height} />
            <text className="plot-step" x={left(b) + 4} y={RULER_PX + 8}>
              {room > 40 ? shortened(`${i + 1} ${sequence.steps[id]?.title ?? ""}`, (room - 8) / 5.6) : ""}
            </text>
          </g>
        );
      })}
      <rect className="plot-ruler" x="0" y="0" width={size.width} height={RULER_PX} />
      {marks.map(
        (m) =>
          main.x(m.t) >= AXIS_PX && (
            <g key={m.t}>
              <line x1={main.x(m.t)} x2={main.x(m.t)} y1={RULER_PX - 5} y2={RULER_PX} />
              <text className="number" x={main.x(m.t) + 3} y={RULER_PX / 2}>
                {m.text}
              </text>
            </g>
          ),
      )}
      <text className="number plot-unit" x={AXIS_PX - 5} y={RULER_PX / 2} textAnchor="end">
        {unit}
      </text>
    </g>
  );
}

/** A text of at most so many letters; what is left out is told by dots. */
function shortened(text: string, most: number): string {
  return text.length <= most ? text : `${text.slice(0, Math.max(1, Math.floor(most) - 1)).trimEnd()}…`;
}

/** The box that is drawn round points. */
export function BoxDrawn({ box }: { box: PlotBox }) {
  return (
    <rect
      className="plot-box"
      x={Math.min(box.x0, box.x1)}
      y={Math.min(box.y0, box.y1)}
      width={Math.abs(box.x1 - box.x0)}
      height={Math.abs(box.y1 - box.y0)}
    />
  );
}

/** What is told beside what is dragged; ringed where it is held. */
export function ToldAt({ told, width }: { told: Told; width: number }) {
  const [x, y] = [Math.min(told.x + 10, width - 190), Math.max(HEAD_PX + 12, told.y - 14)];
  return (
    <g className={`plot-told ${told.held ? "held" : ""}`} transform={`translate(${x} ${y})`}>
      {told.held && <circle className="plot-held" cx={told.x - x} cy={told.y - y} r="8" />}
      <text className="number">{told.text}</text>
    </g>
  );
}

/** The playhead; by itself, so that scrubbing draws nothing else anew. */
export function Now({ view, size, main }: { view: PlotView; size: Size; main: Scale }) {
  const ticks = useDeskState((s) => s.ticks);
  if (ticks < view.t0 || ticks > view.t1) return null;
  return <line className="plot-now" x1={main.x(ticks)} x2={main.x(ticks)} y1="0" y2={size.height} />;
}

/** What a ready-made move makes of a channel, drawn thick. */
export function MadePiece({
  s,
  m,
  scale,
  action,
  onGrab,
}: {
  s: Shown;
  m: Shown["curve"]["made"][number];
  scale: Scale;
  action: number;
  onGrab: (e: ReactPointerEvent<Element>) => void;
}) {
  const desk = useDesk();
  const name = desk.sequence.steps[m.step]?.moves[m.move]?.name ?? "";
  const marked = useDeskState((x) => x.marked.some((q) => q.move === m.move));
  return (
    <>
      {m.rows.map((r, at) => {
        const n = Math.max(2, Math.min(40, Math.round((scale.x(action + r.t1) - scale.x(action + r.t0)) / 4)));
        const pts = Array.from({ length: n + 1 }, (_, i) => {
          const t = action + r.t0 + ((r.t1 - r.t0) * i) / n;
          return `${scale.x(t).toFixed(1)},${scale.y(s.reader.at(i === n ? t - 1 : t)).toFixed(1)}`;
        }).join(" ");
        return (
          // biome-ignore lint/a11y/useSemanticElements: inside an SVG
          <g
            key={`${at} ${r.t0}`}
            role="button"
            tabIndex={-1}
            aria-label={`${name}: ${s.name}`}
            className={`plot-made ${marked ? "marked" : ""}`}
            onPointerDown={onGrab}
          >
            <polyline className="plot-made-hit" points={pts} />
            <polyline className="plot-made-line" style={{ stroke: s.colour }} points={pts}>
              <title>{`${name} makes this. Click to change its ease or to turn it into hand keys.`}</title>
            </polyline>
          </g>
        );
      })}
    </>
  );
}

/** The grip behind the last point of a move by hand: drawn out, the move is done again. */
export function EndGrip({
  s,
  k,
  scale,
  onDrag,
}: {
  s: Shown;
  k: CurveKey;
  scale: Scale;
  onDrag: (e: ReactPointerEvent<Element>, s: Shown, k: CurveKey) => void;
}) {
  const [x, y] = [scale.x(k.at) + 13, scale.y(k.value)];
  return (
    // biome-ignore lint/a11y/useSemanticElements: inside an SVG
    <g
      role="button"
      tabIndex={-1}
      className="plot-end"
      aria-label={`End of ${s.name} of ${s.owner}`}
      onPointerDown={(e) => onDrag(e, s, k)}
    >
      <title>Draw out to do it again</title>
      <rect x={x - 5} y={y - 10} width="13" height="20" fill="transparent" />
      <path d={`M${x - 2} ${y - 5} l5 5 l-5 5 M${x + 3} ${y - 5} l5 5 l-5 5`} style={{ stroke: s.colour }} />
    </g>
  );
}

/** The handles at a point: of the way to it, of the way on, and of where the way to it sets off from rest. */
export function Handles(props: {
  s: Shown;
  own: CurveKey;
  next: CurveKey | undefined;
  scale: Scale;
  onDrag: (e: ReactPointerEvent<Element>, s: Shown, k: CurveKey, side: "leave" | "arrive") => void;
}) {
  const { s, own, next, scale, onDrag } = props;
  const arm = (k: CurveKey, side: "leave" | "arrive") => {
    const length = k.segment.t1 - k.segment.t0;
    if (length <= 0 || k.shape === "hold") return null;
    const h = k.segment[side];
    const [bt, bv] = side === "leave" ? [k.segment.t0, k.segment.from] : [k.segment.t1, k.segment.to];
    const [t, v] = [bt + (side === "leave" ? 1 : -1) * h.share * length, bv + h.value];
    return (
      // biome-ignore lint/a11y/useSemanticElements: inside an SVG
      <g
        role="button"
        tabIndex={-1}
        className="plot-handle"
        aria-label={`Handle ${side === "leave" ? "leaving" : "arriving at"} ${s.name}`}
        onPointerDown={(e) => onDrag(e, s, k, side)}
      >
        <line x1={scale.x(bt)} y1={scale.y(bv)} x2={scale.x(t)} y2={scale.y(v)} style={{ stroke: s.colour }} />
        <circle cx={scale.x(t)} cy={scale.y(v)} r="8" fill="transparent" />
        <rect x={scale.x(t) - 3.5} y={scale.y(v) - 3.5} width="7" height="7" rx="1.5" style={{ stroke: s.colour }} />
      </g>
    );
  };
  return (
    <>
      {!own.meets && arm(own, "leave")}
      {arm(own, "arrive")}
      {next && Math.abs(next.segment.t0 - own.at) <= 1 && arm(next, "leave")}
    </>
  );
}
