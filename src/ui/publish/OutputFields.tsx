"use client";
import { InputNumber, Select, Switch } from "antd";
import type { OutputField } from "../../core/outputs/kind";
import { FRAME_RATES, formatRate } from "../../core/time/time";
import { changeOutput, type Planned } from "../../desk/acts/outputs";
import { useDesk, useDeskState } from "../desk/context";

/** The settings of an output, as its kind lists them. */
export function OutputFields({ it }: { it: Planned }) {
  const { kind, settings } = it;
  return kind.fields
    .filter((f) => f.when?.(settings) !== false)
    .map((f) => (
      <div key={f.name} className="form-line">
        <span title={f.hint}>{f.label}</span>
        <span>
          <Input field={f} it={it} />
        </span>
      </div>
    ));
}

function Input({ field: f, it: { settings, output } }: { field: OutputField; it: Planned }) {
  const desk = useDesk();
  const looks = useDeskState((s) => s.preparation.body.looks);
  const value = settings[f.name];
  const set = (v: string | number | boolean) => changeOutput(desk, output, { [f.name]: v });
  switch (f.type) {
    case "switch":
      return <Switch size="small" aria-label={f.label} checked={value === true} onChange={set} title={f.hint ?? ""} />;
    case "choice":
      return (
        <Select
          size="small"
          aria-label={f.label}
          value={value as string | number}
          onChange={set}
          options={(f.options ?? []).map((o) => ({ ...o }))}
          popupMatchSelectWidth={false}
        />
      );
    case "look":
      return (
        <Select
          size="small"
          aria-label={f.label}
          value={value as string}
          onChange={set}
          options={[
            { value: "", label: "as on the desk" },
            ...Object.values(looks).map((l) => ({ value: l.id, label: l.name })),
          ]}
        />
      );
    case "rate":
      return <Rate num={Number(settings.rateNum)} den={Number(settings.rateDen)} it={{ output }} />;
    default:
      return (
        <InputNumber
          size="small"
          aria-label={f.label}
          {...(f.min === undefined ? {} : { min: f.min })}
          {...(f.max === undefined ? {} : { max: f.max })}
          step={f.step ?? 1}
          {...(f.type === "whole" ? { precision: 0 } : {})}
          value={Number(value)}
          suffix={f.unit}
          changeOnWheel={false}
          onChange={(v) => v !== null && set(v)}
        />
      );
  }
}

/** A rate by name, or any that is typed. */
function Rate({ num, den, it: { output } }: { num: number; den: number; it: Pick<Planned, "output"> }) {
  const desk = useDesk();
  const now = formatRate({ num, den });
  const known = FRAME_RATES.find((r) => r.rate.num === num && r.rate.den === den);
  const set = (rate: { num: number; den: number }) =>
    changeOutput(desk, output, { rateNum: rate.num, rateDen: rate.den });
  return (
    <span className="rate">
      <Select
        size="small"
        aria-label="Frame rate"
        value={known?.label ?? "other"}
        onChange={(label) => {
          const rate = FRAME_RATES.find((r) => r.label === label)?.rate;
          if (rate) set(rate);
          else set({ num: Math.max(1, Math.round(num / den)) === 30 ? 15 : 12, den: 1 });
        }}
        options={[
          ...FRAME_RATES.map((r) => ({ value: r.label, label: `${r.label} fps` })),
          { value: "other", label: "another" },
        ]}
      />
      {!known && (
        <InputNumber
          size="small"
          aria-label="Frames a second"
          min={1}
          max={1000}
          precision={0}
          value={Number(now)}
          onChange={(v) => v !== null && set({ num: v, den: 1 })}
        />
      )}
    </span>
  );
}
