import { flowHandles, flowSlopes, type Knot } from "../camera/flow";
import type { Shape } from "../document/keys";
import {
  CAMERA_CHANNELS,
  type CameraValues,
  type HandMove,
  type Sequence,
  type Target,
  TITLE_MAX,
  targetId,
  timedSteps,
} from "../document/sequence";
import { nth } from "../math/packed";
import type { ReadonlyTriple } from "../math/triple";
import type { Program } from "../program/program";
import { actsOn, isOn } from "../program/spans";
import { Refusal } from "../text/refusal";
import { TICKS_PER_SECOND } from "../time/time";
import { freshId } from "./id";
import { handKeysOf, type MoveRef } from "./moveCommands";
import { newHandMove, type SequenceCommand } from "./sequenceCommands";
import { namesCamera } from "./traverse";

/** Adds a camera that stands at given values. */
export function addCamera(id: string, name: string, home: CameraValues): SequenceCommand {
  return (draft) => {
    draft.cameras[id] = { id, name: cleanName(draft, name), home };
  };
}

export function renameCamera(id: string, name: string): SequenceCommand {
  return (draft) => {
    const camera = draft.cameras[id];
    if (!camera) throw new Refusal("gone", { what: "camera" });
    camera.name = cleanName(draft, name, id);
  };
}

/** Makes a camera the one that the sequence begins with. */
export function beginWithCamera(id: string): SequenceCommand {
  return (draft) => {
    if (!draft.cameras[id]) throw new Refusal("gone", { what: "camera" });
    draft.camera = id;
  };
}

/** Removes a camera with all that moves it and all cuts to it. @throws Refusal for the last camera */
export function removeCamera(id: string): SequenceCommand {
  return (draft) => {
    const others = Object.keys(draft.cameras).filter((c) => c !== id);
    if (!draft.cameras[id]) throw new Refusal("gone", { what: "camera" });
    if (others.length === 0) throw new Refusal("last-camera");
    delete draft.cameras[id];
    if (draft.camera === id) draft.camera = others[0] as string;
    // In timings that are kept, too: one that cut to a camera that is gone could not be put on again.
    for (const step of timedSteps(draft)) {
      for (const move of Object.values(step.moves)) if (namesCamera(move, id)) delete step.moves[move.id];
    }
  };
}

function cleanName(draft: Sequence, name: string, except = ""): string {
  const clean = name.trim().slice(0, TITLE_MAX);
  if (!clean) throw new Refusal("name-needed", { what: "camera" });
  if (Object.values(draft.cameras).some((c) => c.id !== except && c.name === clean))
    throw new Refusal("camera-name-taken", { name: clean });
  return clean;
}

/** Shifts every kept view of a camera, its first one too, by the same offset of its aim, mm. */
export function shiftViews(camera: string, by: ReadonlyTriple): SequenceCommand {
  return (draft) => {
    const it = draft.cameras[camera];
    if (!it) throw new Refusal("gone", { what: "camera" });
    AIM.forEach((channel, k) => {
      it.home[channel] += nth(by, k);
    });
    for (const step of timedSteps(draft)) {
      for (const move of Object.values(step.moves)) {
        if (move.kind !== "hand" || move.target.type !== "camera" || move.target.id !== camera) continue;
        for (const key of Object.values(move.keys)) {
          AIM.forEach((channel, k) => {
            if (channel in key.values) key.values[channel] = (key.values[channel] as number) + nth(by, k);
          });
        }
      }
    }
  };
}
const AIM = ["aim.x", "aim.y", "aim.z"] as const;

export interface SmoothOptions {
  /** Stands shorter than this between two arrivals are flowed through, ticks; longer ones stay. */
  stand: number;
}
export const SMOOTH_DEFAULTS: Required<SmoothOptions> = { stand: TICKS_PER_SECOND / 4 };

/**
 * Takes the jerks out of a camera's run in a step: it goes through every arrival at the same time as before, with
 * continuous direction and speed, and stands still only where it stood for longer than `stand`. Ready-made moves of
 * the camera become hand keys first; those it was made of are gone.
 * @throws Refusal where the camera has no arrivals in the step
 */
export function smoothCamera(
  program: Program,
  stepId: string,
  camera: string,
  options: Partial<SmoothOptions> = {},
): SequenceCommand {
  const stand = options.stand ?? SMOOTH_DEFAULTS.stand;
  const target: Target = { type: "camera", id: camera };
  const step = program.sequence.steps[stepId];
  const position = program.steps.position.get(stepId);
  if (!step || position === undefined) throw new Refusal("step-not-shown");
  const rows = program.transitions(target).filter((t) => t.step === position);
  if (rows.length === 0) throw new Refusal("nothing-to-smooth");
  const runs = runsOf(rows, stand);
  const made: MoveRef[] = Object.values(step.moves)
    .filter(
      (m) =>
        m.kind !== "hand" && isOn(step, m) && actsOn(m, program.sequence).some((t) => targetId(t) === targetId(target)),
    )
    .map((m) => ({ step: stepId, move: m.id }));
  const toHand = handKeysOf(program, made);
  return (draft) => {
    toHand(draft);
    const { moves } = draft.steps[stepId] as Sequence["steps"][string];
    const own = Object.values(moves).filter(
      (m): m is HandMove => m.kind === "hand" && m.on && targetId(m.target) === targetId(target),
    );
    const kept = own[0] ?? newHandMove(freshId(), target, program.sequence.cameras[camera]?.name ?? "Camera");
    for (const move of own) if (move !== kept) delete moves[move.id];
    kept.keys = {};
    // What it repeated is written out.
    delete kept.repeat;
    for (const run of runs) {
      for (const channel of CAMERA_CHANNELS) {
        const knots = knotsOf(run, channel);
        const slopes = flowSlopes(knots);
        for (let i = 1; i < knots.length; i++) {
          const [a, b] = [knots[i - 1] as Knot, knots[i] as Knot];
          const shape = flowHandles(a, b, nth(slopes, i - 1), nth(slopes, i));
          arrive(kept, { at: b.at, lead: b.at - a.at }, channel, b.value, shape);
        }
      }
    }
    moves[kept.id] = kept;
  };
}

type Row = ReturnType<Program["transitions"]>[number];

/** Transitions that follow one another without a stand worth keeping. */
function runsOf(rows: readonly Row[], stand: number): Row[][] {
  const sorted = [...rows].sort((a, b) => a.t0 - b.t0 || a.t1 - b.t1);
  const runs: Row[][] = [];
  let until = Number.NEGATIVE_INFINITY;
  for (const row of sorted) {
    if (row.t0 > until + stand) runs.push([]);
    (runs[runs.length - 1] as Row[]).push(row);
    until = Math.max(until, row.t1);
  }
  return runs;
}

/** Where a channel starts a run, and its arrivals in it; a row that was cut short ends where the next begins. */
function knotsOf(run: readonly Row[], channel: string): Knot[] {
  const own = run.filter((r) => r.channel === channel);
  const first = own[0];
  if (!first) return [];
  const knots: Knot[] = [{ at: Math.round(first.t0), value: nth(first.from, 0) }];
  own.forEach((r, i) => {
    const next = own[i + 1];
    if (next && next.t0 < r.t1) knots.push({ at: Math.round(next.t0), value: nth(next.from, 0) });
    else knots.push({ at: Math.round(r.t1), value: nth(r.to, 0) });
  });
  return knots.filter((k, i) => i === 0 || k.at > (knots[i - 1] as Knot).at);
}

/** Adds a value to the arrival of the same time and lead, or to a new one; each channel has a shape of its own. */
function arrive(move: HandMove, how: { at: number; lead: number }, channel: string, value: number, shape: Shape): void {
  let key = Object.values(move.keys).find((k) => k.at === how.at && k.lead === how.lead);
  if (!key) {
    const id = freshId();
    key = { id, ...how, ease: { kind: "soft", start: 0, stop: 0 }, values: {} };
    move.keys[id] = key;
  }
  key.values[channel] = value;
  key.shapes = { ...key.shapes, [channel]: shape };
}
