import type { Output, OutputRange } from "../document/outputs";
import { OUTPUT_NAME_MAX } from "../document/outputs";
import type { Sequence } from "../document/sequence";
import { Refusal } from "../text/refusal";
import type { SequenceCommand } from "./sequenceCommands";

const MOST = 100;

const outputIn = (draft: Sequence, id: string): Output => {
  const output = draft.outputs?.[id];
  if (!output) throw new Refusal("gone", { what: "output" });
  return output;
};

/** A name that no other output of a sequence has: "Video", "Video 2" ... */
export function freeOutputName(sequence: Sequence, name: string): string {
  const taken = new Set(Object.values(sequence.outputs ?? {}).map((o) => o.name));
  for (let n = 1; ; n++) {
    const tried = n === 1 ? name : `${name} ${n}`;
    if (!taken.has(tried)) return tried;
  }
}

/** Adds an output. @throws Refusal when there are too many */
export function addOutput(output: Output): SequenceCommand {
  return (draft) => {
    draft.outputs ??= {};
    if (Object.keys(draft.outputs).length >= MOST) throw new Refusal("outputs-many");
    draft.outputs[output.id] = { ...output, name: freeOutputName(draft, output.name) };
  };
}

/** Sets some of an output's settings. @throws Refusal when it is gone */
export function setOutput(id: string, settings: Output["settings"]): SequenceCommand {
  return (draft) => {
    Object.assign(outputIn(draft, id).settings, settings);
  };
}

/** @throws Refusal for no name, or another's */
export function renameOutput(id: string, name: string): SequenceCommand {
  const wanted = name.trim().slice(0, OUTPUT_NAME_MAX);
  if (!wanted) throw new Refusal("name-needed", { what: "output" });
  return (draft) => {
    const output = outputIn(draft, id);
    if (Object.values(draft.outputs ?? {}).some((o) => o.id !== id && o.name === wanted))
      throw new Refusal("output-name-taken", { name: wanted });
    output.name = wanted;
  };
}

export function setOutputRange(id: string, range: OutputRange): SequenceCommand {
  return (draft) => {
    outputIn(draft, id).range = range;
  };
}

export function removeOutput(id: string): SequenceCommand {
  return (draft) => {
    outputIn(draft, id);
    delete draft.outputs?.[id];
    if (draft.outputs && Object.keys(draft.outputs).length === 0) delete draft.outputs;
  };
}
