import type { Sequence } from "../../core/document/sequence";
import type { Ease } from "../../core/ease/ease";
import { freshId } from "../../core/edit/id";
import { chooseTiming, keepTiming, removeTiming } from "../../core/edit/timing/versions";
import type { Program } from "../../core/program/program";
import { programOf, timingBody } from "../curves/earlier";
import type { Desk } from "../port";
import type { MoveRef } from "../selection/refs";

/** The other sequence that is compared with, and its name; null while none is. */
export function otherOf(desk: Desk): { body: Sequence; label: string } | null {
  const { compare } = desk.state;
  if (!compare) return null;
  if ("body" in compare.other) return compare.other;
  const version = desk.body().timings[compare.other.version];
  return version ? { body: timingBody(desk.body(), version.id), label: version.name } : null;
}

/** The program that is compared with; the desk's own while there is none. */
export function otherProgram(desk: Desk): Program {
  const other = otherOf(desk);
  return other ? programOf(desk, other.body) : desk.program;
}

/** Keeps the present timing of a step, or of all, under a name. */
export function keepNow(desk: Desk, name: string, step: string | null): boolean {
  const id = freshId();
  return desk.edit(
    `Keep timing "${name}"`.slice(0, 200),
    keepTiming(desk.body(), id, name, step === null ? desk.body().stepOrder : [step]),
  );
}

/** Puts a version in the place of the present timing, which is kept as a version itself unless told otherwise. */
export function choose(desk: Desk, id: string, keepAs: string | null): void {
  const version = desk.body().timings[id];
  if (!version) return;
  if (desk.edit(`Choose timing "${version.name}"`.slice(0, 200), chooseTiming(id, keepAs))) desk.set({ compare: null });
}

export function remove(desk: Desk, id: string): void {
  const version = desk.body().timings[id];
  if (version && desk.edit(`Remove timing "${version.name}"`.slice(0, 200), removeTiming(id)))
    desk.set({ compare: null });
}

/** Shows a move with another ease as a ghost over the present one; nothing is stored. */
export function watchAgainst(desk: Desk, ref: MoveRef, ease: Ease, label: string): void {
  const body = desk.body();
  const step = body.steps[ref.step];
  const move = step?.moves[ref.move];
  if (!step || !move || move.kind === "hand") return;
  const other: Sequence = {
    ...body,
    steps: { ...body.steps, [ref.step]: { ...step, moves: { ...step.moves, [ref.move]: { ...move, ease } } } },
  };
  desk.set({ compare: { other: { body: other, label }, how: "ghost" } });
}
