import { nth } from "../../core/math/packed";
import { pose } from "../../core/program/pose";
import { createPose } from "../../core/program/sampling";
import { StepPrinter } from "../../core/review/prints";
import type { Desk } from "../port";
import { whenQuiet } from "./quiet";
import { inSlices } from "./slices";

/** Edits that follow one another closely are looked at together, ms. */
const QUIET_MS = 500;

/** The part is looked at in so many moments of the step, evenly. */
const MOMENTS = 12;

/** How a pinned part moves and is seen in a step, in short: who says "further out" may say so at its beginning. */
function* partIn(desk: Desk, step: number, pinned: string): Generator<void, string> {
  const { program } = desk;
  const node = desk.index.indexOf.get(pinned);
  if (node === undefined) return "";
  const now = createPose(program);
  const numbers: number[] = [];
  const [start, end] = [nth(program.steps.start, step), nth(program.steps.end, step)];
  for (let i = 0; i <= MOMENTS; i++) {
    pose(program, start + Math.round(((end - start - 1) * i) / MOMENTS), now);
    numbers.push(nth(now.visible, node), nth(now.opacity, node), ...now.camera);
    for (let k = 0; k < 16; k++) numbers.push(nth(now.world, 16 * node + k));
    yield;
  }
  return numbers.map((v) => v.toFixed(4)).join(" ");
}

/**
 * Watches whether edits change what open comments are about: then settling them is offered. What a step comes to is
 * compared with the round itself, so a reload forgets nothing; of a pinned part only changes of its own count, as long
 * as it was seen here while the step still was as in the round.
 * @returns a function that ends it
 */
export function watchTouched(desk: Desk): () => void {
  /** How pinned parts were while their step was as in the round, by comment. */
  const parts = new Map<string, string>();
  let run = 0;
  const look = async () => {
    const own = ++run;
    const { round } = desk.state.reviewing;
    if (!round) return;
    const { program } = desk;
    const printer = new StepPrinter(program);
    const prints = new Map(round.prints);
    const changed = new Map<string, boolean>();
    const touched: string[] = [];
    for (const c of round.comments) {
      if (c.to !== null || c.settled || c.takenBack) continue;
      const at = program.steps.position.get(c.step);
      if (at === undefined) {
        touched.push(c.id);
        continue;
      }
      const other =
        changed.get(c.step) ??
        JSON.stringify(await inSlices(printer.printing(at))) !== JSON.stringify(prints.get(c.step));
      changed.set(c.step, other);
      const part = c.pin ? await inSlices(partIn(desk, at, c.pin.node)) : null;
      if (own !== run) return;
      if (!other) {
        if (part !== null) parts.set(c.id, part);
      } else if (part === null || parts.get(c.id) !== part) touched.push(c.id);
    }
    const { reviewing } = desk.state;
    if (touched.join() !== reviewing.touched.join()) desk.set({ reviewing: { ...reviewing, touched } });
  };
  let round = desk.state.reviewing.round;
  const leave = desk.store.subscribe((s) => {
    if (s.reviewing.round === round) return;
    round = s.reviewing.round;
    void look();
  });
  const quiet = whenQuiet(desk, QUIET_MS, () => void look());
  return () => {
    run++;
    leave();
    quiet();
  };
}
