"use client";
import { Button, Radio, Segmented, Tooltip } from "antd";
import { History } from "lucide-react";
import { useState } from "react";
import { dropStills, setNewSteps } from "../../core/edit/sequenceCommands";
import { betweenFrames, snapAll, stillsBetweenFrames } from "../../core/edit/timing/frames";
import { fitTo, setGoal } from "../../core/edit/timing/goal";
import { renameTiming, type TimingDifference, timingDifferences } from "../../core/edit/timing/versions";
import { problemOf } from "../../core/text/problem";
import { formatSecondsShort, frameAt } from "../../core/time/time";
import { choose, keepNow, otherOf, remove } from "../../desk/acts/compareActions";
import { selectItems } from "../../desk/acts/timingActions";
import { Field } from "../common/Field";
import { Pop } from "../common/Pop";
import { TimeField } from "../common/TimeField";
import { useDesk, useDeskState, useSequence } from "../desk/context";

/** Timing of the whole: a length to keep to, what lies between frames, and versions to try and compare. */
export function TimingButton() {
  const desk = useDesk();
  const sequence = useSequence();
  useDeskState((s) => s.programVersion);
  const over = sequence.goal === null ? null : desk.program.steps.length - sequence.goal;
  return (
    <Pop placement="topRight" content={<TimingPanel />} title="Timing of the whole">
      <Tooltip title="A length to keep to, and timing versions to compare">
        <Button
          size="small"
          type={over ? "default" : "text"}
          aria-label="Timing of the whole"
          icon={<History size={14} />}
        >
          {over === null ? null : over === 0 ? (
            "to length"
          ) : (
            <span
              className={over > 0 ? "over" : ""}
            >{`${formatSecondsShort(Math.abs(over))} s ${over > 0 ? "over" : "left"}`}</span>
          )}
        </Button>
      </Tooltip>
    </Pop>
  );
}

function TimingPanel() {
  const desk = useDesk();
  const sequence = useSequence();
  useDeskState((s) => s.compare);
  useDeskState((s) => s.programVersion);
  const { length } = desk.program.steps;
  const other = otherOf(desk);
  const attempt = (work: () => void) => {
    try {
      work();
    } catch (error) {
      desk.notify("problem", problemOf(error));
    }
  };
  return (
    <div className="timing-panel">
      <div className="form">
        <span>To last</span>
        <TimeField
          ariaLabel="Length to keep to"
          ticks={sequence.goal ?? length}
          rate={sequence.rate}
          min={1}
          onTake={(t) => attempt(() => desk.edit("Length to keep to", setGoal(t)))}
        />
      </div>
      <div className="form">
        <span>New steps</span>
        <Segmented
          size="small"
          aria-label="New steps begin with"
          value={sequence.newSteps ?? "stills"}
          onChange={(v) => desk.edit("What new steps begin with", setNewSteps(v as "stills" | "none"))}
          options={[
            { value: "stills", label: "usual stills" },
            { value: "none", label: "no stills" },
          ]}
        />
        <span />
        <Tooltip title="Takes the stills of all steps away, before and after what moves">
          <Button
            size="small"
            disabled={Object.values(sequence.steps).every((s) => s.stillBefore + s.stillAfter === 0)}
            onClick={() => desk.edit("No stills anywhere", dropStills())}
          >
            No stills anywhere
          </Button>
        </Tooltip>
      </div>
      {sequence.goal !== null && (
        <div className="row">
          <span className="soft number">
            {length === sequence.goal
              ? "It is just as long."
              : `${formatSecondsShort(Math.abs(length - sequence.goal))} s ${length > sequence.goal ? "over" : "left"}`}
          </span>
          <div className="grow" />
          <Tooltip title="Stills first, then moves, each in proportion">
            <Button
              size="small"
              disabled={length === sequence.goal}
              onClick={() => attempt(() => desk.edit("Fit to length", fitTo(desk.body(), sequence.goal as number)))}
            >
              Fit to it
            </Button>
          </Tooltip>
          <Button size="small" type="text" onClick={() => desk.edit("No length to keep to", setGoal(null))}>
            No length
          </Button>
        </div>
      )}
      <BetweenFrames />
      <Versions />
      {other && <Differences list={timingDifferences(sequence, other.body)} label={other.label} />}
    </div>
  );
}

/** How many times lie between frames, and what can be done about them. */
function BetweenFrames() {
  const desk = useDesk();
  const sequence = useSequence();
  const between = betweenFrames(sequence);
  const stills = stillsBetweenFrames(sequence);
  if (between.length + stills.length === 0) return null;
  return (
    <div className="row">
      <span className="problem">{`${between.length + stills.length} ${between.length + stills.length === 1 ? "time lies" : "times lie"} between frames.`}</span>
      <div className="grow" />
      <Button
        size="small"
        disabled={between.length === 0}
        onClick={() =>
          selectItems(
            desk,
            between.map((b) => b.item),
          )
        }
      >
        Select them
      </Button>
      <Button size="small" onClick={() => desk.edit("Onto frames", snapAll())}>
        Onto frames
      </Button>
    </div>
  );
}

/** Timings that were kept: named, compared with the present one, chosen, removed. */
function Versions() {
  const desk = useDesk();
  const sequence = useSequence();
  const compare = useDeskState((s) => s.compare);
  const [scope, setScope] = useState<"step" | "all">("step");
  const step = desk.stepAtPlayhead();
  return (
    <>
      <h4>Timing versions</h4>
      <Radio.Group size="small" value={scope} onChange={(e) => setScope(e.target.value)} aria-label="Kept of">
        <Radio value="step">of step {(step?.position ?? 0) + 1}</Radio>
        <Radio value="all">of the whole</Radio>
      </Radio.Group>
      <Field
        ariaLabel="Keep the present timing as"
        value=""
        label="keep as"
        parse={(text) => {
          const name = text.trim();
          if (!name) return { error: "Type a name for it." };
          keepNow(desk, name, scope === "step" ? (step?.id ?? null) : null);
          return null;
        }}
      />
      <ul className="plain versions" aria-label="Timing versions">
        {Object.values(sequence.timings).map((v) => {
          const on = compare !== null && "version" in compare.other && compare.other.version === v.id;
          return (
            <li key={v.id} className={on ? "on" : ""}>
              <Field
                ariaLabel={`Name of timing ${v.name}`}
                value={v.name}
                parse={(text) => {
                  if (!text.trim()) return { error: "A timing version needs a name." };
                  desk.edit("Rename timing", renameTiming(v.id, text));
                  return null;
                }}
              />
              <span className="soft">
                {Object.keys(v.steps).length === 1
                  ? `step ${sequence.stepOrder.indexOf(Object.keys(v.steps)[0] as string) + 1}`
                  : "whole"}
              </span>
              <Button
                size="small"
                type={on ? "primary" : "default"}
                ghost={on}
                onClick={() => desk.set({ compare: on ? null : { other: { version: v.id }, how: "ghost" } })}
              >
                {on ? "Comparing" : "Compare"}
              </Button>
              <Tooltip title="Takes its place; the present timing is kept as a version">
                <Button size="small" onClick={() => choose(desk, v.id, `before ${v.name}`)}>
                  Choose
                </Button>
              </Tooltip>
              <Button size="small" type="text" danger onClick={() => remove(desk, v.id)}>
                Remove
              </Button>
            </li>
          );
        })}
      </ul>
    </>
  );
}

/** What two timings have differently, in seconds and frames. */
function Differences({ list, label }: { list: readonly TimingDifference[]; label: string }) {
  const sequence = useSequence();
  if (list.length === 0) return <p className="soft">"{label}" has the same times.</p>;
  const text = (d: TimingDifference, s: TimingDifference["now"]) => {
    if (!s) return "–";
    const whole = d.what === "step" || d.what.startsWith("still");
    const at = whole ? s.t1 : s.t0;
    return whole
      ? `${formatSecondsShort(s.t1)} s`
      : d.what === "arrival"
        ? `${formatSecondsShort(s.t1)} s`
        : `${formatSecondsShort(at)}–${formatSecondsShort(s.t1)} s`;
  };
  return (
    <table className="differences number">
      <thead>
        <tr>
          <th>what</th>
          <th>now</th>
          <th>{label}</th>
          <th>frames</th>
        </tr>
      </thead>
      <tbody>
        {list.slice(0, 60).map((d, i) => (
          <tr key={`${i} ${d.step} ${d.what}`}>
            <td>{`${sequence.stepOrder.indexOf(d.step) + 1} ${d.name || d.what}${d.what === "ease" ? ", ease" : ""}`}</td>
            <td>{text(d, d.now)}</td>
            <td>{text(d, d.was)}</td>
            <td>{d.now && d.was ? signed(frameAt(d.was.t1, sequence.rate) - frameAt(d.now.t1, sequence.rate)) : ""}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const signed = (n: number) => (n > 0 ? `+${n}` : n < 0 ? `−${-n}` : "0");
