import { cameraMatrix, SENSOR_WIDTH_MM } from "../camera/camera";
import { abruptPlaces } from "../checks/abrupt";
import type { Sequence, Step } from "../document/sequence";
import { smoothCamera } from "../edit/cameraCommands";
import { runCommand } from "../edit/history";
import { retimed } from "../edit/timing/items";
import { nth } from "../math/packed";
import { dot, lengthOf, minus, type Triple } from "../math/triple";
import { compile } from "../program/compile";
import { stepAt } from "../program/layout";
import { createPose, liveCamera, type Pose, pose } from "../program/pose";
import type { Program } from "../program/program";
import { actsOn, isOn, spanOf } from "../program/spans";
import { Refusal } from "../text/refusal";
import { TICKS_PER_SECOND, ticksPerFrame } from "../time/time";
import type { Check, Finding, Report, StepContext } from "./check";

/**
 * Places whose way from frame to frame is measured, round what the camera looks at: its middle, near the edges of the
 * picture, and before and behind, in half pictures.
 */
const PLACES: readonly (readonly [number, number, number])[] = [
  [0, 0, 0],
  [0.8, 0, 0],
  [-0.8, 0, 0],
  [0, 0.7, 0],
  [0, -0.7, 0],
  [0, 0, 0.7],
  [0, 0, -0.7],
];

/** A camera's eye at a frame, kept while the next is looked at. */
class Eye {
  readonly m = new Float64Array(16);
  readonly aim: Triple = [0, 0, 0];
  tan = 1;
  distance = 1;
  live = -1;

  look(program: Program, at: Pose): void {
    const { camera } = at;
    cameraMatrix(this.m, camera, 0, program.index.assembly.up);
    for (let k = 0; k < 3; k++) this.aim[k] = nth(camera, k);
    this.tan = SENSOR_WIDTH_MM / 2 / nth(camera, 7);
    this.distance = nth(camera, 5);
    this.live = liveCamera(program, at)?.first ?? -1;
  }
}

/**
 * How far what stands round the aim moves in the picture from one eye to the next: the most of a few places, in
 * picture widths.
 */
function travelled(was: Eye, now: Eye): number {
  let most = 0;
  for (let i = 0; i < PLACES.length; i++) {
    const [u, v, d] = PLACES[i] as readonly [number, number, number];
    // Nearer or farther it stands elsewhere in the first picture as well.
    const near = 1 - d * was.tan;
    let x = 0;
    let y = 0;
    let z = 0;
    for (let k = 0; k < 3; k++) {
      // A place round the aim, as the first eye has it, from where the second stands.
      const p =
        nth(was.m, 12 + k) -
        nth(now.m, 12 + k) +
        was.distance * (u * was.tan * nth(was.m, k) + v * was.tan * nth(was.m, 4 + k) - near * nth(was.m, 8 + k));
      x += p * nth(now.m, k);
      y += p * nth(now.m, 4 + k);
      z -= p * nth(now.m, 8 + k);
    }
    // Behind the camera it has left the picture altogether.
    if (z <= 1e-9) return 1;
    most = Math.max(most, Math.hypot(x / z / now.tan - u / near, y / z / now.tan - v / near) / 2);
  }
  return most;
}

/** Angle between the ways from which two eyes look, degrees. */
const turnedRound = (a: Eye, b: Eye): number =>
  (Math.acos(
    Math.max(-1, Math.min(1, dot([nth(a.m, 8), nth(a.m, 9), nth(a.m, 10)], [nth(b.m, 8), nth(b.m, 9), nth(b.m, 10)]))),
  ) *
    180) /
  Math.PI;

type Names = "whip" | "judder" | "jump" | "across";

/** Frames one after another that share something. */
class Run {
  private from = -1;
  private to = 0;
  private top = 0;
  private sum = 0;
  private frames = 0;
  constructor(private readonly close: (from: number, to: number, top: number, frames: number) => void) {}

  put(is: boolean, from: number, to: number, value: number): void {
    if (!is) {
      this.flush();
      return;
    }
    if (this.from < 0) this.from = from;
    this.to = to;
    this.top = Math.max(this.top, value);
    this.sum += value;
    this.frames++;
  }
  flush(): void {
    if (this.from >= 0) this.close(this.from, this.to, this.top, this.frames);
    this.from = -1;
    this.top = this.sum = this.frames = 0;
  }
}

/** The camera's moves of a step that act at some time between two (ticks of the sequence). */
function movesAt(program: Program, f: Pick<Finding, "step" | "from" | "to">): { id: string; t1: number }[] {
  const step = program.sequence.steps[f.step];
  const position = program.steps.position.get(f.step);
  if (!step || position === undefined) return [];
  const action = nth(program.steps.action, position);
  return Object.values(step.moves).flatMap((m) => {
    if (!isOn(step, m) || !actsOn(m, program.sequence).some((t) => t.type === "camera")) return [];
    const { t0, t1 } = spanOf(m, program.sequence);
    return action + t0 < f.to && action + t1 > f.from && t1 > t0 ? [{ id: m.id, t1 }] : [];
  });
}

function lengthen(program: Program, f: Finding, factor: number): (draft: Sequence) => void {
  const moves = movesAt(program, f);
  if (moves.length === 0) throw new Refusal("gone", { what: "move" });
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

const factorOf = (f: Finding): number =>
  Math.max(1, (f.numbers.speed?.value ?? 0) / (f.numbers.allowed?.value ?? 1)) * 1.02;

/** The most that the picture moves from one frame to the next in a step, picture widths. */
function topOf(program: Program, step: string): number {
  const position = program.steps.position.get(step);
  if (position === undefined) return 0;
  const frame = ticksPerFrame(program.sequence.rate);
  const at = createPose(program);
  let [was, now] = [new Eye(), new Eye()];
  let top = 0;
  const first = Math.floor(nth(program.steps.start, position) / frame);
  const last = Math.ceil(nth(program.steps.end, position) / frame);
  for (let f = first; f <= last; f++) {
    pose(program, f * frame, at);
    now.look(program, at);
    if (f > first && now.live === was.live) top = Math.max(top, travelled(was, now));
    [was, now] = [now, was];
  }
  return top;
}

/** Lengthens until it is slow enough: of fast turns only the chord is seen, so that the first try may fall short. */
function longEnough(program: Program, f: Finding): (draft: Sequence) => void {
  const frames = TICKS_PER_SECOND / ticksPerFrame(program.sequence.rate);
  const allowed = (f.numbers.allowed?.value ?? 1) / frames;
  let factor = factorOf(f);
  for (let i = 0; i < 6; i++) {
    const { document } = runCommand(program.sequence, lengthen(program, f, factor));
    const top = topOf(compile(program.index, program.preparation, document), f.step);
    if (top <= allowed) break;
    factor *= 1.05 * (top / allowed);
  }
  return lengthen(program, f, factor);
}

/** A camera that whips, judders, stops dead or changes its direction in a jump, and cuts to the other side. */
export const cameraMotion: Check<Names> = {
  id: "camera",
  title: "Camera that whips, judders or stops dead",
  why: "What the eye cannot follow it does not see, and it remembers the jolt.",
  needs: ["poses"],
  thresholds: {
    whip: { label: "Whips at", unit: "widths/s", min: 0.1, max: 20, usual: 2.4 },
    judder: { label: "Judders at, a frame", unit: "% of the width", min: 0.2, max: 30, usual: 5 },
    jump: { label: "Jumps by", unit: "°/s", min: 1, max: 180, usual: 8 },
    across: { label: "A cut goes round by", unit: "°", min: 90, max: 180, usual: 150 },
  },
  mends: {
    smooth: {
      title: "Smooth the camera's way",
      command: ({ program }, f) => {
        const id = f.targets.find((t) => t.type === "camera");
        if (id?.type !== "camera") throw new Refusal("gone", { what: "camera" });
        return smoothCamera(program, f.step, id.id);
      },
    },
    lengthen: {
      title: "Give it more time",
      command: ({ program }, f) => longEnough(program, f),
    },
  },
  run({ program, thresholds }, report) {
    for (const place of abruptPlaces(program, { least: thresholds.jump })) {
      const position = stepAt(program.steps, place.ticks);
      const step = program.steps.ids[position];
      if (step === undefined) continue;
      const slow = 0.15 * place.jump;
      const what = place.after < slow ? "stops" : place.before < slow ? "starts" : "turns";
      const moves = movesAt(program, { step, from: place.ticks - 1, to: place.ticks + 1 });
      const camera = program.sequence.camera;
      report({
        ...{ severity: place.jump > 3 * thresholds.jump ? "wrong" : "look", what, step },
        ...{ from: place.ticks, to: place.ticks, targets: [{ type: "camera", id: cameraAt(program, step) ?? camera }] },
        numbers: {
          jump: { value: place.jump, unit: "°/s" },
          before: { value: place.before, unit: "°/s" },
          after: { value: place.after, unit: "°/s" },
        },
        mends: moves.length > 0 ? ["smooth"] : [],
        about: [...moves.map((m) => m.id), String(placeIn(program, position, place.ticks))],
      });
    }
  },
  watch(context, report) {
    const { program } = context;
    const [a, b] = [new Eye(), new Eye()];
    let [was, now] = [a, b];
    let before = -1;
    const runs = runsOf(context, report);
    return {
      before(at, ticks) {
        was.look(program, at);
        before = ticks;
      },
      frame(at, ticks) {
        now.look(program, at);
        if (before >= 0) {
          if (now.live !== was.live) {
            const round = turnedRound(was, now);
            // Only where both look at the same: elsewhere there is no side to be on.
            const same = lengthOf(minus(was.aim, now.aim)) < 0.6 * Math.min(was.distance, now.distance);
            if (same && round > context.thresholds.across)
              report({
                ...{ severity: "look", what: "across", step: context.step.id, from: ticks, to: ticks },
                ...{ targets: [{ type: "picture" }], mends: [], about: [] },
                numbers: { round: { value: round, unit: "°" } },
              });
            runs.flush();
          } else runs.put(travelled(was, now), before, ticks);
        }
        before = ticks;
        [was, now] = [now, was];
      },
      end: () => runs.flush(),
    };
  },
};

/** Runs of frames that are too fast: a whip, or short of that a judder. */
function runsOf(context: StepContext<Names>, report: Report) {
  const { program, thresholds, step, frame } = context;
  const perSecond = TICKS_PER_SECOND / frame;
  const tell =
    (what: "whips" | "judders", allowed: number) => (from: number, to: number, top: number, frames: number) => {
      if (what === "judders" && frames < 5) return;
      const f = { step: step.id, from, to };
      const moves = movesAt(program, f);
      report({
        ...{ severity: what === "whips" ? "wrong" : "look", what, ...f },
        targets: [{ type: "camera", id: cameraAt(program, step.id) ?? program.sequence.camera }],
        numbers: {
          speed: { value: top * perSecond, unit: "widths/s" },
          allowed: { value: allowed * perSecond, unit: "widths/s" },
          rate: { value: Math.round(perSecond * 1000) / 1000, unit: "1/s" },
        },
        mends: moves.length > 0 ? ["lengthen"] : [],
        about: moves.map((m) => m.id),
      });
    };
  const whip = thresholds.whip / perSecond;
  const judder = Math.min(thresholds.judder / 100, whip);
  const whips = new Run(tell("whips", whip));
  const judders = new Run((from, to, top, frames) => {
    if (top <= whip) tell("judders", judder)(from, to, top, frames);
  });
  return {
    put(travel: number, from: number, to: number) {
      whips.put(travel > whip, from, to, travel);
      judders.put(travel > judder, from, to, travel);
    },
    flush() {
      whips.flush();
      judders.flush();
    },
  };
}

/** The camera that moves in a step. */
function cameraAt(program: Program, step: string): string | undefined {
  const it = program.sequence.steps[step];
  for (const move of Object.values(it?.moves ?? {}))
    for (const t of actsOn(move, program.sequence)) if (t.type === "camera") return t.id;
  return undefined;
}

/** Where in its action a moment is, in hundredths of a second: tells two jumps of the same moves apart. */
const placeIn = (program: Program, position: number, ticks: number): number =>
  Math.round(((ticks - nth(program.steps.action, position)) / TICKS_PER_SECOND) * 100);
