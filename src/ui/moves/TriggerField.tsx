"use client";
import { Switch } from "antd";
import { runCommand } from "../../core/edit/history";
import { setTrigger, triggerOf } from "../../core/edit/triggerCommands";
import { problemOf } from "../../core/text/problem";
import { clickable, type PlayedRef, setTriggerKey, switchTrigger } from "../../desk/acts/triggers";
import { targetName } from "../../desk/names";
import { Field } from "../common/Field";
import { useDesk, useSequence } from "../desk/context";

/** Whether whoever reads the interactive page may set a move or a step going, by a click or a key. */
export function TriggerField({ at }: { at: PlayedRef }) {
  const desk = useDesk();
  const sequence = useSequence();
  const target = clickable(desk, at);
  if (!target && at.move !== null) return null;
  const trigger = triggerOf(sequence, at.step, at.move);
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
          {target
            ? `On the page a click on ${targetName(desk, target)} plays it`
            : "On the page it can be played by itself"}
        </span>
      </div>
      {trigger && (
        <div className="form">
          <span>{target ? "Or the key" : "Key"}</span>
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
