"use client";
import { Button, Checkbox, Segmented, Select, Tooltip } from "antd";
import { Crosshair } from "lucide-react";
import { useState } from "react";
import type { PartTarget } from "../../core/document/parts";
import type { Joint, Link } from "../../core/document/preparation";
import { turns } from "../../core/kinematics/jointKinds";
import { LINK_KINDS, type LinkField } from "../../core/kinematics/linkKinds";
import { nth } from "../../core/math/packed";
import type { Triple } from "../../core/math/triple";
import { measureCrankSlider } from "../../desk/acts/measureRod";
import { nameOf } from "../../desk/names";
import { atHome } from "../../desk/selection/pickedFrame";
import { pick } from "../../desk/showing/picking";
import { GrowingText } from "../common/GrowingText";
import { useDesk, useDeskState } from "../desk/context";
import { ValueField } from "./ValueField";

interface Props {
  link: Link;
  driver: Joint;
  follower: Joint;
  onPut: (part: object) => void;
}

const RULES: Readonly<Record<string, (v: number) => string | null>> = {
  "not-zero": (v) => (v === 0 ? "May not be 0." : null),
  positive: (v) => (v > 0 ? null : "Must be more than 0."),
  teeth: (v) => (Number.isInteger(v) && v >= 3 ? null : "A whole number, at least 3."),
};

/** The settings of a link, as its kind describes them. */
export function LinkFields(props: Props) {
  const desk = useDesk();
  const { link, driver, follower, onPut } = props;
  return (
    <>
      {LINK_KINDS[link.kind].fields.map((f) => (
        <OneField key={f.name} field={f} {...props} />
      ))}
      {link.kind === "crank-slider" && (
        <>
          <span />
          <Tooltip title="Point at the pin on the crank, then at the pin on the slider: radius, length, offset and angle are worked out from them">
            <Button
              size="small"
              icon={<Crosshair size={13} />}
              onClick={() => measureCrankSlider(desk, driver, follower, onPut)}
            >
              Measure from two pins
            </Button>
          </Tooltip>
        </>
      )}
    </>
  );
}

function OneField({ field, link, driver, follower, onPut }: Props & { field: LinkField }) {
  const value: unknown = Reflect.get(link, field.name);
  const put = (v: unknown) => onPut({ [field.name]: v });
  switch (field.type) {
    case "number":
      return <NumberField field={field} value={value as number} driver={driver} follower={follower} onPut={put} />;
    case "switch":
      return (
        <>
          <span />
          <Checkbox checked={value as boolean} onChange={(e) => put(e.target.checked)}>
            {field.label}
          </Checkbox>
        </>
      );
    case "choice":
      return (
        <>
          <span>{field.label}</span>
          <Segmented
            size="small"
            aria-label={field.label}
            value={value as number}
            onChange={put}
            options={field.choices.map(([v, label]) => ({ value: v, label }))}
          />
        </>
      );
    case "piece":
      return (
        <>
          <span>{field.label}</span>
          <PieceSelect label={field.label} value={value as PartTarget | null} onTake={put} />
        </>
      );
    case "pin":
      return <PinRow label={field.label} value={value as number[]} onTake={put} />;
    case "points":
      return (
        <CamPoints
          points={value as [number, number][]}
          period={Reflect.get(link, field.period) as number | null}
          name={field.name}
          periodName={field.period}
          onPut={onPut}
        />
      );
  }
}

function NumberField({
  field,
  value,
  driver,
  follower,
  onPut,
}: {
  field: Extract<LinkField, { type: "number" }>;
  value: number;
  driver: Joint;
  follower: Joint;
  onPut: (v: number) => void;
}) {
  const { share } = field;
  const read = field.of === "driver" ? driver : field.of === "follower" ? follower : null;
  const kind = read ? (share ? "plain" : turns(read) ? "angle" : "length") : (field.of as "length" | "angle" | "plain");
  const suffix = read && share ? (turns(read) ? "°" : "mm") : field.of === "plain" ? "" : undefined;
  return (
    <>
      <span>{field.label}</span>
      <ValueField
        ariaLabel={field.label}
        kind={kind}
        {...(suffix === undefined ? {} : { suffix })}
        value={value}
        take={(v) => {
          const refused = field.rule ? RULES[field.rule]?.(v) : null;
          if (refused) return refused;
          onPut(v);
          return null;
        }}
      />
    </>
  );
}

/** Which part or group is the piece between the two pins. */
function PieceSelect({
  label,
  value,
  onTake,
}: {
  label: string;
  value: PartTarget | null;
  onTake: (v: PartTarget | null) => void;
}) {
  const desk = useDesk();
  const groups = useDeskState((s) => s.preparation.body.groups);
  const id = (t: PartTarget) => (t.type === "group" ? `g:${t.id}` : `n:${t.key}`);
  return (
    <div className="slider-row">
      <Select
        size="small"
        className="grow"
        aria-label={label}
        allowClear
        placeholder="none"
        showSearch={{ optionFilterProp: "label" }}
        value={value ? id(value) : null}
        onChange={(v: string | undefined) =>
          onTake(
            v === undefined || v === null
              ? null
              : v.startsWith("g:")
                ? { type: "group", id: v.slice(2) }
                : { type: "node", key: v.slice(2) },
          )
        }
        options={[
          ...Object.values(groups).map((g) => ({ value: `g:${g.id}`, label: g.name })),
          ...desk.index.assembly.nodes.map((n, i) => ({ value: `n:${n.key}`, label: nameOf(desk, i) })),
        ]}
      />
      <Tooltip title="Point at it">
        <Button
          size="small"
          aria-label={`Pick ${label.toLowerCase()}`}
          icon={<Crosshair size={13} />}
          onClick={() =>
            pick(desk, `${label}: point at the part`, {
              kinds: ["face", "axis"],
              needsDirection: false,
              onDone: (picked) => {
                const key = picked && desk.index.assembly.nodes[picked.node]?.key;
                if (key) onTake({ type: "node", key });
              },
            })
          }
        />
      </Tooltip>
    </div>
  );
}

function PinRow({ label, value, onTake }: { label: string; value: readonly number[]; onTake: (v: Triple) => void }) {
  const desk = useDesk();
  return (
    <>
      <span>{label}</span>
      <div>
        <div className="triple">
          {["X", "Y", "Z"].map((axis, k) => (
            <ValueField
              key={axis}
              ariaLabel={`${label} ${axis}`}
              kind="length"
              suffix=""
              value={nth(value, k)}
              take={(v) => {
                const next = [...value] as Triple;
                next[k] = v;
                onTake(next);
                return null;
              }}
            />
          ))}
        </div>
        <Button
          size="small"
          icon={<Crosshair size={13} />}
          onClick={() =>
            pick(desk, `${label}: point at the pin or its hole`, {
              kinds: ["axis", "circle"],
              needsDirection: true,
              onDone: (picked) => picked && onTake(atHome(desk, picked).point),
            })
          }
        >
          Pick it
        </Button>
      </div>
    </>
  );
}

/** A cam's curve as lines of text: driver and follower, one pair a line. */
function CamPoints({
  points: given,
  period,
  name,
  periodName,
  onPut,
}: {
  points: readonly (readonly [number, number])[];
  period: number | null;
  name: string;
  periodName: string;
  onPut: (part: object) => void;
}) {
  const own = given.map(([a, b]) => `${a}  ${b}`).join("\n");
  const [text, setText] = useState<string | null>(null);
  const [error, setError] = useState<string | null>(null);
  const take = () => {
    if (text === null) return;
    const rows = text.split("\n").filter((l) => l.trim() !== "");
    const points = rows.map((l) =>
      l
        .trim()
        .split(/[\s;]+/)
        .map((v) => Number(v.replace(",", "."))),
    );
    const bad = points.findIndex((p) => p.length !== 2 || p.some((v) => !Number.isFinite(v)));
    const falling = points.findIndex((p, i) => i > 0 && nth(p, 0) <= (points[i - 1]?.[0] as number));
    if (bad >= 0) setError(`Line ${bad + 1} is not two numbers: "${rows[bad]}".`);
    else if (points.length < 2) setError("A cam curve needs at least two points.");
    else if (falling >= 0) setError(`The driver's values must rise; line ${falling + 1} does not.`);
    else {
      setError(null);
      setText(null);
      onPut({ [name]: points });
    }
  };
  return (
    <>
      <span>Curve</span>
      <div>
        <GrowingText
          aria-label="Cam curve"
          lines={[3, 8]}
          className="number"
          value={text ?? own}
          status={error ? "error" : ""}
          onChange={(e) => setText(e.target.value)}
          onBlur={take}
        />
        <span className={error ? "problem" : "soft"}>{error ?? "driver and follower, a pair a line"}</span>
      </div>
      <span>Repeats</span>
      {period === null ? (
        <Button size="small" type="dashed" onClick={() => onPut({ [periodName]: 360 })}>
          does not
        </Button>
      ) : (
        <div className="slider-row">
          <ValueField
            ariaLabel="Cam period"
            kind="plain"
            suffix="each"
            value={period}
            take={(v) => {
              if (!(v > 0)) return "Must be more than 0.";
              onPut({ [periodName]: v });
              return null;
            }}
          />
          <Button size="small" type="text" onClick={() => onPut({ [periodName]: null })}>
            never
          </Button>
        </div>
      )}
    </>
  );
}
