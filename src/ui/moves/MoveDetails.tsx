"use client";
import { Alert, Button, Dropdown, Space, Switch, Tooltip } from "antd";
import { ArrowUp, Play } from "lucide-react";
import { useEffect, useState } from "react";
import type { MadeMove, Move } from "../../core/document/sequence";
import { moveKindOf } from "../../core/moves/kinds";
import { actsOn, spanOf } from "../../core/program/spans";
import { formatSecondsShort } from "../../core/time/time";
import { watchAgainst } from "../../desk/acts/compareActions";
import { addDraft, changeMove, dropDraft, keyByHand, putBackMarked, removeMarked } from "../../desk/acts/moveActions";
import { reportsOf } from "../../desk/acts/moveReports";
import { targetName } from "../../desk/names";
import type { Desk } from "../../desk/port";
import type { MoveRef } from "../../desk/selection/refs";
import { selectBeside } from "../../desk/selection/selecting";
import { showStep } from "../../desk/selection/selection";
import { GrowingText } from "../common/GrowingText";
import { TextField } from "../common/TextField";
import { TimeField } from "../common/TimeField";
import { useDesk, useDeskState, useSequence } from "../desk/context";
import { CycleFields } from "../details/CycleFields";
import { EASE_PRESETS, EaseEditor } from "../details/EaseEditor";
import { Colours } from "./Colours";
import { Covers } from "./Covers";
import { ExplodePlan } from "./ExplodePlan";
import { MoveFields } from "./MoveFields";
import { MoveIcon } from "./MoveIcon";
import { TriggerField } from "./TriggerField";
import { Ways } from "./Ways";

/** A move that is being made (`at` null) or one that is stored: everything about it, typed. */
export function MoveDetails({ at }: { at: MoveRef | null }) {
  const desk = useDesk();
  const sequence = useSequence();
  const draft = useDeskState((s) => s.draft);
  useDeskState((s) => s.preparation.body);
  useDeskState((s) => s.programVersion);
  const stepId = at?.step ?? draft?.step ?? "";
  const move: Move | undefined = at ? sequence.steps[at.step]?.moves[at.move] : draft?.move;
  const step = sequence.steps[stepId];
  if (!move || !step) return <p className="soft">This move is gone.</p>;
  const kind = move.kind === "hand" ? null : moveKindOf(move.kind);
  const span = spanOf(move, desk.sequence);
  const faults = reportsOf(desk, { step: stepId, move: move.id });
  const acts = actsOn(move, desk.sequence);
  return (
    <div className="move-details">
      <div className="row">
        <h3 className="ellipsis grow">
          <MoveIcon kind={move.kind} /> {kind?.title ?? "By hand"}
        </h3>
        {at && (
          <Button
            size="small"
            icon={<ArrowUp size={13} />}
            aria-label="Back to the step"
            title={`All moves of "${step.title}"`}
            onClick={() => desk.choose(showStep(desk.state.selected, stepId))}
          >
            Step {desk.sequence.stepOrder.indexOf(stepId) + 1}
          </Button>
        )}
      </div>
      <p className="soft">{kind?.about ?? "Arrivals set by hand; select a pin on the timeline for one of them."}</p>
      {!at && (
        <div className="row draft-bar">
          <span className="tag-word">being made</span>
          <div className="grow" />
          <Tooltip title="Ctrl+Backspace">
            <Button size="small" onClick={() => dropDraft(desk)}>
              Drop
            </Button>
          </Tooltip>
          <Tooltip title="Ctrl+Enter">
            <Button size="small" type="primary" onClick={() => addDraft(desk)}>
              Add
            </Button>
          </Tooltip>
        </div>
      )}
      {faults.map((f) => (
        <Alert key={f} type="warning" showIcon title={f} />
      ))}
      <TextField
        label="Name of the move"
        value={move.name}
        take={(name) => changeMove(desk, at, { name }, "Rename a move")}
      />
      <p className="soft ellipsis" title={acts.map((t) => targetName(desk, t)).join(", ")}>
        {acts.length > 0
          ? `Moves ${acts
              .slice(0, 4)
              .map((t) => targetName(desk, t))
              .join(", ")}${acts.length > 4 ? ` and ${acts.length - 4} more` : ""}`
          : "Moves nothing yet"}
        {acts.length > 0 && (
          <Button
            size="small"
            type="link"
            onClick={() =>
              selectBeside(
                desk,
                acts.flatMap((t) => [...desk.program.nodesOf(t)]),
              )
            }
          >
            Select
          </Button>
        )}
      </p>
      {move.kind !== "hand" && (
        <>
          <MoveFields key={move.id} move={move} at={at} />
          {move.kind === "take-off" && <Ways key={`w-${move.id}`} move={move} at={at} />}
          {move.kind === "attention" && <Covers move={move} at={at} stepId={stepId} />}
          {move.kind === "explode" && <ExplodePlan key={`e-${move.id}`} move={move} at={at} />}
          <h4>When</h4>
          <Timing move={move} at={at} stepId={stepId} />
          {(move.kind !== "back" || move.settings.own) && kind && kind.seconds > 0 && (
            <>
              <h4>Ease</h4>
              <EaseEditor ease={move.ease} onChange={(ease) => changeMove(desk, at, { ease }, "Ease of a move")} />
              {at && <WatchAgainst at={at} />}
            </>
          )}
        </>
      )}
      {at && <CycleFields key={`c-${move.id}`} />}
      <p className="soft number">
        {formatSecondsShort(span.t0)} s to {formatSecondsShort(span.t1)} s of the action,{" "}
        {formatSecondsShort(span.t1 - span.t0)} s long
      </p>
      <div className="row wrap">
        <Button size="small" icon={<Play size={13} />} onClick={() => watch(desk, stepId, span)}>
          Watch it
        </Button>
        {at && (
          <>
            <Button size="small" onClick={() => putBackMarked(desk, [at])}>
              Put back
            </Button>
            {move.kind !== "hand" && (
              <Button size="small" onClick={() => keyByHand(desk, at)}>
                Hand keys
              </Button>
            )}
            <Button size="small" danger onClick={() => removeMarked(desk)}>
              Remove
            </Button>
          </>
        )}
      </div>
      {at && (
        <>
          <div className="row">
            <Switch
              size="small"
              checked={move.on}
              aria-label="Move on"
              onChange={(on) => changeMove(desk, at, { on }, on ? "Switch a move on" : "Switch a move off")}
            />
            <span>On</span>
            <div className="grow" />
            <Colours
              value={move.colour}
              label="Colour of the move"
              onTake={(colour) => changeMove(desk, at, { colour }, "Colour of a move")}
            />
          </div>
          <TriggerField at={at} />
          <Note move={move} at={at} />
        </>
      )}
    </div>
  );
}

/** Shows the move with another ease as a ghost over this one, both on the same part at the same time. */
function WatchAgainst({ at }: { at: MoveRef }) {
  const desk = useDesk();
  return (
    <Dropdown
      trigger={["click"]}
      menu={{
        items: EASE_PRESETS.map((p, i) => ({ key: String(i), label: p.label })),
        onClick: ({ key }) => {
          const preset = EASE_PRESETS[Number(key)];
          if (preset) watchAgainst(desk, at, preset.ease, preset.label);
        },
      }}
    >
      <Button size="small">Watch against another ease</Button>
    </Dropdown>
  );
}

/** Plays from where a move begins to where it ends. */
function watch(desk: Desk, step: string, span: { t0: number; t1: number }): void {
  const action = desk.program.steps.action[desk.program.steps.position.get(step) ?? 0] ?? 0;
  desk.seek(action + span.t0);
  desk.playback.playTo(action + span.t1);
}

function Timing({ move, at, stepId }: { move: MadeMove; at: MoveRef | null; stepId: string }) {
  const desk = useDesk();
  const { rate } = useSequence();
  const step = desk.sequence.steps[stepId];
  const others = Object.values(step?.moves ?? {}).filter((m) => m.id !== move.id);
  const start = (ticks: number) => changeMove(desk, at, { start: ticks }, "Start of a move");
  const last = Math.max(0, ...others.map((m) => spanOf(m, desk.sequence).t1));
  const before = others.map((m) => spanOf(m, desk.sequence).t0).sort((a, b) => b - a)[0] ?? 0;
  return (
    <>
      <div className="form">
        <span>Starts at</span>
        <TimeField ariaLabel="Starts at" ticks={move.start} rate={rate} onTake={start} />
        {(move.kind !== "back" || move.settings.own) && (
          <>
            <span>Takes</span>
            <TimeField
              ariaLabel="Takes"
              ticks={move.length}
              rate={rate}
              onTake={(length) => changeMove(desk, at, { length }, "Length of a move")}
            />
          </>
        )}
      </div>
      {others.length > 0 && (
        <Space size={4} wrap>
          <Button size="small" onClick={() => start(0)}>
            At once
          </Button>
          <Button size="small" onClick={() => start(before)}>
            With the last
          </Button>
          <Button size="small" onClick={() => start(last)}>
            After all
          </Button>
        </Space>
      )}
    </>
  );
}

function Note({ move, at }: { move: Move; at: MoveRef }) {
  const desk = useDesk();
  const [text, setText] = useState(move.note);
  useEffect(() => setText(move.note), [move.note]);
  return (
    <GrowingText
      size="small"
      aria-label="Note about the move"
      placeholder="Note (not published)"
      lines={[1, 5]}
      value={text}
      maxLength={2000}
      onChange={(e) => setText(e.target.value)}
      onBlur={() => text !== move.note && changeMove(desk, at, { note: text }, "Note of a move")}
      onKeyDown={(e) => e.stopPropagation()}
    />
  );
}
