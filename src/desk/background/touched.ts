import { nth } from "../../core/math/packed";
import { createPose, pose } from "../../core/program/pose";
import { StepPrinter } from "../../core/review/prints";
import type { Comment } from "../../core/review/said";
import type { Desk } from "../port";
import { whenQuiet } from "./quiet";

/** Edits that follow one another closely are looked at together, ms. */
const QUIET_MS = 500;

/** The part is looked at in so many moments of the step, evenly. */
const MOMENTS = 12;

/**
 * What a comment is about, in short: how its pinned part moves and is seen in its step (who says "further out" says so
 * at the step's beginning as well as at its end), or, without a pin, all that its step comes to. "" where that is no
 * longer there.
 */
function aboutOf(desk: Desk, printer: StepPrinter, comment: Comment): string {
  const { program } = desk;
  const at = program.steps.position.get(comment.step);
  if (at === undefined) return "";
  if (!comment.pin) return JSON.stringify(printer.print(at));
  const node = desk.index.indexOf.get(comment.pin.node);
  if (node === undefined) return "";
  const now = createPose(program);
  const numbers: number[] = [];
  const [start, end] = [nth(program.steps.start, at), nth(program.steps.end, at)];
  for (let i = 0; i <= MOMENTS; i++) {
    pose(program, start + Math.round(((end - start - 1) * i) / MOMENTS), now);
    numbers.push(nth(now.visible, node), nth(now.opacity, node), ...now.camera);
    for (let k = 0; k < 16; k++) numbers.push(nth(now.world, 16 * node + k));
  }
  return numbers.map((v) => v.toFixed(4)).join(" ");
}

/**
 * Watches whether edits change what open comments are about, since they came to this desk: then settling them is
 * offered. @returns a function that ends it
 */
export function watchTouched(desk: Desk): () => void {
  const first = new Map<string, string>();
  const look = () => {
    const { round } = desk.state.reviewing;
    if (!round) return;
    const printer = new StepPrinter(desk.program);
    const touched: string[] = [];
    for (const c of round.comments) {
      if (c.to !== null || c.settled || c.takenBack) continue;
      const now = aboutOf(desk, printer, c);
      const was = first.get(c.id);
      if (was === undefined) first.set(c.id, now);
      else if (was !== now) touched.push(c.id);
    }
    const { reviewing } = desk.state;
    if (touched.join() !== reviewing.touched.join()) desk.set({ reviewing: { ...reviewing, touched } });
  };
  // What comes in is looked at as it is, before anything is edited because of it.
  let round = desk.state.reviewing.round;
  const leave = desk.store.subscribe((s) => {
    if (s.reviewing.round === round) return;
    round = s.reviewing.round;
    look();
  });
  const quiet = whenQuiet(desk, QUIET_MS, look);
  return () => {
    leave();
    quiet();
  };
}
