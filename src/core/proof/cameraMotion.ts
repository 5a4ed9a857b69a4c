import { abruptPlaces } from "../checks/abrupt";
import { smoothCamera } from "../edit/cameraCommands";
import { nth } from "../math/packed";
import { lengthOf, minus } from "../math/triple";
import { stepAt } from "../program/layout";
import type { Program } from "../program/program";
import { actsOn } from "../program/spans";
import { Refusal } from "../text/refusal";
import { TICKS_PER_SECOND } from "../time/time";
import type { Check, Report, StepContext } from "./check";
import { Eye, travelled, turnedRound } from "./eye";
import { longEnough, movesAt } from "./moreTime";

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
