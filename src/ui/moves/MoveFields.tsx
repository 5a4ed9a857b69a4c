"use client";
import { Button, Select, Switch } from "antd";
import { Crosshair } from "lucide-react";
import type { ReactNode } from "react";
import type { Target } from "../../core/document/keys";
import { targetId } from "../../core/document/keys";
import type { MadeMove } from "../../core/document/sequence";
import type { SettingField } from "../../core/moves/kind";
import { moveKindOf } from "../../core/moves/kinds";
import { formatNumber } from "../../core/units/units";
import { changeSetting, changeSettings, selectedTargets } from "../../desk/acts/moveActions";
import { valueKindOf } from "../../desk/acts/phrase";
import { pickDirection } from "../../desk/acts/pickDirection";
import { targetName } from "../../desk/names";
import type { Desk } from "../../desk/port";
import { atHome } from "../../desk/selection/pickedFrame";
import type { MoveRef } from "../../desk/selection/refs";
import { pick } from "../../desk/showing/picking";
import type { ValueKind } from "../../desk/typing/valueFields";
import { Field } from "../common/Field";
import { TextField } from "../common/TextField";
import { TimeField } from "../common/TimeField";
import { useDesk, useSequence } from "../desk/context";
import { DirectionField } from "../details/DirectionField";
import { ValueField } from "../details/ValueField";
import { Colours } from "./Colours";
import { ABOUT_OWN, axisChoices, FIND_OWN, jointChoices, turnAboutOwn } from "./settingChoices";

/** The settings of a move, as its kind describes them. */
export function MoveFields({ move, at }: { move: MadeMove; at: MoveRef | null }) {
  const fields = moveKindOf(move.kind).fields.filter(
    (f) => !f.own && (!f.when || f.when(move.settings as Record<string, unknown>)),
  );
  if (fields.length === 0) return null;
  return (
    <div className="form">
      {fields.map((f) => (
        <Setting key={f.name} field={f} move={move} at={at} />
      ))}
    </div>
  );
}

function Setting({ field, move, at }: { field: SettingField; move: MadeMove; at: MoveRef | null }) {
  const desk = useDesk();
  const { rate } = useSequence();
  const value = field.name.split(".").reduce<unknown>((o, k) => (o as Record<string, unknown>)?.[k], move.settings);
  const take = (v: unknown) => changeSetting(desk, at, field.name, v);
  const say = (v: unknown) => {
    const fault = take(v);
    if (fault) desk.notify("problem", fault);
  };
  const labelled = (control: ReactNode) => (
    <>
      <span title={field.hint}>{field.label}</span>
      {control}
    </>
  );
  const numeric = valueKindOf(field, move, desk.state.preparation.body);
  if (numeric)
    return labelled(
      <NumberSetting field={field} kind={numeric} value={value as number | null} take={take} say={say} />,
    );
  switch (field.type) {
    case "switch":
      return labelled(
        <Switch
          size="small"
          aria-label={field.label}
          checked={value as boolean}
          onChange={say}
          style={{ width: 28 }}
        />,
      );
    case "choice":
      return labelled(
        <Select
          size="small"
          aria-label={field.label}
          value={value as string}
          options={[...(field.choices ?? [])]}
          onChange={say}
        />,
      );
    case "time":
      return labelled(<TimeField ariaLabel={field.label} ticks={value as number} rate={rate} onTake={say} />);
    case "text":
      return labelled(<TextField label={field.label} value={value as string} take={say} mayBeEmpty />);
    case "colour":
      return labelled(<Colours value={value as string} label={field.label} empty={false} onTake={say} />);
    case "direction":
      return labelled(<DirectionSetting field={field} value={value as number[] | null} say={say} />);
    case "point":
      return labelled(<PointSetting field={field} value={value as number[] | null} say={say} />);
    case "joint":
      return labelled(<JointSetting field={field} move={move} at={at} />);
    case "pose":
    case "look":
    case "camera":
      return labelled(
        <Select
          size="small"
          aria-label={field.label}
          value={value as string}
          options={named(desk, field.type, move)}
          onChange={say}
        />,
      );
    case "part":
      return labelled(
        <div className="slider-row">
          <span className="ellipsis">{value ? targetName(desk, value as Target) : "none yet"}</span>
          <Button
            size="small"
            onClick={() => {
              const [first] = selectedTargets(desk);
              if (first) say(first);
              else desk.notify("info", "Select a part on the stage or in the tree, then take it here.");
            }}
          >
            Take the selected
          </Button>
        </div>,
      );
    default:
      return null;
  }
}

interface Valued<T> {
  field: SettingField;
  value: T | null;
  /** Takes a value, and says where it cannot be taken. */
  say: (v: unknown) => void;
}

function NumberSetting({
  field,
  kind,
  value,
  take,
  say,
}: Valued<number> & { kind: ValueKind; take: (v: unknown) => string | null }) {
  if (field.empty !== undefined && value === null) {
    return (
      <Field
        ariaLabel={field.label}
        value={field.empty}
        parse={(text) => {
          const n = Number(text.replace("°", "").replace(",", "."));
          if (!Number.isFinite(n)) return { error: `A number, or leave it ${field.empty}.` };
          const fault = take(n);
          return fault ? { error: fault } : null;
        }}
      />
    );
  }
  return (
    <div className="slider-row">
      <ValueField
        ariaLabel={field.label}
        kind={kind}
        value={value as number}
        {...(field.type === "turns" ? { suffix: "turns" } : {})}
        take={(v) => (field.type === "count" && !Number.isInteger(v) ? "A whole number." : take(v))}
      />
      {field.empty !== undefined && <Leave field={field} say={say} />}
    </div>
  );
}

function Leave({ field, say }: { field: SettingField; say: (v: unknown) => void }) {
  return (
    <Button size="small" title={field.empty} onClick={() => say(null)}>
      Leave
    </Button>
  );
}

function DirectionSetting({ field, value, say }: Valued<number[]>) {
  const desk = useDesk();
  const pick = () => pickDirection(desk, "Along what?", say);
  if (value === null) {
    return (
      <div className="slider-row">
        <span className="soft">{field.empty}</span>
        <Button
          size="small"
          aria-label={`Pick ${field.label.toLowerCase()}`}
          icon={<Crosshair size={13} />}
          onClick={pick}
        />
      </div>
    );
  }
  const direction = (
    <DirectionField ariaLabel={field.label} frame="assembly" value={value} onTake={say} onPick={pick} />
  );
  if (field.empty === undefined) return direction;
  return (
    <div className="slider-row">
      {direction}
      <Leave field={field} say={say} />
    </div>
  );
}

function PointSetting({ field, value, say }: Valued<number[]>) {
  const desk = useDesk();
  return (
    <div className="slider-row">
      <span className="number ellipsis">
        {value === null ? field.empty : value.map((v) => formatNumber(v, 1)).join(" ")}
      </span>
      <Button
        size="small"
        aria-label={`Pick ${field.label.toLowerCase()}`}
        icon={<Crosshair size={13} />}
        onClick={() =>
          pick(desk, "About which point?", {
            kinds: ["axis", "circle", "corner", "face", "edge-middle"],
            needsDirection: false,
            onDone: (picked) => picked && say(atHome(desk, picked).point),
          })
        }
      />
      {value !== null && <Leave field={field} say={say} />}
    </div>
  );
}

/** The named things of the project that a setting may point to. */
function named(desk: Desk, type: "pose" | "look" | "camera", move: MadeMove): { value: string; label: string }[] {
  const { poses, looks } = desk.state.preparation.body;
  const mine = new Set(move.targets.map(targetId));
  const all =
    type === "camera"
      ? Object.values(desk.body().cameras)
      : type === "look"
        ? Object.values(looks)
        : Object.values(poses).filter((p) => mine.has(targetId(p.target)));
  return all.map((x) => ({ value: x.id, label: x.name }));
}

/** Which axis or joint a move turns about. */
function JointSetting({ field, move, at }: { field: SettingField; move: MadeMove; at: MoveRef | null }) {
  const desk = useDesk();
  const settings = move.settings as { axis?: string; joints: string[] };
  if (field.name === "axis") {
    const choices = axisChoices(desk, move);
    const now =
      settings.axis === "joint"
        ? settings.joints.length === 1
          ? `joint ${settings.joints[0]}`
          : ABOUT_OWN
        : (settings.axis ?? "");
    return (
      <Select
        size="small"
        aria-label={field.label}
        value={now}
        options={choices.map(({ value, label }) => ({ value, label }))}
        onChange={(v) => {
          if (v === FIND_OWN) turnAboutOwn(desk, move, (chosen) => changeSettings(desk, at, chosen));
          else changeSettings(desk, at, choices.find((c) => c.value === v)?.settings ?? {});
        }}
      />
    );
  }
  const choices = jointChoices(desk, move);
  return (
    <Select
      size="small"
      aria-label={field.label}
      value={settings.joints[0] ?? ""}
      options={choices}
      onChange={(v) => changeSettings(desk, at, { joints: [v] })}
    />
  );
}
