import type { Sequence } from "../../core/document/sequence";
import { type Edit, patched } from "../../core/edit/patches";
import { withTiming } from "../../core/edit/timing/versions";
import { compile } from "../../core/program/compile";
import type { Program } from "../../core/program/program";
import { problemOf } from "../../core/text/problem";
import { json } from "../api";
import type { Desk } from "../port";

/** A state that can be shown behind the present one. */
export interface Earlier {
  id: string;
  label: string;
  body: Sequence;
}

/** Most states from before the page was opened. */
const MOST_PAST = 40;

/** The states before each of a list of edits that begins at a body, newest first. */
export function statesBefore(body: Sequence, edits: readonly Edit[]): Earlier[] {
  const out: Earlier[] = [];
  let now = body;
  for (const e of edits) {
    out.unshift({ id: e.id, label: `before ${e.label}`, body: now });
    now = patched(now, e.patches);
  }
  return out;
}

/** Asks the server, once, for the states of the open sequence from before the page was opened. */
export async function loadPast(desk: Desk): Promise<void> {
  const { sequenceId: sequence, past } = desk.state;
  const until = desk.openedAt.get(sequence) ?? 0;
  if ((past?.sequence === sequence && past.list !== "failed") || until === 0) return;
  desk.set({ past: { sequence, list: "asked" } });
  try {
    const { body, edits } = await json<{ body: Sequence; edits: Edit[] }>(
      `/api/documents/${sequence}/edits?until=${until}`,
    );
    const list = statesBefore(body, edits).slice(0, MOST_PAST);
    if (desk.state.sequenceId === sequence) desk.set({ past: { sequence, list } });
  } catch (error) {
    if (desk.state.sequenceId === sequence) desk.set({ past: { sequence, list: "failed" } });
    desk.notify("problem", `Earlier states could not be read: ${problemOf(error)}`);
  }
}

/**
 * States to look back at: before each of the last edits, newest first, those of before the page was opened as far as
 * they were asked for, then the timing versions that were kept.
 */
export function earlierStates(desk: Desk): Earlier[] {
  const body = desk.body();
  const versions = Object.values(body.timings).map((v) => ({
    id: `version ${v.id}`,
    label: `timing "${v.name}"`,
    body: timingBody(body, v.id),
  }));
  const { past, earlier, sequenceId } = desk.state;
  const before = past?.sequence === sequenceId && typeof past.list !== "string" ? past.list : [];
  return [...earlier, ...before, ...versions];
}

const timed = new WeakMap<Sequence, Map<string, Sequence>>();

/**
 * A sequence with a timing version in place: the same object until the sequence changes, so that it is compiled once.
 */
export function timingBody(of: Sequence, id: string): Sequence {
  const known = timed.get(of) ?? new Map<string, Sequence>();
  timed.set(of, known);
  const made = known.get(id) ?? withTiming(of, id);
  known.set(id, made);
  return made;
}

const compiled = new WeakMap<Sequence, Program>();

/** The program of an earlier state; kept as long as the state is. */
export function programOf(desk: Desk, body: Sequence): Program {
  const known = compiled.get(body);
  if (known && known.index === desk.index && known.preparation === desk.program.preparation) return known;
  const made = compile(desk.index, desk.program.preparation, body);
  compiled.set(body, made);
  return made;
}
