"use client";
import { Segmented, Select } from "antd";
import {
  type ImportSettings,
  MESH_QUALITIES,
  QUALITY_NAMES,
  SOURCE_UNITS,
  type SourceUnit,
  UNIT_NAMES,
} from "../../core/assembly/importSettings";

/** How a file is read: its unit, which way is up, and how fine round faces become. */
export function ReadSettings({
  value,
  onChange,
  show,
}: {
  value: ImportSettings;
  onChange: (v: ImportSettings) => void;
  show: readonly ("unit" | "up" | "quality")[];
}) {
  return (
    <div className="form read-settings">
      {show.includes("unit") && (
        <>
          <span>Written in</span>
          <Select
            size="small"
            aria-label="Unit of the file"
            value={value.unit ?? ""}
            onChange={(u: SourceUnit | "") => onChange({ ...value, unit: u === "" ? null : u })}
            options={[
              { value: "", label: "as the file says (else mm)" },
              ...(Object.keys(SOURCE_UNITS) as SourceUnit[]).map((u) => ({ value: u, label: UNIT_NAMES[u] })),
            ]}
          />
        </>
      )}
      {show.includes("up") && (
        <>
          <span>Up is</span>
          <Segmented
            size="small"
            aria-label="Up axis"
            value={value.up ?? "file"}
            onChange={(up) => onChange({ ...value, up: up === "file" ? null : (up as "y" | "z") })}
            options={[
              { value: "file", label: "as usual" },
              { value: "z", label: "Z" },
              { value: "y", label: "Y" },
            ]}
          />
        </>
      )}
      {show.includes("quality") && (
        <>
          <span>Round faces</span>
          <Segmented
            size="small"
            aria-label="Mesh quality"
            value={value.quality}
            onChange={(quality) => onChange({ ...value, quality: quality as ImportSettings["quality"] })}
            options={MESH_QUALITIES.map((q) => ({ value: q, label: QUALITY_NAMES[q] }))}
          />
        </>
      )}
    </div>
  );
}
