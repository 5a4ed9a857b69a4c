"use client";
import { Slider } from "antd";
import { useState } from "react";
import type { Joint } from "../../core/document/preparation";
import { beyondLimits } from "../../core/edit/jointChanges";
import { formatNumber, MM_PER_UNIT } from "../../core/units/units";
import { pendingHere } from "../../desk/acts/pending";
import { pend } from "../../desk/acts/posing";
import { pendTyped, refusedBy } from "../../desk/acts/typing";
import { readingKind } from "../../desk/typing/valueFields";
import { useDesk, useDeskState } from "../desk/context";
import { ValueField } from "./ValueField";

/** How far a slider without limits reaches to either side of where it began, in degrees or mm. */
const REACH = { hinge: 360, screw: 720, slide: 100 } as const;

/**
 * A joint's reading at the playhead: a live slider and a typed value. A joint that follows is solved back to its
 * driver.
 */
export function JointReading({ joint, named = false }: { joint: Joint; named?: boolean }) {
  const desk = useDesk();
  useDeskState((s) => s.pending);
  const playing = useDeskState((s) => s.playing);
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  useDeskState((s) => s.programVersion);
  useDeskState((s) => (s.playing ? -1 : s.ticks));
  const [range, setRange] = useState<[number, number] | null>(null);
  const channel = `joint.${joint.id}`;
  const tracks = desk.program.jointTracks(joint.id);
  if (!tracks) return null;
  const value = desk.valueOf(joint.target, channel);
  const reach = REACH[joint.kind];
  const wide: [number, number] = [
    joint.limits?.min ?? Math.min(joint.zero, value) - reach,
    joint.limits?.max ?? Math.max(joint.zero, value) + reach,
  ];
  const [min, max] = range ?? [Math.min(wide[0], value), Math.max(wide[1], value)];
  const mm = MM_PER_UNIT[unit];
  const kind = readingKind(joint);
  const driver = tracks.driver?.driver.joint;
  const isPending = channel in (pendingHere(desk, joint.target)?.pose.values ?? {});
  const span = max - min;
  const step = kind === "length" ? (span / mm > 20 ? 0.5 : 0.05) * mm : 1;
  const text = (v: number | undefined) =>
    `${formatNumber((v ?? 0) / (kind === "length" ? mm : 1), 2)}${kind === "length" ? ` ${unit}` : "°"}`;
  return (
    <div className="reading" data-joint={joint.id}>
      {named && (
        <div className="reading-name">
          <span className="ellipsis">{joint.name}</span>
          {driver && <span className="soft ellipsis">follows {driver.name}</span>}
        </div>
      )}
      <div className="reading-row">
        <Slider
          className="grow"
          min={min}
          max={max}
          step={step}
          value={value}
          disabled={playing}
          included={false}
          tooltip={{ formatter: text }}
          marks={joint.zero >= min && joint.zero <= max ? { [joint.zero]: " " } : {}}
          aria-label={`${joint.name} slider` as never}
          ariaLabelForHandle={`${joint.name} slider`}
          onChange={(v) => {
            setRange((r) => r ?? [min, max]);
            pend(desk, joint.target, { [channel]: v });
          }}
          onChangeComplete={() => setRange(null)}
        />
        <div className="reading-value">
          <ValueField
            ariaLabel={`${joint.name} value`}
            kind={kind}
            value={value}
            disabled={playing}
            again
            className={isPending ? "is-pending" : ""}
            take={(v) => (pendTyped(desk, joint.target, { [channel]: v }) ? null : refusedBy(desk))}
          />
        </div>
      </div>
      {beyondLimits(joint, value) && (
        <p className="problem">
          Beyond its limits ({joint.limits?.min === null ? "no lower" : text(joint.limits?.min)} to{" "}
          {joint.limits?.max === null ? "no upper" : text(joint.limits?.max)}).
        </p>
      )}
    </div>
  );
}
