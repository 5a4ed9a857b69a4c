import type { Output, OutputRange } from "../../core/document/outputs";
import { freshId } from "../../core/edit/id";
import {
  addOutput,
  freeOutputName,
  removeOutput,
  renameOutput,
  setOutput,
  setOutputRange,
} from "../../core/edit/outputCommands";
import { contextOf, type OutputContext, type OutputKind, settingsOf } from "../../core/outputs/kind";
import { OUTPUT_KINDS, outputKindOf } from "../../core/outputs/kinds";
import type { Desk } from "../port";
import { attempt } from "./attempt";

/** An output as a view needs it. */
export interface Planned {
  output: Output;
  kind: OutputKind;
  settings: Record<string, unknown>;
  /** Names of settings that were not as they should be and are as in a new one. */
  replaced: string[];
  /** Null where nothing of its part is left. */
  context: OutputContext | null;
}

/** What is offered while nothing was added: a video of all of it. It is kept once it is changed or made. */
let offered: { for: string; range: unknown; output: Output } | null = null;

export function outputsOf(desk: Desk): Output[] {
  return Object.values(desk.body().outputs ?? {});
}

/** The output that is offered where there is none yet. */
export function offeredOutput(desk: Desk): Output {
  const { sequenceId, range } = desk.state;
  if (offered?.for !== sequenceId || offered.range !== range)
    offered = { for: sequenceId, range, output: newOutput(desk, "video") };
  return offered.output;
}

function newOutput(desk: Desk, kindId: string): Output {
  const kind = outputKindOf(kindId);
  if (!kind) throw new Error(`There is no kind of output "${kindId}".`);
  // What is played alone is what is worked at.
  const range: OutputRange = desk.state.range ? { of: "time", ...desk.playback.bounds() } : { of: "all" };
  return {
    ...{ id: freshId(), name: freeOutputName(desk.body(), kind.title), kind: kind.id, range },
    settings: { ...kind.defaults(desk.program) } as Output["settings"],
  };
}

/** How an output stands; null where its kind is not known. */
export function planned(desk: Desk, output: Output): Planned | null {
  const kind = outputKindOf(output.kind);
  if (!kind) return null;
  const { settings, replaced } = settingsOf(kind, output, desk.program);
  const context = contextOf(output, desk.program, desk.state.preparation.body.looks);
  return { output, kind, settings: settings as Record<string, unknown>, replaced, context };
}

/** Adds an output of a kind. @returns its id, or null where it was refused */
export function addKind(desk: Desk, kind: string): string | null {
  const output = newOutput(desk, kind);
  return desk.edit(`Add ${outputKindOf(kind)?.title.toLowerCase()}`, addOutput(output)) ? output.id : null;
}

/** Keeps an output that was only offered. */
export function keepOffered(desk: Desk, output: Output): void {
  if (desk.body().outputs?.[output.id]) return;
  desk.edit(`Add ${output.name.toLowerCase()}`, addOutput(output));
  if (offered?.output.id === output.id) offered = null;
}

export function changeOutput(desk: Desk, output: Output, settings: Output["settings"]): void {
  keepOffered(desk, output);
  desk.edit(`Change ${output.name}`, setOutput(output.id, settings), `output ${output.id} ${Object.keys(settings)}`);
}

export function changeRange(desk: Desk, output: Output, range: OutputRange): void {
  keepOffered(desk, output);
  desk.edit(`Part of ${output.name}`, setOutputRange(output.id, range), `output ${output.id} range`);
}

export function nameOutput(desk: Desk, output: Output, name: string): boolean {
  keepOffered(desk, output);
  return attempt(desk, "Rename an output", () => renameOutput(output.id, name));
}

/** Adds another of the same settings. @returns its id */
export function copyOutput(desk: Desk, output: Output): string {
  const copy = { ...output, id: freshId(), name: freeOutputName(desk.body(), output.name) };
  desk.edit(`Copy ${output.name}`, addOutput(copy));
  return copy.id;
}

export function dropOutput(desk: Desk, output: Output): void {
  desk.edit(`Remove ${output.name}`, removeOutput(output.id));
}

/** Name of the file that an output gives. */
export function fileName(desk: Desk, { output, kind, settings }: Planned): string {
  const parts = [desk.state.projectName, desk.body().name, output.name];
  return `${parts.join(" - ").replace(/[\\/:*?"<>|]/g, "_")}${kind.file(settings).ending}`;
}

export { OUTPUT_KINDS };
