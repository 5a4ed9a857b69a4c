"use client";
import { Select, Switch } from "antd";
import { useMemo } from "react";
import { targetId } from "../../core/document/keys";
import type { PartTarget } from "../../core/document/parts";
import { runCommand } from "../../core/edit/history";
import { setTrigger, triggerOf } from "../../core/edit/triggerCommands";
import { problemOf } from "../../core/text/problem";
import {
  clickable,
  clickables,
  type PlayedRef,
  setTriggerKey,
  setTriggerPart,
  switchTrigger,
} from "../../desk/acts/triggers";
import { targetName } from "../../desk/names";
import { Field } from "../common/Field";
import { useDesk, useSequence } from "../desk/context";

/** Stands for no part in the list. */
const NOTHING = "nothing";

/** Whether whoever reads the interactive page may set a move or a step going, by a click or a key. */
export function TriggerField({ at }: { at: PlayedRef }) {
  const desk = useDesk();
  const sequence = useSequence();
  const target = clickable(desk, at);
  const trigger = triggerOf(sequence, at.step, at.move);
  const all = useMemo(() => (trigger ? clickables(desk, at) : []), [trigger === undefined, sequence, at.step, at.move]);
  if (!target && at.move !== null) return null;
  const clicked = trigger ? trigger.on : target;
  return (
    <>
      <div className="row">
        <Switch
          size="small"
          aria-label={target ? "A click on the page plays it" : "It can be played on the page"}
          checked={trigger !== undefined}
          onChange={(on) => switchTrigger(desk, at, on)}
        />
        <span>
          {clicked
            ? `On the page a click on ${targetName(desk, clicked)} plays it`
            : "On the page it can be played by itself"}
        </span>
      </div>
      {trigger && (
        <div className="form">
          <span>Clicked is</span>
          <Select
            size="small"
            aria-label="What is clicked on the page"
            showSearch={{ optionFilterProp: "label" }}
            popupMatchSelectWidth={false}
            value={trigger.on ? targetId(trigger.on) : NOTHING}
            onChange={(name) => setTriggerPart(desk, at, all.find((c) => c.name === name)?.target ?? null)}
            options={[
              { value: NOTHING, label: "nothing: key and button" },
              ...(trigger.on && !all.some((c) => c.name === targetId(trigger.on as PartTarget))
                ? [{ value: targetId(trigger.on), label: `${targetName(desk, trigger.on)} (gone)` }]
                : []),
              ...all.map((c) => ({ value: c.name, label: targetName(desk, c.target) })),
            ]}
          />
          <span>{trigger.on ? "Or the key" : "Key"}</span>
          <Field
            ariaLabel="Key on the page"
            value={trigger.key?.toUpperCase() ?? ""}
            parse={(text) => {
              const key = text.trim().toLowerCase();
              if (!/^[a-z0-9]?$/.test(key)) return { error: "One letter or digit, or nothing." };
              try {
                runCommand(sequence, setTrigger({ ...trigger, key: key || null }));
              } catch (error) {
                return { error: problemOf(error) };
              }
              setTriggerKey(desk, at, key || null);
              return null;
            }}
          />
        </div>
      )}
    </>
  );
}
