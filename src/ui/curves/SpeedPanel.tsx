"use client";
import { useMemo, useState } from "react";
import {
  CartesianGrid,
  Line,
  LineChart,
  ReferenceDot,
  ReferenceLine,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from "recharts";
import type { Jump } from "../../core/edit/curves/reader";
import { TICKS_PER_SECOND } from "../../core/time/time";
import { formatNumber } from "../../core/units/units";
import type { Shown } from "../../desk/curves/model";
import type { PlotView } from "../../desk/curves/plotView";
import { useDesk, useDeskState } from "../desk/context";

const SAMPLES = 240;

/** Speed (or acceleration) of the shown channels along time; a click on a jump goes there. */
export function SpeedPanel({ shown, view }: { shown: readonly Shown[]; view: PlotView }) {
  const desk = useDesk();
  const version = useDeskState((s) => s.programVersion);
  const [what, setWhat] = useState<"speed" | "acceleration">("speed");
  const { rows, jumps } = useMemo(() => {
    const t1 = Math.min(view.t1, desk.program.steps.length);
    const times = new Set<number>();
    for (let i = 0; i <= SAMPLES; i++) times.add(view.t0 + ((t1 - view.t0) * i) / SAMPLES);
    for (const s of shown) for (const e of s.reader.edges()) if (e > view.t0 && e < t1) times.add(e - 2).add(e + 2);
    const rows = [...times]
      .sort((a, b) => a - b)
      .map((t) => {
        const row: Record<string, number> = { t: t / TICKS_PER_SECOND };
        for (const s of shown) row[s.id] = (what === "speed" ? s.reader.speed(t) : s.reader.acceleration(t)) / s.per;
        return row;
      });
    const jumps: { s: Shown; jump: Jump }[] = shown.flatMap((s) =>
      s.reader
        .jumps()
        .filter((j) => j.at >= view.t0 && j.at <= t1)
        .map((jump) => ({ s, jump })),
    );
    return { rows, jumps };
  }, [desk, shown, view, what, version]);
  const units = [...new Set(shown.map((s) => s.unit || "1"))];
  const per = what === "speed" ? "/s" : "/s²";
  return (
    <div className="speed">
      <div className="speed-head">
        <select
          aria-label="Speed or acceleration"
          value={what}
          onChange={(e) => setWhat(e.target.value as "speed" | "acceleration")}
        >
          <option value="speed">Speed, {units.map((u) => `${u}${per}`).join(" and ")}</option>
          <option value="acceleration">Acceleration, {units.map((u) => `${u}/s²`).join(" and ")}</option>
        </select>
        <span className="soft">
          {jumps.length === 0
            ? "No sudden jumps of speed here."
            : `${jumps.length} sudden ${jumps.length === 1 ? "jump" : "jumps"} of speed:`}
        </span>
        <span className="speed-jumps">
          {jumps
            .toSorted(
              (a, b) =>
                Math.abs(b.jump.after - b.jump.before) / b.s.per - Math.abs(a.jump.after - a.jump.before) / a.s.per,
            )
            .slice(0, 6)
            .map(({ s, jump }) => (
              <button
                key={`${s.id} ${jump.at}`}
                type="button"
                className="jump number"
                title={`${s.name}: from ${formatNumber(jump.before / s.per, 2)} to ${formatNumber(jump.after / s.per, 2)} ${s.unit}/s. Click to go there.`}
                onClick={() => {
                  desk.pause();
                  desk.seek(jump.at);
                }}
              >
                {formatNumber(jump.at / TICKS_PER_SECOND, 2)} s
              </button>
            ))}
        </span>
      </div>
      <div className="speed-chart">
        <ResponsiveContainer width="100%" height="100%">
          <LineChart data={rows} margin={{ top: 6, right: 14, bottom: 0, left: 0 }}>
            <CartesianGrid stroke="var(--hairline)" />
            <XAxis
              dataKey="t"
              type="number"
              domain={["dataMin", "dataMax"]}
              tick={{ fontSize: 10.5 }}
              tickFormatter={(v: number) => formatNumber(v, 2)}
              height={20}
            />
            <YAxis width={56} tick={{ fontSize: 10.5 }} tickFormatter={(v: number) => formatNumber(v, 1)} />
            <Tooltip
              isAnimationActive={false}
              formatter={(value, name) => {
                const s = shown.find((x) => x.id === name);
                return [`${formatNumber(Number(value), 2)} ${s?.unit ?? ""}${per}`, `${s?.name ?? ""}`];
              }}
              labelFormatter={(t) => `${formatNumber(Number(t), 3)} s`}
            />
            <ReferenceLine y={0} stroke="var(--ink-soft)" />
            {shown.map((s) => (
              <Line
                key={s.id}
                dataKey={s.id}
                stroke={s.colour}
                dot={false}
                isAnimationActive={false}
                strokeWidth={1.6}
                type="linear"
              />
            ))}
            {what === "speed" &&
              jumps.map(({ s, jump }) => (
                <ReferenceDot
                  key={`${s.id} ${jump.at}`}
                  x={jump.at / TICKS_PER_SECOND}
                  y={(Math.abs(jump.after) > Math.abs(jump.before) ? jump.after : jump.before) / s.per}
                  r={5}
                  fill="var(--brick)"
                  stroke="var(--sheet)"
                  style={{ cursor: "pointer" }}
                  onClick={() => {
                    desk.pause();
                    desk.seek(jump.at);
                  }}
                />
              ))}
          </LineChart>
        </ResponsiveContainer>
      </div>
    </div>
  );
}
