"use client";
import { Select, Switch } from "antd";
import { useState } from "react";
import type { OutputField } from "../../core/outputs/kind";
import { shareOfPicture } from "../../core/outputs/picture";
import { cleanText } from "../../core/text/name";
import { FRAME_RATES, formatRate } from "../../core/time/time";
import { changeOutput, type Planned } from "../../desk/acts/outputs";
import { Field } from "../common/Field";
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
    case "text":
      return (
        <Field
          ariaLabel={f.label}
          value={String(value ?? "")}
          parse={(typed) => {
            const text = cleanText(typed);
            if (text.length > (f.max ?? Number.POSITIVE_INFINITY)) return { error: `At most ${f.max} letters.` };
            set(text);
            return null;
          }}
        />
      );
    case "rate":
      return <Rate num={Number(settings.rateNum)} den={Number(settings.rateDen)} it={{ output }} />;
    default:
      return (
        <NumberField
          field={f}
          value={Number(value)}
          take={set}
          other={(text) => {
            const share = f.name === "width" || f.name === "height" ? shareOfPicture(text, desk.program) : null;
            if (!share || "error" in share) return share;
            changeOutput(desk, output, share.size);
            return { taken: true };
          }}
        />
      );
  }
}

/** A number as it is typed; one that cannot be is refused and said, not changed into another. */
export function NumberField({
  field: f,
  value,
  take,
  other,
}: {
  field: Pick<OutputField, "label" | "type" | "min" | "max" | "unit">;
  value: number;
  take(value: number): void;
  /** Takes what is typed in another way; null leaves it to be read as a number. */
  other?(text: string): { taken: true } | { error: string } | null;
}) {
  return (
    <Field
      ariaLabel={f.label}
      value={String(value)}
      {...(f.unit ? { suffix: f.unit } : {})}
      parse={(text) => {
        const otherwise = other?.(text);
        if (otherwise) return "error" in otherwise ? otherwise : null;
        const typed = Number(text.trim().replace(",", "."));
        const { min = Number.NEGATIVE_INFINITY, max = Number.POSITIVE_INFINITY } = f;
        if (text.trim() === "" || !Number.isFinite(typed)) return { error: "This is not a number." };
        if (f.type === "whole" && !Number.isInteger(typed)) return { error: "This has to be a whole number." };
        if (typed < min) return { error: `At least ${min}.` };
        if (typed > max) return { error: `At most ${max}.` };
        take(typed);
        return null;
      }}
    />
  );
}

/** A rate by name, or any that is typed. */
function Rate({ num, den, it: { output } }: { num: number; den: number; it: Pick<Planned, "output"> }) {
  const desk = useDesk();
  const now = formatRate({ num, den });
  const known = FRAME_RATES.find((r) => r.rate.num === num && r.rate.den === den);
  const [other, setOther] = useState(known === undefined);
  const set = (rate: { num: number; den: number }) =>
    changeOutput(desk, output, { rateNum: rate.num, rateDen: rate.den });
  return (
    <span className="rate">
      <Select
        size="small"
        aria-label="Frame rate"
        value={other ? "other" : (known?.label ?? "other")}
        onChange={(label) => {
          const rate = FRAME_RATES.find((r) => r.label === label)?.rate;
          setOther(rate === undefined);
          if (rate) set(rate);
        }}
        options={[
          ...FRAME_RATES.map((r) => ({ value: r.label, label: `${r.label} fps` })),
          { value: "other", label: "another" },
        ]}
      />
      {(other || !known) && (
        <NumberField
          field={{ label: "Frames a second", type: "whole", min: 1, max: 240 }}
          value={Number(now)}
          take={(v) => set({ num: v, den: 1 })}
        />
      )}
    </span>
  );
}
