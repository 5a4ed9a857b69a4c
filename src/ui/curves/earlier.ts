import type { Sequence } from "../../core/document/sequence";
import { withTiming } from "../../core/edit/timing/versions";
import { compile } from "../../core/program/compile";
import type { Program } from "../../core/program/program";
import type { Desk } from "../desk/desk";

/** A state that can be shown behind the present one. */
export interface Earlier {
  id: string;
  label: string;
  body: Sequence;
}

/** States to look back at: before each of the last edits, newest first, then the timing versions that were kept. */
export function earlierStates(desk: Desk): Earlier[] {
  const body = desk.body();
  const versions = Object.values(body.timings).map((v) => ({ id: `version ${v.id}`, label: `timing "${v.name}"`, body: withTiming(body, v.id) }));
  return [...desk.state.earlier, ...versions];
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
