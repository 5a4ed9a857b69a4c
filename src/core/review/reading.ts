import type { StepChange, StepPrint } from "./prints";
import type { Comment } from "./said";

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
