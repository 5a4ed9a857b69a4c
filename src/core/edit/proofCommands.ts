import type { Meant } from "../document/sequence";
import { Refusal } from "../text/refusal";
import type { PreparationCommand } from "./preparationCommands";
import type { SequenceCommand } from "./sequenceCommands";

/** Accepts a finding of the proof; what was said of the same before is replaced. @throws Refusal without a reason */
export function meanSo(meant: Meant): SequenceCommand {
  const reason = meant.reason.trim();
  if (!reason) throw new Refusal("reason-needed");
  return (draft) => {
    draft.meant ??= {};
    for (const [id, m] of Object.entries(draft.meant))
      if (m.check === meant.check && m.step === meant.step && m.about === meant.about) delete draft.meant[id];
    draft.meant[meant.id] = { ...meant, reason };
  };
}

/** Takes back that something was meant so. */
export function notMeant(id: string): SequenceCommand {
  return (draft) => {
    delete draft.meant?.[id];
    if (draft.meant && Object.keys(draft.meant).length === 0) delete draft.meant;
  };
}

/** Chooses a threshold of a check for the project; null goes back to the usual one. */
export function setThreshold(check: string, name: string, value: number | null): PreparationCommand {
  return (draft) => {
    const all = { ...draft.proof };
    const own = { ...all[check] };
    if (value === null) delete own[name];
    else own[name] = value;
    if (Object.keys(own).length === 0) delete all[check];
    else all[check] = own;
    if (Object.keys(all).length === 0) delete draft.proof;
    else draft.proof = all;
  };
}
