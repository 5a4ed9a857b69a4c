"use client";
import { Button, Select, Switch, Tooltip } from "antd";
import { useState } from "react";
import { hand, type Shape } from "../../core/document/sequence";
import { type CurveKey, channelCurve } from "../../core/edit/curves/channel";
import { setCurveKey, setHandle, setSplit } from "../../core/edit/curves/edit";
import type { SequenceCommand } from "../../core/edit/sequenceCommands";
import { formatSecondsShort, parseTime, TICKS_PER_SECOND } from "../../core/time/time";
import { formatNumber, MM_PER_UNIT } from "../../core/units/units";
import { attempt } from "../../desk/acts/attempt";
import {
  beyondOf,
  closeCycles,
  handlesError,
  handMoves,
  movePoints,
  onPoints,
  openCycle,
  pointNames,
  removePoints,
  roundPoints,
  scalePoints,
  shapePoints,
} from "../../desk/acts/curveActions";
import { actionStart, channelName } from "../../desk/acts/timingActions";
import { kindOfChannel } from "../../desk/curves/model";
import { targetName } from "../../desk/names";
import type { Desk } from "../../desk/port";
import type { PointRef } from "../../desk/selection/refs";
import { calculated } from "../../desk/typing/arithmetic";
import { shown as shownValue, suffixOf } from "../../desk/typing/valueFields";
import { Field } from "../common/Field";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { FactorField } from "../details/FactorField";
import { Afterwards } from "./Afterwards";

/** The places of points that a way comes by, in the small pictures. */
type Dots = readonly (readonly [number, number])[];
const SHAPES: readonly { kind: Shape["kind"] | "ease"; label: string; path: string; dots?: Dots }[] = [
  // Rest, a soft way and rest again; the others say what lies between two points.
  { kind: "ease", label: "The arrival's ease", path: "M1 17 H7 C12 17 11 3 16 3 H23", dots: [[16, 3]] },
  { kind: "hold", label: "Hold, then jump", path: "M2 16 H22 V3" },
  { kind: "straight", label: "Straight", path: "M2 16 L22 3" },
  {
    kind: "smooth",
    label: "Smooth, never overshooting",
    path: "M2 17 C6 17 7 9 12 9 S18 3 22 3",
    dots: [
      [2, 17],
      [12, 9],
      [22, 3],
    ],
  },
  {
    kind: "free",
    label: "Smooth, free to overshoot",
    path: "M2 14 C5 20 8 17 12 10 C16 2 19 0 22 6",
    dots: [
      [2, 14],
      [12, 10],
      [22, 6],
    ],
  },
  { kind: "handles", label: "Own handles", path: "M2 16 C2 6 22 13 22 3" },
];

/** The details of selected points of curves: one in exact numbers, several in what can be done with all. */
export function PointDetails() {
  const desk = useDesk();
  const points = useDeskState((s) => s.points);
  useDeskState((s) => s.programVersion);
  useSequence();
  const first = points[0];
  if (!first) return null;
  const curve = channelCurve(desk.program, first.target, first.channel);
  const at = curve.keys.findIndex((k) => k.key === first.key && k.step === first.step);
  const own = curve.keys[at];
  if (!own) return null;
  const kind = kindOfChannel(desk, first.channel);
  const error = handlesError(desk);
  const off = error > 1e-6 ? `${formatNumber(error, 3)}${kind === "angle" ? "°" : kind === "length" ? " mm" : ""}` : "";
  const shapes = new Set(
    points.map(
      (p) => hand(desk.sequence.steps[p.step]?.moves[p.move])?.keys[p.key]?.shapes?.[p.channel]?.kind ?? "ease",
    ),
  );
  return (
    <>
      <h3>{points.length === 1 ? `${channelName(desk, first.channel)}` : pointNames(desk, points)}</h3>
      <p className="soft">
        {points.length === 1 ? targetName(desk, first.target) : "What is typed counts for all of them."}
      </p>
      {points.length === 1 ? <One point={first} own={own} /> : <Many first={own} />}
      <h4>The way here</h4>
      <fieldset className="ease-presets shapes" aria-label="Shapes">
        {SHAPES.map((s) => (
          <button
            key={s.kind}
            type="button"
            title={s.kind === "handles" && off !== "" ? `${s.label}: at most ${off} off what it does now` : s.label}
            aria-label={s.label}
            aria-pressed={shapes.size === 1 && shapes.has(s.kind)}
            onClick={() => shapePoints(desk, s.kind)}
          >
            <svg viewBox="0 0 24 20" aria-hidden="true">
              <path d={s.path} />
              {s.dots?.map(([x, y]) => (
                <circle key={x} cx={x} cy={y} r="2" fill="currentColor" stroke="none" />
              ))}
            </svg>
          </button>
        ))}
      </fieldset>
      {points.length === 1 && own.shape !== "hold" && own.segment.t1 > own.segment.t0 && (
        <HandleFields point={first} own={own} next={curve.keys[at + 1]} />
      )}
      <BeyondFields point={first} />
      <div className="row">
        <Button size="small" danger onClick={() => removePoints(desk)}>
          Remove
        </Button>
      </div>
    </>
  );
}

/** Runs what a field asks for; what keeps it from running is said by the desk. */
function take(desk: Desk, label: string, make: () => SequenceCommand, merge: string): null {
  attempt(desk, label, make, merge);
  return null;
}

/** A time that may be arithmetic: "+5f" and "+0.2" add. */
function timeOf(
  text: string,
  now: number,
  rate: Parameters<typeof parseTime>[1],
): { ticks: number } | { error: string } {
  const relative = /^\s*\+(.+)$/.exec(text);
  if (!relative) return parseTime(text, rate);
  const by = parseTime(relative[1] as string, rate);
  return "error" in by ? by : { ticks: now + by.ticks };
}

function One({ point, own }: { point: PointRef; own: CurveKey }) {
  const desk = useDesk();
  const sequence = useSequence();
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  const kind = kindOfChannel(desk, point.channel);
  const name = channelName(desk, point.channel);
  const start = actionStart(desk)(point.step);
  const lead = own.segment.t1 - own.segment.t0;
  return (
    <div className="form">
      <span>Time</span>
      <Field
        ariaLabel="Time of the point"
        value={formatSecondsShort(own.at)}
        suffix={`s · ${Math.round((own.at * sequence.rate.num) / sequence.rate.den / TICKS_PER_SECOND)} f`}
        parse={(text) => {
          const t = timeOf(text, own.at, sequence.rate);
          if ("error" in t) return t;
          if (t.ticks < start)
            return { error: `Before the step's action, which begins at ${formatSecondsShort(start)} s.` };
          movePoints(desk, t.ticks - own.at, 0);
          return null;
        }}
      />
      <span>Value</span>
      <Field
        ariaLabel="Value of the point"
        value={shownValue(own.value, kind, unit, 4)}
        suffix={suffixOf(kind, unit)}
        parse={(text) => {
          const v = calculated(text, kind, unit, own.value);
          if ("error" in v) return v;
          return take(
            desk,
            `${name} of a point`,
            () => setCurveKey(point, { value: v.value }),
            `point-${point.key}-${point.channel}`,
          );
        }}
      />
      <span>Lead</span>
      <Field
        ariaLabel="Lead of the point"
        value={formatSecondsShort(lead)}
        suffix="s"
        parse={(text) => {
          const t = timeOf(text, lead, sequence.rate);
          if ("error" in t) return t;
          if (t.ticks < 0) return { error: "A lead cannot be negative." };
          return take(
            desk,
            `Lead of a point of ${name}`,
            () => setCurveKey(point, { lead: t.ticks }),
            `point-lead-${point.key}`,
          );
        }}
      />
    </div>
  );
}

/** The two handles of the way to a point, and the one that leaves it: length and angle. */
function HandleFields({ point, own, next }: { point: PointRef; own: CurveKey; next: CurveKey | undefined }) {
  const desk = useDesk();
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  const kind = kindOfChannel(desk, point.channel);
  const per = kind === "length" ? MM_PER_UNIT[unit] : 1;
  const leaves = next && Math.abs(next.segment.t0 - own.at) <= 1 && next.shape !== "hold" ? next : null;
  const fields = (title: string, k: CurveKey, side: "leave" | "arrive") => {
    const length = (k.segment.t1 - k.segment.t0) / TICKS_PER_SECOND;
    const h = k.segment[side];
    const seconds = h.share * length;
    const sign = side === "leave" ? 1 : -1;
    const slope = seconds > 0 ? (sign * h.value) / per / seconds : 0;
    const put = (share: number, value: number) =>
      take(
        desk,
        `Handle of ${channelName(desk, point.channel)}`,
        () =>
          setHandle(desk.program, point.target, { ...point, step: k.step, move: k.move, key: k.key }, side, {
            share,
            value,
          }),
        `handle-${k.key}-${side}`,
      );
    return (
      <>
        <span>{title}</span>
        <span className="handle-fields">
          <Field
            ariaLabel={`${title}: length`}
            value={formatNumber(seconds, 3)}
            suffix="s"
            parse={(text) => {
              const v = calculated(text, "plain", unit, seconds);
              if ("error" in v) return v;
              if (v.value < 0 || v.value > length + 1e-9)
                return { error: `From 0 to ${formatNumber(length, 3)} s: beyond, time would run backward.` };
              return put(v.value / length, h.value * (seconds > 0 ? v.value / seconds : 0));
            }}
          />
          <Field
            ariaLabel={`${title}: steepness`}
            value={formatNumber(slope, 3)}
            suffix={`${suffixOf(kind, unit)}/s`}
            parse={(text) => {
              const v = calculated(text, "plain", unit, slope);
              if ("error" in v) return v;
              const share = h.share > 0 ? h.share : 1 / 3;
              return put(share, sign * v.value * per * share * length);
            }}
          />
        </span>
      </>
    );
  };
  return (
    <>
      <h4>Handles</h4>
      <div className="form">
        {fields("Sets off", own, "leave")}
        {fields("Arrives", own, "arrive")}
        {leaves && fields("Goes on", leaves, "leave")}
        {leaves?.meets && (
          <>
            <label htmlFor="split">Apart</label>
            <span>
              <Switch
                id="split"
                size="small"
                checked={own.split}
                onChange={(on) =>
                  onPoints(desk, on ? "Set apart the handles of" : "Put in line the handles of", (target, refs) =>
                    setSplit(desk.program, target, refs, on),
                  )
                }
              />{" "}
              <span className="soft">{own.split ? "each by itself" : "kept in line"}</span>
            </span>
          </>
        )}
      </div>
    </>
  );
}

function Many({ first }: { first: CurveKey }) {
  const desk = useDesk();
  const points = useDeskState((s) => s.points);
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  const sequence = useSequence();
  const [about, setAbout] = useState<"first" | "middle" | "playhead" | "zero">("first");
  const kind = kindOfChannel(desk, points[0]?.channel ?? "");
  const found = points.flatMap((p) => {
    const key = hand(sequence.steps[p.step]?.moves[p.move])?.keys[p.key];
    return key ? [{ at: key.at + actionStart(desk)(p.step), value: key.values[p.channel] ?? 0 }] : [];
  });
  const mid = (list: number[]) => (Math.min(...list) + Math.max(...list)) / 2;
  const pivot =
    about === "first"
      ? { at: first.at, value: first.value }
      : about === "middle"
        ? { at: mid(found.map((f) => f.at)), value: mid(found.map((f) => f.value)) }
        : about === "playhead"
          ? { at: desk.state.ticks, value: 0 }
          : { at: first.at, value: 0 };
  return (
    <>
      <div className="form">
        <span>Later by</span>
        <Field
          ariaLabel="Move points later by"
          value=""
          suffix="s or f"
          parse={(text) => {
            const t = parseTime(text.replace(/^\s*\+/, ""), sequence.rate);
            if ("error" in t) return t;
            movePoints(desk, t.ticks, 0);
            return null;
          }}
        />
        <span>Higher by</span>
        <Field
          ariaLabel="Move points higher by"
          value=""
          suffix={suffixOf(kind, unit)}
          parse={(text) => {
            const v = calculated(text.replace(/^\s*\+/, ""), kind, unit, 0);
            if ("error" in v) return v;
            movePoints(desk, 0, v.value);
            return null;
          }}
        />
        <FactorField label="Scale time" onTake={(f) => scalePoints(desk, pivot, { time: f, value: 1 })} />
        <FactorField label="Scale values" flips onTake={(f) => scalePoints(desk, pivot, { time: 1, value: f })} />
        <span>about</span>
        <Select
          size="small"
          aria-label="Scale points about"
          value={about}
          onChange={setAbout}
          options={[
            { value: "first", label: "the first point" },
            { value: "middle", label: "their middle" },
            { value: "playhead", label: "the playhead" },
            { value: "zero", label: "home (0)" },
          ]}
        />
        <span>Round to</span>
        <Field
          ariaLabel="Round values to"
          value=""
          suffix={suffixOf(kind, unit)}
          parse={(text) => {
            const v = calculated(text, kind, unit, 0);
            if ("error" in v) return v;
            if (!(v.value > 0)) return { error: "A step above 0, such as 0.1 or 5." };
            roundPoints(desk, v.value);
            return null;
          }}
        />
      </div>
      <div className="row wrap">
        <Button size="small" onClick={() => scalePoints(desk, pivot, { time: 1, value: -1 })}>
          Flip values
        </Button>
      </div>
    </>
  );
}

/** How the point's channel goes on before the first arrival and after the last: this one, or all of its part. */
function BeyondFields({ point }: { point: PointRef }) {
  const desk = useDesk();
  const [all, setAll] = useState(false);
  const move = hand(desk.sequence.steps[point.step]?.moves[point.move]);
  const now = move?.beyond?.[point.channel];
  const own = { step: point.step, move: point.move, channels: [point.channel] };
  const moves = () => (all ? handMoves(desk.body(), point.target, null) : [own]);
  const gap = openCycle(desk, point.target, own);
  return (
    <>
      <Afterwards
        before={now?.before ?? "hold"}
        after={now?.after ?? "hold"}
        onChoose={(side, kind) => beyondOf(desk, moves(), side, kind)}
        open={gap}
        onClose={() => closeCycles(desk, [own])}
      />
      <Tooltip title="Else only this channel, in this step">
        <span className="row">
          <Switch size="small" aria-label="All channels of this part" checked={all} onChange={setAll} />{" "}
          <span className="soft">all channels of {targetName(desk, point.target)}</span>
        </span>
      </Tooltip>
    </>
  );
}
