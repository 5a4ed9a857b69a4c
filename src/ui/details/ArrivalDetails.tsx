"use client";
import { Alert, Button, Checkbox } from "antd";
import type { Key } from "../../core/document/sequence";
import { hand, targetId } from "../../core/document/sequence";
import { beyondLimits } from "../../core/edit/jointChanges";
import { clearShapes, removeKey, setKeyValue, updateKey } from "../../core/edit/sequenceCommands";
import { arrivalBefore } from "../../core/edit/timing/items";
import { nth } from "../../core/math/packed";
import { formatSecondsShort, TICKS_PER_SECOND } from "../../core/time/time";
import { channelName } from "../../desk/acts/timingActions";
import { targetName } from "../../desk/names";
import type { Desk } from "../../desk/port";
import type { KeyRef } from "../../desk/selection/refs";
import { readingKind, type ValueKind } from "../../desk/typing/valueFields";
import { TimeField } from "../common/TimeField";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { EaseEditor } from "./EaseEditor";
import { ValueField } from "./ValueField";

/** One arrival: its time, lead, ease and values, all typed. */
export function ArrivalDetails({ at }: { at: KeyRef }) {
  const desk = useDesk();
  const sequence = useSequence();
  useDeskState((s) => s.preparation.body);
  const step = sequence.steps[at.step];
  const move = hand(step?.moves[at.move]);
  const key = move?.keys[at.key];
  if (!step || !move || !key) return <p className="soft">This arrival is gone.</p>;
  const position = desk.program.steps.position.get(at.step);
  const action = position === undefined ? 0 : nth(desk.program.steps.action, position);
  const reports = (desk.program.reports.get(targetId(move.target)) ?? []).filter((r) => r.key === at.key);
  const shortened = reports.find((r) => r.code === "lead-shortened");
  const change = (label: string, value: Partial<Pick<Key, "at" | "lead" | "ease">>) =>
    desk.edit(label, updateKey(at.step, at.move, at.key, value));
  return (
    <>
      <h3 className="ellipsis">Arrival of {targetName(desk, move.target)}</h3>
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
          ticks={key.lead === "previous" ? key.at - arrivalBefore(move, key) : key.lead}
          rate={sequence.rate}
          onTake={(t) => change("Lead", { lead: t })}
        />
        <span />
        <Checkbox
          checked={key.lead === "previous"}
          onChange={(e) => change("Lead", { lead: e.target.checked ? "previous" : TICKS_PER_SECOND / 2 })}
        >
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
      <EaseEditor
        ease={key.ease}
        onChange={(ease) => desk.edit("Ease", updateKey(at.step, at.move, at.key, { ease }), `ease-${at.key}`)}
      />
      {Object.keys(key.shapes ?? {}).length > 0 && (
        <p className="soft">
          {Object.keys(key.shapes ?? {})
            .map((c) => channelName(desk, c))
            .join(", ")}{" "}
          {Object.keys(key.shapes ?? {}).length === 1 ? "has a shape of its own" : "have shapes of their own"}, seen in
          the curves.
          <Button
            size="small"
            type="link"
            onClick={() => desk.edit("Let the ease be", clearShapes(at.step, at.move, at.key))}
          >
            Let the ease be
          </Button>
        </p>
      )}
      <h4>{move.target.type === "camera" ? "View" : "Values"}</h4>
      <div className="form">
        {Object.entries(key.values).map(([channel, value]) => (
          <Value
            key={channel}
            channel={channel}
            value={value}
            onTake={(v) =>
              desk.edit(`${channelName(desk, channel)} of arrival`, setKeyValue(at.step, at.move, at.key, channel, v))
            }
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

const jointOf = (desk: Desk, channel: string) =>
  channel.startsWith("joint.") ? desk.state.preparation.body.joints[channel.slice(6)] : undefined;
function Value({ channel, value, onTake }: { channel: string; value: number; onTake: (v: number) => void }) {
  const desk = useDesk();
  const head = channel.split(".")[0] ?? "";
  const joint = jointOf(desk, channel);
  const kind: ValueKind = joint
    ? readingKind(joint)
    : head === "slide" || head === "aim" || channel === "distance"
      ? "length"
      : head === "turn" || channel === "azimuth" || channel === "elevation" || channel === "roll"
        ? "angle"
        : "plain";
  const refused = (v: number): string | null => {
    if (channel === "elevation" && Math.abs(v) > 90) return "Between -90° and 90°.";
    if (channel === "lens" && (v < 4 || v > 1200)) return "Between 4 and 1200 mm.";
    if (channel === "distance" && v <= 0) return "More than 0.";
    if (joint?.limits?.hard && beyondLimits(joint, v)) return `"${joint.name}" stops at its limits.`;
    return null;
  };
  return (
    <>
      <span className="ellipsis" title={channelName(desk, channel)}>
        {channelName(desk, channel)}
      </span>
      <ValueField
        ariaLabel={`${channelName(desk, channel)} at arrival`}
        kind={kind}
        {...(channel === "lens" ? { suffix: "mm" } : {})}
        {...(joint && beyondLimits(joint, value) ? { className: "is-beyond" } : {})}
        value={value}
        take={(v) => {
          const no = refused(v);
          if (no) return no;
          onTake(v);
          return null;
        }}
      />
    </>
  );
}
