"use client";
import { Segmented } from "antd";
import { type Ease, evaluateEase } from "../../core/ease/ease";
import { formatNumber } from "../../core/units/units";
import { Field } from "../common/Field";

const SIZE = 96;

/** Eases asked for most, as pictures. */
export const EASE_PRESETS: readonly { label: string; ease: Ease }[] = [
  { label: "Steady speed", ease: { kind: "soft", start: 0, stop: 0 } },
  { label: "Soft at both ends", ease: { kind: "soft", start: 0.3, stop: 0.4 } },
  { label: "Soft start", ease: { kind: "soft", start: 0.7, stop: 0 } },
  { label: "Soft stop", ease: { kind: "soft", start: 0, stop: 0.7 } },
  { label: "Soft for the whole way", ease: { kind: "soft", start: 0.5, stop: 0.5 } },
  { label: "A little too far and back", ease: { kind: "curve", x1: 0.3, y1: 0, x2: 0.35, y2: 1.25 } },
];

/** An ease as two numbers, or as an own curve whose two points can be dragged or typed. */
export function EaseEditor({ ease, onChange }: { ease: Ease; onChange: (ease: Ease) => void }) {
  const points = Array.from(
    { length: 33 },
    (_, i) => `${(i / 32) * SIZE},${SIZE - evaluateEase(ease, i / 32) * SIZE}`,
  ).join(" ");
  const share = (label: string, key: "start" | "stop") => {
    if (ease.kind !== "soft") return null;
    return (
      <>
        <span>{label}</span>
        <Field
          ariaLabel={label}
          suffix="%"
          value={formatNumber(ease[key] * 100, 1)}
          parse={(text) => {
            const v = Number(text.replace("%", "").replace(",", "."));
            if (!Number.isFinite(v) || v < 0 || v > 100) return { error: "A share between 0 and 100 %." };
            const other = key === "start" ? ease.stop : ease.start;
            if (v / 100 + other > 1.000001)
              return {
                error: `Start and stop share the transition; at most ${formatNumber((1 - other) * 100, 1)} % is left.`,
              };
            onChange({ ...ease, [key]: v / 100 });
            return null;
          }}
        />
      </>
    );
  };
  const coordinate = (label: string, key: "x1" | "y1" | "x2" | "y2") => {
    if (ease.kind !== "curve") return null;
    const horizontal = key[0] === "x";
    return (
      <Field
        ariaLabel={label}
        label={key}
        value={formatNumber(ease[key], 3)}
        parse={(text) => {
          const v = Number(text.replace(",", "."));
          const [lo, hi] = horizontal ? [0, 1] : [-4, 5];
          if (!Number.isFinite(v) || v < lo || v > hi) return { error: `Between ${lo} and ${hi}.` };
          onChange({ ...ease, [key]: v });
          return null;
        }}
      />
    );
  };
  const drag = (which: 1 | 2) => (down: React.PointerEvent<SVGCircleElement>) => {
    if (ease.kind !== "curve") return;
    const svg = down.currentTarget.ownerSVGElement as SVGSVGElement;
    const circle = down.currentTarget;
    circle.setPointerCapture(down.pointerId);
    const move = (e: PointerEvent) => {
      const r = svg.getBoundingClientRect();
      const k = (SIZE + 40) / r.width;
      const x = Math.min(1, Math.max(0, ((e.clientX - r.left) * k - 20) / SIZE));
      const y = Math.min(5, Math.max(-4, 1 - ((e.clientY - r.top) * k - 20) / SIZE));
      onChange({ ...ease, [`x${which}`]: Number(x.toFixed(3)), [`y${which}`]: Number(y.toFixed(3)) });
    };
    const end = () => {
      circle.removeEventListener("pointermove", move);
      circle.removeEventListener("pointerup", end);
    };
    circle.addEventListener("pointermove", move);
    circle.addEventListener("pointerup", end);
  };
  return (
    <div className="ease">
      <Segmented
        size="small"
        block
        value={ease.kind}
        onChange={(kind) =>
          onChange(
            kind === "soft"
              ? { kind: "soft", start: 0.3, stop: 0.4 }
              : { kind: "curve", x1: 0.3, y1: 0, x2: 0.4, y2: 1 },
          )
        }
        options={[
          { value: "soft", label: "Soft ends" },
          { value: "curve", label: "Own curve" },
        ]}
      />
      <EasePresets ease={ease} onChange={onChange} />
      <div className="ease-body">
        <svg
          viewBox={`-20 -20 ${SIZE + 40} ${SIZE + 40}`}
          className="ease-picture"
          role="img"
          aria-label="Ease: value over time"
        >
          <rect x="0" y="0" width={SIZE} height={SIZE} className="ease-box" />
          <polyline points={points} className="ease-line" />
          {ease.kind === "curve" && (
            <>
              <line x1="0" y1={SIZE} x2={ease.x1 * SIZE} y2={SIZE - ease.y1 * SIZE} className="ease-arm" />
              <line x1={SIZE} y1="0" x2={ease.x2 * SIZE} y2={SIZE - ease.y2 * SIZE} className="ease-arm" />
              <circle
                cx={ease.x1 * SIZE}
                cy={SIZE - ease.y1 * SIZE}
                r="5"
                className="ease-point"
                onPointerDown={drag(1)}
              />
              <circle
                cx={ease.x2 * SIZE}
                cy={SIZE - ease.y2 * SIZE}
                r="5"
                className="ease-point"
                onPointerDown={drag(2)}
              />
            </>
          )}
        </svg>
        <div className="form ease-fields">
          {share("Getting going", "start")}
          {share("Coming to rest", "stop")}
          {coordinate("First point across", "x1")}
          {coordinate("First point up", "y1")}
          {coordinate("Second point across", "x2")}
          {coordinate("Second point up", "y2")}
        </div>
      </div>
    </div>
  );
}

/** The usual eases as small pictures. */
export function EasePresets({ ease, onChange }: { ease: Ease | null; onChange: (ease: Ease) => void }) {
  return (
    <fieldset className="ease-presets" aria-label="Usual eases">
      {EASE_PRESETS.map((p) => (
        <button
          key={p.label}
          type="button"
          title={p.label}
          aria-label={p.label}
          aria-pressed={JSON.stringify(p.ease) === JSON.stringify(ease)}
          onClick={() => onChange(p.ease)}
        >
          <svg viewBox="-2 -4 28 24" aria-hidden="true">
            <polyline
              points={Array.from(
                { length: 17 },
                (_, i) => `${(i / 16) * 24},${16 - evaluateEase(p.ease, i / 16) * 16}`,
              ).join(" ")}
            />
          </svg>
        </button>
      ))}
    </fieldset>
  );
}
