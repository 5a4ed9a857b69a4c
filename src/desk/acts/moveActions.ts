import type { ZodType } from "zod";
import { type Target, targetId } from "../../core/document/keys";
import type { PartTarget } from "../../core/document/parts";
import type { MadeMove, Move, Sequence, Step } from "../../core/document/sequence";
import { toHandKeys } from "../../core/edit/handKeys";
import { freshId } from "../../core/edit/id";
import {
  addMove,
  duplicateMoves,
  folderMoves,
  type MoveChange,
  makeMove,
  pasteOnto,
  put,
  removeMoves,
  reversedCopies,
  setSetting,
  setSettings,
  targetsFor,
  updateMove,
} from "../../core/edit/moveCommands";
import { putJoint } from "../../core/edit/preparationCommands";
import { plainCopy } from "../../core/edit/sequenceCommands";
import { anchorOf } from "../../core/edit/timing/clip";
import { together } from "../../core/edit/together";
import { hasPitch } from "../../core/kinematics/jointKinds";
import type { MakeContext } from "../../core/moves/kind";
import { moveKindOf } from "../../core/moves/kinds";
import { spanOf } from "../../core/program/spans";
import { problemOf } from "../../core/text/problem";
import { formatNumber } from "../../core/units/units";
import { targetName } from "../names";
import type { Desk } from "../port";
import type { MoveRef } from "../selection/refs";
import { chooseParts, selectedKeys } from "../selection/selecting";
import { listed, NO_PARTS, showStep, timed } from "../selection/selection";
import { ownHinges } from "./joining";
import { keepPending } from "./keeping";
import { liveCamera } from "./looking";
import { dropPending } from "./pending";
import { screwJoint } from "./screwJoint";

const isPart = (t: Target): t is PartTarget => t.type === "node" || t.type === "group";

/** What is selected, as things that a move can act on. */
export function selectedTargets(desk: Desk): Target[] {
  const { group } = desk.state;
  if (group !== null) return [{ type: "group", id: group }];
  return selectedKeys(desk).map((key) => ({ type: "node", key }));
}

export function makeContext(desk: Desk): MakeContext {
  const { program } = desk;
  const live = liveCamera(desk);
  return {
    index: desk.index,
    preparation: desk.state.preparation.body,
    targets: selectedTargets(desk),
    camera: live,
    nodesOf: (t) => program.nodesOf(t),
    view: Object.fromEntries(
      ["lens", "distance", "azimuth", "elevation"].map((n) => [n, desk.valueOf({ type: "camera", id: live }, n)]),
    ),
  };
}

/** Opens the list of moves. */
export function openMoves(desk: Desk): void {
  desk.pause();
  desk.set({ dialog: "moves" });
}

/**
 * Where a move made now begins: the step and ticks in its action. The step being edited counts where the playhead is
 * at its edge.
 */
export function placeNow(desk: Desk): { step: Step; start: number } | null {
  const at = desk.stepAtPlayhead();
  if (!at) return null;
  const step = desk.body().steps[at.id];
  return step ? { step, start: Math.max(0, Math.round(desk.state.ticks - at.action)) } : null;
}

const startOf = (desk: Desk, step: string) =>
  desk.program.steps.action[desk.program.steps.position.get(step) ?? 0] ?? 0;

/**
 * Begins a move of a kind for what is selected: it is shown at once and stored when it is added. With `own` it turns
 * about the parts' own axes, which are found where they are not there yet.
 */
export function beginMove(desk: Desk, kind: string, own = false): boolean {
  const place = placeNow(desk);
  if (!place) {
    desk.notify("problem", "Every step is switched off. Switch one on to put a move in it.");
    return false;
  }
  try {
    if (kind === "unscrew") ensureScrews(desk);
    const context = makeContext(desk);
    const move = makeMove(kind, context, place.start, nameFor(desk, kind, targetsFor(kind, context)));
    if (own && "axis" in move.settings)
      Object.assign(move.settings, { axis: "joint", joints: ownHinges(desk, move.targets.filter(isPart)) });
    if (moveKindOf(kind).accompanies) Object.assign(move, alongside(desk, place.step));
    desk.choose(showStep(desk.state.selected, place.step.id));
    showDraft(desk, place.step.id, move, desk.state.draft?.from ?? desk.state.ticks);
    return true;
  } catch (error) {
    desk.notify("problem", problemOf(error));
    return false;
  }
}

/** Start and length of the part's move that ends last in a step, for what goes along with it. */
function alongside(desk: Desk, step: Step): { start?: number; length?: number } {
  const spans = Object.values(step.moves)
    .filter((m) => m.kind === "hand" || moveKindOf(m.kind).acts.includes("part"))
    .filter((m) => m.kind === "hand" || !moveKindOf(m.kind).accompanies)
    .filter((m) => m.kind !== "hand" || m.target.type !== "camera")
    .map((m) => spanOf(m, desk.sequence))
    .sort((a, b) => b.t1 - a.t1 || b.t0 - a.t0);
  return spans[0] ? { start: spans[0].t0, length: spans[0].t1 - spans[0].t0 } : {};
}

/** A name such as "Lid: turn". */
export function nameFor(desk: Desk, kind: string, targets: readonly Target[]): string {
  const { title } = moveKindOf(kind);
  const first = targets[0];
  if (!first || first.type === "camera" || first.type === "look" || first.type === "picture") return title;
  const what =
    targets.length === 1 ? targetName(desk, first) : `${targetName(desk, first)} and ${targets.length - 1} more`;
  return `${what}: ${title.toLowerCase()}`;
}

/** Shows a move that is being made, with the playhead at its end. */
function showDraft(desk: Desk, step: string, move: MadeMove, from: number): void {
  desk.setDraft({ step, move, from });
  desk.seek(startOf(desk, step) + spanOf(move, desk.sequence).t1);
}

/** Changes the move that is being made. */
export function changeDraft(desk: Desk, change: (move: MadeMove) => void): void {
  const { draft } = desk.state;
  if (!draft) return;
  const move = plainCopy(draft.move);
  change(move);
  showDraft(desk, draft.step, move, draft.from);
}

/** Stores the move that is being made. The playhead stays where it ends, so that the next goes on from there. */
export function addDraft(desk: Desk): boolean {
  const { draft } = desk.state;
  if (!draft) return false;
  const { move, step } = draft;
  desk.setDraft(null);
  const done = desk.edit(`Add "${move.name}"`, addMove(step, move));
  if (done) {
    desk.choose(timed([], [{ step, move: move.id }], desk.state.selected.parts, step, "last"));
    desk.seek(startOf(desk, step) + spanOf(move, desk.sequence).t1);
  }
  return done;
}

/** Takes back the move that is being made. */
export function dropDraft(desk: Desk): void {
  const { draft } = desk.state;
  if (!draft) return;
  desk.state.work?.stop();
  desk.setDraft(null);
  desk.seek(draft.from);
}

export function keepOrAdd(desk: Desk): void {
  if (desk.state.draft) addDraft(desk);
  else keepPending(desk);
}
export function dropAny(desk: Desk): void {
  if (desk.state.draft) dropDraft(desk);
  else dropPending(desk);
}

/** The move in hand: the one being made, or the stored one that is selected. */
export function moveInHand(desk: Desk, ref: MoveRef | null): Move | undefined {
  return ref ? desk.body().steps[ref.step]?.moves[ref.move] : desk.state.draft?.move;
}

/**
 * Changes a setting of a move: the one being made (`ref` null), or a stored one. @returns what is wrong, in words, or
 * null
 */
export function changeSetting(desk: Desk, ref: MoveRef | null, name: string, value: unknown): string | null {
  const move = moveInHand(desk, ref);
  if (!move || move.kind === "hand") return "This move is gone.";
  const settings = plainCopy(move.settings) as Record<string, unknown>;
  put(settings, name, value);
  const fault = settingsFault(move.kind, settings);
  if (fault) return fault;
  if (!ref) changeDraft(desk, (m) => put(m.settings as Record<string, unknown>, name, value));
  else desk.edit(`Change "${move.name}"`, setSetting(ref, name, value), `move-${ref.move}-${name}`);
  return null;
}

/** Several settings at once, as one act; acts with the same `merge` become one. */
export function changeSettings(
  desk: Desk,
  ref: MoveRef | null,
  values: Record<string, unknown>,
  merge: string | null = null,
): void {
  const move = moveInHand(desk, ref);
  if (!move || move.kind === "hand") return;
  if (!ref) {
    changeDraft(desk, (m) => {
      for (const [name, value] of Object.entries(values)) put(m.settings as Record<string, unknown>, name, value);
    });
    return;
  }
  desk.edit(`Change "${move.name}"`, setSettings(ref, values), merge);
}

/** What a kind's schema says against settings, in words; null when they are fine. */
function settingsFault(kind: string, settings: unknown): string | null {
  for (const [name, schema] of Object.entries(moveKindOf(kind).shape)) {
    const parsed = (schema as ZodType).safeParse((settings as Record<string, unknown>)[name]);
    if (!parsed.success) return `This value ${parsed.error?.issues[0]?.message ?? "cannot be used"}.`;
  }
  return null;
}

/** Changes what all moves have. */
export function changeMove(desk: Desk, ref: MoveRef | null, change: MoveChange, label: string): void {
  if (!ref) {
    changeDraft(desk, (m) => Object.assign(m, change));
    return;
  }
  desk.edit(label, updateMove(ref, change), `move-${ref.move}-${Object.keys(change).join()}`);
}

/** Selects a move of a list; with `more` beside those selected, with `upTo` the range. */
export function mark(desk: Desk, ref: MoveRef, how: { more?: boolean; range?: readonly MoveRef[] } = {}): void {
  if (desk.state.draft) dropDraft(desk);
  chooseParts(desk, listed(desk.state.selected, ref, how));
  const move = desk.body().steps[ref.step]?.moves[ref.move];
  if (move && !how.more && !how.range) desk.seek(startOf(desk, ref.step) + spanOf(move, desk.sequence).t1);
}

/** Selects all moves of a step's list. */
export function markAll(desk: Desk, step: string): void {
  const moves = Object.keys(desk.body().steps[step]?.moves ?? {}).map((move) => ({ step, move }));
  chooseParts(desk, timed([], moves, NO_PARTS, step, { step }));
}

const names = (desk: Desk, refs: readonly MoveRef[]) => {
  const first = refs[0];
  const name = first ? (desk.body().steps[first.step]?.moves[first.move]?.name ?? "") : "";
  return refs.length === 1 ? `"${name}"` : `${refs.length} moves`;
};
const markNew = (desk: Desk, step: string, ids: readonly string[]) => {
  const refs = ids.map((move) => ({ step, move }));
  if (refs.length > 0) desk.choose(timed([], refs, desk.state.selected.parts, step, "last"));
};

export function removeMarked(desk: Desk, refs: readonly MoveRef[] = desk.state.marked): void {
  if (refs.length > 0) desk.edit(`Remove ${names(desk, refs)}`, removeMoves(desk.program, refs));
}

export function duplicateMarked(desk: Desk, refs: readonly MoveRef[] = desk.state.marked): void {
  const first = refs[0];
  if (!first) return;
  const spans = refs.flatMap((r) => {
    const move = desk.body().steps[r.step]?.moves[r.move];
    return move ? [spanOf(move, desk.body())] : [];
  });
  const length = Math.max(...spans.map((s) => s.t1)) - Math.min(...spans.map((s) => s.t0));
  act(desk, `Duplicate ${names(desk, refs)}`, first.step, () => duplicateMoves(desk.body(), refs, first.step, length));
}

/** Reversed copies of the selected moves, or of those given, begun at the playhead. */
export function putBackMarked(desk: Desk, refs: readonly MoveRef[] = desk.state.marked): void {
  if (refs.length === 0) {
    desk.notify("info", "Select the moves that are to be put back, in the list of their step.");
    return;
  }
  const place = placeNow(desk);
  if (!place) return;
  const last = Math.max(
    ...refs.map((r) =>
      r.step === place.step.id ? spanOf(desk.body().steps[r.step]?.moves[r.move] as Move, desk.body()).t1 : 0,
    ),
  );
  const done = act(desk, `Put back ${names(desk, refs)}`, place.step.id, () =>
    reversedCopies(
      desk.body(),
      refs,
      place.step.id,
      Math.max(place.start, last),
      (m) => `${m.name.replace(/: [^:]*$/, "")}: put back`,
    ),
  );
  if (done)
    desk.notify("info", `Put back in "${place.step.title}": ${listedNames(refs.map((r) => moveName(desk, r)))}.`);
}

const moveName = (desk: Desk, r: MoveRef): string => desk.body().steps[r.step]?.moves[r.move]?.name ?? "";

/** Names one after the other, the first few of many. */
function listedNames(list: readonly string[]): string {
  return list.length <= 4 ? list.join(", ") : `${list.slice(0, 3).join(", ")} and ${list.length - 3} more`;
}

export function copyMarked(desk: Desk, refs: readonly MoveRef[] = desk.state.marked): void {
  if (refs.length === 0) return;
  desk.set({ copied: refs });
  desk.notify(
    "info",
    `${refs.length === 1 ? "The move is" : `${refs.length} moves are`} copied. Select parts and paste to give them to those, or paste in a step.`,
  );
}

/** Pastes onto the selected parts, each with a copy of its own; with none selected into the step at the playhead. */
export function pasteCopied(desk: Desk): void {
  const { copied } = desk.state;
  const place = placeNow(desk);
  if (!copied || copied.length === 0 || !place) return;
  if (!copied.every((r) => desk.body().steps[r.step]?.moves[r.move])) {
    desk.notify("problem", "What was copied is no longer there. Copy again.");
    return;
  }
  const targets = selectedTargets(desk);
  // What is first of it comes to the playhead: a move's start, or an arrival.
  const shift = place.start - anchorOf(desk.body(), copied, () => 0);
  if (targets.length > 0) {
    act(
      desk,
      `Paste onto ${targets.length === 1 ? targetName(desk, targets[0] as Target) : `${targets.length} parts`}`,
      place.step.id,
      () => {
        for (const r of copied) {
          const move = desk.body().steps[r.step]?.moves[r.move] as Move;
          if (move.kind !== "hand") targetsFor(move.kind, { ...makeContext(desk), targets: [targets[0] as Target] });
        }
        return pasteOnto(desk.body(), copied, place.step.id, targets, (t) => targetName(desk, t), shift);
      },
    );
    return;
  }
  act(desk, `Paste ${names(desk, copied)}`, place.step.id, () =>
    duplicateMoves(desk.body(), copied, place.step.id, shift),
  );
}

/** Puts the selected moves of a step into a new folder. */
export function folderMarked(desk: Desk, refs: readonly MoveRef[] = desk.state.marked): void {
  const step = refs[0]?.step;
  if (!step) return;
  const id = freshId();
  desk.edit(
    `Folder of ${names(desk, refs)}`,
    folderMoves(
      step,
      refs.filter((r) => r.step === step).map((r) => r.move),
      { id, name: "Folder", on: true, colour: null },
    ),
  );
}

/** Puts hand keys in place of a move and says how exact that is. */
export function keyByHand(desk: Desk, ref: MoveRef): void {
  try {
    const { command, error } = toHandKeys(desk.program, ref);
    if (desk.edit(`Hand keys from ${names(desk, [ref])}`, command)) {
      desk.notify(
        "info",
        error < 1e-6
          ? "The move is now hand keys; nothing moves otherwise than before."
          : `The move is now hand keys; at most ${formatNumber(error, 6)} off.`,
      );
    }
  } catch (error) {
    desk.notify("problem", problemOf(error));
  }
}

function act(
  desk: Desk,
  label: string,
  step: string,
  make: () => { command: (draft: Sequence) => void; ids: string[] },
): boolean {
  try {
    const { command, ids } = make();
    if (!desk.edit(label, command)) return false;
    markNew(desk, step, ids);
    return true;
  } catch (error) {
    desk.notify("problem", problemOf(error));
    return false;
  }
}

/** Gives selected fasteners a screw joint along their own axis where they have none. */
function ensureScrews(desk: Desk): void {
  const missing = selectedTargets(desk).filter(
    (t) =>
      !Object.values(desk.state.preparation.body.joints).some((j) => hasPitch(j) && targetId(j.target) === targetId(t)),
  );
  if (missing.length === 0) return;
  const made = missing.map((t) => screwJoint(desk, t));
  desk.prepare(
    `Screw joint of ${missing.length === 1 ? targetName(desk, missing[0] as Target) : `${missing.length} parts`}`,
    together(made.map(putJoint)),
  );
}
