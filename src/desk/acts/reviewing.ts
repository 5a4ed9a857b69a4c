import { CAMERA_CHANNELS, NOTE_MAX } from "../../core/document/keys";
import type { CameraValues } from "../../core/document/sequence";
import { updateStep } from "../../core/edit/sequenceCommands";
import { nth } from "../../core/math/packed";
import { type StepPrint, StepPrinter } from "../../core/review/prints";
import type { Comment, Round } from "../../core/review/said";
import { Refusal } from "../../core/text/refusal";
import { json } from "../api";
import { roundsOf } from "../background/roundWatch";
import { inSlices } from "../background/slices";
import type { Desk } from "../port";
import { showStep } from "../selection/selection";
import type { Reviewing } from "../state";
import { setThrough, setView } from "./looking";
import { toggleProof } from "./proofing";

const setReviewing = (desk: Desk, change: Partial<Reviewing>) =>
  desk.set({ reviewing: { ...desk.state.reviewing, ...change } });

/** Opens the list of what is said about the sequence, or shuts it. */
export function toggleReview(desk: Desk): void {
  const open = !desk.state.reviewing.open;
  setReviewing(desk, { open, chosen: null });
  if (open) {
    if (desk.state.proofing.open) toggleProof(desk);
    void roundsOf(desk).look();
  }
}

/** How long it is waited for the last changes to be saved, ms. */
const SAVED_WITHIN_MS = 15_000;

/**
 * Sends the sequence for review, as it stands, once all of it is saved.
 * @returns the id of the round @throws Refusal, ApiError
 */
export async function sendForReview(desk: Desk, note: string, keepLinks: boolean): Promise<string> {
  const began = Date.now();
  while (desk.state.save.waiting > 0) {
    if (Date.now() - began > SAVED_WITHIN_MS) throw new Refusal("not-saved-yet");
    await new Promise((r) => setTimeout(r, 50));
  }
  const { sequenceId, preparation, projectId } = desk.state;
  const revisions = {
    sequence: desk.documents.revisionOf(sequenceId),
    preparation: desk.documents.revisionOf(preparation.id),
  };
  const printer = new StepPrinter(desk.program);
  const prints: [string, StepPrint][] = [];
  for (const [i, id] of printer.steps.entries()) {
    prints.push([id, await inSlices(printer.printing(i))]);
  }
  const { round } = await json<{ round: string }>(`/api/projects/${projectId}/rounds`, {
    body: { sequence: sequenceId, revisions, note, prints, keepLinks },
  });
  const watch = roundsOf(desk);
  await watch.look();
  watch.follow(round);
  return round;
}

/** Goes to the moment of a comment, with the view its writer had. */
export function goToComment(desk: Desk, comment: Comment): void {
  const { steps } = desk.program;
  const at = steps.position.get(comment.step);
  setReviewing(desk, { chosen: comment.id });
  if (at === undefined) {
    desk.notify("info", "The step of this comment is off, or no longer there.");
    return;
  }
  desk.pause();
  desk.seek(Math.min(nth(steps.end, at) - 1, nth(steps.start, at) + comment.from));
  desk.choose(showStep(desk.state.selected, comment.step));
  if (!comment.seen) return;
  if (desk.state.through) setThrough(desk, false);
  setView(
    desk,
    Object.fromEntries(CAMERA_CHANNELS.map((c, i) => [c, nth(comment.seen as number[], i)])) as CameraValues,
  );
}

/** Puts what a comment says into the note of its step. */
export function commentToNote(desk: Desk, comment: Comment): void {
  const step = desk.body().steps[comment.step];
  if (!step) {
    desk.notify("info", "The step of this comment is no longer there.");
    return;
  }
  const note = [step.note, `${comment.by.name}: ${comment.text}`].filter(Boolean).join("\n");
  if (note.length > NOTE_MAX) {
    desk.notify("problem", `The note of this step would have more than ${NOTE_MAX} characters. Shorten it first.`);
    return;
  }
  if (desk.edit(`Note from ${comment.by.name}`, updateStep(comment.step, { note })))
    desk.notify("info", `It stands in the note of "${step.title}".`);
}

const counts = new WeakMap<Round, Map<string, number>>();

/** Open comments of a step in a round. Asked for at every change of the desk, so counted once a round. */
export function openComments(round: Round | null, step: string): number {
  if (!round) return 0;
  let of = counts.get(round);
  if (!of) {
    of = new Map();
    for (const c of round.comments)
      if (c.to === null && !c.settled && !c.takenBack) of.set(c.step, (of.get(c.step) ?? 0) + 1);
    counts.set(round, of);
  }
  return of.get(step) ?? 0;
}
