"use client";
import { Badge, Button, Select } from "antd";
import { ListFilter } from "lucide-react";
import type { PartFilter } from "../../core/assembly/finding";
import { formatLength, parseLength } from "../../core/units/units";
import { Field } from "../common/Field";
import { Pop } from "../common/Pop";
import { useDeskState } from "../desk/context";

const STATES: { value: PartFilter["state"]; label: string }[] = [
  { value: "any", label: "Any" },
  { value: "hidden", label: "Hidden" },
  { value: "locked", label: "Locked" },
  { value: "ghost", label: "Seen through" },
  { value: "grouped", label: "In a group" },
  { value: "jointed", label: "With a joint" },
  { value: "own-finish", label: "With an own finish" },
];

/** Limits of size and state for the parts shown in the tree. */
export function FilterButton({ filter, onChange }: { filter: PartFilter; onChange: (f: PartFilter) => void }) {
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  const limit = (name: "minMm" | "maxMm", label: string) => (
    <Field
      ariaLabel={label}
      value={filter[name] === null ? "" : formatLength(filter[name] as number, unit)}
      parse={(text) => {
        if (text.trim() === "") {
          onChange({ ...filter, [name]: null });
          return null;
        }
        const p = parseLength(text, unit);
        if ("error" in p) return p;
        onChange({ ...filter, [name]: Math.max(0, p.value) });
        return null;
      }}
    />
  );
  const set = filter.minMm !== null || filter.maxMm !== null || filter.state !== "any";
  return (
    <Pop
      placement="bottomRight"
      content={
        <div className="form filter-form">
          <span>At least</span>
          {limit("minMm", "Smallest size")}
          <span>At most</span>
          {limit("maxMm", "Largest size")}
          <span>State</span>
          <Select
            size="small"
            aria-label="State"
            value={filter.state}
            options={STATES}
            onChange={(state) => onChange({ ...filter, state })}
          />
          <span />
          <Button
            size="small"
            disabled={!set}
            onClick={() => onChange({ ...filter, minMm: null, maxMm: null, state: "any" })}
          >
            No limits
          </Button>
        </div>
      }
    >
      <Badge dot={set} offset={[-4, 4]} color="var(--working)">
        <Button size="small" type="text" aria-label="Filter parts" icon={<ListFilter size={14} />} />
      </Badge>
    </Pop>
  );
}
