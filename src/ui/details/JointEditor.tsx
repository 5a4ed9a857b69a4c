"use client";
import { Button, Checkbox, Input, Segmented, Tooltip } from "antd";
import { Crosshair, Trash2 } from "lucide-react";
import { useEffect, useState } from "react";
import type { Joint } from "../../core/document/preparation";
import { zeroFor } from "../../core/edit/jointChanges";
import { putJoint, removeJoint } from "../../core/edit/preparationCommands";
import { hasPitch, turns } from "../../core/kinematics/jointKinds";
import { nth } from "../../core/math/packed";
import type { Triple } from "../../core/math/triple";
import { changeJoint, keysBeyond } from "../../desk/acts/changing";
import { selectTimed } from "../../desk/acts/timingActions";
import { openSequence } from "../../desk/documents/otherSequences";
import { inTargetFrame } from "../../desk/selection/pickedFrame";
import { pick } from "../../desk/showing/picking";
import { readingKind, suffixOf } from "../../desk/typing/valueFields";
import { useDesk, useDeskState } from "../desk/context";
import { DirectionField } from "./DirectionField";
import { JointReading } from "./JointReading";
import { LinkEditor } from "./LinkEditor";
import { ValueField } from "./ValueField";

/** One joint: its reading, axis, zero, sense, limits and what it follows. */
export function JointEditor({ joint }: { joint: Joint }) {
  const desk = useDesk();
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  useDeskState((s) => s.sequences);
  useDeskState((s) => s.pending);
  useDeskState((s) => (s.playing ? -1 : s.ticks));
  const kind = readingKind(joint);
  const change = (label: string, part: Partial<Joint>) => {
    const next = { ...joint, ...part };
    changeJoint(desk, joint, next, `${label} of ${joint.name}`);
  };
  const pickAxis = () =>
    pick(desk, `Axis of ${joint.name}`, {
      kinds: ["axis", "circle", "edge-middle", "face"],
      needsDirection: true,
      turns: turns(joint),
      onDone: (picked) => {
        const at = picked && inTargetFrame(desk, joint.target, picked);
        if (at?.direction) change("Axis", { point: at.point, direction: at.direction });
      },
    });
  const setZero = (wanted: number): null => {
    change("Zero", { zero: zeroFor(joint, desk.valueOf(joint.target, `joint.${joint.id}`), wanted) });
    return null;
  };
  return (
    <div className="joint" data-testid="joint-editor">
      <NameRow joint={joint} />
      <JointReading joint={joint} />
      <div className="form joint-form">
        <span>Zero</span>
        <div className="slider-row">
          <ValueField
            ariaLabel="Reading where it stands"
            kind={kind}
            value={desk.valueOf(joint.target, `joint.${joint.id}`)}
            take={setZero}
          />
          <Tooltip title="It reads 0 where it stands now">
            <Button size="small" onClick={() => setZero(0)}>
              Zero here
            </Button>
          </Tooltip>
        </div>
        <span>Counts</span>
        <Segmented
          size="small"
          aria-label="Sense"
          value={joint.flipped ? "back" : "on"}
          onChange={(v) => change("Sense", { flipped: v === "back" })}
          options={[
            { value: "on", label: "with the arrow" },
            { value: "back", label: "against" },
          ]}
        />
        <span>Axis</span>
        <DirectionField
          ariaLabel="Axis direction"
          frame={joint.target.type === "node" ? "part" : "assembly"}
          value={joint.direction}
          onTake={(direction) => change("Axis", { direction })}
          onPick={pickAxis}
        />
        <span>Through</span>
        <div className="triple">
          {["X", "Y", "Z"].map((label, k) => (
            <ValueField
              key={label}
              ariaLabel={`Axis point ${label}`}
              kind="length"
              suffix=""
              value={nth(joint.point, k)}
              take={(v) => {
                const point = [...joint.point] as Triple;
                point[k] = v;
                change("Axis", { point });
                return null;
              }}
            />
          ))}
        </div>
        {hasPitch(joint) && (
          <>
            <span>Pitch</span>
            <ValueField
              ariaLabel="Pitch"
              kind="length"
              suffix={`${unit} a turn`}
              value={joint.pitch}
              take={(pitch) => {
                if (pitch === 0) return "A screw needs a pitch other than 0; a hinge has none.";
                change("Pitch", { pitch });
                return null;
              }}
            />
          </>
        )}
        <Limits joint={joint} change={change} />
      </div>
      <Beyond joint={joint} />
      <LinkEditor joint={joint} />
    </div>
  );
}

/** How far the joint goes either way, and whether it stops there. */
function Limits({ joint, change }: { joint: Joint; change: (label: string, part: Partial<Joint>) => void }) {
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  const kind = readingKind(joint);
  const setLimit = (side: "min" | "max", value: number | null): string | null => {
    const now = joint.limits ?? { min: null, max: null, hard: false };
    const limits = { ...now, [side]: value };
    if (limits.min !== null && limits.max !== null && limits.min >= limits.max)
      return "The lower limit must be below the upper one.";
    change("Limits", { limits: limits.min === null && limits.max === null ? null : limits });
    return null;
  };
  const span = kind === "length" ? 10 : 90;
  const startOf = (side: "min" | "max") => {
    const other = joint.limits?.[side === "min" ? "max" : "min"] ?? null;
    const at = Math.round(
      side === "min" ? Math.min(joint.zero, other ?? joint.zero) : Math.max(joint.zero, other ?? joint.zero),
    );
    return side === "min" ? at - span : at + span;
  };
  const limitField = (side: "min" | "max", label: string) => (
    <LimitField
      label={label}
      value={joint.limits?.[side] ?? null}
      start={startOf(side)}
      kind={kind}
      suffix={suffixOf(kind, unit)}
      take={(v) => setLimit(side, v)}
    />
  );
  return (
    <>
      <span>From</span>
      {limitField("min", "Lower limit")}
      <span>To</span>
      {limitField("max", "Upper limit")}
      {joint.limits && (
        <>
          <span />
          <Checkbox
            checked={joint.limits.hard}
            onChange={(e) =>
              change("Limits", {
                limits: { ...(joint.limits as NonNullable<Joint["limits"]>), hard: e.target.checked },
              })
            }
          >
            stops there (else only warned)
          </Checkbox>
        </>
      )}
    </>
  );
}

/** A limit that may be left empty. */
function LimitField({
  label,
  value,
  start,
  kind,
  suffix,
  take,
}: {
  label: string;
  value: number | null;
  start: number;
  kind: "length" | "angle" | "share" | "plain";
  suffix: string;
  take: (v: number | null) => string | null;
}) {
  if (value === null) {
    return (
      <Button size="small" type="dashed" aria-label={`Set ${label.toLowerCase()}`} onClick={() => take(start)}>
        no limit
      </Button>
    );
  }
  return (
    <div className="slider-row">
      <ValueField ariaLabel={label} kind={kind} value={value} suffix={suffix} take={take} />
      <Button size="small" type="text" aria-label={`Remove ${label.toLowerCase()}`} onClick={() => take(null)}>
        none
      </Button>
    </div>
  );
}

/** What is keyed beyond the joint's limits, in any sequence; pressing one goes there. */
function Beyond({ joint }: { joint: Joint }) {
  const desk = useDesk();
  const beyond = keysBeyond(desk, joint);
  if (beyond.length === 0) return null;
  return (
    <div className="problem" role="status">
      Keyed beyond the limits:
      <ul className="plain">
        {beyond.map((b) => (
          <li key={b.key}>
            <Button
              size="small"
              type="link"
              danger
              icon={<Crosshair size={12} />}
              onClick={() => {
                if (b.sequence !== desk.state.sequenceId) openSequence(desk, b.sequence);
                selectTimed(desk, [{ step: b.step, move: b.move, key: b.key }], []);
              }}
            >
              {b.text}
            </Button>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** The joint's name, and the way to remove it. */
function NameRow({ joint }: { joint: Joint }) {
  const desk = useDesk();
  const [name, setName] = useState(joint.name);
  useEffect(() => setName(joint.name), [joint.name]);
  const takeName = () => {
    const clean = name.trim().slice(0, 200);
    if (clean === joint.name) return;
    if (clean === "") setName(joint.name);
    else desk.prepare(`Rename joint ${joint.name}`, putJoint({ ...joint, name: clean }));
  };
  return (
    <div className="row tight">
      <Input
        size="small"
        aria-label="Joint name"
        value={name}
        maxLength={200}
        onChange={(e) => setName(e.target.value)}
        onBlur={takeName}
        onPressEnter={takeName}
      />
      <Tooltip title="Remove this joint with its links; what is keyed stays, marked">
        <Button
          size="small"
          type="text"
          danger
          aria-label="Remove joint"
          icon={<Trash2 size={14} />}
          onClick={() => desk.prepare(`Remove joint ${joint.name}`, removeJoint(joint.id))}
        />
      </Tooltip>
    </div>
  );
}
