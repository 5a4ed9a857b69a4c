"use client";
import { Switch } from "antd";
import { runCommand } from "../../core/edit/history";
import { setTrigger, triggerOf } from "../../core/edit/triggerCommands";
import { problemOf } from "../../core/text/problem";
import { clickable, setTriggerKey, switchTrigger } from "../../desk/acts/triggers";
import { targetName } from "../../desk/names";
import type { MoveRef } from "../../desk/selection/refs";
import { Field } from "../common/Field";
import { useDesk, useSequence } from "../desk/context";

/** Whether whoever reads the interactive page may set a move going, by a click or a key. */
export function TriggerField({ at }: { at: MoveRef }) {
  const desk = useDesk();
  const sequence = useSequence();
  const target = clickable(desk, at);
  if (!target) return null;
  const trigger = triggerOf(sequence, at.step, at.move);
  return (
    <>
      <div className="row">
        <Switch
          size="small"
          aria-label="A click on the page plays it"
          checked={trigger !== undefined}
          onChange={(on) => switchTrigger(desk, at, on)}
        />
        <span>On the page a click on {targetName(desk, target)} plays it</span>
      </div>
      {trigger && (
        <div className="form">
          <span>Or the key</span>
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
