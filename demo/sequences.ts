import type { AssemblyIndex } from "../src/core/assembly/assembly";
import { fitBox } from "../src/core/camera/camera";
import { CAMERA_CHANNELS, type CameraValues, type HandMove, newSequence, newStep, type Sequence, type Target } from "../src/core/document/sequence";
import type { Ease } from "../src/core/ease/ease";
import { TICKS_PER_SECOND } from "../src/core/time/time";

const SOFT: Ease = { kind: "soft", start: 0.3, stop: 0.45 };
const GENTLE: Ease = { kind: "soft", start: 0.4, stop: 0.5 };
const STEADY: Ease = { kind: "soft", start: 0, stop: 0 };

interface StepPlan {
  title: string;
  caption: string;
  before: number;
  after: number;
  /** node key, "group:" with its id, or "camera" -> arrivals: [time s in the action, lead s or "previous", values, ease] */
  moves: Record<string, [number, number | "previous", Record<string, number>, Ease?][]>;
}

function targetOf(name: string): Target {
  if (name === "camera") return { type: "camera", id: "main" };
  return name.startsWith("group:") ? { type: "group", id: name.slice(6) } : { type: "node", key: name };
}

/** Builds a sequence from plans written in seconds. Ids are counted, so the same plan gives the same document. */
function build(name: string, home: CameraValues, plans: StepPlan[]): Sequence {
  const sequence = newSequence(name, home, "step1");
  sequence.steps = {};
  sequence.stepOrder = [];
  const ticks = (s: number) => Math.round(s * 30) * (TICKS_PER_SECOND / 30);
  let n = 0;
  plans.forEach((plan, i) => {
    const id = `step${i + 1}`;
    const step = newStep(id, plan.title);
    step.caption = plan.caption;
    step.stillBefore = ticks(plan.before);
    step.stillAfter = ticks(plan.after);
    step.action = 0;
    for (const [target, arrivals] of Object.entries(plan.moves)) {
      const moveId = `m${++n}`;
      const keys: HandMove["keys"] = {};
      for (const [at, lead, values, ease] of arrivals) {
        const key = `k${++n}`;
        keys[key] = { id: key, at: ticks(at), lead: lead === "previous" ? lead : ticks(lead), ease: ease ?? SOFT, values };
        step.action = Math.max(step.action, ticks(at));
      }
      step.moves[moveId] = {
        id: moveId,
        name: target === "camera" ? "Main camera" : target === "group:crank" ? "Crank" : (target.split("/").pop() ?? target),
        on: true,
        folder: null,
        colour: null,
        note: "",
        kind: "hand",
        target: targetOf(target),
        keys,
      };
    }
    sequence.steps[id] = step;
    sequence.stepOrder.push(id);
  });
  return sequence;
}

/** The demo's first sequence: a cartridge is changed, then the crank shows the pump at work. */
export function demoSequences(index: AssemblyIndex): Sequence[] {
  const b = index.worldBounds;
  const all = (azimuth: number, elevation: number, margin: number): CameraValues => ({
    ...fitBox(b.subarray(0, 3), b.subarray(3, 6), azimuth, elevation, 50, 16 / 9, "z", margin),
    azimuth,
    elevation,
    roll: 0,
    lens: 50,
  });
  const view = (aim: readonly [number, number, number], azimuth: number, elevation: number, distance: number): Record<string, number> => ({
    "aim.x": aim[0],
    "aim.y": aim[1],
    "aim.z": aim[2],
    azimuth,
    elevation,
    distance,
    roll: 0,
    lens: 50,
  });
  const wide = all(28, 20, 0.1);
  const home = all(46, 26, 0.02);
  const wideValues = Object.fromEntries(CAMERA_CHANNELS.map((c) => [c, wide[c]]));
  const lid = "Rill H2/Lid";
  const cap = "Rill H2/Filter/Bayonet cap";
  const cartridge = "Rill H2/Filter/Cartridge";

  return [
    build("Fit a fresh cartridge", home, [
      {
        title: "The Rill H2",
        caption: "The Rill H2 at rest: filter on the left, pump and crank on the right.",
        before: 1.2,
        after: 0.6,
        moves: { camera: [[2.4, 2.4, wideValues, GENTLE]] },
      },
      {
        title: "Open the lid",
        caption: "Release the latch and swing the lid back.",
        before: 0.3,
        after: 0.8,
        moves: {
          camera: [[1.4, 1.4, view([-50, 0, 170], 30, 26, 860), GENTLE]],
          [`${lid}/Latch`]: [[1.7, 0.5, { "joint.latch": 62 }]],
          [lid]: [[3.1, 1.3, { "joint.lid": 112 }]],
        },
      },
      {
        title: "A quarter turn",
        caption: "Turn the bayonet cap a quarter turn to the left and lift it off.",
        before: 0.4,
        after: 0.5,
        moves: {
          [cap]: [
            [1.2, 1.2, { "joint.cap": 90 }],
            [2.4, 1, { "slide.z": 118 }],
            [3.5, 1, { "slide.x": -92, "slide.z": 60 }],
          ],
        },
      },
      {
        title: "Lift the cartridge out",
        caption: "Draw the spent cartridge straight up until it is clear.",
        before: 0.4,
        after: 1,
        moves: {
          camera: [[1.8, 1.8, view([-60, 0, 205], 22, 17, 960), GENTLE]],
          [cartridge]: [
            [2, 1.8, { "slide.z": 158 }],
            [3, 0.8, { "slide.y": -30 }],
          ],
        },
      },
      {
        title: "Fresh cartridge in",
        caption: "Lower the fresh cartridge until it seats.",
        before: 0.3,
        after: 0.6,
        moves: {
          [cartridge]: [
            [0.8, 0.8, { "slide.y": 0 }],
            [2.8, 1.8, { "slide.z": 0 }, { kind: "curve", x1: 0.35, y1: 0, x2: 0.3, y2: 1 }],
          ],
        },
      },
      {
        title: "Close up",
        caption: "Cap on, a quarter turn back, lid down, latch shut.",
        before: 0.3,
        after: 0.6,
        moves: {
          camera: [[2, 1.6, view([-50, 0, 165], 34, 25, 880), GENTLE]],
          [cap]: [
            [1, 1, { "slide.x": 0, "slide.z": 118 }],
            [2, 0.9, { "slide.z": 0 }],
            [2.9, 0.8, { "joint.cap": 0 }],
          ],
          [lid]: [[4.1, 1.1, { "joint.lid": 0 }]],
          [`${lid}/Latch`]: [[4.6, 0.4, { "joint.latch": 0 }]],
        },
      },
      {
        title: "Prime the pump",
        caption: "One turn of the crank drives three strokes of the plunger.",
        before: 0.4,
        after: 0.8,
        // Only the crank is keyed: gears, rod and plunger follow it.
        moves: { camera: [[1.6, 1.6, view([26, 0, 118], 14, 11, 680), GENTLE]], "group:crank": [[6.5, 6, { "joint.crank": 360 }, STEADY]] },
      },
      { title: "Ready", caption: "Ready for clean water.", before: 0.2, after: 1.6, moves: { camera: [[2, 2, wideValues, GENTLE]] } },
    ]),
  ];
}
