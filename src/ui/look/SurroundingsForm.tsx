"use client";
import { Segmented, Select, Switch } from "antd";
import { LIGHT_SETUPS, type Surroundings } from "../../core/document/surroundings";
import { setSurroundings } from "../../core/edit/preparationCommands";
import { LIGHT_RIGS } from "../../core/light/rigs";
import { ColourPick } from "../common/ColourPick";
import { Range } from "../common/Range";
import { useDesk, useDeskState } from "../desk/context";
import { ValueField } from "../details/ValueField";

/** The surroundings as they are, and how they are changed: slides of one kind are one entry of undo. */
function useSurroundings() {
  const desk = useDesk();
  const s = useDeskState((st) => st.preparation.body.surroundings);
  const put = (label: string, change: Partial<Surroundings>, merge: string | null = null) => {
    desk.prepare(label, setSurroundings(change), merge);
    if (merge === null) desk.seal();
  };
  return { desk, s, put };
}

/** Light, ground, backdrop and edges, as shown now. */
export function SurroundingsForm() {
  const { desk, s, put } = useSurroundings();
  const slide = (
    label: string,
    value: number,
    max: number,
    step: number,
    take: (v: number, merge: string | null) => void,
    kind: "share" | "plain" | "angle" = "share",
    min = 0,
  ) => (
    <>
      <span>{label}</span>
      <div className="slider-row">
        <Range
          min={min}
          max={max}
          step={step}
          value={value}
          label={`${label} slider`}
          onChange={(v) => take(v, `surroundings-${label}`)}
          onDone={() => desk.seal()}
        />
        <ValueField
          ariaLabel={label}
          kind={kind}
          value={value}
          take={(v) => {
            if (v < min || (kind !== "angle" && v > max) || (label === "Height" && v > 90))
              return `Between ${min} and ${label === "Height" ? 90 : max}.`;
            take(v, null);
            return null;
          }}
        />
      </div>
    </>
  );
  const color = (label: string, key: "top" | "bottom") => (
    <ColourPick
      label={label}
      value={s.background[key]}
      onTake={(c) => put("Background", { background: { ...s.background, [key]: c } })}
    />
  );
  const even = s.background.top === s.background.bottom;
  return (
    <div className="form">
      <span>Light</span>
      <Select
        size="small"
        aria-label="Light"
        value={s.light}
        onChange={(light) => put("Light", { light })}
        options={LIGHT_SETUPS.map((l) => ({ value: l, label: LIGHT_RIGS[l].name, title: LIGHT_RIGS[l].about }))}
      />
      <span />
      <span className="soft">{LIGHT_RIGS[s.light].about}</span>
      {slide(
        "Strength",
        s.key.strength,
        3,
        0.05,
        (v, m) => put("Strength of the light", { key: { ...s.key, strength: v } }, m),
        "plain",
      )}
      {slide(
        "From",
        s.key.azimuth,
        180,
        1,
        (v, m) => put("Direction of the light", { key: { ...s.key, azimuth: v } }, m),
        "angle",
        -180,
      )}
      {slide(
        "Height",
        s.key.elevation,
        90,
        1,
        (v, m) => put("Height of the light", { key: { ...s.key, elevation: v } }, m),
        "angle",
      )}
      {slide("Dark gaps", s.occlusion, 1, 0.05, (v, m) => put("Darkening of gaps", { occlusion: v }, m))}
      {slide("Contact", s.contact, 1, 0.05, (v, m) => put("Contact shadow", { contact: v }, m))}
      <span>Ground</span>
      <Segmented
        size="small"
        aria-label="Ground"
        value={s.ground}
        onChange={(ground) => put("Ground", { ground: ground as Surroundings["ground"] })}
        options={[
          { value: "none", label: "none" },
          { value: "shadow", label: "shadow" },
          { value: "reflection", label: "mirror" },
        ]}
      />
      <span>Background</span>
      <div className="slider-row">
        {color("Background above", "top")}
        {color("Background below", "bottom")}
        <Switch
          size="small"
          checked={!even}
          aria-label="Background gradient"
          onChange={(on) =>
            put("Background", { background: { top: s.background.top, bottom: on ? "#DFDACD" : s.background.top } })
          }
        />
        <span className="soft">{even ? "even" : "gradient"}</span>
      </div>
      <EdgeFields />
    </div>
  );
}

function EdgeFields() {
  const { desk, s, put } = useSurroundings();
  return (
    <>
      <span>Edges</span>
      <div className="slider-row">
        <Switch
          size="small"
          checked={s.edges.on}
          aria-label="Edges"
          onChange={(on) => put("Feature edges", { edges: { ...s.edges, on } })}
        />
        <Range
          min={0.4}
          max={3}
          step={0.1}
          disabled={!s.edges.on}
          value={s.edges.weight}
          label="Weight of edges"
          onChange={(weight) => put("Weight of edges", { edges: { ...s.edges, weight } }, "surroundings-edges")}
          onDone={() => desk.seal()}
        />
        <ValueField
          ariaLabel="Edge weight"
          kind="plain"
          disabled={!s.edges.on}
          value={s.edges.weight}
          take={(weight) => {
            if (weight < 0.1 || weight > 4) return "Between 0.1 and 4.";
            put("Weight of edges", { edges: { ...s.edges, weight } });
            return null;
          }}
        />
      </div>
    </>
  );
}
