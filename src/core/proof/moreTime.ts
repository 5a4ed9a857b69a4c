import type { Sequence, Step } from "../document/sequence";
import { runCommand } from "../edit/history";
import { HOUR, retimed } from "../edit/timing/items";
import { nth } from "../math/packed";
import { compile } from "../program/compile";
import { pose } from "../program/pose";
import type { Program } from "../program/program";
import { createPose } from "../program/sampling";
import { actsOn, isOn, spanOf } from "../program/spans";
import { Refusal } from "../text/refusal";
import { TICKS_PER_SECOND, ticksPerFrame } from "../time/time";
import type { Finding } from "./check";
import { Eye, travelled } from "./eye";

/** The camera's moves of a step that act at some time between two (ticks of the sequence). */
export function movesAt(
  program: Program,
  f: Pick<Finding, "step" | "from" | "to">,
): { id: string; t0: number; t1: number }[] {
  const step = program.sequence.steps[f.step];
  const position = program.steps.position.get(f.step);
  if (!step || position === undefined) return [];
  const action = nth(program.steps.action, position);
  return Object.values(step.moves).flatMap((m) => {
    if (!isOn(step, m) || !actsOn(m, program.sequence).some((t) => t.type === "camera")) return [];
    const { t0, t1 } = spanOf(m, program.sequence);
    return action + t0 < f.to && action + t1 > f.from && t1 > t0 ? [{ id: m.id, t0, t1 }] : [];
  });
}

function lengthen(program: Program, f: Finding, factor: number): (draft: Sequence) => void {
  const moves = movesAt(program, f);
  return (draft) => {
    const step = draft.steps[f.step] as Step;
    for (const { id, t1 } of moves) {
      const span = spanOf(program.sequence.steps[f.step]?.moves[id] as Step["moves"][string], program.sequence);
      const by = Math.round((span.t1 - span.t0) * (factor - 1));
      retimed(
        draft,
        { step: f.step, move: id },
        (t) => span.t0 + (t - span.t0) * factor,
        (l) => l * factor,
      );
      // What came after it still does.
      for (const other of Object.values(step.moves)) {
        if (moves.some((m) => m.id === other.id)) continue;
        const own = spanOf(program.sequence.steps[f.step]?.moves[other.id] as Step["moves"][string], program.sequence);
        if (own.t0 >= t1)
          retimed(
            draft,
            { step: f.step, move: other.id },
            (t) => t + by,
            (l) => l,
          );
      }
    }
  };
}

/** How much longer a camera's moves take in the first try. */
const factorOf = (f: Finding): number =>
  Math.max(1, (f.numbers.speed?.value ?? 0) / (f.numbers.allowed?.value ?? 1)) * 1.02;

/**
 * The most that the picture moves from one frame to the next where a finding was, after its moves were made longer by a
 * factor; in picture widths. What else is in the step is another finding's.
 */
function topOf(program: Program, f: Finding, factor: number): number {
  const longer = compile(
    program.index,
    program.preparation,
    runCommand(program.sequence, lengthen(program, f, factor)).document,
  );
  const position = program.steps.position.get(f.step) ?? 0;
  const action = nth(program.steps.action, position);
  let [from, to] = [Number.POSITIVE_INFINITY, 0];
  for (const { t0, t1 } of movesAt(program, f)) {
    const stretched = (t: number) => action + t0 + (Math.min(t1, Math.max(t0, t - action)) - t0) * factor;
    from = Math.min(from, stretched(f.from));
    to = Math.max(to, stretched(f.to));
  }
  const frame = ticksPerFrame(program.sequence.rate);
  const at = createPose(longer);
  let [was, now] = [new Eye(), new Eye()];
  let top = 0;
  const first = Math.floor(from / frame);
  for (let k = first; k <= Math.ceil(to / frame); k++) {
    pose(longer, k * frame, at);
    now.look(longer, at);
    if (k > first && now.live === was.live) top = Math.max(top, travelled(was, now));
    [was, now] = [now, was];
  }
  return top;
}

/** Tries at most, and how much longer the next may be: of very fast turns it is not seen how fast they are. */
const TRIES = 10;
const MOST_LONGER = 2.5;

/**
 * Lengthens what moves the camera where a finding is until it is slow enough, by not much more than that needs. Of fast
 * turns only the chord is seen, so that the first try may fall short. What comes after in the step comes later.
 *
 * @throws Refusal when nothing moves it there, or when more time does not make it slower.
 */
export function longEnough(program: Program, f: Finding): (draft: Sequence) => void {
  if (movesAt(program, f).length === 0) throw new Refusal("gone", { what: "move" });
  const allowed = ((f.numbers.allowed?.value ?? 1) * ticksPerFrame(program.sequence.rate)) / TICKS_PER_SECOND;
  let short = 1;
  let factor = factorOf(f);
  const longest = Math.max(...movesAt(program, f).map((m) => m.t1));
  let top = topOf(program, f, factor);
  for (let i = 0; top > allowed; i++) {
    short = factor;
    factor *= Math.min(MOST_LONGER, 1.05 * (top / allowed));
    const before = top;
    if (i === TRIES || longest * factor > HOUR) throw new Refusal("more-time-no-help");
    top = topOf(program, f, factor);
    // More than a picture a frame is told as one picture: there it may be slower without its being seen.
    if (before < 1 && top > 0.98 * before) throw new Refusal("more-time-no-help");
  }
  for (let i = 0; i < 4 && short > 1; i++) {
    const between = Math.sqrt(short * factor);
    if (topOf(program, f, between) <= allowed) factor = between;
    else short = between;
  }
  return lengthen(program, f, factor);
}
