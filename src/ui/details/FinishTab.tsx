"use client";
import { Button, Tooltip } from "antd";
import { memo } from "react";
import { cadFinish } from "../../core/assembly/cadFinish";
import { FINISH_LIBRARY, type Finish } from "../../core/document/surroundings";
import { adjustFinish, copyFinish, giveFinish, pasteFinish, shapesOfSelection } from "../../desk/acts/partActions";
import { ColourPick } from "../common/ColourPick";
import { Range } from "../common/Range";
import { useDesk, useDeskState } from "../desk/context";
import { ValueField } from "./ValueField";

const FAMILIES = ["Metal", "Plastic", "Rubber", "Glass", "Paint"] as const;

/**
 * The finish of the selected parts: from the library, or in numbers; what differs between them is shown as the first
 * one's.
 */
export function FinishTab() {
  const desk = useDesk();
  const nodes = useDeskState((s) => s.preparation.body.nodes);
  useDeskState((s) => s.selection);
  const keys = shapesOfSelection(desk);
  if (keys.length === 0) return <p className="soft">There is no shape here that could have a finish.</p>;
  const finishes = keys.map((k) => nodes[k]?.finish);
  const first = finishes.find((f) => f !== undefined);
  const same = finishes.every((f) => JSON.stringify(f) === JSON.stringify(finishes[0]));
  const cad = desk.index.assembly.nodes[desk.index.indexOf.get(keys[0] as string) ?? -1]?.color ?? null;
  return <FinishFields count={keys.length} first={first ?? null} same={same} cad={cad} />;
}

/** Made anew when what it shows is another, not with every change of the preparation. */
const FinishFields = memo(function FinishFields({
  count,
  first,
  same,
  cad,
}: {
  /** How many parts there are. */
  count: number;
  /** The finish that one of them was given. */
  first: Finish | null;
  /** Whether all of them wear the same. */
  same: boolean;
  /** The colour in CAD. */
  cad: Parameters<typeof cadFinish>[0];
}) {
  const desk = useDesk();
  const base: Finish = first ?? cadFinish(cad);
  const change = (part: Partial<Finish>) => adjustFinish(desk, part);
  const settle = (part: Partial<Finish>) => {
    change(part);
    desk.seal();
  };
  const shareRow = (label: string, key: "roughness" | "metalness" | "opacity") => (
    <>
      <span>{label}</span>
      <div className="slider-row">
        <Range
          min={0}
          max={1}
          step={0.01}
          value={base[key]}
          label={`${label} slider`}
          onChange={(v) => change({ [key]: v })}
          onDone={() => desk.seal()}
        />
        <ValueField
          ariaLabel={label}
          kind="share"
          value={base[key]}
          take={(v) => {
            settle({ [key]: v });
            return null;
          }}
        />
      </div>
    </>
  );
  const wearing = FINISH_LIBRARY.find(
    (f) =>
      same &&
      first &&
      f.color === first.color &&
      f.roughness === first.roughness &&
      f.metalness === first.metalness &&
      f.opacity === first.opacity,
  );
  return (
    <>
      <div className="swatches">
        {FAMILIES.map((family) => (
          <div key={family} className="swatch-row">
            <span className="soft">{family}</span>
            {FINISH_LIBRARY.filter((f) => f.family === family).map((f) => {
              const { id, name, family: _, ...finish } = f;
              return (
                <button
                  key={id}
                  type="button"
                  title={name}
                  className={`swatch ${wearing?.id === id ? "on" : ""} ${f.metalness > 0.5 ? "metal" : f.roughness > 0.7 ? "dull" : ""}`}
                  style={{ background: f.color, opacity: 0.35 + 0.65 * f.opacity }}
                  aria-label={name}
                  aria-pressed={wearing?.id === id}
                  onClick={() => {
                    giveFinish(desk, finish);
                    desk.seal();
                  }}
                />
              );
            })}
          </div>
        ))}
      </div>
      <p className="soft">
        {count} part{count === 1 ? "" : "s"}:{" "}
        {!same ? "several finishes" : first ? (wearing?.name ?? "own finish") : "as in CAD"}
      </p>
      <div className="form">
        <span>Colour</span>
        <ColourPick label="Colour" value={base.color} showText onTake={(color) => settle({ color })} />
        {shareRow("Roughness", "roughness")}
        {shareRow("Metalness", "metalness")}
        {shareRow("Opacity of finish", "opacity")}
        <span>Own light</span>
        <div className="slider-row">
          <ColourPick
            label="Colour of its own light"
            value={base.emissive}
            onTake={(emissive) => settle({ emissive, glow: base.glow || 1 })}
          />
          <Range
            min={0}
            max={3}
            step={0.05}
            value={base.glow}
            label="Own light slider"
            onChange={(v) =>
              change({ glow: v, emissive: base.emissive === "#000000" && v > 0 ? base.color : base.emissive })
            }
            onDone={() => desk.seal()}
          />
          <ValueField
            ariaLabel="Own light"
            kind="plain"
            value={base.glow}
            take={(v) => {
              if (v < 0 || v > 5) return "Between 0 (none) and 5.";
              settle({ glow: v, emissive: base.emissive === "#000000" && v > 0 ? base.color : base.emissive });
              return null;
            }}
          />
        </div>
      </div>
      <div className="row tight wrap">
        <Tooltip title="Alt+C">
          <Button size="small" onClick={() => copyFinish(desk)}>
            Copy finish
          </Button>
        </Tooltip>
        <Tooltip title="Alt+V">
          <Button size="small" onClick={() => pasteFinish(desk)}>
            Give copied
          </Button>
        </Tooltip>
        <Button size="small" disabled={!first} onClick={() => giveFinish(desk, null)}>
          Back to CAD
        </Button>
      </div>
    </>
  );
});
