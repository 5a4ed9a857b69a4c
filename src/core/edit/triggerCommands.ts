import type { Sequence } from "../document/sequence";
import type { Trigger } from "../document/triggers";
import { Refusal } from "../text/refusal";
import type { SequenceCommand } from "./sequenceCommands";

/** The trigger that plays a move (null: all of a step), or undefined. */
export const triggerOf = (
  sequence: Pick<Sequence, "triggers">,
  step: string,
  move: string | null,
): Trigger | undefined => Object.values(sequence.triggers ?? {}).find((t) => t.step === step && t.move === move);

/**
 * Adds a trigger, or changes the one of its id. @throws Refusal when its step or move is gone, or another has its key
 */
export function setTrigger(trigger: Trigger): SequenceCommand {
  return (draft) => {
    const step = draft.steps[trigger.step];
    if (!step) throw new Refusal("gone", { what: "step" });
    if (trigger.move !== null && !step.moves[trigger.move]) throw new Refusal("gone", { what: "move" });
    const same = Object.values(draft.triggers ?? {}).find(
      (t) => t.id !== trigger.id && t.key !== null && t.key === trigger.key,
    );
    if (same) throw new Refusal("trigger-key-taken", { key: trigger.key ?? "" });
    draft.triggers ??= {};
    draft.triggers[trigger.id] = trigger;
  };
}

export function removeTrigger(id: string): SequenceCommand {
  return (draft) => {
    if (!draft.triggers?.[id]) throw new Refusal("gone", { what: "trigger" });
    delete draft.triggers[id];
    if (Object.keys(draft.triggers).length === 0) delete draft.triggers;
  };
}
