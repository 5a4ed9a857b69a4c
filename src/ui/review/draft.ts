import type { NewComment } from "../../core/review/said";

/** What is done with the picture at the moment. */
export type Mode = "look" | "draw";

/** A comment that is being made. */
export type Draft = Omit<NewComment, "id" | "until"> & {
  /** How long the stretch is that it is about, ticks; 0 for a moment. */
  lasts: number;
};
