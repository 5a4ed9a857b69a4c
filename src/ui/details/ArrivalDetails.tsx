"use client";
import { Alert, Button, Checkbox } from "antd";
import type { Key, Target } from "../../core/document/sequence";
import { targetId } from "../../core/document/sequence";
import { removeKey, setKeyValue, updateKey } from "../../core/edit/sequenceCommands";
import { formatSecondsShort, TICKS_PER_SECOND } from "../../core/time/time";
import { formatNumber, MM_PER_UNIT, parseAngle, parseLength } from "../../core/units/units";
import { Field } from "../common/Field";
import { TimeField } from "../common/TimeField";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import type { KeyRef } from "../desk/desk";
import { EaseEditor } from "./EaseEditor";

/** One arrival: its time, lead, ease and values, all typed. */
export function ArrivalDetails({ at }: { at: KeyRef }) {
  const desk = useDesk();
  const sequence = useSequence();
  const unit = useDeskState((s) => s.preparation.body.displayUnit);
  const step = sequence.steps[at.step];
  const move = step?.moves[at.move];
  const key = move?.keys[at.key];
  if (!step || !move || !key) return <p className="soft">This arrival is gone.</p>;
  const position = desk.program.steps.position.get(at.step);
  const action = position === undefined ? 0 : (desk.program.steps.action[position] as number);
  const reports = (desk.program.reports.get(targetId(move.target)) ?? []).filter((r) => r.key === at.key);
  const shortened = reports.find((r) => r.code === "lead-shortened");
  const change = (label: string, value: Partial<Pick<Key, "at" | "lead" | "ease">>) => desk.edit(label, updateKey(at.step, at.move, at.key, value));
  return (
    <>
      <h3 className="ellipsis">Arrival of {desk.targetName(move.target)}</h3>
      <p className="soft number">
        sequence {formatSecondsShort(action + key.at)} s · step "{step.title}"
      </p>
      <div className="form">
        <span>Arrives at</span>
        <TimeField
          ariaLabel="Arrives at"
          ticks={step.stillBefore + key.at}
          rate={sequence.rate}
          min={step.stillBefore}
          onTake={(t) => change("Time of arrival", { at: t - step.stillBefore })}
        />
        <span>Lead</span>
        <TimeField
          ariaLabel="Arrival lead"
          disabled={key.lead === "previous"}
          ticks={key.lead === "previous" ? 0 : key.lead}
          rate={sequence.rate}
          onTake={(t) => change("Lead", { lead: t })}
        />
        <span />
        <Checkbox checked={key.lead === "previous"} onChange={(e) => change("Lead", { lead: e.target.checked ? "previous" : TICKS_PER_SECOND / 2 })}>
          from the arrival before
        </Checkbox>
      </div>
      <p className="soft">Times count from the step's start.</p>
      {shortened && (
        <Alert
          type="warning"
          showIcon
          title={`The lead of ${formatSecondsShort(shortened.askedTicks)} s does not fit before this arrival; ${formatSecondsShort(shortened.usedTicks)} s are used.`}
        />
      )}
      <h4>Ease</h4>
      <EaseEditor ease={key.ease} onChange={(ease) => desk.edit("Ease", updateKey(at.step, at.move, at.key, { ease }), `ease-${at.key}`)} />
      <h4>{move.target.type === "camera" ? "View" : "Values"}</h4>
      <div className="form">
        {Object.entries(key.values).map(([channel, value]) => (
          <Value
            key={channel}
            target={move.target}
            channel={channel}
            value={value}
            unit={unit}
            onTake={(v) => desk.edit(`${label(channel)} of arrival`, setKeyValue(at.step, at.move, at.key, channel, v))}
          />
        ))}
      </div>
      {key.orientation && <p className="soft">And a free orientation.</p>}
      <div className="row">
        <Button size="small" onClick={() => desk.seek(action + key.at)}>
          Go to it
        </Button>
        <Button size="small" danger onClick={() => desk.edit("Remove arrival", removeKey(at.step, at.move, at.key))}>
          Remove
        </Button>
      </div>
    </>
  );
}

const WORDS: Record<string, string> = {
  slide: "Slide",
  turn: "Turn",
  size: "Size",
  opacity: "Opacity",
  aim: "Aim",
  azimuth: "Azimuth",
  elevation: "Elevation",
  distance: "Distance",
  roll: "Roll",
  lens: "Lens",
};
const label = (channel: string) => {
  const [head = "", tail] = channel.split(".");
  return `${WORDS[head] ?? head}${tail ? ` ${tail.toUpperCase()}` : ""}`;
};

function Value({ target, channel, value, unit, onTake }: { target: Target; channel: string; value: number; unit: keyof typeof MM_PER_UNIT; onTake: (v: number) => void }) {
  const head = channel.split(".")[0] ?? "";
  const kind =
    head === "slide" || head === "aim" || channel === "distance"
      ? "length"
      : head === "turn" || channel === "azimuth" || channel === "elevation" || channel === "roll"
        ? "angle"
        : "plain";
  void target;
  return (
    <>
      <span>{label(channel)}</span>
      <Field
        ariaLabel={`${label(channel)} at arrival`}
        suffix={kind === "length" ? unit : kind === "angle" ? "°" : channel === "lens" ? "mm" : ""}
        value={formatNumber(kind === "length" ? value / MM_PER_UNIT[unit] : value)}
        parse={(text) => {
          const plain = Number(text.replace(",", "."));
          const parsed = kind === "length" ? parseLength(text, unit) : kind === "angle" ? parseAngle(text) : Number.isFinite(plain) ? { value: plain } : { error: "A number." };
          if ("error" in parsed) return parsed;
          if (channel === "elevation" && Math.abs(parsed.value) > 90) return { error: "Between -90° and 90°." };
          if (channel === "lens" && (parsed.value < 4 || parsed.value > 1200)) return { error: "Between 4 and 1200 mm." };
          if (channel === "distance" && parsed.value <= 0) return { error: "More than 0." };
          onTake(parsed.value);
          return null;
        }}
      />
    </>
  );
}
