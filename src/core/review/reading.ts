import type { StepChange, StepPrint } from "./prints";
import type { Comment, Round, Voice } from "./said";

const WHAT: Record<keyof StepPrint, string> = { words: "words", time: "timing", motion: "motion or look" };

/** What became of a step since the round before, in words; "" for nothing. */
export function changeText(change: StepChange | undefined): string {
  if (!change || change.kind === "same") return "";
  if (change.kind === "new") return "new";
  return `changed: ${change.what.map((w) => WHAT[w]).join(", ")}`;
}

/** A thread: a comment and what was answered. */
export interface Thread {
  comment: Comment;
  answers: Comment[];
}

/** Comments with their answers, by time in the film: a step's first moment first. Those taken back go unless answered. */
export function threadsOf(comments: readonly Comment[], steps: readonly string[]): Thread[] {
  const order = new Map(steps.map((s, i) => [s, i]));
  return comments
    .filter((c) => c.to === null)
    .map((comment) => ({ comment, answers: comments.filter((c) => c.to === comment.id && !c.takenBack) }))
    .filter((t) => !t.comment.takenBack || t.answers.length > 0)
    .sort(
      (a, b) =>
        (order.get(a.comment.step) ?? 0) - (order.get(b.comment.step) ?? 0) ||
        a.comment.from - b.comment.from ||
        (a.comment.at < b.comment.at ? -1 : 1),
    );
}

/** Names of those who said something in a round or are at it, each once: whom one can speak to. */
export function voicesOf(round: Round): string[] {
  const names = [round.me, ...round.comments.map((c) => c.by), ...round.decisions.map((d) => d.by)].map((v) => v.name);
  return [...new Set(names)].filter((n) => n !== round.me.name);
}

/** Whether a comment speaks to somebody by name: "@Ines Maro". */
export const speaksTo = (comment: Comment, name: string): boolean =>
  comment.text.toLowerCase().includes(`@${name.toLowerCase()}`);

/** Whether a thread is somebody's own: begun or answered by them, or speaking to them. */
export const concerns = ({ comment, answers }: Thread, me: Voice): boolean =>
  [comment, ...answers].some((c) => c.by.id === me.id || speaksTo(c, me.name));
