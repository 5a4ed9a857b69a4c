import { type Marker, type Sequence, TITLE_MAX } from "../../document/sequence";
import { Refusal } from "../../text/refusal";
import type { SequenceCommand } from "../sequenceCommands";

function markerOf(draft: Sequence, id: string): Marker {
  const found = draft.markers[id];
  if (!found) throw new Refusal("gone", { what: "marker" });
  return found;
}

/** Puts a marker into a step; `at` in ticks from the step's start. */
export function addMarker(id: string, name: string, step: string, at: number): SequenceCommand {
  return (draft) => {
    if (!draft.steps[step]) throw new Refusal("gone", { what: "step" });
    draft.markers[id] = { id, name: named(name), step, at: Math.max(0, Math.round(at)) };
  };
}

/** Moves a marker, into another step if need be. @throws Refusal when it is gone */
export function moveMarker(id: string, step: string, at: number): SequenceCommand {
  return (draft) => {
    Object.assign(markerOf(draft, id), { step, at: Math.max(0, Math.round(at)) });
  };
}

/** @throws Refusal when it is gone or the name is empty */
export function renameMarker(id: string, name: string): SequenceCommand {
  return (draft) => {
    markerOf(draft, id).name = named(name);
  };
}

export function removeMarker(id: string): SequenceCommand {
  return (draft) => {
    markerOf(draft, id);
    delete draft.markers[id];
  };
}

function named(name: string): string {
  const clean = name.trim().slice(0, TITLE_MAX);
  if (!clean) throw new Refusal("name-needed", { what: "marker" });
  return clean;
}
