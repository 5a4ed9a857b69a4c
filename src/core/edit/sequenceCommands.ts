import { TITLE_MAX } from "../document/keys";
import {
  type CameraValues,
  type Folder,
  type HandMove,
  hand,
  type Key,
  type Move,
  newStep,
  type Sequence,
  STEP_DEFAULTS,
  type Step,
  type Target,
  targetId,
  timedSteps,
} from "../document/sequence";
import type { Ease } from "../ease/ease";
import { actionLength } from "../program/spans";
import { Refusal } from "../text/refusal";
import { type FrameRate, formatSecondsShort, ticksPerFrame } from "../time/time";
import { dropChannel, isEmpty } from "./arrival";
import { freshId } from "./id";
import { copySoundsOf, dropSoundsOf } from "./stepSounds";
import { keepJoined } from "./timing/joined";
import { mapIds, mapStepTimes } from "./traverse";

/** A command changes a draft of a sequence in place. The caller gives it to Immer, which records the patches. */
export type SequenceCommand = (draft: Sequence) => void;

/** What one arrival sets on one target. */
export interface KeptValues {
  target: Target;
  values: Record<string, number>;
  orientation?: [number, number, number, number];
  /** Name for a new move, e.g. the part's. */
  name: string;
}

export interface Arrival {
  /** Ticks from the start of the step's action. */
  at: number;
  lead: number | "previous";
  ease: Ease;
}

const step = (draft: Sequence, id: string): Step => {
  const found = draft.steps[id];
  if (!found) throw new Refusal("gone", { what: "step" });
  return found;
};

/** The stills that most steps of a sequence have, ticks; of two used as often the one used later. */
export function usualStills(sequence: Pick<Sequence, "steps" | "stepOrder">): {
  stillBefore: number;
  stillAfter: number;
} {
  const { stillBefore, stillAfter } = STEP_DEFAULTS;
  const most = (of: "stillBefore" | "stillAfter", or: number) => {
    const counts = new Map<number, number>();
    let best = or;
    for (const id of sequence.stepOrder) {
      const still = sequence.steps[id]?.[of] ?? or;
      counts.set(still, (counts.get(still) ?? 0) + 1);
      if ((counts.get(still) ?? 0) >= (counts.get(best) ?? 0)) best = still;
    }
    return best;
  };
  return { stillBefore: most("stillBefore", stillBefore), stillAfter: most("stillAfter", stillAfter) };
}

/** Adds an empty step after another (or at the end), with the usual stills in place, or none where that was chosen. */
export function addStep(id: string, title: string, after?: string): SequenceCommand {
  return (draft) => {
    const stills = draft.newSteps === "none" ? { stillBefore: 0, stillAfter: 0 } : usualStills(draft);
    draft.steps[id] = { ...newStep(id, title), ...stills };
    const at = after ? draft.stepOrder.indexOf(after) : -1;
    draft.stepOrder.splice(at < 0 ? draft.stepOrder.length : at + 1, 0, id);
  };
}

/** Copies a step, with new ids throughout, right after it. */
export function duplicateStep(id: string, copyId: string): SequenceCommand {
  return (draft) => {
    const source = step(draft, id);
    const { moves, folders } = copied(Object.values(source.moves), source.folders, id, copyId);
    draft.steps[copyId] = { ...source, id: copyId, title: `${source.title} (copy)`.slice(0, 200), moves, folders };
    draft.stepOrder.splice(draft.stepOrder.indexOf(id) + 1, 0, copyId);
    copySoundsOf(draft, id, copyId);
  };
}

/** A move without ties to its draft, for copying. */
export const plainCopy = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

/**
 * Copies moves with new ids throughout. A reversed move whose original is copied too reverses the copy.
 * @param folders the folders they may be in; those used are copied along. @param from step they are in @param to step
 * of the copies
 */
export function copied(
  moves: readonly Move[],
  folders: Readonly<Record<string, Folder>>,
  from: string,
  to: string,
): { moves: Record<string, Move>; folders: Record<string, Folder> } {
  const ids = new Map(moves.map((m) => [m.id, freshId()]));
  const folderIds = new Map<string, string>();
  const out: { moves: Record<string, Move>; folders: Record<string, Folder> } = { moves: {}, folders: {} };
  for (const move of moves) {
    const copy = plainCopy(move);
    copy.id = ids.get(move.id) as string;
    if (copy.folder !== null && from !== to) {
      const folder = folders[copy.folder];
      if (folder && !folderIds.has(folder.id)) {
        const folderId = freshId();
        folderIds.set(folder.id, folderId);
        out.folders[folderId] = { ...plainCopy(folder), id: folderId };
      }
      copy.folder = folderIds.get(copy.folder) ?? null;
    }
    if (copy.kind === "hand") {
      copy.keys = Object.fromEntries(
        Object.values(copy.keys).map((key) => {
          const id = freshId();
          return [id, { ...key, id }];
        }),
      );
    }
    mapIds(copy, {
      original: (of) => {
        const twin = of.step === from ? ids.get(of.move) : undefined;
        return twin === undefined ? of : { step: to, move: twin };
      },
    });
    out.moves[copy.id] = copy;
  }
  return out;
}

/** Removes a step. The last one cannot be removed. @throws Refusal */
export function removeStep(id: string): SequenceCommand {
  return (draft) => {
    if (draft.stepOrder.length <= 1) throw new Refusal("last-step");
    delete draft.steps[id];
    draft.stepOrder = draft.stepOrder.filter((s) => s !== id);
    for (const marker of Object.values(draft.markers)) if (marker.step === id) delete draft.markers[marker.id];
    dropSoundsOf(draft, id);
    for (const t of Object.values(draft.triggers ?? {})) if (t.step === id) delete draft.triggers?.[t.id];
    if (draft.triggers && Object.keys(draft.triggers).length === 0) delete draft.triggers;
    for (const version of Object.values(draft.timings)) {
      delete version.steps[id];
      if (Object.keys(version.steps).length === 0) delete draft.timings[version.id];
    }
  };
}

/** Moves a step to a place in the order (0 = first). */
export function moveStep(id: string, to: number): SequenceCommand {
  return (draft) => {
    const order = draft.stepOrder.filter((s) => s !== id);
    order.splice(Math.max(0, Math.min(order.length, to)), 0, id);
    draft.stepOrder = order;
  };
}

/** Changes a step's own fields. */
export function updateStep(
  id: string,
  change: Partial<Pick<Step, "title" | "caption" | "note" | "on" | "stillBefore" | "action" | "stillAfter">>,
): SequenceCommand {
  return (draft) => {
    Object.assign(step(draft, id), change);
  };
}

/** Chooses whether new steps begin with stills. */
export function setNewSteps(begin: "stills" | "none"): SequenceCommand {
  return (draft) => {
    if (begin === "none") draft.newSteps = begin;
    else delete draft.newSteps;
  };
}

/** Takes the stills of all steps away, before and after. */
export function dropStills(): SequenceCommand {
  return (draft) => {
    for (const s of Object.values(draft.steps)) Object.assign(s, { stillBefore: 0, stillAfter: 0 });
  };
}

/**
 * Gives a step a whole length: its action takes what its stills leave, or all of it where it is to have none.
 * @throws Refusal where what moves in it needs longer
 */
export function setStepLength(id: string, ticks: number, stills: "keep" | "none"): SequenceCommand {
  return (draft) => {
    const own = step(draft, id);
    const [before, after] = stills === "none" ? [0, 0] : [own.stillBefore, own.stillAfter];
    const needs = actionLength({ ...own, action: 0 }, draft);
    const action = Math.round(ticks) - before - after;
    if (action < needs) throw new Refusal("step-too-short", { least: formatSecondsShort(needs + before + after) });
    Object.assign(own, { stillBefore: before, stillAfter: after, action });
  };
}

const sameTarget = (a: Target, b: Target) => targetId(a) === targetId(b);

/** A hand-keyed move without arrivals yet. */
export function newHandMove(id: string, target: Target, name: string): HandMove {
  return {
    id,
    name: name.slice(0, 200),
    on: true,
    folder: null,
    colour: null,
    note: "",
    kind: "hand",
    target,
    keys: {},
  };
}

/**
 * Keeps a pose: one arrival for each target, holding only the channels given. A target keyed by hand in the step gets
 * the arrival in that move. Where it arrives at that very time already, only what the pose changes takes the lead and
 * ease given, in an arrival of its own where they differ; all else arrives as it did.
 */
export function keepArrivals(stepId: string, arrival: Arrival, kept: readonly KeptValues[]): SequenceCommand {
  return (draft) => {
    const target = step(draft, stepId);
    for (const k of kept) {
      let move = Object.values(target.moves).find(
        (m): m is HandMove => m.kind === "hand" && sameTarget(m.target, k.target),
      );
      if (!move) {
        const made = newHandMove(freshId(), k.target, k.name);
        target.moves[made.id] = made;
        move = target.moves[made.id] as HandMove;
      }
      putArrival(move, arrival, k);
    }
  };
}

/** Puts values into a move at a time; see {@link keepArrivals}. */
function putArrival(move: HandMove, arrival: Arrival, k: Pick<KeptValues, "values" | "orientation">): void {
  const there = Object.values(move.keys).filter((key) => key.at === arrival.at);
  const values = Object.entries(k.values).filter(([c, v]) => !there.some((key) => key.values[c] === v));
  const { orientation } = k;
  if (values.length === 0 && !orientation) return;
  const alike = (key: Key) => key.lead === arrival.lead && JSON.stringify(key.ease) === JSON.stringify(arrival.ease);
  const covers = (key: Key) =>
    Object.keys(key.values).every((c) => values.some(([v]) => v === c)) &&
    (!key.orientation || orientation !== undefined);
  const into = there.find(alike) ?? there.find(covers);
  // Shapes and handles set apart belong to the arrival's channels, not to their values: they come along.
  const shapes = Object.fromEntries(
    values.flatMap(([c]) => there.flatMap((key) => (key.shapes?.[c] ? [[c, key.shapes[c]]] : []))),
  );
  const split = values.flatMap(([c]) => (there.some((key) => key.split?.includes(c)) ? [c] : []));
  for (const key of there) {
    for (const [c] of values) dropChannel(key, c);
    if (orientation) delete key.orientation;
    if (key !== into && isEmpty(key)) delete move.keys[key.id];
  }
  const id = into?.id ?? freshId();
  move.keys[id] = {
    ...into,
    id,
    at: arrival.at,
    lead: arrival.lead,
    ease: arrival.ease,
    values: { ...into?.values, ...Object.fromEntries(values) },
    ...(orientation ? { orientation } : {}),
    ...(Object.keys(shapes).length > 0 ? { shapes: { ...into?.shapes, ...shapes } } : {}),
    ...(split.length > 0 ? { split: [...(into?.split ?? []), ...split] } : {}),
  };
}

const keyOf = (draft: Sequence, stepId: string, moveId: string, keyId: string): Key => {
  const key = hand(step(draft, stepId).moves[moveId])?.keys[keyId];
  if (!key) throw new Refusal("gone", { what: "arrival" });
  return key;
};

/** Changes an arrival's time, lead or ease. What ran into it or out of it still does when its time changes. */
export function updateKey(
  stepId: string,
  moveId: string,
  keyId: string,
  change: Partial<Pick<Key, "at" | "lead" | "ease">>,
): SequenceCommand {
  return (draft) => {
    const key = keyOf(draft, stepId, moveId, keyId);
    keepJoined(draft, [{ step: stepId, move: moveId }], () => Object.assign(key, change));
  };
}

/** Sets one value of an arrival. */
export function setKeyValue(
  stepId: string,
  moveId: string,
  keyId: string,
  channel: string,
  value: number,
): SequenceCommand {
  return (draft) => {
    keyOf(draft, stepId, moveId, keyId).values[channel] = value;
  };
}

/** Removes an arrival, and its move when it was the last one. */
export function removeKey(stepId: string, moveId: string, keyId: string): SequenceCommand {
  return (draft) => {
    keyOf(draft, stepId, moveId, keyId);
    const { moves } = step(draft, stepId);
    const move = moves[moveId] as HandMove;
    if (Object.keys(move.keys).length <= 1) delete moves[moveId];
    else delete move.keys[keyId];
  };
}

/**
 * Changes the frame rate. With "seconds" every time stays where it is on the clock; with "frames" every time keeps
 * its frame number, so the sequence gets longer or shorter.
 */
export function setRate(rate: FrameRate, keep: "seconds" | "frames"): SequenceCommand {
  return (draft) => {
    const before = ticksPerFrame(draft.rate);
    const after = ticksPerFrame(rate);
    draft.rate = rate;
    if (keep === "seconds" || before === after) return;
    const scaled = (ticks: number) => Math.round((ticks / before) * after);
    for (const step of timedSteps(draft)) mapStepTimes(step, scaled);
    for (const marker of Object.values(draft.markers)) marker.at = scaled(marker.at);
    for (const sound of Object.values(draft.sounds ?? {})) sound.at = scaled(sound.at);
    if (draft.goal !== null) draft.goal = scaled(draft.goal);
  };
}

/** Changes the picture's size in pixels. */
export function setPicture(width: number, height: number): SequenceCommand {
  return (draft) => {
    draft.picture = { width, height };
  };
}

/** Sets where a camera stands before its first arrival. */
export function setCameraHome(cameraId: string, home: CameraValues): SequenceCommand {
  return (draft) => {
    const camera = draft.cameras[cameraId];
    if (!camera) throw new Refusal("gone", { what: "camera" });
    camera.home = home;
  };
}

/** Gives the sequence another name. @throws Refusal for an empty one */
export function renameSequence(name: string): SequenceCommand {
  return (draft) => {
    const clean = name.trim().slice(0, TITLE_MAX);
    if (!clean) throw new Refusal("name-needed", { what: "sequence" });
    draft.name = clean;
  };
}

/** Lets an arrival's channels arrive by its ease again, without shapes of their own. */
export function clearShapes(step: string, move: string, key: string): SequenceCommand {
  return (draft) => {
    delete keyOf(draft, step, move, key).shapes;
  };
}

/**
 * Puts an arrival's slide so far from where it was: `from` are its values when the drag began, `by` the shift, mm. A
 * slide that it had not and that does not change is left out.
 */
export function shiftKey(
  step: string,
  move: string,
  key: string,
  from: Readonly<Record<string, number>>,
  by: Readonly<Record<string, number>>,
): SequenceCommand {
  return (draft) => {
    const { values } = keyOf(draft, step, move, key);
    for (const [channel, shift] of Object.entries(by)) {
      if (Math.abs(shift) > 1e-6 || channel in from) values[channel] = (from[channel] ?? 0) + shift;
      else delete values[channel];
    }
  };
}
